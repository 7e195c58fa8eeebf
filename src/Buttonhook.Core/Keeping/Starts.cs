using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Keeping;

/// <summary>What became of a start.</summary>
public enum StartCame
{
    /// <summary>It reached the login.</summary>
    Up,

    /// <summary>It stopped before the login, or started again before it.</summary>
    Failed,

    /// <summary>Power was taken before it came to an end: it counts nowhere.</summary>
    CutShort,

    /// <summary>Something was tried by hand in it: it counts nowhere.</summary>
    Helped,

    /// <summary>It is under way.</summary>
    Running,
}

/// <summary>One start of a board within a capture.</summary>
/// <param name="Number">From 1, as the capture counts its starts.</param>
/// <param name="Line">Its first line.</param>
/// <param name="LastStage">The last stage that it reached; null for none.</param>
/// <param name="CauseId">Of one that failed, the likeliest cause; null where no rule explains it.</param>
/// <param name="Cause">The name of that cause.</param>
/// <param name="Stages">Its stages, in milliseconds from its begin.</param>
public sealed record OneStart(
    int Number,
    int Line,
    StartCame Came,
    Stage? LastStage,
    string? CauseId,
    string? Cause,
    IReadOnlyList<StageReached> Stages
);

/// <summary>How long the starts took to a stage, in seconds.</summary>
/// <param name="Seconds">By start, in the order of the starts; null for one that did not reach it or has no times.</param>
/// <param name="Least">The shortest.</param>
/// <param name="Middle">The median.</param>
/// <param name="Most">The longest.</param>
public sealed record StageTimes(Stage Stage, IReadOnlyList<double?> Seconds, double Least, double Middle, double Most);

/// <summary>Something that several starts that failed share.</summary>
/// <param name="Says">What it is, in words.</param>
/// <param name="Starts">How many of those that failed.</param>
/// <param name="Line">A line that shows it; null for none.</param>
public sealed record SharedByFailed(string Says, int Starts, int? Line);

