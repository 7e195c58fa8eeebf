using System.Buffers.Binary;
using System.IO.Compression;
using System.IO.Hashing;
using K4os.Compression.LZ4;

namespace Buttonhook.Core.Images.Formats;

/// <summary>Packed bytes as the kernel reads them: the packing is told by the first two bytes (lib/decompress.c of Linux), and what stands behind the end is another piece.</summary>
internal static class Packed
{
    private const uint Lz4Legacy = 0x184C2102;
    private const int Lz4Block = 8 << 20;
    private const long Most = 1L << 30;

    /// <summary>The name of a packing that the kernel knows, or null.</summary>
    public static string? KindOf(ReadOnlySpan<byte> head) =>
        head switch
        {
            [0x1F, 0x8B or 0x9E, ..] => "gzip",
            [0x42, 0x5A, ..] => "bzip2",
            [0x5D, 0x00, ..] => "lzma",
            [0xFD, 0x37, ..] => "xz",
            [0x89, 0x4C, ..] => "lzo",
            [0x02, 0x21, ..] => "lz4",
            [0x28, 0xB5, ..] => "zstd",
            _ => null,
        };

    /// <summary>Unpacks one piece from a place on, as the kernel does.</summary>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</param>
    /// <param name="size">How many bytes it will be, where that is told; only the memory taken depends on it.</param>
    /// <returns>What came, also when it breaks off; where the piece ends, or null when that is not known; why the kernel refuses it, or null.</returns>
    public static (byte[] Bytes, int? End, string? Fault) Unpack(byte[] bytes, int at, Func<Stream, Stream?> unpack, long size = 0)
    {
        var into = Room(size);
        try
        {
            var (end, fault) = Unpack(bytes, at, unpack, piece => Add(into, piece));
            return (Whole(into), end, fault);
        }
        catch (UnreadableException e)
        {
            return (Whole(into), null, e.Message);
        }
    }

    /// <summary>Memory for what comes; with the size told it is taken once.</summary>
    private static MemoryStream Room(long size) => new((int)(size is > 0 and <= FileTree.LargestFile ? size : 0));

    private static byte[] Whole(MemoryStream from) => from.Length == from.Capacity ? from.GetBuffer() : from.ToArray();

    private static void Add(MemoryStream into, ReadOnlySpan<byte> piece)
    {
        if (into.Length + piece.Length > FileTree.LargestFile)
            throw new UnreadableException($"it unpacks to more than {Sizes.Binary(FileTree.LargestFile)}");
        into.Write(piece);
    }

    /// <summary>Takes what comes, piece by piece.</summary>
    public delegate void Taker(ReadOnlySpan<byte> piece);

    /// <summary>Unpacks one piece from a place on, as the kernel does, and hands on what comes as it comes.</summary>
    /// <returns>Where the piece ends, or null when that is not known; why the kernel refuses it, or null.</returns>
    public static (int? End, string? Fault) Unpack(byte[] bytes, int at, Func<Stream, Stream?> unpack, Taker take)
    {
        var here = bytes.AsSpan(at);
        switch (KindOf(here))
        {
            case null:
                return IsLz4Frame(here)
                    ? (null, "it is packed as an lz4 frame, and the kernel reads the legacy form only (lz4 -l)")
                    : (null, "its first bytes are those of no packing and of no archive");
            case "lzo":
                try
                {
                    return (at + Lzo.UnpackFile(here, take), null);
                }
                catch (UnreadableException e)
                {
                    return (null, e.Message);
                }
            case "lz4":
                return Lz4(bytes, at, take);
            case "xz" when here.Length > 8 && here[7] > 1:
                return (
                    null,
                    $"its xz check is {(here[7] == 4 ? "CRC64" : here[7] == 10 ? "SHA-256" : "of an unknown kind")}, and the kernel refuses every one but CRC32 (xz --check=crc32)"
                );
            case "gzip":
                return Gzip(bytes, at, take) is { } behind ? (behind, null) : (null, "its gzip data breaks off or is damaged");
        }
        var known = KindOf(here) switch
        {
            "zstd" => ZstdEnd(bytes, at),
            "xz" => XzEnd(bytes, at),
            _ => null,
        };
        var source = new MemoryStream(bytes, at, (known ?? bytes.Length) - at, false);
        return (known, Pour(source, unpack, take) ? null : $"its {KindOf(here)} data breaks off or is damaged");
    }

