using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>ext2, ext3 and ext4 (Linux Documentation/filesystems/ext4): extents and block maps, 64-bit, hashed folders read linearly, symbolic links.</summary>
internal sealed class ExtTree : WalkedTree<ExtTree.Inode>
{
    private const uint Known =
        0x2 | 0x4 | 0x10 | 0x40 | 0x80 | 0x100 | 0x200 | 0x400 | 0x1000 | 0x2000 | 0x4000 | 0x8000 | 0x10000 | 0x20000;
    private const int LargestFolder = 64 << 20;
    private const int MostGroups = 1 << 20;
    private readonly ImageBytes bytes;
    private readonly int blockBytes;
    private readonly int inodeBytes;
    private readonly int descriptorBytes;
    private readonly uint inodesPerGroup;
    private readonly uint inodes;
    private readonly uint firstBlock;
    private readonly bool wide;

    private readonly uint blocksPerGroup;
    private readonly uint firstMetaGroup;
    private readonly bool sparse;

    /// <summary>An inode: its flags, the 60 bytes of its block map, and what stands behind its first 128 bytes.</summary>
    internal sealed record Inode(uint Number, ushort Bits, long Bytes, uint Flags, byte[] Block, byte[] Extra, uint Changed)
        : FileNode(Bits, Bytes, DateTimeOffset.FromUnixTimeSeconds(Changed))
    {
        public bool IsEncrypted => (Flags & 0x800) != 0;
        public bool IsInline => (Flags & 0x10000000) != 0;
    }

    internal ExtTree(ImageBytes bytes)
    {
        this.bytes = bytes;
        var p = bytes.Exactly(1024, 1024);
        var scale = Field.U32(p, 24);
        if (scale > 6)
            throw new UnreadableException("the block size in the ext superblock cannot be");
        blockBytes = 1024 << (int)scale;
        inodes = Field.U32(p, 0);
        inodesPerGroup = Field.U32(p, 40);
        inodeBytes = Field.U32(p, 76) == 0 ? 128 : Field.U16(p, 88);
        var (compatible, incompatible) = (Field.U32(p, 92), Field.U32(p, 96));
        wide = (incompatible & 0x80) != 0;
        descriptorBytes = wide ? Math.Max((int)Field.U16(p, 254), 64) : 32;
        firstBlock = Field.U32(p, 20);
        blocksPerGroup = Field.U32(p, 32);
        firstMetaGroup = (incompatible & 0x10) != 0 ? Field.U32(p, 260) : uint.MaxValue;
        sparse = (Field.U32(p, 100) & 0x1) != 0;
        var strange = incompatible & ~Known;
        Strange = strange == 0 ? null : string.Join(", ", Bits(strange).Select(b => FeatureNames.GetValueOrDefault(b, $"0x{b:x}")));
        if (inodesPerGroup == 0 || inodeBytes is < 128 or > 65536)
            throw new UnreadableException("the sizes in the ext superblock contradict each other");
        Kind =
            (incompatible & 0x40) != 0 ? "ext4"
            : (compatible & 0x4) != 0 ? "ext3"
            : "ext2";
        Label = Field.Text(p.AsSpan(120, 16)) is { Length: > 0 } label ? label : null;
        Uuid = new Guid(p.AsSpan(104, 16), bigEndian: true).ToString();
        if (Strange is null)
            Check(p, (compatible & 0x4) != 0, (incompatible & 0x200) != 0);
    }

    /// <summary>Names of the features (s_feature_incompat) without which it cannot be read and that are not known here; null when it can be read.</summary>
    public string? Strange { get; }

    /// <summary>
    /// Where a group's descriptor stands: the table begins in the block behind the superblock's, whatever the first block of data is
    /// (bigalloc has 0 with blocks of 1 KiB too); with meta_bg each set of groups holds its own part of it.
    /// </summary>
    private long DescriptorAt(long group)
    {
        var inBlock = blockBytes / descriptorBytes;
        var set = group / inBlock;
        if (set < firstMetaGroup)
            return (1024 / blockBytes + 1L) * blockBytes + group * descriptorBytes;
        var first = set * inBlock;
        var block = firstBlock + first * blocksPerGroup + (HasSuperblock(first) ? 1 : 0);
        return block * blockBytes + group % inBlock * descriptorBytes;
    }

    private bool HasSuperblock(long group)
    {
        static bool Power(long group, int of)
        {
            while (group % of == 0)
                group /= of;
            return group == 1;
        }
        return !sparse || group < 2 || Power(group, 3) || Power(group, 5) || Power(group, 7);
    }

