using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>squashfs 4.0 (Linux Documentation/filesystems/squashfs): packed blocks, fragments, and tables of inodes and folders.</summary>
internal sealed class SquashTree : WalkedTree<SquashTree.Inode>
{
    private const int MetadataBlock = 8192;
    private const int MostBlock = 1 << 20;
    private const int MostFolder = 16 << 20;
    private static readonly string?[] Kinds = [null, "zlib", "lzma", "lzo", "xz", "lz4", "zstd"];
    private readonly ImageBytes bytes;
    private readonly Func<Stream, Stream?> unpack;
    private readonly string kind;
    private readonly int blockBytes;
    private readonly long inodes,
        folders,
        fragments;
    private readonly uint fragmentCount;
    private readonly Dictionary<long, (byte[] Bytes, long Next)> read = [];

    /// <summary>An inode, with where its content lies.</summary>
    internal sealed record Inode(uint Bits, long Bytes, uint Changed, long Start, int Offset, uint Fragment, uint[] Blocks, byte[] Target)
        : FileNode(Bits, Bytes, DateTimeOffset.FromUnixTimeSeconds(Changed));

    internal SquashTree(ImageBytes bytes, Func<Stream, Stream?> unpack)
    {
        (this.bytes, this.unpack) = (bytes, unpack);
        var p = bytes.Exactly(0, 96);
        blockBytes = (int)Math.Min(Field.U32(p, 12), int.MaxValue);
        fragmentCount = Field.U32(p, 16);
        var packing = Field.U16(p, 20);
        if (Field.U16(p, 28) != 4 || blockBytes is < 4096 or > MostBlock || packing is 0 or > 6)
            throw new UnreadableException("the squashfs superblock cannot be");
        if ((long)Field.U64(p, 40) > bytes.Length)
            throw new UnreadableException("the squashfs ends behind the end of the image");
        kind = Kinds[packing]!;
        Packing = kind;
        (inodes, folders, fragments) = ((long)Field.U64(p, 64), (long)Field.U64(p, 72), (long)Field.U64(p, 80));
        Root = Get((long)Field.U64(p, 32));
        if (!Root.IsFolder)
            throw new UnreadableException("its root folder is damaged");
    }

    /// <summary>How its blocks are packed.</summary>
    public string Packing { get; }

    /// <inheritdoc/>
    public override string Kind => "squashfs";

    /// <inheritdoc/>
    public override string? Label => null;

    /// <inheritdoc/>
    public override string? Uuid => null;

    /// <inheritdoc/>
    protected override Inode Root { get; }

    /// <summary>A block of a table, unpacked, with where the next one begins.</summary>
    private (byte[] Bytes, long Next) Metadata(long at)
    {
        if (read.TryGetValue(at, out var known))
            return known;
        var header = Field.U16(bytes.Exactly(at, 2), 0);
        var size = header & 0x7FFF;
        var content = bytes.Exactly(at + 2, size);
        if ((header & 0x8000) == 0)
            content = Packed.Block(kind, content, MetadataBlock, unpack);
        return read[at] = (content, at + 2 + size);
    }

    /// <summary>Bytes of a table from a block and an offset on, over as many blocks as it takes.</summary>
    private byte[] Table(long block, int offset, int count)
    {
        var into = new byte[count];
        var (content, next) = Metadata(block);
        for (var done = 0; done < count; )
        {
            if (offset >= content.Length)
            {
                if (content.Length == 0)
                    throw new UnreadableException("a table of the squashfs is damaged");
                offset -= content.Length;
                (content, next) = Metadata(next);
                continue;
            }
            var piece = Math.Min(count - done, content.Length - offset);
            content.AsSpan(offset, piece).CopyTo(into.AsSpan(done));
            done += piece;
            offset += piece;
        }
        return into;
    }