    /// <summary>Unpacks a stream as far as it goes; whether that was to the end.</summary>
    private static bool Pour(Stream source, Func<Stream, Stream?> unpack, Taker take)
    {
        long count = 0;
        try
        {
            using var stream = unpack(source);
            if (stream is null)
                return false;
            var buffer = new byte[1 << 16];
            for (int n; (n = stream.Read(buffer)) > 0; )
            {
                take(buffer.AsSpan(0, n));
                count += n;
                if (count > Most)
                    return false;
            }
            return true;
        }
        catch (Exception e) when (e is InvalidDataException or IOException)
        {
            return false;
        }
    }

    private static (int? End, string? Fault) Lz4(byte[] bytes, int at, Taker take)
    {
        var block = new byte[Lz4Block];
        var next = at;
        long all = 0;
        while (next + 4 <= bytes.Length)
        {
            var size = Field.U32(bytes, next);
            if (size == Lz4Legacy) // a stream can follow a stream
            {
                next += 4;
                continue;
            }
            if (size == 0)
                break;
            if (size > bytes.Length - next - 4)
                return (null, "its lz4 data breaks off");
            var count = LZ4Codec.Decode(bytes.AsSpan(next + 4, (int)size), block);
            if (count < 0 || (all += count) > Most)
                return (null, "its lz4 data is damaged");
            take(block.AsSpan(0, count));
            next += 4 + (int)size;
        }
        return (next, null);
    }

    /// <summary>Unpacks one block of a packed file system; throws <see cref="UnreadableException"/> when it is damaged.</summary>
    /// <param name="kind">zlib, lzma, lzo, xz, lz4 or zstd.</param>
    /// <param name="most">How many bytes the block has at most once unpacked.</param>
    public static byte[] Block(string kind, byte[] packed, int most, Func<Stream, Stream?> unpack)
    {
        var into = new byte[most];
        var count = kind switch
        {
            "lzo" => Lzo.Unpack(packed, into),
            "lz4" => LZ4Codec.Decode(packed, into),
            _ => -2,
        };
        if (count >= 0)
            return into[..count];
        if (count == -2)
            try
            {
                // What fills the block up behind a frame is none of it.
                var length = kind == "zstd" ? ZstdEnd(packed, 0) ?? packed.Length : packed.Length;
                var source = new MemoryStream(packed, 0, length, false);
                using var stream = kind == "zlib" ? new ZLibStream(source, CompressionMode.Decompress) : unpack(source);
                if (stream is not null)
                    return into[..stream.ReadAtLeast(into, most, false)];
            }
            catch (Exception e) when (e is InvalidDataException or IOException) { }
        throw new UnreadableException($"a block packed with {kind} does not unpack");
    }

    /// <summary>Whether it is packed in the framed form of lz4, which loaders read and the kernel does not.</summary>
    public static bool IsLz4Frame(ReadOnlySpan<byte> head) => head is [0x04, 0x22, 0x4D, 0x18, ..];

    /// <summary>Unpacks a frame of lz4 (lz4_Frame_format.md); null when it is damaged or breaks off.</summary>
    public static byte[]? Lz4Frame(ReadOnlySpan<byte> frame)
    {
        if (frame.Length < 7)
            return null;
        var flags = frame[4];
        var at = 7 + ((flags & 8) != 0 ? 8 : 0) + ((flags & 1) != 0 ? 4 : 0);
        var most = 1 << (8 + 2 * (frame[5] >> 4 & 7));
        var into = new byte[1 << 20];
        var count = 0;
        while (at + 4 <= frame.Length)
        {
            var size = Field.U32(frame, at);
            at += 4;
            if (size == 0)
                return into[..count];
            var (stored, length) = (size >> 31 != 0, (int)(size & int.MaxValue));
            if (length > frame.Length - at || count + most > FileTree.LargestFile)
                return null;
            if (into.Length < count + most)
                Array.Resize(ref into, Math.Max(into.Length * 2, count + most));
            var block = frame.Slice(at, length);
            // Blocks may point back into the ones before them.
            var before = into.AsSpan(Math.Max(0, count - 65536), Math.Min(count, 65536));
            var came = stored ? length : LZ4Codec.Decode(block, into.AsSpan(count, most), before);
            if (stored && length <= most)
                block.CopyTo(into.AsSpan(count));
            if (came < 0 || came > most)
                return null;
            count += came;
            at += length + ((flags & 16) != 0 ? 4 : 0);
        }
        return null;
    }

