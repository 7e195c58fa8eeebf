using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>Splits a capture into boot attempts and tells how each ended.</summary>
internal static class Attempts
{
    /// <summary>The mark of an installer's first dialog: it waits for a person as a login does.</summary>
    public const string InstallerScreen = "installer-screen";

    /// <summary>First and last line of each attempt: a banner of a stage already passed, or seen before, begins a new one.</summary>
    public static List<(int First, int Last)> Split(IReadOnlyList<MarkHit> marks, int lineCount)
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
        return [.. starts.Select((s, i) => (s, i + 1 < starts.Count ? starts[i + 1] - 1 : Math.Max(lineCount, s)))];
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
        var failed = attempts
            .Reverse()
            .TakeWhile(a => !marks.Any(m => m.Line >= a.First && m.Line <= a.Last && m.Mark.Stage == Stage.Login))
            .Count();
        return failed >= 3
            || (failed == 2 && attempts.Count == 2 && marks.Any(m => m.Mark.Name == "restarts" && m.Line < attempts[^1].First));
    }

    /// <summary>How an attempt ended, from its marks.</summary>
    public static Outcome OutcomeOf(IReadOnlyList<MarkHit> marks, HashSet<string> signals)
    {
        var login = marks.LastOrDefault(m => m.Mark.Stage == Stage.Login || m.Mark.Name == InstallerScreen);
        var end = marks.LastOrDefault(m => m.Mark.Ends && m.Mark.Stage != Stage.Login && m.Mark.Name != InstallerScreen);
        if (login is not null && (end is null || end.Line < login.Line))
            return Outcome.ReachedLogin;
        if (signals.Contains(Signals.NoOutput) || signals.Contains(Signals.SilentAfterLoader))
            return Outcome.Silent;
        return Outcome.Stopped;
    }
}
