using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App.Consoles;

/// <summary>Drives a simulated board by the clock and gives what it prints.</summary>
public sealed class SimulatedSource(SimulationPlan plan, double pace, TimeProvider clock) : IConsoleSource
{
    private readonly SimulatedBoard board = new(plan);
    private readonly CancellationTokenSource stop = new();
    private readonly SemaphoreSlim typed = new(0);
    private readonly long started = clock.GetTimestamp();

    /// <inheritdoc/>
    public int Now => (int)(clock.GetElapsedTime(started).TotalMilliseconds * pace);

    /// <inheritdoc/>
    public Problem? Start(Action<StoredPiece> received, Action<CaptureEnd, string> ended)
    {
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
                    printed = board.Advance(Now);
                    due = board.NextDue;
                }
                foreach (var piece in printed)
                    received(new(piece.Milliseconds, piece.Bytes));
                var wait = due is { } at ? TimeSpan.FromMilliseconds(Math.Clamp((at - Now) / pace, 1, 60_000)) : Timeout.InfiniteTimeSpan;
                await typed.WaitAsync(wait, stop.Token);
            }
        }
        catch (OperationCanceledException)
        {
            // Power off.
        }
        ended(CaptureEnd.Person, Capture.ByYou);
    }

    /// <inheritdoc/>
    public Problem? Type(byte[] bytes)
    {
        lock (board)
            board.Type(bytes, Now);
        typed.Release();
        return null;
    }

    /// <inheritdoc/>
    public void Dispose() => stop.Cancel();
}
