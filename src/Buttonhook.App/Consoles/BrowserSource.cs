using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Microsoft.AspNetCore.SignalR;

namespace Buttonhook.App.Consoles;

/// <summary>A serial port of the computer that looks at the page: the page reads it and sends the bytes here, and writes to it what is typed. When the page is gone, the gap is told; when it comes back, the capture goes on.</summary>
public sealed class BrowserSource(LineSettings line, IHubContext<BenchHub> hub, TimeProvider clock) : IConsoleSource
{
    /// <summary>A page that reads a port says so at least this often.</summary>
    private static readonly TimeSpan Silence = TimeSpan.FromSeconds(6);
    private readonly long began = clock.GetTimestamp();
    private readonly Lock changing = new();
    private long lastHeard = clock.GetTimestamp();
    private bool lost;
    private int lostAt;
    private Timer? watch;
    private Action<StoredPiece> received = _ => { };
    private Action<JournalEvent> happened = _ => { };

    /// <summary>The id of the boot, by which its page is called; set before anything is typed.</summary>
    public string BootId { get; set; } = "";

    /// <summary>How many bytes of the port are here: a page sends on from there.</summary>
    public long Received { get; private set; }

    /// <inheritdoc/>
    public int Now => (int)Math.Min(int.MaxValue, clock.GetElapsedTime(began).TotalMilliseconds);

    /// <inheritdoc/>
    public LineSettings Line { get; private set; } = line;

    /// <inheritdoc/>
    public Problem? Trouble =>
        lost
            ? new(
                "The page that reads the port should be open.",
                "Nothing was heard of it for six seconds.",
                "Open this boot there again and choose the port; the capture then goes on."
            )
            : null;

    /// <inheritdoc/>
    public Problem? Start(Action<StoredPiece> received, Action<JournalEvent> happened, Action<CaptureEnd, string> ended)
    {
        (this.received, this.happened) = (received, happened);
        watch = new Timer(_ => Watch(), null, Silence, TimeSpan.FromSeconds(1));
        return null;
    }

    private void Watch()
    {
        lock (changing)
        {
            if (lost || clock.GetElapsedTime(lastHeard) < Silence)
                return;
            lost = true;
            lostAt = Now - (int)clock.GetElapsedTime(lastHeard).TotalMilliseconds;
            happened(new(lostAt, EventKind.Gap, "The page that reads the port went away"));
        }
    }

    /// <summary>Takes bytes that the page read; those before <paramref name="from"/> that are here already are passed over, so that a page may send again what it does not know to have arrived.</summary>
    /// <param name="from">How many bytes of the port came before the first of these.</param>
    public Problem? Take(long from, byte[] bytes)
    {
        lock (changing)
        {
            if (from > Received || from < 0)
                return new(
                    $"The page should go on behind byte {Received}.",
                    $"It sends what is behind byte {from}.",
                    "Reload the page there; what is between is missing."
                );
            lastHeard = clock.GetTimestamp();
            if (lost)
            {
                lost = false;
                happened(
                    new(
                        Now,
                        EventKind.Back,
                        $"The port is read again after {Words.Seconds((Now - lostAt) / 1000.0)}; what was printed meanwhile may be missing"
                    )
                );
            }
            var known = (int)Math.Min(bytes.Length, Received - from);
            if (known == bytes.Length)
                return null;
            received(new(Now, bytes[known..]));
            Received += bytes.Length - known;
            return null;
        }
    }

    private Problem? Call(string what, object argument, string expected)
    {
        if (Trouble is { } trouble)
            return new(expected, trouble.Came, trouble.ToDo);
        _ = hub.Clients.Group(BenchHub.PortOf(BootId)).SendAsync(what, argument);
        return null;
    }

    /// <inheritdoc/>
    public Problem? Type(byte[] bytes) => Call("portType", Convert.ToBase64String(bytes), "The board should take what is typed.");

    /// <inheritdoc/>
    public Problem? Set(LineSettings line)
    {
        if (Call("portLine", line, $"The line should be set to {line}.") is { } problem)
            return problem;
        Line = line;
        happened(new(Now, EventKind.Line, $"The line is {line} from here on"));
        return null;
    }

    /// <inheritdoc/>
    public Problem? SetWires(bool? dtr, bool? rts) => Call("portWires", new { dtr, rts }, "DTR and RTS should be set.");

    /// <inheritdoc/>
    public Problem? Break() => Call("portBreak", true, "A break should be sent.");

    /// <inheritdoc/>
    public void Dispose()
    {
        watch?.Dispose();
        _ = hub.Clients.Group(BenchHub.PortOf(BootId)).SendAsync("portEnd");
    }
}
