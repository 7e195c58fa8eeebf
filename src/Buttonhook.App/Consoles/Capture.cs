using System.Threading.Channels;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;
using Microsoft.Data.Sqlite;

namespace Buttonhook.App.Consoles;

/// <summary>Where the bytes of a boot come from.</summary>
public interface IConsoleSource : IDisposable
{
    /// <summary>Begins; pieces come with milliseconds since power, and once the reason of the end.</summary>
    Problem? Start(Action<StoredPiece> received, Action<string> ended);

    /// <summary>Sends typed bytes; a problem when the other end does not take them.</summary>
    Problem? Type(byte[] bytes);

    /// <summary>Milliseconds since power now.</summary>
    int Now { get; }
}

/// <summary>One running capture: stores what arrived first, then reads it, then tells who watches.</summary>
public sealed class Capture : IAsyncDisposable
{
    private static readonly TimeSpan RetryAfter = TimeSpan.FromSeconds(1);
    private readonly Channel<StoredPiece> arrived = Channel.CreateUnbounded<StoredPiece>(new() { SingleReader = true });
    private readonly BootStore boots;
    private readonly IConsoleSource source;
    private readonly Action<Capture> changed;
    private readonly TaskCompletionSource<string> over = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private Task pump = Task.CompletedTask;

    /// <summary>Prepares a capture; <see cref="Start"/> begins it.</summary>
    public Capture(Boot boot, BootStore boots, RuleBookIndex rules, IConsoleSource source, Action<Capture> changed)
    {
        Boot = boot;
        Reader = new(rules);
        this.boots = boots;
        this.source = source;
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
    public int Now => source.Now;

    /// <summary>Completes with the reason when the capture has ended and everything is stored.</summary>
    public Task Finished => pump;

    /// <summary>Opens the source and begins.</summary>
    public Problem? Start()
    {
        pump = Task.Run(Pump);
        var problem = source.Start(
            piece => arrived.Writer.TryWrite(piece),
            why =>
            {
                over.TrySetResult(why);
                arrived.Writer.TryComplete();
            }
        );
        if (problem is not null)
        {
            over.TrySetResult(problem.ToString());
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
        boots.End(Boot.Id, await over.Task, TimeProvider.System.GetUtcNow());
        Live = false;
        changed(this);
    }

    /// <summary>Stores pieces, as often as it takes: a full disk may get room again, and nothing that arrived is dropped.</summary>
    private async Task Store(List<StoredPiece> pieces)
    {
        while (true)
        {
            try
            {
                boots.Append(Boot.Id, pieces);
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
                await Task.Delay(RetryAfter);
            }
        }
    }

    /// <summary>Ends the capture; what had arrived is stored.</summary>
    public async ValueTask DisposeAsync()
    {
        source.Dispose();
        over.TrySetResult("Ended by you.");
        arrived.Writer.TryComplete();
        await pump;
    }
}
