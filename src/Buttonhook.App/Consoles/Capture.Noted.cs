using Buttonhook.Core.Consoles;

namespace Buttonhook.App.Consoles;

/// <summary>What waits for the disk, and what of it was noted.</summary>
public sealed partial class Capture
{
    private readonly List<JournalEvent> noted = [];
    private long unwritten;

    /// <summary>What was noted and waits for the disk, in order; who shows it asks this first, then what is stored.</summary>
    public IReadOnlyList<JournalEvent> Noted
    {
        get
        {
            lock (noted)
                return [.. noted];
        }
    }

    /// <summary>Waits a moment until what was noted is on the disk, so that most answers show it as stored.</summary>
    public async Task Written()
    {
        for (var n = 0; n < 60 && Interlocked.Read(ref unwritten) > 0; n++)
            await Task.Delay(5);
    }

    private void Written(List<JournalEntry> entries)
    {
        lock (noted)
            noted.RemoveRange(0, entries.Count(e => e.Event is not null));
        Interlocked.Add(ref unwritten, -entries.Count);
    }

    /// <summary>Puts an entry behind those that wait for the disk; false when the capture ends and takes nothing more.</summary>
    private bool Put(JournalEntry entry)
    {
        Interlocked.Increment(ref unwritten);
        if (arrived.Writer.TryWrite(entry))
            return true;
        Interlocked.Decrement(ref unwritten);
        return false;
    }

    /// <summary>Puts an event behind the bytes that arrived so far; false when the capture ends and takes nothing more.</summary>
    private bool Note(JournalEvent happened)
    {
        switch (happened.Kind)
        {
            case EventKind.Gap:
                lostAt = happened.Milliseconds;
                break;
            case EventKind.Back:
                (lostAt, heardFrom) = (null, happened.Milliseconds);
                break;
        }
        lock (noted)
        {
            noted.Add(happened);
            if (Put(happened))
                return true;
            noted.RemoveAt(noted.Count - 1);
            return false;
        }
    }
}
