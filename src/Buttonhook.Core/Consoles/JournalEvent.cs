namespace Buttonhook.Core.Consoles;

/// <summary>What happened beside the bytes that were received.</summary>
public enum EventKind
{
    /// <summary>What a person saw, in words.</summary>
    Mark,

    /// <summary>Power was applied or taken.</summary>
    Power,

    /// <summary>The console went away: from here on nothing is heard.</summary>
    Gap,

    /// <summary>The console is heard again.</summary>
    Back,

    /// <summary>The line was set otherwise: speed, frame, flow control, wires, a break.</summary>
    Line,

    /// <summary>Something was typed.</summary>
    Typed,

    /// <summary>Something was typed that is not kept.</summary>
    Secret,

    /// <summary>A sequence began or ended.</summary>
    Sequence,

    /// <summary>Something was tried that holds until the board restarts.</summary>
    Tried,
}

/// <summary>One event of the time line of a boot.</summary>
/// <param name="Milliseconds">From the begin of the capture, as the bytes count.</param>
/// <param name="AtByte">How many bytes were received before it; null where that was not kept.</param>
/// <param name="Bytes">What was typed, exactly; null for anything else.</param>
public sealed record JournalEvent(int Milliseconds, EventKind Kind, string Text, long? AtByte = null, byte[]? Bytes = null)
{
    /// <summary>The words of power marks.</summary>
    public const string PowerApplied = "Power applied",
        PowerTaken = "Power taken";
}

/// <summary>One entry of the journal of a boot: bytes that were received, or an event.</summary>
public readonly record struct JournalEntry(StoredPiece Piece, JournalEvent? Event)
{
    /// <summary>Received bytes.</summary>
    public static implicit operator JournalEntry(StoredPiece piece) => new(piece, null);

    /// <summary>An event.</summary>
    public static implicit operator JournalEntry(JournalEvent happened) => new(default, happened);

    /// <summary>When it was, in milliseconds from the begin of the capture.</summary>
    public int Milliseconds => Event?.Milliseconds ?? Piece.Milliseconds;

    /// <summary>How many bytes it holds in memory.</summary>
    public int Length => Event is null ? Piece.Bytes.Length : 0;
}
