using System.Text.RegularExpressions;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>Whether the command line that a loader shows before it hands over names the console of the board's card.</summary>
public static partial class ConsoleTold
{
    /// <summary>A loader shows its command line shortly before it hands over.</summary>
    private const int LastLines = 60;

    /// <summary>Log odds of a console that is named as on the card, and of another one that is named instead.</summary>
    private const double NamedOdds = -3,
        OtherOdds = 1.5;

    /// <summary>Whether a boot was silent behind its loader.</summary>
    public static bool Concerns(Outcome outcome, Stage? last) => (outcome, last) == (Outcome.Silent, Stage.SecondLoader);

    /// <summary>What that says of a kernel that was not told its console; nothing where the boot was not silent behind the loader, no command line is shown, or the card names no device.</summary>
    public static IReadOnlyList<Prior> Of(ReadCapture read, ConsolePort console)
    {
        if (console.Device is not { } device || !Concerns(read.Reading.Outcome, read.Reading.LastStage))
            return [];
        for (var line = read.Log.LineCount; line > Math.Max(0, read.Log.LineCount - LastLines); line--)
            if (CommandLine().Match(read.Log.Text(line)) is { Success: true } shown)
                return [Told(line, [.. Console().Matches(shown.Value).Select(m => m.Groups[1].Value).Distinct()], device)];
        return [];
    }

    private static Prior Told(int line, IReadOnlyList<string> named, string device) =>
        named.Contains(device)
            ? new(CauseIds.ConsoleArgMissing, NamedOdds, $"line {line} names {device}, the console in this board's profile")
            : new(
                CauseIds.ConsoleArgMissing,
                OtherOdds,
                $"line {line} names {(named.Count > 0 ? string.Join(" and ", named) : "no console")}, and that in this board's profile is {device}"
            );

    // What U-Boot prints of an extlinux entry, and what boot scripts print of theirs.
    [GeneratedRegex("^(append: |bootargs ?[=:] ?).+$")]
    private static partial Regex CommandLine();

    [GeneratedRegex(@"\bconsole=([^\s,]+)")]
    private static partial Regex Console();
}