    /// <summary>Names as mke2fs(8) and ext4(5) use them.</summary>
    private static readonly Dictionary<uint, string> FeatureNames = new() { [0x1] = "compression", [0x8] = "journal_dev" };

    private static IEnumerable<uint> Bits(uint set) => Enumerable.Range(0, 32).Select(i => 1u << i).Where(b => (set & b) != 0);

    /// <summary>What the kernel checks before it mounts (fs/ext4/super.c): the superblock's checksum, the group descriptors, the root folder, the journal.</summary>
    private void Check(byte[] superblock, bool journal, bool flexible)
    {
        if ((Field.U32(superblock, 100) & 0x400) != 0 && Field.Crc32C(superblock.AsSpan(0, 1020)) != Field.U32(superblock, 1020))
            throw new UnreadableException("the checksum of the ext superblock is wrong");
        long blocks = Field.U32(superblock, 4) | (wide ? (long)Field.U32(superblock, 336) << 32 : 0);
        long perGroup = Field.U32(superblock, 32);
        if (perGroup == 0 || blocks <= firstBlock)
            throw new UnreadableException("the sizes in the ext superblock contradict each other");
        var groups = (blocks - firstBlock + perGroup - 1) / perGroup;
        if (groups > MostGroups || groups * descriptorBytes > bytes.Length)
            throw new UnreadableException($"it has {groups} groups of blocks, which cannot be");
        for (var group = 0; group < groups; group++)
        {
            var (low, high) = flexible
                ? (firstBlock, blocks - 1)
                : (firstBlock + group * perGroup, Math.Min(firstBlock + (group + 1) * perGroup, blocks) - 1);
            var descriptor = bytes.Exactly(DescriptorAt(group), descriptorBytes);
            for (var field = 0; field < 12; field += 4)
            {
                var block = Field.U32(descriptor, field) | (wide ? (long)Field.U32(descriptor, field + 32) << 32 : 0);
                if (block < low || block > high)
                    throw new UnreadableException($"the description of block group {group} is damaged");
            }
        }
        if (!Get(2).IsFolder)
            throw new UnreadableException("its root folder is damaged");
        if (journal && Field.U32(superblock, 224) is var number and > 0 && !Get(number).IsFile)
            throw new UnreadableException("its journal is damaged");
    }

    /// <inheritdoc/>
    public override string Kind { get; }

    /// <inheritdoc/>
    public override string? Label { get; }

    /// <inheritdoc/>
    public override string? Uuid { get; }

    private Inode Get(uint number)
    {
        if (number == 0 || number > inodes)
            throw new UnreadableException($"a folder names inode {number}, which cannot be");
        var group = (number - 1) / inodesPerGroup;
        var descriptor = bytes.Exactly(DescriptorAt(group), descriptorBytes);
        var table = Field.U32(descriptor, 8) | (wide ? (long)Field.U32(descriptor, 40) << 32 : 0);
        var i = bytes.Exactly(table * blockBytes + (number - 1) % inodesPerGroup * (long)inodeBytes, inodeBytes);
        return new(
            number,
            Field.U16(i, 0),
            Field.U32(i, 4) | (long)Field.U32(i, 108) << 32,
            Field.U32(i, 32),
            i[40..100],
            i[128..],
            Field.U32(i, 16)
        );
    }

    private IEnumerable<(long Logical, long Physical, int Count)> Runs(Inode i) =>
        (i.Flags & 0x80000) != 0 ? Extents(i.Block, 0) : Map(i.Block);

    private IEnumerable<(long, long, int)> Extents(byte[] node, int depth)
    {
        if (Field.U16(node, 0) != 0xF30A || depth > 5)
            throw new UnreadableException("an extent tree is damaged");
        var count = Math.Min((int)Field.U16(node, 2), (node.Length - 12) / 12);
        var leaf = Field.U16(node, 6) == 0;
        for (var k = 0; k < count; k++)
        {
            var o = 12 + k * 12;
            if (leaf)
            {
                int length = Field.U16(node, o + 4);
                if (length <= 32768) // longer ones are reserved and read as zeros
                    yield return (Field.U32(node, o), Field.U32(node, o + 8) | (long)Field.U16(node, o + 6) << 32, length);
            }
            else
                foreach (
                    var run in Extents(
                        bytes.Exactly((Field.U32(node, o + 4) | (long)Field.U16(node, o + 8) << 32) * blockBytes, blockBytes),
                        depth + 1
                    )
                )
                    yield return run;
        }
    }

