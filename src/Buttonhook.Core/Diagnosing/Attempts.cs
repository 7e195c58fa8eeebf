using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>Splits a capture into boot attempts and tells how each ended.</summary>
internal static class Attempts
{
    /// <summary>The mark of an installer's first dialog: it waits for a person as a login does.</summary>
    public const string InstallerScreen = "installer-screen";

    /// <summary>How many lines may stand between the word that the board restarts and its first banner.</summary>
    private const int LinesOfRestart = 60;

    /// <summary>A kernel's first lines and its banner come together, in this many lines.</summary>
    private const int LinesOfOneMoment = 5;

    /// <summary>
    /// First and last line of each attempt: a banner of a stage already passed, or seen before, begins a new one; so does a kernel's clock
    /// that starts anew, and what follows the word that the board restarts, when no banner stands there.
    /// </summary>
    /// <param name="clockFalls">Where a kernel's clock starts anew: the last line with the old time, and the first with the new one.</param>
    public static List<(int First, int Last)> Split(
        IReadOnlyList<MarkHit> marks,
        IReadOnlyList<(int Before, int Line)> clockFalls,
        int lineCount
    )
    {
        var starts = new List<int> { 1 };
        var banners = new HashSet<string>();
        Stage? reached = null;
        foreach (var hit in marks)
        {
            var stage = hit.Mark.Stage;
            if (hit.Mark.Banner && (banners.Contains(hit.Mark.Name) || reached > stage) && hit.Line > starts[^1])
            {
                starts.Add(hit.Line);
                banners.Clear();
                reached = null;
            }
            if (hit.Mark.Banner)
                banners.Add(hit.Mark.Name);
            if (stage is not null && !(reached >= stage))
                reached = stage;
        }
        var sorted = new SortedSet<int>(starts);
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
        starts = [.. sorted];
        return [.. starts.Select((s, i) => (s, i + 1 < starts.Count ? starts[i + 1] - 1 : Math.Max(lineCount, s)))];
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

    /// <summary>Where each stage was reached, the first line of each; after a restart times count from the first line of the attempt.</summary>
    public static List<StageReached> Stages(IReadOnlyList<MarkHit> marks, int powerAt, int firstLine)
    {
        int? Since(MarkHit mark) => mark.Milliseconds - powerAt;
        var start =
            firstLine == 1 ? 0
            : marks.FirstOrDefault(m => m.Line == firstLine) is { } first ? Since(first) ?? 0
            : 0;
        return
        [
            .. marks
                .Where(m => m.Mark.Stage is not null)
                .GroupBy(m => m.Mark.Stage!.Value)
                .OrderBy(g => g.Key)
                .Select(g => new StageReached(g.Key, g.First().Line, Since(g.First()) - start)),
        ];
    }

    /// <summary>The furthest stage up to the login; an address may come before or after it and does not count.</summary>
    public static Stage? LastStage(IReadOnlyList<MarkHit> marks) =>
        marks.Where(m => m.Mark.Stage is not null and not Stage.Network).Max(m => m.Mark.Stage);

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
        if (signals.Contains(Signals.NoOutput) || signals.Contains(Signals.SilentAfterLoader))
            return Outcome.Silent;
        return Outcome.Stopped;
    }
}
