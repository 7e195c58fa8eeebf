namespace Buttonhook.Hardware;

/// <summary>A stream that is only read, from its first to its last byte.</summary>
public abstract class ForwardStream : Stream
{
    /// <inheritdoc/>
    public abstract override int Read(Span<byte> into);

    /// <inheritdoc/>
    public override int Read(byte[] into, int offset, int count) => Read(into.AsSpan(offset, count));

    /// <inheritdoc/>
    public override bool CanRead => true;

    /// <inheritdoc/>
    public override bool CanSeek => false;

    /// <inheritdoc/>
    public override bool CanWrite => false;

    /// <inheritdoc/>
    public override long Length => throw new NotSupportedException();

    /// <inheritdoc/>
    public override long Position
    {
        get => throw new NotSupportedException();
        set => throw new NotSupportedException();
    }

    /// <inheritdoc/>
    public override void Flush() { }

    /// <inheritdoc/>
    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    /// <inheritdoc/>
    public override void SetLength(long value) => throw new NotSupportedException();

    /// <inheritdoc/>
    public override void Write(byte[] from, int offset, int count) => throw new NotSupportedException();
}
