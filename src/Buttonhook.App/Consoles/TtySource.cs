using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Hardware;
using Buttonhook.Storage;

namespace Buttonhook.App.Consoles;

/// <summary>A serial port of this computer; times count from the moment it was opened, or from power when that is told before the first byte.</summary>
public sealed class TtySource(string path, int speed, Action? afterOpen, TimeProvider clock) : IConsoleSource
{
    private long power = clock.GetTimestamp();
    private Tty? tty;

    /// <inheritdoc/>
    public int Now => (int)clock.GetElapsedTime(power).TotalMilliseconds;

    /// <inheritdoc/>
    public Problem? Start(Action<StoredPiece> received, Action<CaptureEnd, string> ended)
    {
        var opened = Tty.Open(path, speed, bytes => received(new(Now, bytes)), why => ended(CaptureEnd.Port, why));
        if (opened.Value is not { } port)
            return opened.Problem;
        tty = port;
        power = clock.GetTimestamp();
        afterOpen?.Invoke();
        return null;
    }

    /// <inheritdoc/>
    public Problem? Type(byte[] bytes) =>
        tty?.Send(bytes) == true
            ? null
            : new Problem(
                "The board should take what is typed.",
                "The port does not take it.",
                "Look whether the adapter is still plugged in."
            );

    /// <inheritdoc/>
    public void Dispose() => tty?.Dispose();
}
