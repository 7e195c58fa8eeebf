using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>A line of one of two logs, from 1, with its text.</summary>
public sealed record LineOf(int Line, string Text);

/// <summary>The place where two logs part for the first time, times, numbers and the order of lines aside; null on the side that only lacks something.</summary>
/// <param name="Here">The first line of this log that the other has nowhere.</param>
/// <param name="There">The first line of the other that this log has nowhere.</param>
public sealed record Parting(LineOf? Here, LineOf? There);

/// <summary>A stage that took longer here than in the other log.</summary>
/// <param name="Here">Seconds from the stage before it.</param>
public sealed record SlowerStage(Stage Stage, double Here, double There);

/// <summary>What distinguishes a log from another one, as a rule a good one.</summary>
/// <param name="Parting">Null when neither has a line that the other has not.</param>
/// <param name="New">Lines that only this log has, each shape once, up to <see cref="LogComparison.MostShown"/>.</param>
/// <param name="Missing">Lines that only the other has.</param>
/// <param name="NewCount">How many there are in all.</param>
public sealed record Compared(
    Parting? Parting,
    IReadOnlyList<LineOf> New,
    IReadOnlyList<LineOf> Missing,
    int NewCount,
    int MissingCount,
    IReadOnlyList<SlowerStage> Slower
);

/// <summary>Lays a log beside another one by the shapes of its lines (<see cref="LineShape"/>): a line that stands elsewhere in the other log is no difference, because drivers and services start in any order.</summary>
public static class LogComparison
{
    /// <summary>So many lines of a kind are shown.</summary>
    public const int MostShown = 40;

    /// <summary>A stage counts as slower from so many times as long on, and by so many seconds.</summary>
    private const double SlowerTimes = 1.5;
    private const double SlowerSeconds = 2;

    /// <summary>Compares; only the last attempt of each is looked at.</summary>
    public static Compared Of(ReadCapture here, ReadCapture there)
    {
        var mine = LinesOf(here);
        var other = LinesOf(there);
        return Of(mine, other, Slower(here.Reading, there.Reading));
    }

    /// <summary>The lines of the last attempt with their shapes; what has no words is left out.</summary>
    public static IReadOnlyList<(int Line, long Shape, string Text)> LinesOf(ReadCapture read)
    {
        var last = read.Reading.Attempts[^1];
        return LinesOf(read.Log, last.FirstLine, last.LastLine);
    }

    /// <summary>The lines of a log from one to another with their shapes; what has no words is left out.</summary>
    internal static IReadOnlyList<(int Line, long Shape, string Text)> LinesOf(ConsoleLog log, int first, int last)
    {
        var lines = new List<(int, long, string)>();
        for (var n = first; n <= Math.Min(last, first + LogAlignment.MostLines); n++)
            if (log.Text(n) is var text && LineShape.Number(text) is not 0 and var shape)
                lines.Add((n, shape, text));
        return lines;
    }

    /// <summary>Compares two lists of lines.</summary>
    public static Compared Of(
        IReadOnlyList<(int Line, long Shape, string Text)> here,
        IReadOnlyList<(int Line, long Shape, string Text)> there,
        IReadOnlyList<SlowerStage> slower
    )
    {
        var (fresh, freshCount) = Only(here, there);
        var (missing, missingCount) = Only(there, here);
        return new(
            fresh.Count + missing.Count == 0 ? null : new(fresh.FirstOrDefault(), missing.FirstOrDefault()),
            fresh,
            missing,
            freshCount,
            missingCount,
            slower
        );
    }

    private static (List<LineOf> Shown, int Count) Only(
        IReadOnlyList<(int Line, long Shape, string Text)> these,
        IReadOnlyList<(int Line, long Shape, string Text)> those
    )
    {
        var known = those.Select(l => l.Shape).ToHashSet();
        var shown = new List<LineOf>();
        var count = 0;
        foreach (var (line, shape, text) in these)
        {
            if (!known.Add(shape))
                continue;
            count++;
            if (shown.Count < MostShown)
                shown.Add(new(line, text.Length > 300 ? text[..300] : text));
        }
        return (shown, count);
    }

    /// <summary>Stages that took longer, where both logs have times.</summary>
    public static IReadOnlyList<SlowerStage> Slower(BootReading here, BootReading there)
    {
        var slower = new List<SlowerStage>();
        for (var i = 1; i < here.StageLines.Count; i++)
        {
            var (before, now) = (here.StageLines[i - 1], here.StageLines[i]);
            var (otherBefore, otherNow) = (
                there.StageLines.FirstOrDefault(s => s.Stage == before.Stage),
                there.StageLines.FirstOrDefault(s => s.Stage == now.Stage)
            );
            if (
                now.Milliseconds - before.Milliseconds is { } took
                && otherNow?.Milliseconds - otherBefore?.Milliseconds is { } usual
                && took > SlowerTimes * usual
                && took - usual > SlowerSeconds * 1000
            )
                slower.Add(new(now.Stage, Math.Round(took / 1000.0, 1), Math.Round(usual / 1000.0, 1)));
        }
        return slower;
    }
}
