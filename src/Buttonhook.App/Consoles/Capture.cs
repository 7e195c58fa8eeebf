using System.Threading.Channels;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;
using Microsoft.Data.Sqlite;

namespace Buttonhook.App.Consoles;

/// <summary>Where the bytes of a boot come from.</summary>
public interface IConsoleSource : IDisposable
{
    /// <summary>Begins; pieces come with milliseconds since the begin, and once how and why it ended.</summary>
    Problem? Start(Action<StoredPiece> received, Action<CaptureEnd, string> ended);

    /// <summary>Sends typed bytes; a problem when the other end does not take them.</summary>
    Problem? Type(byte[] bytes);

    /// <summary>Milliseconds since the begin, now.</summary>
    int Now { get; }
}

/// <summary>One running capture: stores what arrived first, then reads it, then tells who watches.</summary>
public sealed class Capture : IAsyncDisposable
{
    private static readonly TimeSpan RetryAfter = TimeSpan.FromSeconds(1);
    private readonly Channel<StoredPiece> arrived = Channel.CreateUnbounded<StoredPiece>(new() { SingleReader = true });
    private readonly BootStore boots;
    private readonly IConsoleSource source;
    private readonly int? usualQuiet;
    private readonly Action<Capture> changed;
    private readonly TaskCompletionSource<(CaptureEnd How, string Why, int At)> over = new(
        TaskCreationOptions.RunContinuationsAsynchronously
    );
    private readonly CancellationTokenSource givenUp = new();
    private IReadOnlyList<StoredPiece> waiting = [];
    private Task pump = Task.CompletedTask;

    /// <summary>Prepares a capture; <see cref="Start"/> begins it.</summary>
    /// <param name="usualQuiet">The longest silence in good boots of this board and image, or null.</param>
    public Capture(Boot boot, BootStore boots, RuleBookIndex rules, IConsoleSource source, int? usualQuiet, Action<Capture> changed)
    {
        Boot = boot;
        Reader = new(rules);
        this.boots = boots;
        this.source = source;
        this.usualQuiet = usualQuiet;
        this.changed = changed;
    }

    /// <summary>The boot that is captured.</summary>
    public Boot Boot { get; }

    /// <summary>The reader; lock it while using it.</summary>
    public BootReader Reader { get; }

    /// <summary>What keeps bytes from being stored at the moment, or null. The bytes wait in memory meanwhile.</summary>
    public Problem? Waiting { get; private set; }

    /// <summary>True until the capture has ended and everything is stored.</summary>
    public bool Live { get; private set; } = true;

    /// <summary>Milliseconds since power now.</summary>
    public int Now => source.Now - Reader.Log.PowerAt;

    /// <summary>Notes that power is applied now: times count from here.</summary>
    public void Power()
    {
        lock (Reader)
        {
            Reader.Log.PowerAt = source.Now;
            boots.SetPower(Boot.Id, Reader.Log.PowerAt);
        }
        changed(this);
    }

    /// <summary>Tells the reader how long it has been quiet; call it with the reader locked.</summary>
    public void Listen()
    {
        if (Live)
            Reader.Ending = Ended(CaptureEnd.Live, source.Now);
    }

    private Ending Ended(CaptureEnd how, int at) => new(how, at - Reader.Log.PowerAt - (Reader.Log.LastArrival ?? 0), usualQuiet);

    /// <summary>Completes with the reason when the capture has ended and everything is stored.</summary>
    public Task Finished => pump;

    /// <summary>Opens the source and begins.</summary>
    public Problem? Start()
    {
        pump = Task.Run(Pump);
        var problem = source.Start(
            piece => arrived.Writer.TryWrite(piece),
            (how, why) =>
            {
                over.TrySetResult((how, why, source.Now));
                arrived.Writer.TryComplete();
            }
        );
        if (problem is not null)
        {
            over.TrySetResult((CaptureEnd.Port, problem.ToString(), source.Now));
            arrived.Writer.TryComplete();
        }
        return problem;
    }

    /// <summary>Sends typed bytes to the board.</summary>
    public Problem? Type(byte[] bytes) => source.Type(bytes);

