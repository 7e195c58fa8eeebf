namespace Buttonhook.Core.Images.Formats;

/// <summary>Bytes of a card or of a copy of an image that can be changed in place.</summary>
public abstract class WritableBytes : ImageBytes
{
    /// <summary>Writes at an offset; what would lie beyond the end throws <see cref="IOException"/>.</summary>
    public abstract void Write(long offset, ReadOnlySpan<byte> bytes);

    /// <summary>A window on a part that can be written too.</summary>
    public WritableBytes Part(long offset, long length) => new Window(this, offset, length);

    /// <summary>Bytes of a seekable stream, which stays open.</summary>
    public static new WritableBytes Of(Stream stream) => new Streamed(stream);

    /// <summary>Bytes that can be changed over others that stay as they are; what is changed is kept in memory.</summary>
    public static WritableBytes Over(ImageBytes under) => new Overlaid(under);

    private sealed class Overlaid(ImageBytes under) : WritableBytes
    {
        private const int PageBytes = 4096;
        private readonly Dictionary<long, byte[]> pages = [];

        public override long Length => under.Length;

        public override int Read(long offset, Span<byte> into)
        {
            var got = under.Read(offset, into);
            for (var page = offset / PageBytes; page * PageBytes < offset + got; page++)
                if (pages.TryGetValue(page, out var changed))
                {
                    var from = Math.Max(offset, page * PageBytes);
                    var to = Math.Min(offset + got, (page + 1) * PageBytes);
                    changed.AsSpan((int)(from % PageBytes), (int)(to - from)).CopyTo(into[(int)(from - offset)..]);
                }
            return got;
        }

        public override void Write(long offset, ReadOnlySpan<byte> bytes)
        {
            if (offset < 0 || offset + bytes.Length > Length)
                throw new IOException($"{bytes.Length} bytes at {offset} lie beyond the end");
            while (bytes.Length > 0)
            {
                var (page, at) = (offset / PageBytes, (int)(offset % PageBytes));
                if (!pages.TryGetValue(page, out var changed))
                {
                    pages[page] = changed = new byte[PageBytes];
                    under.Read(page * PageBytes, changed.AsSpan(0, (int)Math.Min(PageBytes, Length - page * PageBytes)));
                }
                var part = Math.Min(bytes.Length, PageBytes - at);
                bytes[..part].CopyTo(changed.AsSpan(at));
                offset += part;
                bytes = bytes[part..];
            }
        }
    }

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
