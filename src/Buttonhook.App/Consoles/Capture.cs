using System.Threading.Channels;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
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
    private const int MostAtOnce = 1 << 20;
    private static readonly TimeSpan RetryAfter = TimeSpan.FromSeconds(1);

    /// <summary>How long an end waits for what was stored to be read; a flood is read on behind it.</summary>
    private static readonly TimeSpan ReadWithin = TimeSpan.FromMilliseconds(50);
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
    private readonly Channel<List<StoredPiece>> stored = Channel.CreateUnbounded<List<StoredPiece>>(new() { SingleReader = true });
    private readonly Flow flow = new(TimeProvider.System);
    private Task pump = Task.CompletedTask;
    private Task reading = Task.CompletedTask;
    private int? lastStored;
    private Ending? ending;

    /// <summary>Prepares a capture; <see cref="Start"/> begins it.</summary>
    /// <param name="usualQuiet">The longest silence in good boots of this board and image, or null.</param>
    public Capture(Boot boot, BootStore boots, BootReader reader, IConsoleSource source, int? usualQuiet, Action<Capture> changed)
    {
        Boot = boot;
        Reader = reader;
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

    /// <summary>True once it has ended and everything that was stored was read.</summary>
    public bool ReadWhole { get; private set; }

    /// <summary>What stands in the way of this capture at the moment, or null.</summary>
    public Problem? Trouble => Waiting ?? flow.TooFast;

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

    private Ending Ended(CaptureEnd how, int at) => new(how, at - (lastStored ?? Reader.Log.PowerAt), usualQuiet);

    /// <summary>Completes when the capture has ended and everything is stored and read.</summary>
    public Task Finished => reading;

    /// <summary>Opens the source and begins.</summary>
    public Problem? Start()
    {
        pump = Task.Run(Pump);
        reading = Task.Run(Read);
        var problem = source.Start(
            Receive,
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

    /// <summary>Takes a piece from the source; what outruns the disk for long is held back at the source, not in memory.</summary>
    private void Receive(StoredPiece piece)
    {
        flow.Arrived(piece.Bytes.Length);
        arrived.Writer.TryWrite(piece);
        while (flow.MustWait && !over.Task.IsCompleted)
            Thread.Sleep(2);
    }

    private async Task Pump()
    {
        while (await arrived.Reader.WaitToReadAsync())
        {
            var pieces = new List<StoredPiece>();
            var bytes = 0;
            while (bytes < MostAtOnce && pieces.Count < 512 && arrived.Reader.TryRead(out var piece))
            {
                pieces.Add(piece);
                bytes += piece.Bytes.Length;
            }
            await Store(pieces);
            flow.Stored(bytes);
            lastStored = pieces[^1].Milliseconds;
            // Reading comes behind storing: it may fall behind a flood, but by little, and nothing waits for it once the end is asked for.
            while (flow.MuchUnread && !over.Task.IsCompleted)
                await Task.Delay(2);
            stored.Writer.TryWrite(pieces);
        }
        stored.Writer.Complete();
        var (how, why, at) = await over.Task;
        // The port is given back at once, whatever the disk does.
        source.Dispose();
        await Kept(() =>
        {
            lock (Reader)
                ending ??= Ended(how, at);
            boots.End(Boot.Id, flow.Flooded is { } flood ? $"{why} {flood}" : why, TimeProvider.System.GetUtcNow(), ending);
        });
        Waiting = null;
        Live = false;
        changed(this);
    }

    private async Task Read()
    {
        await foreach (var pieces in stored.Reader.ReadAllAsync())
        {
            foreach (var piece in pieces)
            {
                lock (Reader)
                    Reader.Add(piece.Bytes, piece.Milliseconds);
                flow.Read(piece.Bytes.Length);
            }
            changed(this);
        }
        await pump;
        lock (Reader)
            Reader.Ending = ending!;
        ReadWhole = true;
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
                    flow.Full
                        ? "Make room at once: as much as may waits in memory, and the adapter may lose what the board prints now."
                        : "Make room: what arrives waits in memory and is stored as soon as there is."
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

    /// <summary>Why it ended, before that is stored; null while it goes on.</summary>
    public string? EndedWhy => over.Task.IsCompletedSuccessfully ? over.Task.Result.Why : null;

    /// <summary>Ends the capture; what had arrived is stored, at the latest when there is room for it.</summary>
    /// <param name="atMost">How long to wait for that; null for as long as it takes.</param>
    public async ValueTask End(CaptureEnd how, string why, TimeSpan? atMost = null)
    {
        over.TrySetResult((how, why, source.Now));
        source.Dispose();
        arrived.Writer.TryComplete();
        if (atMost is { } limit)
        {
            await pump.WaitAsync(limit).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            await reading.WaitAsync(limit < ReadWithin ? limit : ReadWithin).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }
        else
            await reading;
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