    private async Task Pump()
    {
        while (await arrived.Reader.WaitToReadAsync())
        {
            var pieces = new List<StoredPiece>();
            while (pieces.Count < 512 && arrived.Reader.TryRead(out var piece))
                pieces.Add(piece);
            await Store(pieces);
            lock (Reader)
                foreach (var piece in pieces)
                    Reader.Add(piece.Bytes, piece.Milliseconds);
            changed(this);
        }
        var (how, why, at) = await over.Task;
        Ending ending;
        lock (Reader)
            Reader.Ending = ending = Ended(how, at);
        // The port is given back at once, whatever the disk does.
        source.Dispose();
        await Kept(() => boots.End(Boot.Id, why, TimeProvider.System.GetUtcNow(), ending));
        Waiting = null;
        Live = false;
        changed(this);
    }

    /// <summary>Stores pieces, as often as it takes: a full disk may get room again, and nothing that arrived is dropped.</summary>
    private async Task Store(List<StoredPiece> pieces)
    {
        waiting = pieces;
        await Kept(() => boots.Append(Boot.Id, pieces));
        waiting = [];
    }

    private async Task Kept(Action store)
    {
        while (true)
        {
            try
            {
                store();
                Waiting = null;
                return;
            }
            catch (SqliteException e) when (e.SqliteErrorCode == 19)
            {
                // The boot was taken away together with its board while bytes still arrived.
                return;
            }
            catch (SqliteException e)
            {
                Waiting = new(
                    "The console should be stored as it arrives.",
                    e.SqliteErrorCode == 13 ? "The disk is full." : $"The database answers: {e.Message}.",
                    "Make room: what arrives waits in memory and is stored as soon as there is."
                );
                changed(this);
                if (givenUp.IsCancellationRequested)
                {
                    PutAside();
                    return;
                }
                await Task.Delay(RetryAfter, givenUp.Token).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            }
        }
    }

    /// <summary>Whether its end was asked for, or came; what had arrived may still wait for room.</summary>
    public bool Ending => over.Task.IsCompleted;

    /// <summary>Ends the capture; what had arrived is stored, at the latest when there is room for it.</summary>
    /// <param name="atMost">How long to wait for that; null for as long as it takes.</param>
    public async ValueTask End(CaptureEnd how, string why, TimeSpan? atMost = null)
    {
        over.TrySetResult((how, why, source.Now));
        source.Dispose();
        arrived.Writer.TryComplete();
        if (atMost is { } limit)
            await pump.WaitAsync(limit).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        else
            await pump;
    }

    /// <summary>Ends the capture because the program ends: what cannot be stored within the time is put aside in a file, and said.</summary>
    public async Task Stop(string why, TimeSpan atMost)
    {
        await End(CaptureEnd.Server, why, atMost);
        if (pump.IsCompleted)
            return;
        await givenUp.CancelAsync();
        await pump.WaitAsync(atMost).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
    }

    /// <summary>Puts what waits in memory into a file of the system's temporary folder, which may have room where the data folder has none.</summary>
    private void PutAside()
    {
        var left = waiting.ToList();
        while (arrived.Reader.TryRead(out var piece))
            left.Add(piece);
        waiting = [];
        var bytes = left.Sum(p => (long)p.Bytes.Length);
        if (bytes == 0)
            return;
        // Not the scratch of the data folder, which is on the full disk and emptied at the next start.
        var path = Path.Combine("/tmp", $"buttonhook-unsaved-{Boot.Id}.log");
        try
        {
            using var file = new FileStream(path, FileMode.CreateNew, FileAccess.Write);
            foreach (var piece in left)
                file.Write(piece.Bytes);
            Console.Error.WriteLine(
                $"buttonhook: The disk has no room for the last {bytes} bytes of boot {Boot.Number}. They lie in {path}: make room, and drop that file on the board's boot page."
            );
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            Console.Error.WriteLine(
                $"buttonhook: The disk has no room for the last {bytes} bytes of boot {Boot.Number}, and {path} cannot be written ({e.Message}): they are lost."
            );
        }
    }

    /// <inheritdoc/>
    public ValueTask DisposeAsync() => End(CaptureEnd.Person, ByYou);

    /// <summary>Why a capture ended that a person ended.</summary>
    public const string ByYou = "Ended by you.";
}