    /// <summary>Where a frame of zstd ends (RFC 8878, 3.1.1); null when it breaks off.</summary>
    internal static int? ZstdEnd(byte[] bytes, int at)
    {
        if (at + 6 > bytes.Length)
            return null;
        var descriptor = bytes[at + 4];
        var single = (descriptor & 0x20) != 0;
        long next =
            at
            + 5
            + (single ? 0 : 1)
            + ((descriptor & 3) == 3 ? 4 : descriptor & 3)
            + (
                (descriptor >> 6) switch
                {
                    0 => single ? 1 : 0,
                    1 => 2,
                    2 => 4,
                    _ => 8,
                }
            );
        while (next + 3 <= bytes.Length)
        {
            var header = bytes[next] | bytes[next + 1] << 8 | bytes[next + 2] << 16;
            next += 3 + ((header >> 1 & 3) == 1 ? 1 : header >> 3);
            if ((header & 1) != 0)
            {
                next += (descriptor & 4) != 0 ? 4 : 0;
                return next <= bytes.Length ? (int)next : null;
            }
        }
        return null;
    }

    /// <summary>Where an xz stream ends: behind the footer with the flags of its header and a checksum that fits (the .xz file format, 2.1.2); null when none is there.</summary>
    internal static int? XzEnd(byte[] file, int start)
    {
        if (start + 12 > file.Length)
            return null;
        var flags = file.AsSpan(start + 6, 2);
        for (var at = start + 12; at + 12 <= file.Length; at += 4)
            if (
                file[at + 10] == 'Y'
                && file[at + 11] == 'Z'
                && file.AsSpan(at + 8, 2).SequenceEqual(flags)
                && Crc32.HashToUInt32(file.AsSpan(at + 4, 6)) == Field.U32(file, at)
            )
                return at + 12;
        return null;
    }

    /// <summary>One member of gzip; where it ends, or null when it is damaged. The framework's reader takes more than it needs, so the end is found by the trailer (checksum and length, RFC 1952, 2.3.1), which must be there.</summary>
    private static int? Gzip(byte[] bytes, int at, Taker take)
    {
        var source = new MemoryStream(bytes, at, bytes.Length - at, false);
        if (GzipHeader(source) is not { } data)
            return null;
        source.Position = data;
        var sum = new Crc32();
        uint length = 0;
        var whole = Pour(
            source,
            s => new DeflateStream(s, CompressionMode.Decompress, true),
            piece =>
            {
                sum.Append(piece);
                length += (uint)piece.Length;
                take(piece);
            }
        );
        Span<byte> trailer = stackalloc byte[8];
        BinaryPrimitives.WriteUInt32LittleEndian(trailer, sum.GetCurrentHashAsUInt32());
        BinaryPrimitives.WriteUInt32LittleEndian(trailer[4..], length);
        return whole && bytes.AsSpan(at + (int)data).IndexOf(trailer) is >= 0 and var found ? at + (int)data + found + 8 : null;
    }

    /// <summary>Where the data of a gzip member begins (RFC 1952, 2.3); null when its header breaks off.</summary>
    private static long? GzipHeader(MemoryStream source)
    {
        Span<byte> head = stackalloc byte[10];
        if (source.ReadAtLeast(head, 10, false) < 10 || head[2] != 8)
            return null;
        var flags = head[3];
        if ((flags & 4) != 0)
            source.Position += source.ReadByte() + (source.ReadByte() << 8);
        for (var text = 0; text < ((flags & 8) != 0 ? 1 : 0) + ((flags & 16) != 0 ? 1 : 0); text++)
            while (source.ReadByte() is > 0) { }
        if ((flags & 2) != 0)
            source.Position += 2;
        return source.Position <= source.Length ? source.Position : null;
    }

    /// <summary>Unpacks a stream as far as it goes, with whether that was to the end.</summary>
    /// <param name="size">How many bytes it will be, where that is told; only the memory taken depends on it.</param>
    public static (byte[] Bytes, bool Whole) AsFar(Stream source, Func<Stream, Stream?> unpack, long size = 0)
    {
        var into = Room(size);
        try
        {
            var whole = Pour(source, unpack, piece => Add(into, piece));
            return (Whole(into), whole);
        }
        catch (UnreadableException)
        {
            return ([], false);
        }
    }
}
