using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;

namespace Buttonhook.App.Endpoints;

/// <summary>One console line.</summary>
/// <param name="Seconds">Seconds since power when it began to arrive, or null.</param>
/// <param name="Runs">The stretches that the system colours or thickens; null when there is none.</param>
public sealed record LineView(int Number, double? Seconds, string Text, IReadOnlyList<ColouredRun>? Runs);

/// <summary>A run of lines and how many there are now.</summary>
public sealed record LinesView(int Total, IReadOnlyList<LineView> Lines);

/// <summary>Where words stand in a log.</summary>
/// <param name="Count">How many lines hold them.</param>
/// <param name="Lines">The first of these lines, up to 10,000, in order.</param>
public sealed record FoundLines(int Count, IReadOnlyList<int> Lines);

/// <summary>The lines of a boot: read piece by piece, and searched.</summary>
public static class LineEndpoints
{
    private const int MostLines = 2000;
    private const int LongestShown = 2000;
    private const int MostFound = 10_000;
    private const int LongestWords = 200;

    /// <summary>How many lines are searched before others may use the log.</summary>
    private const int SearchedAtOnce = 5000;

    /// <summary>Adds the routes.</summary>
    public static void MapLines(this RouteGroupBuilder api)
    {
        api.MapGet("/boots/{id}/lines", Lines).Produces<LinesView>();
        api.MapGet("/boots/{id}/found", Find).Produces<FoundLines>();
    }

    private static IResult Lines(string id, Captures captures, int from = 1, int count = 500, bool raw = false)
    {
        count = Math.Clamp(count, 1, MostLines);
        var view = captures.With(
            id,
            read =>
            {
                var log = read.Log;
                var first = Math.Max(1, from);
                var last = Math.Min(log.LineCount, first + count - 1);
                var lines = new List<LineView>();
                for (var n = first; n <= last; n++)
                {
                    var (text, runs) = raw ? (LineText.Signs(log.Raw(n)), []) : LineText.Coloured(log.Raw(n));
                    var whole = text.Length <= LongestShown;
                    lines.Add(
                        new(
                            n,
                            log.Arrival(n) is { } ms ? ms / 1000.0 : null,
                            whole ? text : text[..LongestShown] + " …",
                            runs.Count == 0 || !whole ? null : runs
                        )
                    );
                }
                return new LinesView(log.LineCount, lines);
            }
        );
        return view is null ? Problems.Missing("This boot") : Results.Ok(view);
    }

    /// <summary>Letters count the same large and small; a log that still grows is searched as far as it is there.</summary>
    private static IResult Find(string id, string text, Captures captures, CancellationToken stop)
    {
        if (text.Length is 0 or > LongestWords)
            return new Problem(
                $"A log is searched for 1 to {LongestWords} letters.",
                $"These are {text.Length}.",
                "Give a word that stands in the line."
            ).Answer();
        var found = new List<int>();
        int count = 0,
            next = 1,
            end = int.MaxValue;
        while (next <= end)
        {
            stop.ThrowIfCancellationRequested();
            var searched = captures.With<object>(
                id,
                read =>
                {
                    end = Math.Min(end, read.Log.LineCount);
                    for (var last = Math.Min(end, next + SearchedAtOnce - 1); next <= last; next++)
                        if (read.Log.Text(next).Contains(text, StringComparison.OrdinalIgnoreCase))
                        {
                            if (++count <= MostFound)
                                found.Add(next);
                        }
                    return found;
                }
            );
            if (searched is null)
                return Problems.Missing("This boot");
        }
        return Results.Ok(new FoundLines(count, found));
    }
}
