using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>Splits a capture into boot attempts and tells how each ended.</summary>
internal static partial class Attempts
{
    /// <summary>The mark of an installer's first dialog: it waits for a person as a login does.</summary>
    public const string InstallerScreen = "installer-screen";

    /// <summary>How many lines may stand between the word that the board restarts and its first banner.</summary>
    private const int LinesOfRestart = 60;

    /// <summary>A kernel's first lines and its banner come together, in this many lines.</summary>
    private const int LinesOfOneMoment = 5;

    /// <summary>
    /// First and last line of each attempt: a banner of a stage already passed begins a new one, and the very same banner once more, unless
    /// somebody typed for it; so does a kernel's clock that starts anew, and what follows the word that the board restarts, when no banner
    /// stands there. Another banner of a stage that is not passed is the next part of the same chain: a firmware that names each of its
    /// parts, a second loader behind the first.
    /// </summary>
    /// <param name="clockFalls">Where a kernel's clock starts anew: the last line with the old time, and the first with the new one.</param>
    public static List<(int First, int Last)> Split(
        IReadOnlyList<MarkHit> marks,
        IReadOnlyList<(int Before, int Line)> clockFalls,
        int lineCount,
        Func<int, string> textOf
    )
    {
        var starts = new List<int> { 1 };
        var banners = new HashSet<string>();
        Stage? reached = null,
            first = null;
        foreach (var hit in marks)
        {
            var stage = hit.Mark.Stage;
            var banner = hit.Mark.Banner ? Diagnoser.Plain(hit.Text) : "";
            if (
                hit.Mark.Banner
                && hit.Line > starts[^1]
                && (banners.Contains(banner) ? !IsAskedFor(hit.Line, textOf) : reached > stage && !IsNextPart(stage, reached, first))
            )
            {
                starts.Add(hit.Line);
                banners.Clear();
                (reached, first) = (null, null);
            }
            if (hit.Mark.Banner)
            {
                banners.Add(banner);
                first ??= stage;
            }
            if (stage is not null && !(reached >= stage))
                reached = stage;
        }
        var sorted = new SortedSet<int>(starts);
        // A kernel that a kernel starts (kexec) is the next part of the chain: its clock begins anew, the boot does not.
        var handedOn = marks.Where(m => m.Mark.Name == "kexec").Select(m => m.Line).ToList();
        clockFalls = [.. clockFalls.Where(f => !handedOn.Exists(k => k <= f.Line && k >= f.Before - LinesOfOneMoment))];
        bool Begun(int after, int until) => sorted.GetViewBetween(after + 1, Math.Max(after + 1, until)).Count > 0;
        foreach (var (before, line) in clockFalls)
            if (!Begun(before, line + LinesOfOneMoment))
                sorted.Add(line);
        for (var i = 0; i < marks.Count; i++)
            if (marks[i] is var restart && restart.Mark.Name == "restarts" && !Begun(restart.Line, restart.Line + LinesOfRestart))
                for (var next = i + 1; next < marks.Count; next++)
                    if (marks[next].Line > restart.Line && marks[next].Mark.Stage is not null)
                    {
                        sorted.Add(marks[next].Line);
                        break;
                    }
        starts = FromRestarts(marks, sorted);
        return [.. starts.Select((s, i) => (s, i + 1 < starts.Count ? starts[i + 1] - 1 : Math.Max(lineCount, s)))];
    }

    /// <summary>Whether a first loader's banner behind a second one's is another part of a firmware that was seen to begin.</summary>
    private static bool IsNextPart(Stage? stage, Stage? reached, Stage? first) =>
        (stage, reached, first) is (Stage.FirstLoader, Stage.SecondLoader, Stage.FirstLoader);

    /// <summary>Whether a banner answers a command that somebody typed just before.</summary>
    private static bool IsAskedFor(int line, Func<int, string> textOf)
    {
        for (var before = line - 1; before > 0 && before > line - 3; before--)
            if (Version().IsMatch(textOf(before)))
                return true;
        return false;
    }

    [GeneratedRegex(@"[>#$%\]:] ?(version|ver|v)\s*$")]
    private static partial Regex Version();

    /// <summary>The last mark that shows the kernel's command line, or null.</summary>
    public static MarkHit? CommandLineOf(IReadOnlyList<MarkHit> marks) => marks.LastOrDefault(m => m.Values.ContainsKey("cmdline"));

    /// <summary>The root that the last command line names; null where none is shown, or it names none.</summary>
    public static string? RootOf(IReadOnlyList<MarkHit> marks) => KernelCommandLine.RootOf(CommandLineOf(marks)?.Values["cmdline"]);

