using System.Text;
using Buttonhook.Hardware;

namespace Buttonhook.App.Images;

/// <summary>An image that lies in a tar archive (POSIX.1-1988 "ustar" and its pax and GNU forms), taken out as it streams by; names in it are never used as paths.</summary>
internal static class TarImage
{
    private const int Block = 512;

    /// <summary>Notes and sums beside an image are small: it begins within so many bytes.</summary>
    private const int Ahead = 1 << 20;

    /// <summary>The image in a stream that is an archive with one, else the stream itself as it came.</summary>
    public static Stream Of(Stream from)
    {
        var head = Head(from);
        var whole = new Joined(head, from);
        if (Entries(head.Span).Find(e => IsImage(e.Name)) is not { Name: not null } image)
            return whole;
        Skip(whole, image.At);
        return new Entry(whole, image.Size);
    }

    /// <summary>Whether a file begins as an archive that holds an image near its begin.</summary>
    public static bool Begins(FileStream file)
    {
        var head = Head(file);
        file.Position = 0;
        return Entries(head.Span).Exists(e => IsImage(e.Name));
    }

    /// <summary>The first block, and what an image may begin in behind it where that block is one of an archive.</summary>
    private static ReadOnlyMemory<byte> Head(Stream from)
    {
        var first = new byte[Block];
        var length = from.ReadAtLeast(first, Block, false);
        if (length < Block || !IsHeader(first))
            return first.AsMemory(0, length);
        var head = new byte[Ahead];
        first.CopyTo(head, 0);
        return head.AsMemory(0, Block + from.ReadAtLeast(head.AsSpan(Block), Ahead - Block, false));
    }

    private static bool IsHeader(ReadOnlySpan<byte> block) => block[0] != 0 && block.Slice(257, 5).SequenceEqual("ustar"u8);

    private static bool IsImage(string? name) =>
        PackedImage.Endings.Contains(Path.GetExtension(name ?? ""), StringComparer.OrdinalIgnoreCase);

    private readonly record struct Found(string? Name, long At, long Size);

    /// <summary>The regular files whose headers lie in these first bytes; none for what is no archive.</summary>
    private static List<Found> Entries(ReadOnlySpan<byte> head)
    {
        var found = new List<Found>();
        string? longName = null;
        for (long at = 0; at + Block <= head.Length; )
        {
            var header = head.Slice((int)at, Block);
            if (!IsHeader(header) || Size(header) is not { } size)
                break;
            var (type, body) = ((char)header[156], at + Block);
            if (type == 'L' && body + size <= head.Length)
                longName = Text(head.Slice((int)body, (int)size));
            else if (type is '0' or '7' or '\0')
            {
                found.Add(new(longName ?? Text(header[..100]), body, size));
                longName = null;
            }
            at = body + (size + Block - 1) / Block * Block;
        }
        return found;
    }

    private static string Text(ReadOnlySpan<byte> bytes) =>
        Encoding.UTF8.GetString(bytes.IndexOf((byte)0) is >= 0 and var end ? bytes[..end] : bytes);

    /// <summary>The size in a header: octal digits, or a number in base 256 where the first bit is set (GNU); null when it is neither.</summary>
    private static long? Size(ReadOnlySpan<byte> header)
    {
        var field = header.Slice(124, 12);
        long size = 0;
        if ((field[0] & 0x80) != 0)
        {
            foreach (var b in field[4..])
                size = size << 8 | b;
            return size < 0 ? null : size;
        }
        foreach (var b in field)
        {
            if (b is 0 or (byte)' ')
                continue;
            if (b is < (byte)'0' or > (byte)'7')
                return null;
            size = size * 8 + (b - '0');
        }
        return size;
    }

    private static void Skip(Stream from, long bytes)
    {
        var buffer = new byte[1 << 16];
        while (bytes > 0)
        {
            var count = from.Read(buffer, 0, (int)Math.Min(bytes, buffer.Length));
            if (count == 0)
                throw new InvalidDataException("the archive ends before its image");
            bytes -= count;
        }
    }

    /// <summary>What was read ahead, and the rest behind it.</summary>
    private sealed class Joined(ReadOnlyMemory<byte> head, Stream rest) : ForwardStream
    {
        private int at;

        public override int Read(Span<byte> into)
        {
            if (at >= head.Length)
                return rest.Read(into);
            var count = Math.Min(into.Length, head.Length - at);
            head.Span.Slice(at, count).CopyTo(into);
            at += count;
            return count;
        }

        protected override void Dispose(bool disposing)
        {
            if (disposing)
                rest.Dispose();
            base.Dispose(disposing);
        }
    }

    /// <summary>The bytes of one file; behind the last one it looks whether another image follows, for which one is meant cannot be told then.</summary>
    private sealed class Entry : ForwardStream
    {
        private readonly Stream archive;
        private readonly long filling;
        private long left;
        private bool looked;

        public Entry(Stream archive, long size)
        {
            (this.archive, left) = (archive, size);
            filling = (Block - size % Block) % Block;
        }

        public override int Read(Span<byte> into)
        {
            if (left == 0)
            {
                Behind();
                return 0;
            }
            var count = archive.Read(into[..(int)Math.Min(into.Length, left)]);
            if (count == 0)
                throw new InvalidDataException($"the archive ends {left} bytes before its image does");
            left -= count;
            return count;
        }

        private void Behind()
        {
            if (looked)
                return;
            looked = true;
            Skip(archive, filling);
            var header = new byte[Block];
            while (archive.ReadAtLeast(header, Block, false) == Block && header[0] != 0)
            {
                if (Entries(header) is [var next, ..] && IsImage(next.Name))
                    throw new InvalidDataException("the archive holds several images; unpack it, and bring the one for your board");
                if (Size(header) is not { } bytes)
                    return;
                Skip(archive, (bytes + Block - 1) / Block * Block);
            }
        }

        protected override void Dispose(bool disposing)
        {
            if (disposing)
                archive.Dispose();
            base.Dispose(disposing);
        }
    }
}
