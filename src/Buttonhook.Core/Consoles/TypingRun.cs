namespace Buttonhook.Core.Consoles;

/// <summary>Something that types by itself: told what arrives and how late it is, it tells what to type. It has no clock and no console of its own.</summary>
/// <param name="name">What it is called in the journal.</param>
public abstract class TypingRun(string name)
{
    /// <summary>Its name.</summary>
    public string Name => name;

    /// <summary>Whether any key that a person types ends it: whoever types has the console.</summary>
    public virtual bool EndsAtAnyKey => false;

    /// <summary>How it stands.</summary>
    public SequenceState State { get; private set; }

    /// <summary>What it does or how it ended, in plain words.</summary>
    public string Says { get; protected set; } = "Begins.";

    /// <summary>Ends it.</summary>
    public void End() => Finish(SequenceState.Ended, "Ended by you.");

    /// <summary>Ends it because what it typed could not be sent.</summary>
    /// <param name="says">Why, in plain words.</param>
    public void Fail(string says) => Finish(SequenceState.Failed, says);

    /// <summary>Goes on: what to type now, and whether that must not be kept; null for nothing.</summary>
    /// <param name="now">Milliseconds of any clock that runs on.</param>
    /// <param name="text">The readable text that arrived since it was last asked, unfinished line included.</param>
    public abstract (byte[] Bytes, bool Secret)? Advance(int now, string text);

    /// <summary>An echo comes within this time, in milliseconds.</summary>
    protected const int ComesBackWithin = 600;

    /// <summary>Is typed before a secret: a space comes back where what is typed is shown.</summary>
    protected const string Probe = " ";

    /// <summary>Takes away what stands on the line that is typed (VKILL of termios(3)), the probe with it.</summary>
    protected const string TakeAway = "\u0015";

    /// <summary>Whether the probe came back; whole lines came from somewhere else, and stars for letters give nothing away.</summary>
    /// <param name="arrived">What arrived since it was typed.</param>
    protected static bool CameBack(string arrived) =>
        arrived[(arrived.LastIndexOf('\n') + 1)..].Trim('\r', '\b', '*', '\u2022', '\u25CF').Length > 0;

    /// <summary>Notes how it ended.</summary>
    protected void Finish(SequenceState state, string says) => (State, Says) = (state, says);
}