    private Inode Get(long reference)
    {
        long block = inodes + (reference >> 16);
        var offset = (int)(reference & 0xFFFF);
        var h = Table(block, offset, 16);
        uint mode = Field.U16(h, 2),
            changed = Field.U32(h, 8);
        var type = Field.U16(h, 0);
        var body = Table(block, offset + 16, 40 - 16 * (type is 3 or 10 ? 1 : 0) - (type is 1 or 2 ? 24 : 0));
        switch (type)
        {
            case 1:
                return new(mode | 0x4000, Field.U16(body, 8), changed, Field.U32(body, 0), Field.U16(body, 10), 0, [], []);
            case 8:
                return new(mode | 0x4000, Field.U32(body, 4), changed, Field.U32(body, 8), Field.U16(body, 18), 0, [], []);
            case 2 or 9:
                var wide = type == 9;
                long start = wide ? (long)Field.U64(body, 0) : Field.U32(body, 0),
                    size = wide ? (long)Field.U64(body, 8) : Field.U32(body, 12);
                uint fragment = wide ? Field.U32(body, 28) : Field.U32(body, 4),
                    inFragment = wide ? Field.U32(body, 32) : Field.U32(body, 8);
                var count = fragment == uint.MaxValue ? (size + blockBytes - 1) / blockBytes : size / blockBytes;
                if (size < 0 || count > 1 << 20)
                    throw new UnreadableException("a file of the squashfs is larger than can be");
                var list = Table(block, offset + 16 + (wide ? 40 : 16), (int)count * 4);
                return new(
                    mode | 0x8000,
                    size,
                    changed,
                    start,
                    (int)inFragment,
                    fragment,
                    [.. Enumerable.Range(0, (int)count).Select(i => Field.U32(list, i * 4))],
                    []
                );
            case 3 or 10:
                var length = (int)Math.Min(Field.U32(body, 4), 65536);
                return new(mode | 0xA000, length, changed, 0, 0, 0, [], Table(block, offset + 24, length));
            default:
                return new(mode, 0, changed, 0, 0, 0, [], []);
        }
    }

    /// <inheritdoc/>
    protected override byte[] Content(Inode i, long most)
    {
        if (i.IsLink)
            return i.Target;
        var into = new byte[Math.Min(i.Size, most)];
        var at = i.Start;
        for (var k = 0; k < i.Blocks.Length && (long)k * blockBytes < into.Length; k++)
        {
            var size = (int)(i.Blocks[k] & 0xFFFFFF);
            if (size == 0)
                continue; // a hole
            var block = bytes.Exactly(at, size);
            if ((i.Blocks[k] & 1 << 24) == 0)
                block = Packed.Block(kind, block, blockBytes, unpack);
            block.AsSpan(0, Math.Min(block.Length, into.Length - k * blockBytes)).CopyTo(into.AsSpan(k * blockBytes));
            at += size;
        }
        var tail = i.Blocks.Length * blockBytes;
        if (tail < into.Length && i.Fragment != uint.MaxValue)
        {
            if (i.Fragment >= fragmentCount)
                throw new UnreadableException("a file of the squashfs names a fragment that is not there");
            var page = (long)Field.U64(bytes.Exactly(fragments + i.Fragment / 512 * 8, 8), 0);
            var entry = Table(page, (int)(i.Fragment % 512) * 16, 16);
            var size = Field.U32(entry, 8);
            var block = bytes.Exactly((long)Field.U64(entry, 0), (int)(size & 0xFFFFFF));
            if ((size & 1 << 24) == 0)
                block = Packed.Block(kind, block, blockBytes, unpack);
            if (i.Offset + into.Length - tail > block.Length)
                throw new UnreadableException("a fragment of the squashfs is too short");
            block.AsSpan(i.Offset, into.Length - tail).CopyTo(into.AsSpan(tail));
        }
        return into;
    }

    /// <inheritdoc/>
    protected override IEnumerable<(string Name, Func<Inode> Node)> Names(Inode folder)
    {
        // The size counts three bytes for "." and "..".
        if (folder.Size <= 3 || folder.Size > MostFolder)
            yield break;
        var list = Table(folders + folder.Start, folder.Offset, (int)folder.Size - 3);
        for (var at = 0; at + 12 <= list.Length; )
        {
            var count = Field.U32(list, at) + 1;
            long block = Field.U32(list, at + 4);
            at += 12;
            for (var n = 0; n < count && at + 8 <= list.Length; n++)
            {
                var offset = Field.U16(list, at);
                var length = Field.U16(list, at + 6) + 1;
                if (at + 8 + length > list.Length)
                    yield break;
                yield return (Encoding.UTF8.GetString(list, at + 8, length), () => Get(block << 16 | offset));
                at += 8 + length;
            }
        }
    }
}
