using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Hardware.Cards;

/// <summary>What a card did instead of what it was asked for.</summary>
public enum CardFault
{
    /// <summary>It is gone from its slot.</summary>
    Removed,

    /// <summary>It refuses to be written.</summary>
    ReadOnly,

    /// <summary>A place on it cannot be read.</summary>
    Unreadable,

    /// <summary>A place on it cannot be written.</summary>
    Unwritable,
}

/// <summary>A card failed at a byte.</summary>
public sealed class CardException(CardFault fault, long at, string text) : IOException(text)
{
    /// <summary>What it did.</summary>
    public CardFault Fault => fault;

    /// <summary>Where, in bytes from its beginning.</summary>
    public long At => at;
}

/// <summary>A card in a slot, opened for reading and writing; failures are <see cref="CardException"/>.</summary>
public abstract class CardDevice : WritableBytes, IDisposable
{
    /// <summary>What stands at the beginning of every stand-in of the demo: it holds no system, and no real card takes it.</summary>
    public static ReadOnlySpan<byte> StandInMark => "Stand-in of Buttonhook's demo, no system"u8;

    /// <summary>The file or device behind it, for the system's own tools.</summary>
    public abstract string Path { get; }

    /// <summary>Waits until everything written is on the card, and forgets what was kept of it in memory, so that reading reads the card.</summary>
    public abstract void Flush();

    /// <summary>Closes it.</summary>
    public abstract void Dispose();
}