    private IEnumerable<(long, long, int)> Map(byte[] block)
    {
        for (var k = 0; k < 12; k++)
            if (Field.U32(block, k * 4) is var direct and > 0)
                yield return (k, direct, 1);
        long logical = 12,
            span = 1;
        for (var level = 1; level <= 3; level++)
        {
            span *= blockBytes / 4;
            foreach (var run in Indirect(Field.U32(block, 44 + level * 4), level, logical))
                yield return run;
            logical += span;
        }
    }

    private IEnumerable<(long, long, int)> Indirect(uint at, int level, long logical)
    {
        if (at == 0)
            yield break;
        var table = bytes.Exactly((long)at * blockBytes, blockBytes);
        long span = 1;
        for (var k = 1; k < level; k++)
            span *= blockBytes / 4;
        for (var k = 0; k < blockBytes / 4; k++, logical += span)
        {
            if (Field.U32(table, k * 4) is not (var next and > 0))
                continue;
            if (level == 1)
                yield return (logical, next, 1);
            else
                foreach (var run in Indirect(next, level - 1, logical))
                    yield return run;
        }
    }

    /// <inheritdoc/>
    protected override Inode Root => Get(2);

    /// <summary>The part of an inline file that does not fit into the block map: the attribute system.data (fs/ext4/inline.c, fs/ext4/xattr.h).</summary>
    private static ReadOnlySpan<byte> InlineRest(Inode i)
    {
        var extra = i.Extra;
        if (extra.Length < 8)
            return [];
        int start = Field.U16(extra, 0);
        if (start + 4 > extra.Length || Field.U32(extra, start) != 0xEA020000)
            return [];
        var values = start + 4;
        for (var at = values; at + 16 <= extra.Length && Field.U32(extra, at) != 0; )
        {
            int length = extra[at];
            if (extra[at + 1] == 7 && at + 16 + length <= extra.Length && extra.AsSpan(at + 16, length).SequenceEqual("data"u8))
            {
                int from = values + Field.U16(extra, at + 2),
                    size = (int)Math.Min(Field.U32(extra, at + 8), (uint)extra.Length);
                return from + size <= extra.Length ? extra.AsSpan(from, size) : [];
            }
            at += 16 + (length + 3 & ~3);
        }
        return [];
    }

    /// <inheritdoc/>
    protected override byte[] Content(Inode i, long most)
    {
        if (i.IsEncrypted)
            throw new NotReadHereException("it is encrypted there (ext4 encrypt), and only its key opens it");
        if (i.IsLink && i.Size < 60 && !i.IsInline)
            return i.Block[..(int)i.Size];
        if (i.IsInline)
        {
            var whole = (byte[])[.. i.Block, .. InlineRest(i)];
            return whole[..(int)Math.Min(Math.Min(Math.Max(0, i.Size), most), whole.Length)];
        }
        var into = new byte[Math.Min(Math.Max(0, i.Size), most)];
        foreach (var (logical, physical, count) in Runs(i))
        {
            var at = logical * blockBytes;
            if (at >= into.Length)
                continue;
            var length = (int)Math.Min((long)count * blockBytes, into.Length - at);
            if (bytes.Read(physical * blockBytes, into.AsSpan((int)at, length)) < length)
                throw new UnreadableException("a file continues beyond the end of the image");
        }
        return into;
    }

    /// <inheritdoc/>
    protected override IEnumerable<(string Name, Func<Inode> Node)> Names(Inode folder)
    {
        foreach (var (name, number) in Numbers(folder))
            if (name is not ("." or ".."))
                yield return (name, () => Get(number));
    }

    private IEnumerable<(string Name, uint Inode)> Numbers(Inode folder)
    {
        var content = Content(folder, LargestFolder);
        // An inline folder begins with its parent's number and has a second list behind the block map.
        var parts = folder.IsInline ? (List<(int, int)>)[(4, 60), (60, content.Length)] : Blocks(content.Length);
        foreach (var (from, to) in parts)
            for (var o = from; o + 8 <= to; )
            {
                int length = Field.U16(content, o + 4);
                if (length < 8 || o + length > to)
                    break;
                int name = content[o + 6];
                if (Field.U32(content, o) is var inode and > 0 && name > 0 && o + 8 + name <= content.Length && content[o + 7] != 0xDE)
                    yield return (Encoding.UTF8.GetString(content, o + 8, name), inode);
                o += length;
            }
    }

    private List<(int, int)> Blocks(int length)
    {
        var list = new List<(int, int)>();
        for (var at = 0; at + blockBytes <= length; at += blockBytes)
            list.Add((at, at + blockBytes));
        return list;
    }
}
