using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Hardware;

namespace Buttonhook.App.Consoles;

/// <summary>Opens a link to a console with a line; bytes come to the first action, and once why it ended to the second.</summary>
public delegate Answer<IConsoleLink> OpenLink(LineSettings line, Action<byte[]> received, Action<string> ended);

/// <summary>
/// A serial port or a bridge. What goes away is waited for: the gap is told, and the capture goes on by itself when it is there again.
/// Times count from the moment it was opened.
/// </summary>
/// <param name="name">What it is called in words ("/dev/ttyUSB0").</param>
/// <param name="present">Whether it is worth trying to open it again.</param>
/// <param name="afterOpen">Done once after the first opening, or null.</param>
/// <param name="startedAt">Milliseconds from the begin of the capture, of one that goes on after a stop; it is waited for then also at the start.</param>
/// <param name="heardUntil">Of such a one, when it was heard last.</param>
public sealed class LinkSource(
    string name,
    OpenLink open,
    Func<bool> present,
    LineSettings line,
    Action? afterOpen,
    TimeProvider clock,
    int? startedAt = null,
    int heardUntil = 0
) : IConsoleSource
{
    private static readonly TimeSpan TryEvery = TimeSpan.FromMilliseconds(200);
    private readonly Lock changing = new();
    private readonly CancellationTokenSource over = new();
    private long began = clock.GetTimestamp();
    private IConsoleLink? link;
    private int lostAt = heardUntil;
    private Problem? against;
    private Action<StoredPiece> received = _ => { };
    private Action<JournalEvent> happened = _ => { };

    /// <inheritdoc/>
    public int Now => (int)Math.Min(int.MaxValue, (startedAt ?? 0) + clock.GetElapsedTime(began).TotalMilliseconds);

    /// <inheritdoc/>
    public LineSettings Line { get; private set; } = line;

    /// <inheritdoc/>
    public Problem? Trouble =>
        link is not null || over.IsCancellationRequested
            ? null
            : new(
                $"{name} should be there.",
                against is null ? "It went away." : $"It went away, and now: {against.Came}",
                against is null
                    ? "Plug it in again: the capture goes on by itself, and the gap is marked. Nothing that had arrived is lost."
                    : $"{against.ToDo} The capture then goes on by itself."
            );

    /// <inheritdoc/>
    public Problem? Start(Action<StoredPiece> received, Action<JournalEvent> happened, Action<CaptureEnd, string> ended)
    {
        (this.received, this.happened) = (received, happened);
        if (startedAt is not null)
        {
            // A bridge that does not answer must not hold up the start of the server.
            _ = Task.Run(WaitForIt);
            return null;
        }
        if (Open() is { } problem)
            return problem;
        began = clock.GetTimestamp();
        afterOpen?.Invoke();
        return null;
    }

    private void TellBack() =>
        happened(
            new(
                Now,
                EventKind.Back,
                $"{name} is heard again after {Core.Words.Seconds((Now - lostAt) / 1000.0)}; what was printed meanwhile is not here"
            )
        );

    private Problem? Open()
    {
        lock (changing)
        {
            if (over.IsCancellationRequested)
                return null;
            IConsoleLink? own = null;
            var opened = open(Line, bytes => received(new(Now, bytes)), why => Lost(() => own, why));
            if (opened.Value is not { } made)
                return opened.Problem;
            own = link = made;
            return null;
        }
    }

    private void Lost(Func<IConsoleLink?> which, string why)
    {
        lock (changing)
        {
            if (over.IsCancellationRequested || which() is not { } gone || gone != link)
                return;
            link = null;
            gone.Dispose();
            (lostAt, against) = (Now, null);
        }
        happened(new(lostAt, EventKind.Gap, why));
        _ = Task.Run(WaitForIt);
    }

    private async Task WaitForIt()
    {
        while (true)
        {
            await Task.Delay(TryEvery, clock, over.Token).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            if (over.IsCancellationRequested)
                return;
            if (!present())
            {
                against = null;
                continue;
            }
            try
            {
                against = Open();
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException or InvalidOperationException)
            {
                // A device that goes away while it is looked at; whatever it was, it is tried again.
                against = new($"{name} should open.", $"The system says: {e.Message}", "It is tried again.");
            }
            if (against is not null)
                continue;
            TellBack();
            return;
        }
    }

    /// <inheritdoc/>
    public Problem? Type(byte[] bytes) =>
        link?.Send(bytes) == true
            ? null
            : new Problem(
                "The board should take what is typed.",
                "The port does not take it.",
                "Check whether the adapter is still plugged in."
            );

    /// <inheritdoc/>
    public Problem? Set(LineSettings line)
    {
        if (link is not { } now)
            return Trouble;
        if (now.Set(line) is { } problem)
            return problem;
        Line = line;
        happened(new(Now, EventKind.Line, $"The line is {line} from here on"));
        return null;
    }

    /// <inheritdoc/>
    public Problem? SetWires(bool? dtr, bool? rts)
    {
        if (link is not { } now)
            return Trouble;
        if (now.SetWires(dtr, rts) is { } problem)
            return problem;
        static string Way(bool up) => up ? "raised" : "lowered";
        string[] moved = [.. dtr is { } d ? [$"DTR {Way(d)}"] : (string[])[], .. rts is { } r ? [$"RTS {Way(r)}"] : (string[])[]];
        happened(new(Now, EventKind.Mark, string.Join(", ", moved)));
        return null;
    }

    /// <inheritdoc/>
    public Problem? Break()
    {
        if (link is not { } now)
            return Trouble;
        if (now.Break() is { } problem)
            return problem;
        happened(new(Now, EventKind.Mark, "A break was sent"));
        return null;
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        IConsoleLink? last;
        lock (changing)
        {
            if (over.IsCancellationRequested)
                return;
            over.Cancel();
            (last, link) = (link, null);
        }
        last?.Dispose();
    }
}
