using System.Buffers.Binary;
using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>Bytes of an image or of a part of it, read at any place; what lies beyond the end reads as nothing.</summary>
public abstract class ImageBytes
{
    /// <summary>How many bytes there are.</summary>
    public abstract long Length { get; }

    /// <summary>Reads at an offset; gives how many bytes were there (fewer at the end, 0 beyond it or before 0).</summary>
    public abstract int Read(long offset, Span<byte> into);

    /// <summary>Up to <paramref name="count"/> bytes at an offset; shorter when the end comes first.</summary>
    public byte[] At(long offset, int count)
    {
        if (offset < 0 || offset >= Length || count <= 0)
            return [];
        var bytes = new byte[(int)Math.Min(count, Length - offset)];
        var read = Read(offset, bytes);
        return read == bytes.Length ? bytes : bytes[..read];
    }

    /// <summary>Exactly <paramref name="count"/> bytes, or <see cref="UnreadableException"/>.</summary>
    public byte[] Exactly(long offset, int count)
    {
        var bytes = At(offset, count);
        return bytes.Length == count ? bytes : throw new UnreadableException($"{count} bytes at {offset} lie beyond the end");
    }

    /// <summary>A window on these bytes.</summary>
    public ImageBytes Slice(long offset, long length) => new Window(this, offset, Math.Max(0, Math.Min(length, Length - offset)));

    /// <summary>Bytes of a seekable stream; the stream is read under a lock and stays open.</summary>
    public static ImageBytes Of(Stream stream) => WritableBytes.Of(stream);

    /// <summary>Bytes in memory.</summary>
    public static ImageBytes Of(byte[] bytes) => Of(new MemoryStream(bytes, false));

    private sealed class Window(ImageBytes whole, long start, long length) : ImageBytes
    {
        public override long Length => length;

        public override int Read(long offset, Span<byte> into) =>
            offset < 0 || offset >= length ? 0 : whole.Read(start + offset, into[..(int)Math.Min(into.Length, length - offset)]);
    }
}

/// <summary>A structure that cannot be read, because of what the message says; readers of images throw it inside Core, and the inspector turns it into words.</summary>
public class UnreadableException(string because) : Exception(because);

/// <summary>A structure that may well be in order, and that is not read here, or by nobody without its key: never a fault of the image.</summary>
public sealed class NotReadHereException(string because) : UnreadableException(because);

/// <summary>Numbers in byte arrays; beyond the end is unreadable.</summary>
internal static class Field
{
    public static ushort U16(ReadOnlySpan<byte> b, int o) => BinaryPrimitives.ReadUInt16LittleEndian(Cut(b, o, 2));

    public static uint U32(ReadOnlySpan<byte> b, int o) => BinaryPrimitives.ReadUInt32LittleEndian(Cut(b, o, 4));

    public static ulong U64(ReadOnlySpan<byte> b, int o) => BinaryPrimitives.ReadUInt64LittleEndian(Cut(b, o, 8));

    public static ushort B16(ReadOnlySpan<byte> b, int o) => BinaryPrimitives.ReadUInt16BigEndian(Cut(b, o, 2));

    public static uint B32(ReadOnlySpan<byte> b, int o) => BinaryPrimitives.ReadUInt32BigEndian(Cut(b, o, 4));

    public static ulong B64(ReadOnlySpan<byte> b, int o) => BinaryPrimitives.ReadUInt64BigEndian(Cut(b, o, 8));

    public static string Text(ReadOnlySpan<byte> b) =>
        Encoding.UTF8.GetString(b[..(b.IndexOf((byte)0) is >= 0 and var end ? end : b.Length)]);

    /// <summary>CRC-32C from all ones, not inverted at the end.</summary>
    public static uint Crc32C(ReadOnlySpan<byte> data)
    {
        var crc = uint.MaxValue;
        foreach (var b in data)
            crc = System.Numerics.BitOperations.Crc32C(crc, b);
        return crc;
    }

    private static ReadOnlySpan<byte> Cut(ReadOnlySpan<byte> b, int offset, int count) =>
        offset >= 0 && offset <= b.Length - count ? b.Slice(offset, count) : throw new UnreadableException("a field lies beyond the end");
}
