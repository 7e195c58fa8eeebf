using System.Globalization;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Keeping;

/// <summary>What a setting stands on.</summary>
public enum Standing
{
    /// <summary>The log, or writing and reading back here, shows it.</summary>
    Proven,

    /// <summary>A person says so; nothing shows it.</summary>
    Claimed,

    /// <summary>The log and the bench say different things.</summary>
    Differs,

    /// <summary>Nothing tells it.</summary>
    Unknown,
}

/// <summary>One working setting as it would be kept.</summary>
/// <param name="Value">Null when it is not known.</param>
/// <param name="Source">What it stands on, in a few words.</param>
/// <param name="Line">The line of the log that shows it, or null.</param>
public sealed record SettingRow(string Name, string? Value, Standing Standing, string Source, int? Line = null);

/// <summary>Tells of working settings which are proven, which are claimed, and which differ from the bench.</summary>
public static class SettingRows
{
    /// <summary>The rows in the order of the work.</summary>
    /// <param name="card">What is known of the card that booted.</param>
    /// <param name="lineOf">The first line of the log that holds a text, or null.</param>
    public static IReadOnlyList<SettingRow> Of(
        WorkingSettings s,
        Facts facts,
        CardState card,
        IReadOnlyList<Contradiction> differ,
        Func<string, int?> lineOf
    )
    {
        SettingRow Row(string name, string? value, string? logged, string claimed, params string[] about)
        {
            if (differ.FirstOrDefault(d => about.Contains(d.What)) is { } other)
                return new(name, value ?? logged, Standing.Differs, other.Says, logged is null ? null : lineOf(logged));
            if (value is null && logged is null)
                return new(name, null, Standing.Unknown, "not in the log");
            return logged is null
                ? new(name, value, Standing.Claimed, claimed)
                : new(name, value ?? logged, Standing.Proven, "the log", lineOf(logged));
        }
        SettingRow Claimed(string name, string? value) =>
            value is null ? new(name, null, Standing.Unknown, "nobody said it") : new(name, value, Standing.Claimed, "as you say");
        string Model() => string.Join(" ", new[] { s.Maker, s.Model }.OfType<string>()) + $", revision {s.Revision}";
        var memory = facts.MemoryBytes is { } bytes ? Sizes.Binary(bytes) : null;
        return
        [
            Row("Board", Model(), facts.Board, "as you say", "Board", "Processor"),
            Row("Memory", s.MemoryMiB is { } mib ? Sizes.Memory(mib) : null, memory, "as you say", "Memory") with
            {
                Line = null,
            },
            s.Image is null ? new("Image", null, Standing.Unknown, "nobody chose one")
            : card == CardState.Written ? new("Image", s.Image, Standing.Proven, "written here and read back equal")
            : new("Image", s.Image, Standing.Claimed, "as it was chosen"),
            Claimed("Card", s.CardGb is { } gb ? $"{gb} GB" : null),
            Claimed("Supply", s.Supply),
            Claimed("Adapter", s.Adapter),
            new("Console", s.Console, Standing.Proven, "its bytes were read there"),
            Row("Kernel", s.Kernel, facts.Kernel, "as you say", "Kernel"),
            Row("System", s.Os, facts.Os, "as you say"),
            Row("Root device", s.RootDevice, facts.BootMedium, "as you say", "Root"),
            Row("Host name", s.Hostname, facts.Hostname, "as you say", "Host name"),
            Row("Addresses", null, s.Addresses.Count == 0 ? null : string.Join(", ", s.Addresses), "") with
            {
                Line = s.Addresses.Count == 0 ? null : lineOf(s.Addresses[0]),
            },
            s.StageTimes.Count == 0
                ? new("Stage times", null, Standing.Unknown, "the log came without arrival times")
                : new(
                    "Stage times",
                    string.Join(", ", s.StageTimes.Select(t => $"{Words.Of(t.Stage)} {Clock(t.Seconds)}")),
                    Standing.Proven,
                    "the log"
                ),
            .. s.Changes.Select(c => new SettingRow("Changed", c, Standing.Claimed, "as it was noted")),
        ];
    }

    private static string Clock(double seconds) =>
        string.Create(CultureInfo.InvariantCulture, $"{(int)seconds / 60}:{(int)seconds % 60:00}");
}
