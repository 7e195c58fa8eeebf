using System.Threading.Channels;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;
using Microsoft.Data.Sqlite;

namespace Buttonhook.App.Consoles;

/// <summary>One running capture: stores what arrived first, then reads it, then tells who watches.</summary>
public sealed partial class Capture : IAsyncDisposable
{
    private const int MostAtOnce = 1 << 20;
    private static readonly TimeSpan RetryAfter = TimeSpan.FromSeconds(1);

    /// <summary>How often it is flushed to the disk at most: of a power cut no more than this is lost, and what the disk takes for one flush.</summary>
    private static readonly TimeSpan StoreEvery = TimeSpan.FromMilliseconds(40);
    private static readonly TimeProvider clock = TimeProvider.System;

    /// <summary>How long an end waits for what was stored to be read; a flood is read on behind it.</summary>
    private static readonly TimeSpan ReadWithin = TimeSpan.FromMilliseconds(50);
    private readonly Channel<JournalEntry> arrived = Channel.CreateUnbounded<JournalEntry>(new() { SingleReader = true });
    private readonly BootStore boots;
    private readonly IConsoleSource source;
    private readonly int? usualQuiet;
    private readonly Action<Capture> changed;
    private readonly TaskCompletionSource<(CaptureEnd How, string Why, int At)> over = new(
        TaskCreationOptions.RunContinuationsAsynchronously
    );
    private readonly CancellationTokenSource givenUp = new();
    private IReadOnlyList<JournalEntry> waiting = [];
    private readonly Channel<List<JournalEntry>> stored = Channel.CreateUnbounded<List<JournalEntry>>(new() { SingleReader = true });
    private readonly Flow flow = new(TimeProvider.System);
    private Task pump = Task.CompletedTask;
    private Task reading = Task.CompletedTask;
    private Ending? ending;

