using System.Globalization;

namespace Buttonhook.Core.Keeping;

/// <summary>One thing that two records say differently.</summary>
/// <param name="Kind">The setting without the number of one of several.</param>
/// <param name="Before">What the first says; null when it is not known there.</param>
/// <param name="After">What the second says; null when it is not known there.</param>
/// <param name="Says">Both sides in words.</param>
public sealed record SettingDifference(string Kind, string Name, string? Before, string? After, string Says);

/// <summary>What two working settings say differently, in words.</summary>
public static class SettingsDifference
{
    /// <summary>Times differ when one is this much longer than the other and by more than <see cref="Seconds"/>: no two boots take the same.</summary>
    private const double Slower = 1.25;

    private const double Seconds = 3;

    /// <summary>What is told of each boot anew and says nothing of what was set up.</summary>
    private static readonly HashSet<string> OfEachBoot =
    [
        "card.written",
        "system.heat",
        "card.speed",
        "met.changed",
        "met.fixed",
        "console.port",
        "more.photo",
    ];

    /// <summary>The differences in the order of the work; an empty list when both say the same. Several of a kind (addresses, recipes) have no order.</summary>
    public static IReadOnlyList<SettingDifference> Of(WorkingSettings before, WorkingSettings after)
    {
        var list = new List<SettingDifference>();
        var kinds = before.Settings.Concat(after.Settings).Select(s => s.Kind).Distinct().OrderBy(k => Place(k));
        foreach (var kind in kinds)
        {
            var name = SettingNames.Of(kind);
            var (was, now) = (before.All(kind), after.All(kind));
            if (was.Count <= 1 && now.Count <= 1)
            {
                var (one, other) = (was.FirstOrDefault(), now.FirstOrDefault());
                if (one != other && !(kind.StartsWith("time.", StringComparison.Ordinal) && !Longer(one, other)))
                    list.Add(new(kind, name, one, other, Words(name, one, other, kind)));
                continue;
            }
            var (gone, come) = (was.Except(now).ToList(), now.Except(was).ToList());
            if (gone.Count + come.Count > 0)
                list.Add(new(kind, name, Joined(gone), Joined(come), Words(name, Joined(gone), Joined(come), kind)));
        }
        foreach (var path in before.Files.Concat(after.Files).Select(f => f.Path).Distinct())
        {
            var (one, other) = (
                before.Files.FirstOrDefault(f => f.Path == path)?.Text,
                after.Files.FirstOrDefault(f => f.Path == path)?.Text
            );
            if (one == other)
                continue;
            var says =
                one is null ? $"{path}: written only afterwards."
                : other is null ? $"{path}: written only before."
                : $"{path}: {FirstLine(one, other)}";
            list.Add(new("first.text", "File", one, other, says));
        }
        if (before.Notes != after.Notes)
            list.Add(
                new("notes", "Notes", before.Notes, after.Notes, $"Notes: “{Short(before.Notes)}” before, “{Short(after.Notes)}” now.")
            );
        return list;
    }

    /// <summary>The differences to a record that came from elsewhere: a short text, which holds a part only, tells nothing of what it lacks.</summary>
    public static IReadOnlyList<SettingDifference> Told(WorkingSettings before, WorkingSettings came) =>
        [.. Of(before, came).Where(d => came.Bench is not null || d.After is not null)];

    /// <summary>What of a boot no longer is as its record says: what each boot has anew is left out, and so is what this boot does not tell.</summary>
    public static IReadOnlyList<SettingDifference> Regression(WorkingSettings kept, WorkingSettings boot) =>
        [.. Of(kept, boot).Where(d => d.Before is not null && d.After is not null && !OfEachBoot.Contains(d.Kind) && d.Kind != "notes")];

    private static int Place(string kind)
    {
        var about = kind.Split('.')[0];
        for (var i = 0; i < SettingNames.Groups.Count; i++)
            if (SettingNames.Groups[i].About == about)
                return i;
        return SettingNames.Groups.Count;
    }

    private static string? Joined(List<string> values) =>
        values.Count == 0 ? null : string.Join(", ", values.Order(StringComparer.Ordinal));

    private static bool Longer(string? one, string? other) =>
        one is null
        || other is null
        || !Time(one, out var a)
        || !Time(other, out var b)
        || (Math.Max(a, b) > Slower * Math.Min(a, b) && Math.Abs(a - b) > Seconds);

    private static bool Time(string text, out double seconds) =>
        double.TryParse(text.Replace(" s", "", StringComparison.Ordinal), NumberStyles.Float, CultureInfo.InvariantCulture, out seconds);

    private static string Words(string name, string? before, string? after, string kind)
    {
        if (
            kind.StartsWith("time.", StringComparison.Ordinal)
            && before is not null
            && after is not null
            && Time(before, out var a)
            && Time(after, out var b)
        )
            return $"{name} reached after {after} instead of {before}: {(b > a ? "slower" : "faster")}.";
        return before is null ? $"{name}: not known before, {Short(after)} now."
            : after is null ? $"{name}: {Short(before)} before, not known now."
            : $"{name}: {Short(before)} before, {Short(after)} now.";
    }

    private static string Short(string? text) => text is { Length: > 160 } ? text[..160] + " …" : text ?? "";

    private static string FirstLine(string before, string after)
    {
        var (a, b) = (before.Split('\n'), after.Split('\n'));
        for (var i = 0; i < Math.Max(a.Length, b.Length); i++)
        {
            var (one, other) = (i < a.Length ? a[i] : null, i < b.Length ? b[i] : null);
            if (one != other)
                return $"line {i + 1} “{Short(one)}” before, “{Short(other)}” now.";
        }
        return "differs.";
    }
}
