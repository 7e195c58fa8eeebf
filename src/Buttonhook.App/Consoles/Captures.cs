using System.Collections.Concurrent;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;
using Microsoft.AspNetCore.SignalR;

namespace Buttonhook.App.Consoles;

/// <summary>All captures: the running ones and, for reading, those that ended.</summary>
public sealed partial class Captures(
    BootStore boots,
    BoardStore boards,
    PreparationStore cards,
    Sources sources,
    Diagnosing.RuleBooks books,
    IHubContext<BenchHub> hub,
    Database database,
    TimeProvider clock
) : IHostedService
{
    private RuleBookIndex Rules => books.Current;

    /// <summary>The starts that a capture holds, each judged by itself.</summary>
    public Starts StartsIn(ReadCapture read) => Starts.Of(read, Rules);

    /// <summary>The rule book that boots are read by.</summary>
    public RuleBook Book => Rules.Book;
    private const int KeptReadings = 12;
    private static readonly TimeSpan StopWithin = TimeSpan.FromMilliseconds(300);
    private static readonly TimeSpan TellEvery = TimeSpan.FromMilliseconds(150);
    private readonly ConcurrentDictionary<string, Capture> running = new();
    private readonly ConcurrentDictionary<string, byte> toTell = new();
    private readonly LinkedList<(string Id, ReadCapture Read)> read = [];
    private readonly ConcurrentDictionary<string, Lazy<ReadCapture>> beingRead = new();
    private readonly CancellationTokenSource stop = new();
    private Task teller = Task.CompletedTask;
    private Task background = Task.CompletedTask;

    /// <summary>The running capture of a boot, or null.</summary>
    public Capture? Running(string bootId) => running.GetValueOrDefault(bootId);

    /// <summary>The running capture of a board, or null.</summary>
    public Capture? RunningOn(string boardId) =>
        running.Values.FirstOrDefault(c => c.Boot.BoardId == boardId && c is { Live: true, Ending: false });

    /// <summary>Begins a capture; one that runs on the same board is ended first. When the source cannot be opened, nothing is left of the boot.</summary>
    /// <param name="made">What is opened; a port that is captured already is a problem.</param>
    public async Task<Answer<Boot>> Start(BenchBoard bench, MadeSource made)
    {
        if (!startingOn.TryAdd(bench.Board.Id, 0))
        {
            made.Source.Dispose();
            return new Problem(
                "One capture is started at a time on a board.",
                "One is being started.",
                "Wait a moment, and check whether it runs."
            );
        }
        await starting.WaitAsync();
        try
        {
            return await StartAlone(bench, made);
        }
        finally
        {
            starting.Release();
            startingOn.TryRemove(bench.Board.Id, out _);
        }
    }

    private readonly ConcurrentDictionary<string, byte> startingOn = new();

    /// <summary>Starts come one after another: two at once on a board or a port would both find it free.</summary>
    private readonly SemaphoreSlim starting = new(1);
    private readonly ConcurrentDictionary<string, string> ports = new();

    private async Task<Answer<Boot>> StartAlone(BenchBoard bench, MadeSource made)
    {
        await EndOn(bench.Board.Id);
        if (
            made.Port is not null
            && running.Values.FirstOrDefault(c =>
                c is { Live: true, Ending: false, IsLost: false } && ports.GetValueOrDefault(c.Boot.Id) == made.Port
            )
                is not null
        )
        {
            made.Source.Dispose();
            return new Problem(
                $"{made.Port} should be free.",
                "It is being captured for another board here.",
                "End that capture first, or choose another port."
            );
        }
        var boot = boots.Begin(bench, made.Name, clock.GetUtcNow(), made.WithPower, made.Again);
        if (made.Source is BrowserSource page)
            page.BootId = boot.Id;
        var capture = Prepared(boot, made, null);
        if (capture.Start() is { } problem)
        {
            await capture.DisposeAsync();
            running.TryRemove(boot.Id, out _);
            ports.TryRemove(boot.Id, out _);
            boots.Remove(boot.Id);
            return problem;
        }
        toTell[boot.Id] = 0;
        return boot;
    }

    private Capture Prepared(Boot boot, MadeSource made, IEnumerable<JournalEntry>? before)
    {
        var reader = new BootReader(Rules, Again(boot.Id));
        if (boot.Origin is { } origin)
            reader.Log.CountFrom(boot.PowerAt, origin);
        var capture = new Capture(boot, boots, reader, made.Source, UsualQuiet(boot), c => toTell[c.Boot.Id] = 0, before);
        running[boot.Id] = capture;
        if (made.Port is not null)
            ports[boot.Id] = made.Port;
        return capture;
    }

    /// <summary>Lets captures go on that the end of the server interrupted, where their port is still there.</summary>
    private void GoOn()
    {
        foreach (var boot in boots.Interrupted())
        {
            if (boards.Find(boot.BoardId) is not { } bench || bench.CardNumber != boot.CardNumber)
                continue;
            var heardUntil = boots.LastMoment(boot.Id);
            if (boot.EndedAt is { } ended)
                heardUntil = Math.Max(heardUntil, (int)Math.Clamp((ended - boot.StartedAt).TotalMilliseconds, 0, int.MaxValue));
            if (sources.Again(boot, heardUntil) is not { } made)
                continue;
            boots.Reopen(boot.Id);
            boots.Append(boot.Id, [new JournalEvent(heardUntil, EventKind.Gap, "Buttonhook was stopped", boots.LogBytes(boot.Id))]);
            _ = Prepared(boots.Find(boot.Id)!, made, boots.Journal(boot.Id)).Start();
            toTell[boot.Id] = 0;
        }
    }

    /// <summary>The longest silence in good boots of the same board and image, in milliseconds, or null without one.</summary>
    public int? UsualQuiet(Boot boot) => boots.LongestQuiet(boot.ModelId, boot.RevisionId, boot.ImageId, boot.Id);

    /// <summary>Ends the running capture of a board, if there is one.</summary>
    public async Task EndOn(string boardId)
    {
        if (RunningOn(boardId) is not { } capture)
            return;
        // Under a full disk, and of a flood, the end is noted; what had arrived is stored behind it.
        await capture.End(CaptureEnd.Person, Capture.ByYou, capture.Trouble is null ? AnswerWithin : TimeSpan.Zero);
        toTell[capture.Boot.Id] = 0;
        // What a very long log says takes a moment to be put down; the answer does not wait for it.
        if (capture.ReadWhole)
            await Task.Run(() => Settle(capture)).WaitAsync(SettledWithin).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
    }

    private static readonly TimeSpan SettledWithin = TimeSpan.FromMilliseconds(250);
    private static readonly TimeSpan AnswerWithin = TimeSpan.FromMilliseconds(500);

    /// <summary>Stores logs that came with times, or several that came together, each as a boot, all or none; what had its times taken out is kept as it came too. Gives the last one.</summary>
    public Answer<Boot> Store(BenchBoard bench, IReadOnlyList<ImportedLog> logs)
    {
        foreach (var log in logs)
            if (log.Entries is [{ Event: null } only] && LogFiles.OtherKind(only.Piece.Bytes) is { } kind)
                return new Problem(
                    "A console log should be text as a serial port gives it.",
                    $"{log.Name} is {kind}.",
                    logs.Count > 1 ? "Unpack it, or leave it out; none of them was stored." : "Unpack it, or choose the log itself."
                );
        using var unit = database.Begin();
        Boot? last = null;
        foreach (var log in logs)
        {
            var boot = boots.Begin(bench, log.Name, clock.GetUtcNow());
            long bytes = 0;
            foreach (var some in log.Entries.Chunk(MostEntries))
            {
                boots.Append(
                    boot.Id,
                    [
                        .. some.Select(e =>
                        {
                            if (e.Event is { } happened)
                                return happened with { AtByte = bytes };
                            bytes += e.Piece.Bytes.Length;
                            return e;
                        }),
                    ]
                );
            }
            if (log.Original is { } original)
                boots.KeepOriginal(boot.Id, log.Name, original);
            last = Stored(boot, log.Kind is null ? "A log file." : $"A log file, with {log.Kind}.");
        }
        if (last is null)
            return new Problem("There should be a log in it.", "There is none.", "Check whether the right file was chosen.");
        unit.Commit();
        return last;
    }

    private const int MostEntries = 2000;

    /// <summary>Stores a whole log as a boot: the bytes first, then what they say.</summary>
    public async Task<Answer<Boot>> Store(BenchBoard bench, string name, IAsyncEnumerable<byte[]> pieces, long most)
    {
        Boot? boot = null;
        long total = 0;
        try
        {
            await foreach (var piece in pieces)
            {
                if (total == 0 && LogFiles.OtherKind(piece) is { } kind)
                    return new Problem(
                        "A console log should be text as a serial port gives it.",
                        $"{name} is {kind}.",
                        "Unpack it, or choose the log itself."
                    );
                total += piece.Length;
                if (total > most)
                {
                    if (boot is not null)
                        boots.Remove(boot.Id);
                    return LogFiles.TooLarge(total, most);
                }
                boot = Append(boot, bench, name, piece);
            }
        }
        catch
        {
            if (boot is not null)
                boots.Remove(boot.Id);
            throw;
        }
        return boot is null
            ? new Problem(
                "A console log should have at least one byte.",
                $"{name} is empty.",
                "Check whether the right file was chosen, or capture the console here."
            )
            : Stored(boot, "A log file.");
    }

    /// <summary>Stores a piece of a log that comes in; its boot begins with the first one.</summary>
    private Boot Append(Boot? boot, BenchBoard bench, string name, byte[] piece)
    {
        using var unit = database.Begin();
        boot ??= boots.Begin(bench, name, clock.GetUtcNow());
        boots.Append(boot.Id, [new StoredPiece(-1, piece)]);
        unit.Commit();
        return boot;
    }

    /// <summary>Ends a log whose bytes are all here, and reads it.</summary>
    private Boot Stored(Boot boot, string why)
    {
        boots.End(boot.Id, why, clock.GetUtcNow(), Ending.OfFile);
        var stored = boots.Find(boot.Id)!;
        UnitOfWork.WhenOver(() =>
        {
            if (boots.Find(boot.Id) is null)
                return;
            ReadAnew(stored);
            toTell[boot.Id] = 0;
        });
        return stored;
    }

    /// <summary>Notes what a capture says and, once it has ended and was read to its end, keeps that and lets the capture go.</summary>
    private void Settle(Capture capture)
    {
        ReadCapture result;
        var whole = capture.ReadWhole;
        lock (capture.Reader)
        {
            capture.Listen();
            result = capture.Reader.Result();
            NoteSystem(capture, result);
            if (!whole)
                boots.Note(capture.Boot.Id, result.Reading, result.Diagnosis, result.Reading.Waiting || result.Ending.ProvesSilence);
            else
                boots.Keep(capture.Boot.Id, result, Rules.Version);
        }
        if (!whole)
            return;
        running.TryRemove(capture.Boot.Id, out _);
        ports.TryRemove(capture.Boot.Id, out _);
        if (notedLate.ContainsKey(capture.Boot.Id))
            ReadAgain(capture.Boot.Id);
    }

    /// <summary>Notes which of several systems on its card a boot started; its log tells by the root that it names.</summary>
    private void NoteSystem(Capture capture, ReadCapture read)
    {
        if (read.Reading.Facts.BootMedium is not { } medium || medium == capture.MediumSeen)
            return;
        capture.MediumSeen = medium;
        var boot = capture.Boot;
        if (
            cards.NewestOf(boot.BoardId) is { Systems.Count: > 1 } write
            && write.CardNumber == boot.CardNumber
            && LaidSystem.Started(write.Systems, RunFacts.Of(read.Log).CommandLine?.Value) is { } system
        )
            boots.Started(boot.Id, system.ImageId);
    }

    /// <inheritdoc/>
    public Task StartAsync(CancellationToken cancellationToken)
    {
        GoOn();
        foreach (var boot in boots.Unended().Where(b => !running.ContainsKey(b.Id)))
            // A log file that came in half is no log; the person has the whole one.
            if (boots.IsFile(boot.Id))
                boots.Remove(boot.Id);
            else
                boots.End(
                    boot.Id,
                    "Buttonhook was stopped during the capture; what had arrived is here.",
                    clock.GetUtcNow(),
                    new(CaptureEnd.Server)
                );
        background = Task.Run(ReadAndCheck, CancellationToken.None);
        books.Changed += JudgeAgain;
        teller = Task.Run(Tell, CancellationToken.None);
        return Task.CompletedTask;
    }

    /// <summary>All boots of a board, the newest first; those that run as they stand, for what is stored of them lags behind.</summary>
    public IReadOnlyList<Boot> Of(string boardId) => [.. boots.Of(boardId).Select(Now)];

    private Boot Now(Boot boot) =>
        !running.ContainsKey(boot.Id) || Summary(boot) is not { } said ? boot
        : said is { Waiting: false, Quiet: false } and not { LastStage: Stage.Login } ? boot with { LastStage = said.LastStage }
        : boot with { Outcome = said.Outcome, LastStage = said.LastStage, TopCause = said.Top?.Id };

    /// <summary>What a boot says in short: of one that ended as it was kept, of one that runs as it stands; null when there is no such boot.</summary>
    public BootSummary? Summary(Boot boot) =>
        running.ContainsKey(boot.Id) ? With(boot.Id, BootSummary.Of) : boot.Summary ?? With(boot.Id, BootSummary.Of);

    private async Task Tell()
    {
        using var timer = new PeriodicTimer(TellEvery);
        try
        {
            while (await timer.WaitForNextTickAsync(stop.Token))
                foreach (var id in toTell.Keys)
                {
                    toTell.TryRemove(id, out _);
                    running.TryGetValue(id, out var capture);
                    try
                    {
                        if (capture is not null)
                            Settle(capture);
                    }
                    catch (Microsoft.Data.Sqlite.SqliteException)
                    {
                        // A full disk: it is tried again.
                        toTell[id] = 0;
                    }
                    var boardId = capture?.Boot.BoardId ?? boots.Find(id)?.BoardId;
                    await hub.Clients.All.SendAsync(BenchHub.BootChanged, boardId, id, stop.Token);
                }
        }
        catch (OperationCanceledException)
        {
            // The application stops.
        }
    }

    /// <summary>Ends all captures, so that everything that arrived is stored.</summary>
    public async Task StopAsync(CancellationToken cancellationToken)
    {
        await Task.WhenAll(
            running.Values.Select(async capture =>
            {
                await capture.Stop("The server was stopped; what had arrived is here.", StopWithin);
                try
                {
                    Settle(capture);
                }
                catch (Microsoft.Data.Sqlite.SqliteException)
                {
                    // The summary is made anew at the next start.
                }
            })
        );
        await stop.CancelAsync();
        await teller;
        await background;
    }
}