    /// <summary>Where starts really begin: behind the last word that the board restarts, for firmware and loader print before the first banner.</summary>
    private static List<int> FromRestarts(IReadOnlyList<MarkHit> marks, SortedSet<int> starts)
    {
        var restarts = marks.Where(m => m.Mark.Name == "restarts").Select(m => m.Line).ToList();
        var begun = new List<int>();
        var (next, restart, before) = (0, 0, 0);
        foreach (var start in starts)
        {
            while (next < restarts.Count && restarts[next] < start)
                restart = restarts[next++];
            // A word before the start that came before belongs to that one.
            begun.Add(restart > 0 && before <= restart ? restart + 1 : start);
            before = start;
        }
        return begun;
    }

    /// <summary>The place of the first mark from a line on, in marks that stand in the order of their lines; their number when there is none.</summary>
    public static int From(IReadOnlyList<MarkHit> marks, int line)
    {
        int low = 0,
            high = marks.Count;
        while (low < high)
        {
            var middle = (low + high) / 2;
            if (marks[middle].Line < line)
                low = middle + 1;
            else
                high = middle;
        }
        return low;
    }

    /// <summary>The marks from one line to another, both included.</summary>
    public static List<MarkHit> Between(IReadOnlyList<MarkHit> marks, int first, int last)
    {
        var found = new List<MarkHit>();
        for (var i = From(marks, first); i < marks.Count && marks[i].Line <= last; i++)
            found.Add(marks[i]);
        return found;
    }

    /// <summary>Where each stage was reached, the first line of each that says it by itself; after a restart times count from the first line of the attempt.</summary>
    public static List<StageReached> Stages(IReadOnlyList<MarkHit> marks, ConsoleLog log, int firstLine)
    {
        var start = firstLine == 1 ? 0 : log.Arrival(firstLine) ?? 0;
        // What somebody asked for says when it was asked.
        int? Since(MarkHit mark) => mark.Mark.Asked ? null : mark.Milliseconds - log.PowerAt - start;
        return
        [
            .. marks
                .Where(m => m.Mark.Stage is not null)
                .GroupBy(m => m.Mark.Stage!.Value)
                .OrderBy(g => g.Key)
                .Select(g => g.FirstOrDefault(m => !m.Mark.Asked) ?? g.First())
                .Select(m => new StageReached(m.Mark.Stage!.Value, m.Line, Since(m))),
        ];
    }

    /// <summary>The furthest stage up to the login; an address may come before or after it and does not count.</summary>
    public static Stage? LastStage(IReadOnlyList<MarkHit> marks) =>
        marks.Where(m => m.Mark.Stage is not null and not Stage.Network).Max(m => m.Mark.Stage);

    /// <summary>A shell that somebody opened in emergency mode looks like that of a login, and is none.</summary>
    public static List<MarkHit> OfEmergency(List<MarkHit> marks)
    {
        var emergency = false;
        for (var n = 0; n < marks.Count; n++)
            if (marks[n].Mark.Name == "emergency")
                emergency = true;
            else if (marks[n].Mark.Name == "login" || marks[n].Mark.Banner)
                emergency = false;
            else if (emergency && marks[n].Mark is { Name: "shell", Stage: Stage.Login } && marks[n].Text.Contains('@'))
                marks[n] = marks[n] with { Mark = marks[n].Mark with { Stage = null } };
        return marks;
    }

    /// <summary>At least three attempts without a login, or two when the last line says that it restarts.</summary>
    public static bool IsLoop(IReadOnlyList<(int First, int Last)> attempts, IReadOnlyList<MarkHit> marks)
    {
        if (attempts.Count < 2)
            return false;
        var failed = attempts.Reverse().TakeWhile(a => !Between(marks, a.First, a.Last).Exists(m => m.Mark.Stage == Stage.Login)).Count();
        return failed >= 3
            || (failed == 2 && attempts.Count == 2 && marks.Any(m => m.Mark.Name == "restarts" && m.Line < attempts[^1].First));
    }

    /// <summary>How an attempt ended, from its marks.</summary>
    public static Outcome OutcomeOf(IReadOnlyList<MarkHit> marks, SignalSet signals)
    {
        var login = marks.LastOrDefault(m => m.Mark.Stage == Stage.Login || m.Mark.Name == InstallerScreen);
        // A shell behind the login is the one that somebody logged in to.
        var end = marks.LastOrDefault(m =>
            m.Mark.Ends
            && m.Mark.Stage != Stage.Login
            && m.Mark.Name != InstallerScreen
            && !(login is not null && m.Line > login.Line && m.Mark.Name is ("rescue-shell" or "loader-prompt" or "loader-gave-up"))
        );
        if (login is not null && (end is null || end.Line < login.Line))
            return Outcome.ReachedLogin;
        if (signals.ContainsAny([Signals.NoOutput, Signals.SilentAfterLoader, Signals.Jumped]))
            return Outcome.Silent;
        return Outcome.Stopped;
    }
}
