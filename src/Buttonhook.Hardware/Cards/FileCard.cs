namespace Buttonhook.Hardware.Cards;

/// <summary>A file that takes an image as a card would: for a copy of an image with first-boot files on it.</summary>
public sealed class FileCard : CardDevice
{
    private readonly FileStream file;

    /// <summary>Makes the file anew.</summary>
    public FileCard(string path, long bytes)
    {
        Path = path;
        file = new FileStream(path, FileMode.Create, FileAccess.ReadWrite, FileShare.ReadWrite, 0);
        file.SetLength(bytes);
    }

    /// <inheritdoc/>
    public override string Path { get; }

    /// <inheritdoc/>
    public override long Length => file.Length;

    /// <inheritdoc/>
    public override int Read(long offset, Span<byte> into) => SparseFile.Read(file.SafeFileHandle, into, offset);

    /// <inheritdoc/>
    public override void Write(long offset, ReadOnlySpan<byte> bytes)
    {
        if (offset < 0 || offset + bytes.Length > Length)
            throw new CardException(CardFault.Unwritable, offset, $"The file ends at byte {Length}.");
        // The file is new: zeros are there already.
        if (bytes.Length < 4096 || bytes.IndexOfAnyExcept((byte)0) >= 0)
            RandomAccess.Write(file.SafeFileHandle, bytes, offset);
    }

    /// <inheritdoc/>
    public override void Flush() => file.Flush(true);

    /// <inheritdoc/>
    public override void Dispose() => file.Dispose();
}
