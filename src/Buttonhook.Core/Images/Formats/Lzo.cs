namespace Buttonhook.Core.Images.Formats;

/// <summary>LZO1X, as Linux packs kernels, initial file systems and file systems with it (Documentation/staging/lzo.rst).</summary>
internal static class Lzo
{
    /// <summary>The first bytes of a file of lzop (lib/decompress_unlzo.c).</summary>
    public static ReadOnlySpan<byte> Magic => [0x89, (byte)'L', (byte)'Z', (byte)'O', 0, 0x0D, 0x0A, 0x1A, 0x0A];

    /// <summary>Unpacks one block into <paramref name="into"/>; how many bytes came, or -1 when it is damaged or does not fit.</summary>
    public static int Unpack(ReadOnlySpan<byte> from, Span<byte> into)
    {
        int at = 0,
            to = 0,
            state = 0;
        bool Literals(ReadOnlySpan<byte> bytes, Span<byte> target, int count)
        {
            if (count > bytes.Length - at || count > target.Length - to)
                return false;
            bytes.Slice(at, count).CopyTo(target[to..]);
            at += count;
            to += count;
            return true;
        }
        static int Length(ReadOnlySpan<byte> bytes, ref int at, int mask, int code)
        {
            var length = code & mask;
            if (length != 0)
                return length;
            for (; at < bytes.Length && bytes[at] == 0 && length < 1 << 24; at++)
                length += 255;
            return at < bytes.Length ? length + mask + bytes[at++] : -1;
        }
        if (from.Length > 0 && from[0] > 17)
        {
            var count = from[at++] - 17;
            state = count < 4 ? count : 4;
            if (!Literals(from, into, count))
                return -1;
        }
        while (at < from.Length)
        {
            int code = from[at++],
                length,
                distance;
            if (code < 16)
            {
                if (state == 0)
                {
                    var count = Length(from, ref at, 15, code);
                    if (count < 0 || !Literals(from, into, count + 3))
                        return -1;
                    state = 4;
                    continue;
                }
                if (at >= from.Length)
                    return -1;
                distance = (from[at++] << 2) + (code >> 2 & 3) + (state == 4 ? 2049 : 1);
                length = state == 4 ? 3 : 2;
                state = code & 3;
            }
            else if (code < 64)
            {
                length = code < 32 ? Length(from, ref at, 7, code) : Length(from, ref at, 31, code);
                if (length < 0 || at + 2 > from.Length)
                    return -1;
                length += 2;
                int low = from[at] | from[at + 1] << 8;
                at += 2;
                state = low & 3;
                distance = (low >> 2) + 1;
                if (code < 32)
                {
                    distance += 16383 + ((code & 8) << 11);
                    // The block ends with a match at this distance.
                    if (distance == 16384)
                        return at == from.Length || from[at..].IndexOfAnyExcept((byte)0) < 0 ? to : -1;
                }
            }
            else
            {
                if (at >= from.Length)
                    return -1;
                length = code < 128 ? 3 + (code >> 5 & 1) : 5 + (code >> 5 & 3);
                distance = (from[at++] << 3) + (code >> 2 & 7) + 1;
                state = code & 3;
            }
            if (distance > to || length > into.Length - to)
                return -1;
            for (var end = to + length; to < end; to++)
                into[to] = into[to - distance];
            if (!Literals(from, into, state))
                return -1;
        }
        return -1;
    }

    /// <summary>Unpacks a file of lzop, and hands on what comes; where it ends. Throws <see cref="UnreadableException"/> when it is damaged.</summary>
    public static int UnpackFile(ReadOnlySpan<byte> file, Packed.Taker take)
    {
        var at = Magic.Length;
        if (file.Length < at + 30)
            throw new UnreadableException("its lzo header is cut off");
        var version = Field.B16(file, at);
        // version, library version, version needed (new ones), method, level (new ones), flags, filter, mode, time, high time (new ones), name, checksum
        at += version >= 0x0940 ? 8 : 5;
        var flags = Field.B32(file, at);
        at += 4 + ((flags & 0x800) != 0 ? 4 : 0) + (version >= 0x0940 ? 12 : 8);
        if (at >= file.Length || at + 1 + file[at] + 4 > file.Length)
            throw new UnreadableException("its lzo header is cut off");
        at += 1 + file[at] + 4;
        long all = 0;
        while (true)
        {
            if (at + 4 > file.Length)
                throw new UnreadableException("its lzo data is cut off");
            var size = Field.B32(file, at);
            at += 4;
            if (size == 0)
                return at;
            if (at + 4 > file.Length || size > 1 << 26 || (all += size) > 1 << 30)
                throw new UnreadableException("its lzo data is damaged");
            var packed = Field.B32(file, at);
            at += 4;
            // Checksums: of the unpacked block (adler 0x1, crc 0x100), of the packed one where it is smaller (0x2, 0x200).
            at += 4 * int.PopCount((int)(flags & 0x101)) + (packed < size ? 4 * int.PopCount((int)(flags & 0x202)) : 0);
            if (packed > size || at + (long)packed > file.Length)
                throw new UnreadableException("its lzo data is cut off");
            var block = file.Slice(at, (int)packed);
            var output = new byte[size];
            if (packed == size)
                block.CopyTo(output);
            else if (Unpack(block, output) != size)
                throw new UnreadableException("its lzo data is damaged");
            take(output);
            at += (int)packed;
        }
    }
}
