using System.Collections.Concurrent;
using Buttonhook.Core;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.App.Images;

/// <summary>An inspection that runs or ran: bytes of the file read so far, and what came of it.</summary>
/// <param name="TotalBytes">Size of the file.</param>
/// <param name="ChecksumAgrees">Whether a published sum was given and the file has it.</param>
/// <param name="MendedFrom">The image of which this is a copy with lines changed, or null.</param>
public sealed record InspectionState(
    string Id,
    string Path,
    long DoneBytes,
    long TotalBytes,
    bool Running,
    bool ChecksumAgrees,
    Inspection? Inspection,
    Problem? Problem,
    string? MendedFrom = null
);

/// <summary>Inspections in the background: pages may leave and return, and each can be cancelled. The newest twenty are remembered.</summary>
public sealed class Inspections(KnowledgeFiles knowledge, BenchOptions options, TimeProvider clock) : IDisposable
{
    private const int Remembered = 20;
    private readonly ConcurrentDictionary<string, Run> runs = new();

    private sealed class Run(string path, DryBoard? board, long total, bool published, string? mendedFrom = null)
    {
        private long done;
        public string Path => path;
        public DryBoard? Board => board;
        public string? MendedFrom => mendedFrom;
        public long Total => total;
        public bool Published => published;
        public long Done => Interlocked.Read(ref done);
        public CancellationTokenSource Stop { get; } = new();
        public Answer<Inspection>? Answer { get; set; }
        public DateTime Started { get; } = DateTime.UtcNow;

        public void Report(long bytes) => Interlocked.Exchange(ref done, bytes);
    }

    /// <summary>Starts one and gives its id.</summary>
    public string Start(string path, DryBoard? board, string? published)
    {
        var run = new Run(path, board, File.Exists(path) ? new FileInfo(path).Length : 0, published is not null);
        return Begin(run, () => Task.FromResult(ImageFiles.Inspect(path, board, knowledge.Signs, published, run.Stop.Token, run.Report)));
    }

    /// <summary>Makes a copy of an inspected image in which every line is changed that its dry boot names, and inspects the copy; gives its id, or null when there is no such inspection.</summary>
    public string? Mend(string id)
    {
        if (runs.GetValueOrDefault(id) is not { Answer: { Value: { DryBoot: { } dry } found } } of)
            return null;
        var stem = System.IO.Path.GetFileName(of.Path).Split('.')[0];
        var name = $"{stem}-mended-{clock.GetLocalNow():yyyyMMdd-HHmmss}.img";
        var path = System.IO.Path.Combine(options.DataFolder, "images", name);
        var edits = dry.Broken.Select(b => b.Edit).OfType<FileEdit>().Distinct().ToList();
        var run = new Run(path, of.Board, found.SizeBytes, false, of.Path);
        return Begin(
            run,
            async () =>
                await MendedCopy.Make(of.Path, path, edits, clock.GetLocalNow().DateTime, run.Stop.Token, run.Report) is { } problem
                    ? problem
                    : ImageFiles.Inspect(path, of.Board, knowledge.Signs, null, run.Stop.Token)
        );
    }

    private string Begin(Run run, Func<Task<Answer<Inspection>>> work)
    {
        var id = Guid.NewGuid().ToString("N");
        runs[id] = run;
        foreach (var old in runs.OrderByDescending(r => r.Value.Started).Skip(Remembered).Where(r => r.Value.Answer is not null).ToList())
            runs.TryRemove(old.Key, out _);
        _ = Task.Run(async () =>
        {
            try
            {
                run.Answer = await work();
            }
            catch (OperationCanceledException)
            {
                run.Answer = new Problem(
                    "The inspection should have run to its end.",
                    "It was stopped.",
                    "Start it again when you want to know."
                );
            }
            catch (Exception e)
            {
                run.Answer = new Problem(
                    "The inspection should have run to its end.",
                    e.Message,
                    "Keep the file; it led to a mistake inside Buttonhook."
                );
            }
        });
        return id;
    }

    /// <summary>How one stands, or null.</summary>
    public InspectionState? Find(string id) =>
        runs.GetValueOrDefault(id) is { } run
            ? new(
                id,
                run.Path,
                run.Done,
                run.Total,
                run.Answer is null,
                run.Answer?.Value is not null && run.Published,
                run.Answer?.Value,
                run.Answer?.Problem,
                run.MendedFrom
            )
            : null;

    /// <summary>Stops one; false when there is none.</summary>
    public bool Stop(string id)
    {
        if (!runs.TryGetValue(id, out var run))
            return false;
        run.Stop.Cancel();
        return true;
    }

    /// <summary>Stops all.</summary>
    public void Dispose()
    {
        foreach (var run in runs.Values)
            run.Stop.Cancel();
    }
}
