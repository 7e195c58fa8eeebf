using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App.Consoles;

/// <summary>How long it has been quiet.</summary>
public sealed partial class Capture
{
    /// <summary>When the last byte arrived, in milliseconds from the begin; -1 before the first. What still waits to be stored or read is no silence.</summary>
    private volatile int lastArrived = -1;

    /// <summary>When the console went away, or came back, last; milliseconds from the begin.</summary>
    private int? lostAt;
    private int heardFrom;

    /// <summary>Tells the reader how long it has been quiet; call it with the reader locked.</summary>
    public void Listen()
    {
        if (Live)
            Reader.Ending = Unread ? new(CaptureEnd.Live, 0, usualQuiet) : Ended(CaptureEnd.Live, source.Now);
    }

    /// <summary>Whether something arrived that the reader has not got yet: behind that it may be anything but quiet.</summary>
    private bool Unread => Reader.Log.Length < Interlocked.Read(ref arrivedBytes);

    /// <summary>How long it has been quiet, in milliseconds: while the console is away nothing is heard, and that is no silence.</summary>
    private int QuietAt(int at) => Math.Max(0, (lostAt ?? at) - Math.Max(lastArrived < 0 ? Reader.Log.PowerAt : lastArrived, heardFrom));

    /// <summary>Whether the console is away at the moment.</summary>
    public bool IsLost => lostAt is not null;

    /// <summary>How long it has been quiet, now, in milliseconds; null while the console is away.</summary>
    public int? Quiet => lostAt is null ? QuietAt(source.Now) : null;

    private Ending Ended(CaptureEnd how, int at) =>
        how == CaptureEnd.Unknown ? Core.Diagnosing.Ending.OfFile : new(how, QuietAt(at), usualQuiet);
}
