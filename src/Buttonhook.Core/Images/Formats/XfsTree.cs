using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>xfs, versions 4 and 5 (XFS Algorithms and Data Structures): inodes, extents and their trees, folders in every form.</summary>
internal sealed class XfsTree : WalkedTree<XfsTree.Inode>
{
    private const long LeafOffset = 32L << 30;
    private const int MostFolderBlocks = 1 << 16;
    private readonly ImageBytes bytes;
    private readonly int blockBytes,
        inodeBytes,
        folderBytes,
        blockBits,
        groupBits,
        inodesPerBlockBits;
    private readonly uint groupBlocks;
    private readonly bool newer,
        typed,
        bigTime,
        manyExtents;

    /// <summary>An inode with its whole structure.</summary>
    internal sealed record Inode(byte[] Node, DateTimeOffset? Changed) : FileNode(Field.B16(Node, 2), (long)Field.B64(Node, 56), Changed)
    {
        public byte Format => Node[5];

        public int CoreBytes => Node[4] >= 3 ? 176 : 100;

        /// <summary>The fork that holds the data.</summary>
        public ReadOnlyMemory<byte> Fork =>
            Node.AsMemory(CoreBytes, Node[82] == 0 ? Node.Length - CoreBytes : Math.Min(Node[82] * 8, Node.Length - CoreBytes));
    }

    internal XfsTree(ImageBytes bytes)
    {
        this.bytes = bytes;
        var p = bytes.Exactly(0, 512);
        (blockBytes, groupBlocks) = ((int)Math.Min(Field.B32(p, 4), 1 << 20), Field.B32(p, 84));
        (inodeBytes, blockBits, inodesPerBlockBits, groupBits) = (Field.B16(p, 104), p[120], p[123], p[124]);
        var version = Field.B16(p, 100) & 15;
        newer = version == 5;
        if (version is not (4 or 5) || blockBytes != 1 << blockBits || blockBits > 16 || inodeBytes is < 256 or > 2048)
            throw new UnreadableException("the sizes in the xfs superblock cannot be");
        if ((long)Field.B64(p, 8) * blockBytes > bytes.Length)
            throw new UnreadableException("the xfs ends behind the end of the image");
        folderBytes = blockBytes << Math.Min((int)p[192], 8);
        var (second, incompatible) = (Field.B32(p, 200), newer ? Field.B32(p, 216) : 0);
        typed = newer ? (incompatible & 1) != 0 : (second & 0x200) != 0;
        (bigTime, manyExtents) = ((incompatible & 8) != 0, (incompatible & 32) != 0);
        Uuid = new Guid(p.AsSpan(32, 16), bigEndian: true).ToString();
        Label = Field.Text(p.AsSpan(108, 12)) is { Length: > 0 } label ? label : null;
        Root = Get(Field.B64(p, 56));
        if (!Root.IsFolder)
            throw new UnreadableException("its root folder is damaged");
    }

    private long Place(ulong block) => ((long)(block >> groupBits) * groupBlocks + (long)(block & ((1UL << groupBits) - 1))) << blockBits;

    private Inode Get(ulong number)
    {
        var at = Place(number >> inodesPerBlockBits) + (long)(number & ((1UL << inodesPerBlockBits) - 1)) * inodeBytes;
        var node = bytes.Exactly(at, inodeBytes);
        if (Field.B16(node, 0) != 0x494E)
            throw new UnreadableException("an inode of the xfs is damaged");
        // Big times count nanoseconds from 1901 on (fs/xfs/libxfs/xfs_format.h).
        var seconds =
            bigTime && (Field.B64(node, 120) & 8) != 0
                ? (long)(Field.B64(node, 40) / 1_000_000_000) - 2147483648L
                : (int)Field.B32(node, 40);
        return new(node, DateTimeOffset.FromUnixTimeSeconds(Math.Clamp(seconds, -62135596800, 253402300799)));
    }

    private IEnumerable<(long Offset, ulong Block, long Count)> Extents(Inode i)
    {
        var fork = i.Fork.ToArray();
        if (i.Format == 2)
        {
            var count = manyExtents ? (long)Field.B64(i.Node, 24) : Field.B32(i.Node, 76);
            for (var k = 0; k < Math.Min(count, fork.Length / 16); k++)
                yield return Extent(fork, k * 16);
        }
        else if (i.Format == 3)
        {
            // The root of the tree: level, number, keys, and pointers behind the room for all keys.
            int level = Field.B16(fork, 0),
                count = Field.B16(fork, 2),
                room = (fork.Length - 4) / 16;
            for (var k = 0; k < Math.Min(count, room); k++)
                foreach (var extent in Below(Field.B64(fork, 4 + room * 8 + k * 8), level - 1))
                    yield return extent;
        }
    }

