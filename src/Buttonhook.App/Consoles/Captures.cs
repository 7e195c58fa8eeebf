using System.Collections.Concurrent;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;
using Microsoft.AspNetCore.SignalR;

namespace Buttonhook.App.Consoles;

/// <summary>All captures: the running ones and, for reading, those that ended.</summary>
public sealed partial class Captures(BootStore boots, RuleBookIndex rules, IHubContext<BenchHub> hub, TimeProvider clock) : IHostedService
{
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
    /// <param name="port">The device that is opened, or null for a simulated board; one that is captured already is a problem.</param>
    public async Task<Answer<Boot>> Start(BenchBoard bench, string sourceName, IConsoleSource source, string? port = null)
    {
        if (!startingOn.TryAdd(bench.Board.Id, 0))
        {
            source.Dispose();
            return new Problem(
                "One capture is started at a time on a board.",
                "One is being started.",
                "Wait a moment, and look whether it runs."
            );
        }
        await starting.WaitAsync();
        try
        {
            return await StartAlone(bench, sourceName, source, port);
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

    private async Task<Answer<Boot>> StartAlone(BenchBoard bench, string sourceName, IConsoleSource source, string? port)
    {
        await EndOn(bench.Board.Id);
        if (
            port is not null
            && running.Values.FirstOrDefault(c => c is { Live: true, Ending: false } && ports.GetValueOrDefault(c.Boot.Id) == port)
                is { } other
        )
        {
            source.Dispose();
            return new Problem(
                $"{port} should be free.",
                "It is being captured for another board here.",
                "End that capture first, or choose another port."
            );
        }
        var boot = boots.Begin(bench, sourceName, clock.GetUtcNow());
        var capture = new Capture(boot, boots, new(rules, Again(boot.Id)), source, UsualQuiet(boot), c => toTell[c.Boot.Id] = 0);
        running[boot.Id] = capture;
        if (port is not null)
            ports[boot.Id] = port;
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

    /// <summary>The longest silence in good boots of the same board and image, in milliseconds, or null without one.</summary>
    public int? UsualQuiet(Boot boot) =>
        boots.Good(boot.ModelId, boot.RevisionId, boot.ImageId).Where(b => b.Id != boot.Id).Max(b => b.LongestQuiet);

    /// <summary>Ends the running capture of a board, if there is one.</summary>
    public async Task EndOn(string boardId)
    {
        if (RunningOn(boardId) is not { } capture)
            return;
        // Under a full disk, and of a flood, the end is noted; what had arrived is stored behind it.
        await capture.End(CaptureEnd.Person, Capture.ByYou, capture.Trouble is null ? AnswerWithin : TimeSpan.Zero);
        toTell[capture.Boot.Id] = 0;
        if (capture.ReadWhole)
            Settle(capture);
    }

    private static readonly TimeSpan AnswerWithin = TimeSpan.FromMilliseconds(500);

    /// <summary>Stores a whole log as a boot: the bytes first, then what they say.</summary>
    public async Task<Answer<Boot>> Store(BenchBoard bench, string name, IAsyncEnumerable<byte[]> pieces, long most)
    {
        var boot = boots.Begin(bench, name, clock.GetUtcNow());
        long total = 0;
        try
        {
            await foreach (var piece in pieces)
            {
                if (total == 0 && LogFiles.OtherKind(piece) is { } kind)
                {
                    boots.Remove(boot.Id);
                    return new Problem(
                        "A console log should be text as a serial port gives it.",
                        $"{name} is {kind}.",
                        "Unpack it, or choose the log itself."
                    );
                }
                total += piece.Length;
                if (total > most)
                {
                    boots.Remove(boot.Id);
                    return LogFiles.TooLarge(total, most);
                }
                boots.Append(boot.Id, [new(-1, piece)]);
            }
        }
        catch
        {
            boots.Remove(boot.Id);
            throw;
        }
        if (total == 0)
        {
            boots.Remove(boot.Id);
            return new Problem(
                "A console log should have at least one byte.",
                $"{name} is empty.",
                "Look whether the right file was chosen, or capture the console here."
            );
        }
        boots.End(boot.Id, "A log file.", clock.GetUtcNow(), Ending.OfFile);
        var stored = boots.Find(boot.Id)!;
        ReadAnew(stored);
        toTell[boot.Id] = 0;
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
            if (!whole)
                boots.Note(capture.Boot.Id, result.Reading, result.Diagnosis, result.Reading.Waiting || result.Ending.ProvesSilence);
            else
                boots.Keep(capture.Boot.Id, result, rules.Version);
        }
        if (!whole)
            return;
        running.TryRemove(capture.Boot.Id, out _);
        ports.TryRemove(capture.Boot.Id, out _);
    }

    /// <inheritdoc/>
    public Task StartAsync(CancellationToken cancellationToken)
    {
        foreach (var boot in boots.Unended())
            boots.End(
                boot.Id,
                "Buttonhook was stopped during the capture; what had arrived is here.",
                clock.GetUtcNow(),
                new(CaptureEnd.Server)
            );
        background = Task.Run(ReadAndCheck, CancellationToken.None);
        teller = Task.Run(Tell, CancellationToken.None);
        return Task.CompletedTask;
    }

    /// <summary>Reads what these rules have not read yet, then looks whether every byte of every log can still be read.</summary>
    private void ReadAndCheck()
    {
        try
        {
            foreach (var boot in boots.OutOfDate(rules.Version))
            {
                if (stop.IsCancellationRequested)
                    return;
                Kept(boot.Id);
                toTell[boot.Id] = 0;
            }
            foreach (var boot in boots.Ended())
            {
                if (stop.IsCancellationRequested)
                    return;
                Check(boot);
            }
        }
        catch (Microsoft.Data.Sqlite.SqliteException)
        {
            // A full disk: the rest is made at the next start.
        }
    }

    private void Check(Boot boot)
    {
        try
        {
            if (boots.Reading(boot.Id, rules.Version) is { } kept)
                new ConsoleLog(Again(boot.Id), kept.Pages).Check(stop.Token);
        }
        catch (DamagedPageException e)
        {
            ReadDamaged(boot, e.Page);
        }
        catch (OperationCanceledException)
        {
            // The application stops; the next start checks again.
        }
    }

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
