namespace Buttonhook.Core.Images;

/// <summary>Bytes of a card or of a copy of an image that can be changed in place.</summary>
public abstract class WritableBytes : ImageBytes
{
    /// <summary>Writes at an offset; what would lie beyond the end throws <see cref="IOException"/>.</summary>
    public abstract void Write(long offset, ReadOnlySpan<byte> bytes);

    /// <summary>A window on a part that can be written too.</summary>
    public WritableBytes Part(long offset, long length) => new Window(this, offset, length);

    /// <summary>Bytes of a seekable stream, which stays open.</summary>
    public static new WritableBytes Of(Stream stream) => new Streamed(stream);

    private sealed class Streamed(Stream stream) : WritableBytes
    {
        private readonly Lock gate = new();

        public override long Length { get; } = stream.Length;

        public override int Read(long offset, Span<byte> into)
        {
            if (offset < 0 || offset >= Length)
                return 0;
            lock (gate)
            {
                stream.Position = offset;
                return stream.ReadAtLeast(into, into.Length, false);
            }
        }

        public override void Write(long offset, ReadOnlySpan<byte> bytes)
        {
            if (offset < 0 || offset + bytes.Length > Length)
                throw new IOException($"{bytes.Length} bytes at {offset} lie beyond the end");
            lock (gate)
            {
                stream.Position = offset;
                stream.Write(bytes);
            }
        }
    }

    private sealed class Window(WritableBytes whole, long start, long length) : WritableBytes
    {
        public override long Length => length;

        public override int Read(long offset, Span<byte> into) =>
            offset < 0 || offset >= length ? 0 : whole.Read(start + offset, into[..(int)Math.Min(into.Length, length - offset)]);

        public override void Write(long offset, ReadOnlySpan<byte> bytes)
        {
            if (offset < 0 || offset + bytes.Length > length)
                throw new IOException($"{bytes.Length} bytes at {offset} lie beyond the partition");
            whole.Write(start + offset, bytes);
        }
    }
}