    private IEnumerable<(long, ulong, long)> Below(ulong block, int level)
    {
        if (level is < 0 or > 8)
            throw new UnreadableException("a tree of the xfs is too deep");
        var node = bytes.Exactly(Place(block), blockBytes);
        int header = newer ? 72 : 24,
            count = Field.B16(node, 6),
            room = (blockBytes - header) / 16;
        for (var k = 0; k < Math.Min(count, room); k++)
            if (level == 0)
                yield return Extent(node, header + k * 16);
            else
                foreach (var extent in Below(Field.B64(node, header + room * 8 + k * 8), level - 1))
                    yield return extent;
    }

    private static (long, ulong, long) Extent(byte[] b, int at)
    {
        ulong high = Field.B64(b, at),
            low = Field.B64(b, at + 8);
        // One bit for room that is only reserved, 54 for the offset, 52 for the block, 21 for the count.
        return ((long)(high >> 9 & (1UL << 54) - 1), high >> 63 != 0 ? 0 : (high & 0x1FF) << 43 | low >> 21, (long)(low & 0x1FFFFF));
    }

    /// <inheritdoc/>
    protected override byte[] Content(Inode i, long most)
    {
        var into = new byte[Math.Min(Math.Max(0, i.Size), most)];
        if (i.Format == 1)
        {
            i.Fork.Span[..Math.Min(into.Length, i.Fork.Length)].CopyTo(into);
            return into;
        }
        // A link that lies in blocks of its own has a header before its text in version 5.
        var skip = i.IsLink && newer ? 56 : 0;
        foreach (var (offset, block, count) in Extents(i))
        {
            var at = offset << blockBits;
            if (at >= into.Length || block == 0)
                continue;
            var length = (int)Math.Min(count << blockBits, into.Length - at);
            bytes.Exactly(Place(block) + skip, length).CopyTo(into, (int)at);
        }
        return into;
    }

    /// <inheritdoc/>
    protected override IEnumerable<(string Name, Func<Inode> Node)> Names(Inode folder)
    {
        if (folder.Format == 1)
        {
            var fork = folder.Fork.ToArray();
            var wide = fork[1] > 0 ? 8 : 4;
            var at = 2 + wide;
            for (var k = 0; k < Math.Max(fork[0], fork[1]) && at + 3 < fork.Length; k++)
            {
                int length = fork[at],
                    number = at + 3 + length + (typed ? 1 : 0);
                if (number + wide > fork.Length)
                    yield break;
                var inode = wide == 8 ? Field.B64(fork, number) : Field.B32(fork, number);
                yield return (Encoding.UTF8.GetString(fork, at + 3, length), () => Get(inode));
                at = number + wide;
            }
            yield break;
        }
        var seen = 0;
        foreach (var (offset, block, count) in Extents(folder))
            for (long k = 0; k < count && seen < MostFolderBlocks; k += folderBytes / blockBytes, seen++)
            {
                if (offset + k << blockBits >= LeafOffset)
                    yield break;
                foreach (var entry in Entries(bytes.Exactly(Place(block) + (k << blockBits), folderBytes)))
                    yield return entry;
            }
    }

    private IEnumerable<(string, Func<Inode>)> Entries(byte[] block)
    {
        var magic = Field.B32(block, 0);
        // Data blocks, and single ones that carry their index at the end.
        var single = magic is 0x58443242 or 0x58444233;
        if (!single && magic is not (0x58443244 or 0x58444433))
            yield break;
        var end = single ? block.Length - 8 - (long)Field.B32(block, block.Length - 8) * 8 : block.Length;
        for (var at = newer ? 64 : 16; at + 11 < end; )
        {
            if (Field.B16(block, at) == 0xFFFF)
            {
                int free = Field.B16(block, at + 2);
                if (free < 8)
                    yield break;
                at += free;
                continue;
            }
            var inode = Field.B64(block, at);
            int length = block[at + 8];
            if (at + 9 + length > end)
                yield break;
            if (Encoding.UTF8.GetString(block, at + 9, length) is var name and not ("." or ".."))
                yield return (name, () => Get(inode));
            at += 9 + length + (typed ? 1 : 0) + 2 + 7 & ~7;
        }
    }

    /// <inheritdoc/>
    public override string Kind => "xfs";

    /// <inheritdoc/>
    public override string? Label { get; }

    /// <inheritdoc/>
    public override string? Uuid { get; }

    /// <inheritdoc/>
    protected override Inode Root { get; }
}
