using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App.Consoles;

/// <summary>A log that was kept, printed once more at its own pace or another one. What has no times comes at the speed of its line.</summary>
/// <param name="pieces">The pieces in order.</param>
/// <param name="pace">How many times faster than it was, above 0; times of the capture are those of the log.</param>
/// <param name="bytesPerSecond">The pace of a log without times.</param>
public sealed class ReplaySource(IEnumerable<StoredPiece> pieces, double pace, double bytesPerSecond, TimeProvider clock) : IConsoleSource
{
    /// <summary>What a replay without times prints at once.</summary>
    private const int PieceBytes = 64;
    private readonly CancellationTokenSource stop = new();
    private readonly long began = clock.GetTimestamp();

    /// <inheritdoc/>
    public int Now => (int)Math.Min(int.MaxValue, clock.GetElapsedTime(began).TotalMilliseconds * pace);

    /// <inheritdoc/>
    public Problem? Start(Action<StoredPiece> received, Action<JournalEvent> happened, Action<CaptureEnd, string> ended)
    {
        _ = Task.Run(async () =>
        {
            try
            {
                foreach (var piece in Timed())
                {
                    var wait = (piece.Milliseconds - Now) / pace;
                    if (wait >= 1)
                        await Task.Delay(TimeSpan.FromMilliseconds(wait), stop.Token);
                    stop.Token.ThrowIfCancellationRequested();
                    received(piece);
                }
                // As a file ends: nothing is known of what came behind it.
                ended(CaptureEnd.Unknown, "The replay is over.");
            }
            catch (OperationCanceledException)
            {
                ended(CaptureEnd.Person, Capture.ByYou);
            }
        });
        return null;
    }

    private IEnumerable<StoredPiece> Timed()
    {
        double at = 0;
        foreach (var piece in pieces)
        {
            if (piece.Milliseconds >= 0)
            {
                yield return piece;
                continue;
            }
            for (var from = 0; from < piece.Bytes.Length; from += PieceBytes)
            {
                var part = piece.Bytes[from..Math.Min(piece.Bytes.Length, from + PieceBytes)];
                yield return new((int)at, part);
                at += part.Length / bytesPerSecond * 1000;
            }
        }
    }

    /// <inheritdoc/>
    public Problem? Type(byte[] bytes) =>
        new("A board should be there to type to.", "This is a log that is played once more.", "Open the console of the board.");

    /// <inheritdoc/>
    public void Dispose() => stop.Cancel();
}