    /// <summary>Prepares a capture; <see cref="Start"/> begins it.</summary>
    /// <param name="usualQuiet">The longest silence in good boots of this board and image, or null.</param>
    /// <param name="before">What was stored of it already, of one that goes on after a stop.</param>
    public Capture(
        Boot boot,
        BootStore boots,
        BootReader reader,
        IConsoleSource source,
        int? usualQuiet,
        Action<Capture> changed,
        IEnumerable<JournalEntry>? before = null
    )
    {
        this.before = before;
        storedBytes = arrivedBytes = before is null ? 0 : boots.LogBytes(boot.Id);
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

    /// <summary>The medium of the root when it was looked at last; null before.</summary>
    public string? MediumSeen { get; set; }

    /// <summary>What stands in the way of this capture at the moment, or null.</summary>
    public Problem? Trouble => Waiting ?? source.Trouble ?? flow.TooFast;

    /// <summary>Milliseconds since the moment that times count from.</summary>
    public int Now => source.Now - Reader.Log.PowerAt;

    /// <summary>How its line is set; null where there is none.</summary>
    public LineSettings? Line => source.Line;

    /// <summary>The source, for what only one kind can.</summary>
    public IConsoleSource Source => source;

    private readonly IEnumerable<JournalEntry>? before;

    /// <summary>Bytes that are on the disk.</summary>
    private long storedBytes;

    /// <summary>Bytes that arrived, on the disk or not.</summary>
    private long arrivedBytes;

    /// <summary>Notes that power is applied or taken now; times count from power applied.</summary>
    public void Power(bool on)
    {
        if (Round is { State: SequenceState.Waiting })
            StopTyping();
        var mark = new JournalEvent(source.Now, EventKind.Power, on ? JournalEvent.PowerApplied : JournalEvent.PowerTaken);
        if (on)
            lock (Reader)
            {
                Reader.Note(mark);
                boots.SetPower(Boot.Id, mark.Milliseconds);
            }
        Note(mark);
    }

    /// <summary>Notes what a person saw, now; false when the capture ends already and takes nothing more.</summary>
    public bool Mark(string text) => Note(new(source.Now, EventKind.Mark, text));

    /// <summary>Changes the line while it is read.</summary>
    public Problem? Set(LineSettings line)
    {
        if (source.Set(line) is { } problem)
            return problem;
        boots.SetLine(Boot.Id, line);
        return null;
    }

    /// <summary>Raises or lowers DTR and RTS.</summary>
    public Problem? SetWires(bool? dtr, bool? rts) => source.SetWires(dtr, rts);

    /// <summary>Holds the line low for a moment.</summary>
    public Problem? Break() => source.Break();

    /// <summary>Completes when the capture has ended and everything is stored and read.</summary>
    public Task Finished => reading;

    /// <summary>Opens the source and begins.</summary>
    public Problem? Start()
    {
        pump = Task.Run(Pump);
        reading = Task.Run(Read);
        var problem = source.Start(
            Receive,
            happened => Note(happened),
            (how, why) =>
            {
                Settle(e => e.End());
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

    /// <summary>Takes a piece from the source; what outruns the disk for long is held back at the source, not in memory.</summary>
    private void Receive(StoredPiece piece)
    {
        flow.Arrived(piece.Bytes.Length);
        lastArrived = piece.Milliseconds;
        Interlocked.Add(ref arrivedBytes, piece.Bytes.Length);
        Put(piece);
        Settle(e => e.Receive(piece.Bytes, source.Now));
        while (flow.MustWait && !over.Task.IsCompleted)
            Thread.Sleep(2);
    }

    private async Task Pump()
    {
        while (await arrived.Reader.WaitToReadAsync())
        {
            var entries = new List<JournalEntry>();
            var bytes = 0;
            while (bytes < MostAtOnce && entries.Count < 512 && arrived.Reader.TryRead(out var entry))
            {
                entries.Add(entry.Event is { AtByte: null } happened ? happened with { AtByte = storedBytes + bytes } : entry);
                bytes += entry.Length;
            }
            var began = clock.GetTimestamp();
            await Store(entries);
            storedBytes += bytes;
            Written(entries);
            flow.Stored(bytes);
            // Reading comes behind storing: it may fall behind a flood, but by little, and nothing waits for it once the end is asked for.
            while (flow.MuchUnread && !over.Task.IsCompleted)
                await Task.Delay(2);
            stored.Writer.TryWrite(entries);
            // Each flush to the disk costs the same, however little it is: what comes within a moment is stored together.
            if (!over.Task.IsCompleted && !flow.Behind && StoreEvery - clock.GetElapsedTime(began) is { Ticks: > 0 } rest)
                await Task.WhenAny(over.Task, Task.Delay(rest));
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
        foreach (var entry in before ?? [])
            Read(entry);
        await foreach (var entries in stored.Reader.ReadAllAsync())
        {
            foreach (var entry in entries)
            {
                Read(entry);
                flow.Read(entry.Length);
            }
            changed(this);
        }
        await pump;
        lock (Reader)
            Reader.Ending = ending!;
        ReadWhole = true;
        changed(this);
    }

    private void Read(JournalEntry entry)
    {
        lock (Reader)
            if (entry.Event is { } happened)
                Reader.Note(happened);
            else
                Reader.Add(entry.Piece.Bytes, entry.Piece.Milliseconds);
        Hear(entry);
    }

    /// <summary>Stores pieces, as often as it takes: a full disk may get room again, and nothing that arrived is dropped.</summary>
    private async Task Store(List<JournalEntry> entries)
    {
        waiting = entries;
        await Kept(() => boots.Append(Boot.Id, entries));
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
        StopTyping();
        Settle(e => e.End());
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
        while (arrived.Reader.TryRead(out var entry))
            left.Add(entry);
        waiting = [];
        var bytes = left.Sum(e => (long)e.Length);
        if (bytes == 0)
            return;
        // Not the scratch of the data folder, which is on the full disk and emptied at the next start.
        var path = Path.Combine("/tmp", $"buttonhook-unsaved-{Boot.Id}.log");
        try
        {
            using var file = new FileStream(path, FileMode.CreateNew, FileAccess.Write);
            foreach (var entry in left.Where(e => e.Event is null))
                file.Write(entry.Piece.Bytes);
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

    /// <summary>What stands in the way of typing to a board whose capture is over.</summary>
    public static Problem IsOver { get; } = new("The board should be on.", "This capture has ended.", "Boot it again.");
}
