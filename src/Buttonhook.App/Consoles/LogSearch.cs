using Buttonhook.Storage;

namespace Buttonhook.App.Consoles;

/// <summary>A line that was found, with its neighbours.</summary>
public sealed record FoundLine(int Number, string Text, string? Before, string? After);

/// <summary>The lines of one log that hold the words.</summary>
/// <param name="Id">Of the boot.</param>
public sealed record FoundLog(string Id, string BoardId, int Number, DateTimeOffset StartedAt, IReadOnlyList<FoundLine> Lines);

/// <summary>What was found.</summary>
/// <param name="More">Whether more lines hold the words than are listed.</param>
public sealed record FoundLogs(IReadOnlyList<FoundLog> Logs, bool More);

/// <summary>Takes the words of every log up when it has ended, and finds lines in all of them.</summary>
public sealed class LogSearch(LogWords words, BootStore boots, Captures captures) : BackgroundService
{
    /// <summary>Lines of one log, and of all, that one answer lists.</summary>
    private const int MostOfLog = 5,
        MostInAll = 60;

    /// <summary>What stands at most of a line in an answer.</summary>
    private const int LongestLine = 400;
    private static readonly TimeSpan LookEvery = TimeSpan.FromSeconds(1);

    /// <summary>How long an answer is looked for at most: what the words promise may stand in no single line.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(3);

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        var empty = new HashSet<string>();
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                foreach (var id in words.Missing().Where(id => !empty.Contains(id)))
                {
                    stoppingToken.ThrowIfCancellationRequested();
                    if (captures.Running(id) is null && !TakeUp(id, stoppingToken))
                        empty.Add(id);
                }
            }
            catch (OperationCanceledException)
            {
                return;
            }
            catch (Microsoft.Data.Sqlite.SqliteException)
            {
                // A full or busy disk: it is tried again.
            }
            await Task.Delay(LookEvery, stoppingToken).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }
    }

    /// <summary>Takes up the words of one log; false when it has none.</summary>
    private bool TakeUp(string id, CancellationToken stop)
    {
        var stretches = captures.With(
            id,
            r =>
            {
                var texts = new List<string>();
                for (var first = 1; first <= r.Log.LineCount; first += LogWords.StretchLines)
                {
                    stop.ThrowIfCancellationRequested();
                    texts.Add(
                        string.Join(
                            '\n',
                            Enumerable.Range(first, Math.Min(LogWords.StretchLines, r.Log.LineCount - first + 1)).Select(n => r.Log.Text(n))
                        )
                    );
                }
                return texts;
            }
        );
        if (stretches is null or { Count: 0 })
            return false;
        words.Put(id, stretches, stop);
        return true;
    }

    /// <summary>Finds lines that hold all words, newest log first.</summary>
    public FoundLogs Find(string text, LogFilter filter, CancellationToken stop)
    {
        var wanted = text.Split(' ', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        var found = new Dictionary<string, List<FoundLine>>();
        var seen = new HashSet<long>();
        var began = TimeProvider.System.GetTimestamp();
        // Whole words first, which is what is mostly meant and found at once.
        foreach (var beginnings in (bool[])[false, true])
        {
            var below = long.MaxValue;
            while (below > 0)
            {
                string? full = null;
                foreach (var stretch in words.Find(text, filter, beginnings, below))
                {
                    stop.ThrowIfCancellationRequested();
                    if (found.Values.Sum(l => l.Count) >= MostInAll || TimeProvider.System.GetElapsedTime(began) > Patience)
                        return Answer(found, true);
                    if (found.GetValueOrDefault(stretch.BootId)?.Count >= MostOfLog)
                    {
                        // Of this log enough is listed: what is left of it is passed over in one step.
                        full = stretch.BootId;
                        break;
                    }
                    if (seen.Add(stretch.Id) && LinesOf(stretch, wanted) is { Count: > 0 } lines)
                        found[stretch.BootId] = [.. found.GetValueOrDefault(stretch.BootId) ?? [], .. lines];
                }
                below = full is null ? 0 : words.FirstOf(full);
            }
        }
        return Answer(found, found.Values.Any(l => l.Count >= MostOfLog));
    }

    private List<FoundLine> LinesOf(Stretch stretch, string[] wanted)
    {
        var lines = new List<FoundLine>();
        captures.With<object>(
            stretch.BootId,
            r =>
            {
                for (
                    var n = stretch.FirstLine;
                    n < stretch.FirstLine + stretch.Lines && n <= r.Log.LineCount && lines.Count < MostOfLog;
                    n++
                )
                    if (r.Log.Text(n) is var line && wanted.All(w => line.Contains(w, StringComparison.OrdinalIgnoreCase)))
                        lines.Add(
                            new(n, Cut(line), n > 1 ? Cut(r.Log.Text(n - 1)) : null, n < r.Log.LineCount ? Cut(r.Log.Text(n + 1)) : null)
                        );
                return lines;
            }
        );
        return lines;
    }

    private static string Cut(string line) => line.Length > LongestLine ? line[..LongestLine] + " …" : line;

    private FoundLogs Answer(Dictionary<string, List<FoundLine>> found, bool more) =>
        new(
            [
                .. found
                    .Select(f => (Boot: boots.Find(f.Key), Lines: f.Value))
                    .Where(f => f.Boot is not null)
                    .OrderByDescending(f => f.Boot!.StartedAt)
                    .Select(f => new FoundLog(
                        f.Boot!.Id,
                        f.Boot.BoardId,
                        f.Boot.Number,
                        f.Boot.StartedAt,
                        [.. f.Lines.OrderBy(l => l.Number).Take(MostOfLog)]
                    )),
            ],
            more
        );
}
