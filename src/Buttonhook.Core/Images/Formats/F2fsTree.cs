using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>f2fs (Linux include/linux/f2fs_fs.h): checkpoint, table of nodes with its journal, inline data and folders.</summary>
internal sealed class F2fsTree : WalkedTree<F2fsTree.Inode>
{
    private const int Block = 4096;
    private const int NodesPerTable = 455;
    private const int AddressesInInode = 923;
    private const int AddressesInNode = 1018;
    private readonly ImageBytes bytes;
    private readonly long natAt;
    private readonly int segmentBlocks;
    private readonly byte[] natBitmap;
    private readonly Dictionary<uint, uint> journal = [];

    /// <summary>An inode with its whole block.</summary>
    internal sealed record Inode(byte[] Node)
        : FileNode(
            Field.U16(Node, 0),
            (long)Field.U64(Node, 16),
            DateTimeOffset.FromUnixTimeSeconds((long)Math.Min(Field.U64(Node, 48), 253402300799))
        )
    {
        public byte Inline => Node[3];

        public int Extra => (Inline & 0x20) != 0 ? Field.U16(Node, 360) : 0;

        /// <summary>Where the addresses, or the data themselves, begin in it.</summary>
        public int Start => 360 + Extra;

        public int Addresses =>
            AddressesInInode
            - Extra / 4
            - (
                (Inline & 1) != 0
                    ? (
                        Extra >= 4
                            ? Field.U16(Node, 362) is > 0 and var n
                                ? n
                                : 50
                            : 50
                    )
                    : 0
            );
    }

    internal F2fsTree(ImageBytes bytes)
    {
        this.bytes = bytes;
        var p = bytes.Exactly(1024, 2048);
        if (Field.U32(p, 16) != 12)
            throw new UnreadableException("the block size in the f2fs superblock cannot be");
        if ((long)Field.U64(p, 36) * Block > bytes.Length)
            throw new UnreadableException("the f2fs ends behind the end of the image");
        segmentBlocks = 1 << (int)Math.Min(Field.U32(p, 20), 12);
        natAt = Field.U32(p, 84);
        Uuid = new Guid(p.AsSpan(108, 16), bigEndian: true).ToString();
        Label = Encoding.Unicode.GetString(p, 124, 1024).Split('\0')[0] is { Length: > 0 } label ? label : null;
        // Two checkpoints, written in turn: the newer one whose first and last block agree counts.
        long first = Field.U32(p, 76);
        var (checkpoint, at) =
            Checkpoint(first) is var a && Checkpoint(first + segmentBlocks) is var b && b.Version > a.Version
                ? (b.Header, first + segmentBlocks)
                : (a.Header, first);
        if (checkpoint is null)
            throw new UnreadableException("no checkpoint of the f2fs is in order");
        int sit = (int)Math.Min(Field.U32(checkpoint, 156), Block),
            nat = (int)Math.Min(Field.U32(checkpoint, 160), Block);
        var large = (Field.U32(checkpoint, 132) & 0x400) != 0;
        var from = large ? 196 : 192 + sit;
        natBitmap = from + nat <= checkpoint.Length ? checkpoint[from..(from + nat)] : [];
        Journal(checkpoint, at);
        Root = Get(Field.U32(p, 96));
        if (!Root.IsFolder)
            throw new UnreadableException("its root folder is damaged");
    }

    private (byte[]? Header, ulong Version) Checkpoint(long block)
    {
        var header = bytes.At(block * Block, Block);
        if (header.Length < Block)
            return (null, 0);
        var version = Field.U64(header, 0);
        var last = bytes.At((block + Field.U32(header, 136) - 1) * Block, 8);
        return last.Length == 8 && Field.U64(last, 0) == version && version > 0 ? (header, version) : (null, 0);
    }

    /// <summary>Entries of the table of nodes that stand in the summary of the hot data segment and are newer than the table.</summary>
    private void Journal(byte[] checkpoint, long at)
    {
        var block = bytes.At((at + Field.U32(checkpoint, 140)) * Block, Block);
        if (block.Length < Block)
            return;
        var start = (Field.U32(checkpoint, 132) & 0x4) != 0 ? 0 : 3584;
        int count = Math.Min((int)Field.U16(block, start), 38);
        for (var k = 0; k < count; k++)
            journal[Field.U32(block, start + 2 + k * 13)] = Field.U32(block, start + 2 + k * 13 + 9);
    }

