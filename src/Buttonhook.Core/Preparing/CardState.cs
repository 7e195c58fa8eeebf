namespace Buttonhook.Core.Preparing;

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