/// <summary>The starts of a board within one capture: how many came up of how many, how long each took, what those that failed share.</summary>
/// <param name="All">Every start whose begin was seen.</param>
/// <param name="Up">How many reached the login.</param>
/// <param name="Counted">Of how many; what is under way, was cut short or was helped does not count.</param>
/// <param name="AtLeast">What share can be expected at least, 0 to 1 (<see cref="SuccessRate.LowerEnd"/>).</param>
/// <param name="Times">By stage that starts come to, but for the one that they begin with.</param>
/// <param name="Shared">What those that failed share, the most first; empty while fewer than two failed, but for their causes.</param>
public sealed record Starts(
    IReadOnlyList<OneStart> All,
    int Up,
    int Counted,
    double AtLeast,
    IReadOnlyList<StageTimes> Times,
    IReadOnlyList<SharedByFailed> Shared
)
{
    /// <summary>Starts that are read: a board that restarts for ever stays small.</summary>
    private const int Most = 200;

    /// <summary>Lines of one start that are read to see what those that failed share, and how many of those lines are told.</summary>
    private const int MostLines = 4000,
        ToldLines = 3;

    /// <summary>A stage that starts begin with has no time, in seconds.</summary>
    private const double AtOnce = 0.1;

    /// <summary>It in a sentence ("9 of 10 starts reached the login (at least 66 % expected)"); null while none is counted.</summary>
    public string? Says =>
        Counted == 0
            ? null
            : $"{Up} of {Counted} {(Counted == 1 ? "start" : "starts")} reached the login (at least {Words.Percent(AtLeast)} expected)";

    /// <summary>The starts of a capture.</summary>
    /// <param name="index">The rules that each one that failed is judged by, by itself.</param>
    public static Starts Of(ReadCapture read, RuleBookIndex index)
    {
        var attempts = read.Reading.Attempts.TakeLast(Most).ToList();
        var all = attempts
            // Where a capture was opened on a board that ran already, no begin was seen.
            .Where(a => a.Number > 1 || read.Log.Origin == TimeOrigin.Power || a.Stages.Any(s => s.Stage <= Stage.Kernel))
            .Select(a => One(a, attempts.FirstOrDefault(n => n.Number == a.Number + 1), read, index))
            .ToList();
        var counted = all.Where(s => s.Came is StartCame.Up or StartCame.Failed).ToList();
        var up = counted.Count(s => s.Came == StartCame.Up);
        return new(
            all,
            up,
            counted.Count,
            SuccessRate.LowerEnd(up, counted.Count),
            TimesOf(all),
            SharedBy(all, attempts.ToDictionary(a => a.Number), read.Log)
        );
    }

    private static OneStart One(Attempt attempt, Attempt? next, ReadCapture read, RuleBookIndex index)
    {
        OneStart Came(StartCame came, RankedCause? cause = null) =>
            new(attempt.Number, attempt.FirstLine, came, attempt.LastStage, cause?.Id, cause?.Name, attempt.Stages);
        if (attempt.Helped)
            return Came(StartCame.Helped);
        if (BootSummary.Good(attempt.Outcome))
            return Came(StartCame.Up);
        if (next is null && read.Ending.How == CaptureEnd.Live && !read.Reading.Waiting && !read.Ending.ProvesSilence)
            return Came(StartCame.Running);
        // A capture of one start is judged already.
        var diagnosis = read.Reading.Attempts.Count == 1 ? read.Diagnosis : Judged(attempt, next, read, index);
        if (diagnosis.Outcome == Outcome.Cut && (next is null || next.ByPower))
            return Came(StartCame.CutShort);
        return Came(StartCame.Failed, diagnosis.Causes[0] is { Id: not (RuleBook.None or RuleBook.SomethingElse) } top ? top : null);
    }

    /// <summary>A start judged by itself, as if its capture had ended where the next one begins.</summary>
    private static Diagnosis Judged(Attempt attempt, Attempt? next, ReadCapture read, RuleBookIndex index)
    {
        var log = read.Log;
        var reader = new BootReader(index);
        var begin = log.Arrival(attempt.FirstLine);
        var last = attempt.LastLine;
        while (last > attempt.FirstLine && string.IsNullOrWhiteSpace(log.Text(last)))
            last--;
        for (var line = attempt.FirstLine; line <= last; line++)
        {
            var at = begin is { } from && log.Arrival(line) is { } arrived ? arrived - from : -1;
            reader.Add(log.Raw(line), at);
            if (line < last)
                reader.Add("\n"u8, at);
        }
        reader.Ending =
            next is null ? read.Ending
            : log.Arrival(next.FirstLine) - log.Arrival(last) is { } quiet
                ? new(CaptureEnd.Person, quiet, read.Ending.UsualQuietMilliseconds)
            : Ending.OfFile;
        return reader.Diagnose().Diagnosis;
    }

    private static List<StageTimes> TimesOf(List<OneStart> all)
    {
        var times = new List<StageTimes>();
        foreach (var stage in all.SelectMany(s => s.Stages).Select(s => s.Stage).Distinct().Order())
        {
            var seconds = all.Select(s => s.Stages.FirstOrDefault(r => r.Stage == stage)?.Milliseconds / 1000.0).ToList();
            var known = seconds.OfType<double>().Order().ToList();
            if (known.Count == 0 || known[known.Count / 2] < AtOnce)
                continue;
            times.Add(new(stage, seconds, known[0], (known[(known.Count - 1) / 2] + known[known.Count / 2]) / 2, known[^1]));
        }
        return times;
    }

    private static List<SharedByFailed> SharedBy(List<OneStart> all, Dictionary<int, Attempt> attempts, ConsoleLog log)
    {
        var failed = all.Where(s => s.Came == StartCame.Failed).ToList();
        var shared = failed
            .Where(s => s.Cause is not null)
            .GroupBy(s => (s.Cause, s.LastStage))
            .OrderByDescending(g => g.Count())
            .Select(g => new SharedByFailed(
                $"{g.Key.Cause}; the last stage was {StageWords.Of(g.Key.LastStage)}.",
                g.Count(),
                g.First().Line
            ))
            .ToList();
        if (failed.Count < 2)
            return shared;
        // What each of them printed and no good one did: rules know what is known, this shows the rest.
        var good = all.Where(s => s.Came == StartCame.Up).SelectMany(s => Shapes(attempts[s.Number], log).Keys).ToHashSet();
        var first = Shapes(attempts[failed[0].Number], log);
        foreach (var other in failed.Skip(1))
        {
            var theirs = Shapes(attempts[other.Number], log);
            foreach (var shape in first.Keys.Where(s => !theirs.ContainsKey(s)).ToList())
                first.Remove(shape);
        }
        shared.AddRange(
            first
                .Where(s => good.Count > 0 && !good.Contains(s.Key))
                .OrderBy(s => s.Value)
                .Take(ToldLines)
                .Select(s => new SharedByFailed($"Printed by none that came up: {log.Text(s.Value).Trim()}", failed.Count, s.Value))
        );
        return shared;
    }

    /// <summary>The shapes of a start's lines, each with its first line.</summary>
    private static Dictionary<long, int> Shapes(Attempt attempt, ConsoleLog log)
    {
        var shapes = new Dictionary<long, int>();
        for (var line = attempt.FirstLine; line <= Math.Min(attempt.LastLine, attempt.FirstLine + MostLines); line++)
            if (LineShape.Number(log.Text(line)) is not 0 and var shape)
                shapes.TryAdd(shape, line);
        return shapes;
    }
}
