namespace Buttonhook.Core.Boards;

/// <summary>What is known of the card that should be in a board: choosing an image writes nothing.</summary>
public enum CardState
{
    /// <summary>No image is chosen.</summary>
    NoImage,

    /// <summary>An image is chosen; nothing shows that it is on a card.</summary>
    Chosen,

    /// <summary>It is being written.</summary>
    BeingWritten,

    /// <summary>The writing failed, was stopped or interrupted: the card is half written.</summary>
    HalfWritten,

    /// <summary>It was written here and read back equal.</summary>
    Written,

    /// <summary>A person says that it was written elsewhere.</summary>
    Told,

    /// <summary>A log of this card shows that a kernel was started from it.</summary>
    Seen,
}

/// <summary>What shows how far the work on a board is.</summary>
/// <param name="Card">The card that should be in it.</param>
/// <param name="CardSays">How the writing stands or why it ended, in plain words; null when there is nothing to say.</param>
/// <param name="BytesRead">Whether bytes of this board's console were read.</param>
/// <param name="Sag">Where a log of this card shows that the supply sagged, or null.</param>
public sealed record Proof(CardState Card, string? CardSays, bool BytesRead, Connecting.SupplySag? Sag = null)
{
    /// <summary>Whether the image is on the card, as far as anything shows.</summary>
    public bool OnCard => Card is CardState.Written or CardState.Told or CardState.Seen;
}
