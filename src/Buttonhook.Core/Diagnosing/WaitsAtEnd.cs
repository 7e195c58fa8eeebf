using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>
/// What waits for a person at the end of a capture: who is asked something waits for ever. A prompt is told by what it does, the same short
/// text again behind an empty line or a command, and by its form where it stands unfinished; boards name theirs as they like.
/// </summary>
internal static partial class WaitsAtEnd
{
    /// <summary>How many lines back the same prompt is looked for.</summary>
    private const int LinesBack = 200;

    private const int LongestPrompt = 60,
        LongestCommand = 160;

    private static readonly Mark Loader = new("loader-prompt", "", Stage: Stage.SecondLoader, Ends: true);
    private static readonly Mark FirstLoader = new("loader-prompt", "", Stage: Stage.FirstLoader, Ends: true);
    private static readonly Mark Rescue = new("rescue-shell", "", Ends: true);
    private static readonly Mark Shell = new("shell", "", Stage: Stage.Login, Ends: true);

    /// <summary>The mark of a prompt that no line of the rule book knows; null when the last line is none.</summary>
    /// <param name="last">The last line that is not blank.</param>
    /// <param name="marks">Of the last attempt.</param>
    public static MarkHit? Prompt(ConsoleLog log, int last, IReadOnlyList<MarkHit> marks)
    {
        if (last == 0 || marks.Any(m => m.Line == last && m.Mark.Ends))
            return null;
        var text = log.Text(last).TrimEnd();
        var reached = Attempts.LastStage(marks);
        if (reached == Stage.Login || text.Length is 0 or > LongestPrompt || !Signs().IsMatch(text) || Progress().IsMatch(text))
            return null;
        var unfinished = last > log.CompleteLines;
        if (!Again(log, last, text) && !(unfinished && Form().IsMatch(text) && reached is null or <= Stage.SecondLoader or Stage.Root))
            return null;
        var mark = reached switch
        {
            Stage.FirstLoader => FirstLoader,
            null or Stage.SecondLoader => Loader,
            Stage.Services when !marks.Any(m => m.Mark.Name == "emergency") && UserShell().IsMatch(text) => Shell,
            _ => Rescue,
        };
        return new(mark, last, log.Text(last), new Dictionary<string, string>(), null);
    }

    /// <summary>Whether the same text stood before, alone or with a command behind it.</summary>
    private static bool Again(ConsoleLog log, int last, string text)
    {
        // Much that is no question ends in a colon, with what it is about behind it: there only the same line again and again is one.
        var asks = Asks().IsMatch(text);
        var same = 0;
        for (var line = last - 1; line > 0 && line > last - LinesBack; line--)
        {
            var before = log.Text(line).TrimEnd();
            if (before.Length >= text.Length + LongestCommand || !before.StartsWith(text, StringComparison.Ordinal))
                continue;
            if (before.Length == text.Length ? ++same >= (asks ? 1 : 2) : asks && Command().IsMatch(before[text.Length..]))
                return true;
        }
        return false;
    }

    /// <summary>
    /// The marks with the shell of a system that lives in its initial file system as its login: nothing failed, no root was asked for, and its
    /// first program ran. A shell behind a failure stays a rescue.
    /// </summary>
    public static List<MarkHit> WithInitialSystem(List<MarkHit> marks)
    {
        if (marks.FindLast(m => m.Mark.Ends) is not { Mark.Name: "rescue-shell" } shell || !UserShell().IsMatch(shell.Text.TrimEnd()))
            return marks;
        if (
            marks.Exists(m => m.Mark.Name is "panic" or "emergency" or "device-missing" or "waits-for-root" or "mount-failed")
            || marks.Exists(m => m.Mark.Name == "rescue-shell" && !UserShell().IsMatch(m.Text.TrimEnd()))
            || Attempts.RootOf(marks) is { } root && !root.StartsWith("/dev/ram", StringComparison.Ordinal)
            || !marks.Exists(m => m.Mark.Stage == Stage.Services || m.Mark.Name == "first-program")
            || Attempts.CommandLineOf(marks) is null && !marks.Exists(m => m.Mark.Stage == Stage.Services)
        )
            return marks;
        return [.. marks.Select(m => m == shell ? m with { Mark = Shell } : m)];
    }

    [GeneratedRegex(@"[>#$%:?\])]$")]
    private static partial Regex Signs();

    [GeneratedRegex(@"[>#$%]$")]
    private static partial Regex Asks();

    /// <summary>A name, perhaps with numbers, brackets, a path, and then a sign that asks.</summary>
    [GeneratedRegex(@"^[A-Za-z0-9(\[<~/][\w .:@()\[\]/~+<-]{0,40}[>#$%]$")]
    private static partial Regex Form();

    /// <summary>Progress, a kernel's time, a list.</summary>
    [GeneratedRegex(@"\d ?%$|^\[\s*\d+\.\d+\]|^\d+[:.)]|\.\.\.|<[^>]*>$|\([^(]*\)$")]
    private static partial Regex Progress();

    [GeneratedRegex(@"^\S{0,40} ?[#$]$")]
    private static partial Regex UserShell();

    /// <summary>What somebody typed: small letters first, as commands are.</summary>
    [GeneratedRegex(@"^\s*[a-z./][\w ./=:$""'{}()\[\]|&;*,+-]*$")]
    private static partial Regex Command();
}
