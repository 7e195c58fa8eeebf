using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Simulating;

namespace Buttonhook.App.Consoles;

/// <summary>Drives a simulated board by the clock and gives what it prints.</summary>
/// <param name="line">How its line is set.</param>
/// <param name="speed">At which speed it is listened to at each moment, in bits a second; null: as the line is set.</param>
public sealed class SimulatedSource(SimulationPlan plan, double pace, TimeProvider clock, LineSettings line, Func<int>? speed = null)
    : IConsoleSource
{
    private readonly SimulatedBoard board = new(plan);
    private readonly CancellationTokenSource stop = new();
    private readonly SemaphoreSlim typed = new(0);
    private readonly long started = clock.GetTimestamp();

    /// <summary>What the board prints next is printed then, however busy this machine is: its time stands still until that was given.</summary>
    private volatile int nextGiven;

    /// <inheritdoc/>
    public int Now => Math.Min(Elapsed, nextGiven);

    private int Elapsed => (int)(clock.GetElapsedTime(started).TotalMilliseconds * pace);

    /// <inheritdoc/>
    public LineSettings Line { get; private set; } = line;

    private Action<JournalEvent> happened = _ => { };

    /// <inheritdoc/>
    public Problem? Set(LineSettings line)
    {
        Line = line;
        happened(new(Now, EventKind.Line, $"The line is {line} from here on"));
        return null;
    }

    /// <inheritdoc/>
    public Problem? Start(Action<StoredPiece> received, Action<JournalEvent> happened, Action<CaptureEnd, string> ended)
    {
        this.happened = happened;
        _ = Task.Run(() => Run(received, ended));
        return null;
    }

    private async Task Run(Action<StoredPiece> received, Action<CaptureEnd, string> ended)
    {
        try
        {
            while (!stop.IsCancellationRequested)
            {
                int? due;
                IReadOnlyList<Piece> printed;
                lock (board)
                {
                    board.ListenSpeed = speed?.Invoke() ?? Line.Speed;
                    printed = board.Advance(Elapsed);
                }
                foreach (var piece in printed)
                    received(new(piece.Milliseconds, piece.Bytes));
                lock (board)
                    due = TellNext();
                var wait = due is { } at
                    ? TimeSpan.FromMilliseconds(Math.Clamp((at - Elapsed) / pace, 1, 60_000))
                    : Timeout.InfiniteTimeSpan;
                await typed.WaitAsync(wait, stop.Token);
            }
        }
        catch (OperationCanceledException)
        {
            // Power off.
        }
        ended(CaptureEnd.Person, Capture.ByYou);
    }

    private int? TellNext()
    {
        var due = board.NextDue;
        nextGiven = due ?? int.MaxValue;
        return due;
    }

    /// <inheritdoc/>
    public Problem? Type(byte[] bytes)
    {
        lock (board)
        {
            board.ListenSpeed = speed?.Invoke() ?? Line.Speed;
            board.Type(bytes, Now);
            TellNext();
        }
        typed.Release();
        return null;
    }

    /// <inheritdoc/>
    public void Dispose() => stop.Cancel();
}
