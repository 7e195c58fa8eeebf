using System.Text.RegularExpressions;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Asking;

/// <summary>What can be tried until the next restart: read from its files, checked, and chosen from.</summary>
public sealed partial class TrialBook(IReadOnlyList<Trial> trials)
{
    private sealed record Part(IReadOnlyList<Trial> Trials);

    /// <summary>All of them.</summary>
    public IReadOnlyList<Trial> Trials => trials;

    /// <summary>The trials of some files; one that stands twice, a cause or a place that is not known, and a line that would outlast a restart are a problem that names it.</summary>
    public static Answer<TrialBook> Read(IEnumerable<(string Name, string Yaml)> files, string schema, RuleBook book)
    {
        var all = new List<Trial>();
        foreach (var (name, yaml) in files)
        {
            var read = DataFile.Read<Part>(name, yaml, schema);
            if (read.Value is not { } part)
                return read.Problem!;
            all.AddRange(part.Trials);
        }
        if (all.GroupBy(t => t.Id).FirstOrDefault(g => g.Count() > 1) is { } twice)
            return new Problem("Every trial stands once.", $"{twice.Key} stands {twice.Count()} times.", "Keep one of them.");
        return all.Select(t => Mistake(t, book)).FirstOrDefault(p => p is not null) is { } mistake ? mistake : new TrialBook(all);
    }

    private static Problem? Mistake(Trial trial, RuleBook book)
    {
        if (trial.Of.FirstOrDefault(c => book.Cause(c) is null) is { } unknown)
            return new($"{trial.Id} should prove causes of the rule book.", $"{unknown} is none.", "Correct the name.");
        foreach (var line in trial.Type)
        {
            if (SafeCommand.PlacesOf(line).FirstOrDefault(p => !SafeCommand.HasShape(p)) is { } place)
                return new($"{trial.Id} should use facts of a known shape.", $"{place} has none.", "Take another one.");
            if (Lasts(line))
                return new(
                    $"{trial.Id} should hold until the board restarts.",
                    $"“{line}” may outlast a restart.",
                    "Take a way that stays in memory."
                );
        }
        return new[] { trial.Behind, trial.Unless }
            .OfType<string>()
            .Select(e => RuleBook.MistakeIn(trial.Id, e))
            .FirstOrDefault(p => p is not null);
    }

    /// <summary>Whether a line could outlast a restart: it names a program that writes to media or keeps a loader's settings, or sends text anywhere but into memory.</summary>
    public static bool Lasts(string line) =>
        Writes().IsMatch(line) || Redirects().Matches(line).Any(m => !Memory().IsMatch(m.Groups[1].Value));

    /// <summary>The trials for who waits now, those of likelier causes first.</summary>
    public IReadOnlyList<OfferedTrial> For(AskContext context, Consoles.Listener listener) =>
        [
            .. from cause in context.Diagnosis.Causes
            where cause.Probability >= Worthwhile && cause.Answer != CheckAnswer.No
            from trial in trials
            where trial.Of.Contains(cause.Id) && trial.Fits(listener, context.Before)
            let offered = trial.With(cause.Id, cause.Name, context.Facts)
            where offered is not null
            select offered,
        ];

    /// <summary>Less likely causes are not tried.</summary>
    private const double Worthwhile = 0.2;

    [GeneratedRegex(
        @"\b(?:saveenv|env\s+save|editenv|save_env|dd|mkfs\S*|mke2fs|rm|mv|cp|tee|fsck\S*|e2fsck|tune2fs|resize2fs|sfdisk|fdisk|parted|wipefs|fatwrite|ext4write|mmc\s+write|erase|sf\s+write|nand|sed\s+-i|passwd|systemctl\s+(?:enable|disable|mask))\b"
    )]
    private static partial Regex Writes();

    [GeneratedRegex(@">{1,2}\s*(\S+)")]
    private static partial Regex Redirects();

    // Paths of an initial file system and of /run are memory.
    [GeneratedRegex(@"\A(?:/run/|/scripts/|/conf/|/tmp/|/dev/null\z|&[12]\z)")]
    private static partial Regex Memory();
}
