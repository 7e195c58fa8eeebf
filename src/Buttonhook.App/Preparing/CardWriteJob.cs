using System.Diagnostics;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Preparing;

/// <summary>One card that is being written: its state, stored at each step, so that a stop at any moment is told truly at the next start.</summary>
internal sealed class CardWriteJob(CardWrite state, PreparationStore store, BoardStore boards)
{
    private readonly Stopwatch sinceKept = Stopwatch.StartNew();
    private readonly Stopwatch inStep = Stopwatch.StartNew();

    /// <summary>How it stands.</summary>
    public CardWrite State { get; set; } = state;

    /// <summary>Stops it.</summary>
    public CancellationTokenSource Stop { get; } = new();

    /// <summary>The work, while it goes on.</summary>
    public Task Work { get; set; } = Task.CompletedTask;

    /// <summary>Seconds since the step began, more than 0.</summary>
    public double SecondsInStep => Math.Max(0.001, inStep.Elapsed.TotalSeconds);

    /// <summary>Goes on to a step of so many bytes.</summary>
    public void Begin(WriteStep step, long total)
    {
        inStep.Restart();
        Keep(State with { Step = step, DoneBytes = 0, TotalBytes = total, BytesPerSecond = 0 });
    }

    /// <summary>From here on the card is not what it was; stored before the first byte is written.</summary>
    public void Erase()
    {
        Keep(State with { Erased = true });
        boards.TellWritten(State.BoardId, false);
    }

    /// <summary>So many bytes of the step are done.</summary>
    public void Progress(long done)
    {
        var seconds = inStep.Elapsed.TotalSeconds;
        State = State with { DoneBytes = done, BytesPerSecond = seconds > 0.5 ? done / seconds : 0 };
        if (sinceKept.ElapsedMilliseconds > 1000)
            Keep(State);
    }

    /// <summary>Stores a state, and tells it then: who is told of an end starts from what is stored of it.</summary>
    public void Keep(CardWrite now)
    {
        sinceKept.Restart();
        try
        {
            store.Keep(now);
        }
        catch (Microsoft.Data.Sqlite.SqliteException e) when (FullDisk.Is(e))
        {
            // Before the first byte it must be noted; an end is noted as soon as there is room, and slot and board are free meanwhile.
            if (now.Running)
                throw;
            _ = KeepLater(now);
        }
        State = now;
    }

    private async Task KeepLater(CardWrite end)
    {
        while (true)
        {
            await Task.Delay(TimeSpan.FromSeconds(1));
            try
            {
                store.Keep(end);
                return;
            }
            catch (Microsoft.Data.Sqlite.SqliteException)
            {
                // Still no room.
            }
        }
    }
}
