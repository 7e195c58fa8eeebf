namespace Buttonhook.Core.Consoles;

/// <summary>Something that types by itself: told what arrives and how late it is, it tells what to type. It has no clock and no console of its own.</summary>
/// <param name="name">What it is called in the journal.</param>
public abstract class TypingRun(string name)
{
    /// <summary>Its name.</summary>
    public string Name => name;

    /// <summary>How it stands.</summary>
    public SequenceState State { get; private set; }

    /// <summary>What it does or how it ended, in plain words.</summary>
    public string Says { get; protected set; } = "Begins.";

    /// <summary>Ends it.</summary>
    public void End() => Finish(SequenceState.Ended, "Ended by you.");

    /// <summary>Goes on: what to type now, and whether that must not be kept; null for nothing.</summary>
    /// <param name="now">Milliseconds of any clock that runs on.</param>
    /// <param name="text">The readable text that arrived since it was last asked, unfinished line included.</param>
    public abstract (byte[] Bytes, bool Secret)? Advance(int now, string text);

    /// <summary>Notes how it ended.</summary>
    protected void Finish(SequenceState state, string says) => (State, Says) = (state, says);
}
