namespace Buttonhook.Core.Consoles;

/// <summary>How long a boot was quiet behind each of its lines.</summary>
public static class Pauses
{
    /// <summary>More shapes than a boot has; one that repeats itself without end is cut there.</summary>
    private const int MostShapes = 4000;

    /// <summary>How many lines back a known one is looked for.</summary>
    public const int LinesBack = 12;

    /// <summary>The longest silence behind a line of each shape up to a line (the login), in milliseconds, by <see cref="LineShape.Number"/>; empty without times.</summary>
    public static IReadOnlyDictionary<long, int> Of(ConsoleLog log, int untilLine)
    {
        var pauses = new Dictionary<long, int>();
        if (!log.HasTimes)
            return pauses;
        for (var line = 1; line < Math.Min(untilLine, log.LineCount) && pauses.Count < MostShapes; line++)
        {
            if (log.Arrival(line + 1) is not { } next || log.Arrival(line) is not { } own)
                continue;
            var shape = LineShape.Number(log.Text(line));
            if (shape != 0)
                pauses[shape] = Math.Max(pauses.GetValueOrDefault(shape), Math.Max(0, next - own));
        }
        return pauses;
    }

    /// <summary>The shapes of the last lines of a log, the newest first; those without words are passed over.</summary>
    public static IReadOnlyList<long> Newest(ConsoleLog log)
    {
        var shapes = new List<long>();
        for (var line = log.LineCount; line > 0 && line > log.LineCount - LinesBack; line--)
            if (LineShape.Number(log.Text(line)) is var shape and not 0)
                shapes.Add(shape);
        return shapes;
    }
}