    private byte[] NodeBlock(uint number)
    {
        if (!journal.TryGetValue(number, out var address))
        {
            long page = number / NodesPerTable;
            var block = natAt + page / segmentBlocks * 2 * segmentBlocks + page % segmentBlocks;
            // The bit tells which of the two copies is the newer one; bits count from the highest of a byte.
            if (page / 8 < natBitmap.Length && (natBitmap[page / 8] & 0x80 >> (int)(page % 8)) != 0)
                block += segmentBlocks;
            address = Field.U32(bytes.Exactly(block * Block + number % NodesPerTable * 9 + 5, 4), 0);
        }
        return address is 0 or uint.MaxValue
            ? throw new UnreadableException("a folder of the f2fs names a file that is not there")
            : bytes.Exactly((long)address * Block, Block);
    }

    private Inode Get(uint number) => new(NodeBlock(number));

    private IEnumerable<uint> Addresses(Inode i)
    {
        for (var k = 0; k < i.Addresses; k++)
            yield return Field.U32(i.Node, i.Start + k * 4);
        for (var n = 0; n < 5; n++)
            foreach (
                var address in Below(
                    Field.U32(i.Node, 4052 + n * 4),
                    n < 2 ? 0
                        : n < 4 ? 1
                        : 2
                )
            )
                yield return address;
    }

    private IEnumerable<uint> Below(uint node, int level)
    {
        if (node == 0)
        {
            var count =
                level == 0 ? AddressesInNode
                : level == 1 ? AddressesInNode * AddressesInNode
                : 0;
            for (var k = 0; k < count; k++)
                yield return 0;
            yield break;
        }
        var block = NodeBlock(node);
        for (var k = 0; k < AddressesInNode; k++)
            if (level == 0)
                yield return Field.U32(block, k * 4);
            else
                foreach (var address in Below(Field.U32(block, k * 4), level - 1))
                    yield return address;
    }

    /// <summary>The bytes of an inode where it holds its data itself.</summary>
    private static byte[] InlinePart(Inode i) => i.Node[(i.Start + 4)..(i.Start + 4 + (i.Addresses - 1) * 4)];

    /// <inheritdoc/>
    protected override byte[] Content(Inode i, long most)
    {
        if ((Field.U32(i.Node, 80) & 0x800) != 0 || (i.Node[2] & 0x04) != 0)
            throw new NotReadHereException("it is encrypted there, and only its key opens it");
        var into = new byte[Math.Min(Math.Max(0, i.Size), most)];
        if ((i.Inline & 2) != 0)
        {
            InlinePart(i).AsSpan(0, Math.Min(into.Length, (i.Addresses - 1) * 4)).CopyTo(into);
            return into;
        }
        if ((Field.U32(i.Node, 80) & 0x4) != 0)
            throw new NotReadHereException("a file of the f2fs is packed, which is not read here");
        var at = 0;
        foreach (var address in Addresses(i))
        {
            if (at >= into.Length)
                break;
            if (address is not (0 or uint.MaxValue))
                bytes.Exactly((long)address * Block, Math.Min(Block, into.Length - at)).CopyTo(into, at);
            at += Block;
        }
        return into;
    }

    /// <inheritdoc/>
    protected override IEnumerable<(string Name, Func<Inode> Node)> Names(Inode folder)
    {
        if ((folder.Node[2] & 0x04) != 0)
            throw new NotReadHereException("it is encrypted there, and only its key opens it");
        if ((folder.Inline & 4) != 0)
        {
            var part = InlinePart(folder);
            var count = part.Length * 8 / (19 * 8 + 1);
            foreach (var entry in Entries(part, count, part.Length - 19 * count))
                yield return entry;
            yield break;
        }
        var blocks = folder.Size / Block;
        foreach (var address in Addresses(folder))
        {
            if (blocks-- <= 0)
                break;
            if (address is not (0 or uint.MaxValue))
                foreach (var entry in Entries(bytes.Exactly((long)address * Block, Block), 214, 30))
                    yield return entry;
        }
    }

    /// <summary>The entries of a block: a bitmap of those in use, then 11 bytes each, then names in slots of 8 bytes.</summary>
    private IEnumerable<(string, Func<Inode>)> Entries(byte[] block, int count, int start)
    {
        for (var k = 0; k < count; )
        {
            if ((block[k / 8] & 1 << k % 8) == 0)
            {
                k++;
                continue;
            }
            var at = start + k * 11;
            var number = Field.U32(block, at + 4);
            int length = Field.U16(block, at + 8),
                from = start + count * 11 + k * 8;
            if (length == 0 || from + length > block.Length)
                yield break;
            if (Encoding.UTF8.GetString(block, from, length) is var name and not ("." or ".."))
                yield return (name, () => Get(number));
            k += (length + 7) / 8;
        }
    }

    /// <inheritdoc/>
    public override string Kind => "f2fs";

    /// <inheritdoc/>
    public override string? Label { get; }

    /// <inheritdoc/>
    public override string? Uuid { get; }

    /// <inheritdoc/>
    protected override Inode Root { get; }
}
