namespace Buttonhook.Core.Images.Formats;

/// <summary>erofs (Linux fs/erofs/erofs_fs.h): plain, inline and chunked files, and those packed with lz4. Other packings are told, not read.</summary>
internal sealed class ErofsTree : WalkedTree<ErofsTree.Inode>
{
    private const int MostFolder = 16 << 20;
    private readonly ImageBytes bytes;
    private readonly int blockBits;
    private readonly long metaAt;
    private readonly DateTimeOffset built;
    private readonly uint incompatible;

    /// <summary>An inode: how its data are laid out, where they begin, and where its own structure ends.</summary>
    internal sealed record Inode(uint Bits, long Bytes, DateTimeOffset? Changed, int Layout, uint Union, long End)
        : FileNode(Bits, Bytes, Changed);

    internal ErofsTree(ImageBytes bytes)
    {
        this.bytes = bytes;
        var p = bytes.Exactly(1024, 128);
        blockBits = p[12];
        if (blockBits is < 9 or > 16)
            throw new UnreadableException("the block size in the erofs superblock cannot be");
        if (((long)Field.U32(p, 36) << blockBits) > bytes.Length)
            throw new UnreadableException("the erofs ends behind the end of the image");
        built = DateTimeOffset.FromUnixTimeSeconds((long)Math.Min(Field.U64(p, 24), 253402300799));
        metaAt = (long)Field.U32(p, 40) << blockBits;
        Uuid = new Guid(p.AsSpan(48, 16), bigEndian: true).ToString();
        Label = Field.Text(p.AsSpan(64, 16)) is { Length: > 0 } label ? label : null;
        incompatible = Field.U32(p, 80);
        Root = Get(Field.U16(p, 14));
        if (!Root.IsFolder)
            throw new UnreadableException("its root folder is damaged");
    }

    /// <inheritdoc/>
    public override string Kind => "erofs";

    /// <inheritdoc/>
    public override string? Label { get; }

    /// <inheritdoc/>
    public override string? Uuid { get; }

    /// <inheritdoc/>
    protected override Inode Root { get; }

    private int BlockBytes => 1 << blockBits;

    private Inode Get(ulong number)
    {
        if (number > (ulong)bytes.Length / 32)
            throw new UnreadableException("a folder of the erofs names a file that is not there");
        var at = metaAt + (long)number * 32;
        var i = bytes.Exactly(at, 32);
        var format = Field.U16(i, 0);
        var wide = (format & 1) != 0;
        if (wide)
            i = bytes.Exactly(at, 64);
        int attributes = Field.U16(i, 2);
        return new(
            Field.U16(i, 4),
            wide ? (long)Field.U64(i, 8) : Field.U32(i, 8),
            wide ? DateTimeOffset.FromUnixTimeSeconds((long)Math.Min(Field.U64(i, 32), 253402300799)) : built,
            format >> 1 & 7,
            Field.U32(i, 16),
            at + (wide ? 64 : 32) + (attributes == 0 ? 0 : 12 + (attributes - 1) * 4)
        );
    }

    /// <inheritdoc/>
    protected override byte[] Content(Inode i, long most)
    {
        var length = (int)Math.Min(Math.Max(0, i.Size), most);
        var start = (long)i.Union << blockBits;
        switch (i.Layout)
        {
            case 0:
                return bytes.Exactly(start, length);
            case 2:
                // Whole blocks lie elsewhere, the rest stands behind the inode.
                var whole = i.Size >> blockBits << blockBits;
                return length <= whole
                    ? bytes.Exactly(start, length)
                    : [.. bytes.Exactly(start, (int)whole), .. bytes.Exactly(i.End, length - (int)whole)];
            case 4:
                return Chunks(i, length);
            case 1 or 3:
                return Unpacked(i, length);
            default:
                throw new NotReadHereException("a file of the erofs is laid out in a way that is not known here");
        }
    }

    private byte[] Chunks(Inode i, int length)
    {
        var format = i.Union & 0xFFFF;
        long chunk = 1L << (int)(blockBits + (format & 0x1F));
        var indexed = (format & 0x20) != 0;
        var into = new byte[length];
        var at = indexed ? i.End + 7 & ~7L : i.End + 3 & ~3L;
        for (long done = 0; done < length; done += chunk, at += indexed ? 8 : 4)
        {
            var block = Field.U32(bytes.Exactly(at + (indexed ? 4 : 0), 4), 0);
            if (block != uint.MaxValue)
                bytes.Exactly((long)block << blockBits, (int)Math.Min(chunk, length - done)).CopyTo(into, (int)done);
        }
        return into;
    }

    /// <summary>One cluster of a packed file: a head begins a packed extent (or a plain one) at an offset, the others belong to it.</summary>
    private readonly record struct Cluster(int Type, int Offset, uint Block);

    private byte[] Unpacked(Inode i, int length)
    {
        var header = i.End + 7 & ~7L;
        var h = bytes.Exactly(header, 8);
        int advise = Field.U16(h, 4),
            algorithm = h[6] & 15,
            bits = blockBits + (h[7] & 7);
        if (algorithm != 0 || (advise & ~0x7) != 0 || (h[7] & 0x80) != 0)
            throw new NotReadHereException("a file of the erofs is packed in a way that is not read here");
        // Clusters of several blocks keep their number in the ones behind the head.
        var clusters =
            i.Layout == 1 ? FullIndex(header + 16, i, bits) : CompactIndex(header + 8, i, bits, (advise & 1) != 0, (advise & 2) != 0);
        var into = new byte[length];
        for (var k = 0; k < clusters.Count; k++)
        {
            if (clusters[k].Type == 2)
                continue;
            long from = ((long)k << bits) + clusters[k].Offset;
            if (from >= length)
                break;
            var next = k + 1;
            while (next < clusters.Count && clusters[next].Type == 2)
                next++;
            var end = next < clusters.Count ? ((long)next << bits) + clusters[next].Offset : i.Size;
            var most = (int)(end - from);
            // A head without packing lies as it is. How many blocks a packed one has, the next head tells.
            var blocks = Math.Max(
                1,
                next < clusters.Count ? (int)Math.Min(64, (long)clusters[next].Block - clusters[k].Block)
                    : (advise & 2) != 0 ? 16
                    : 1
            );
            var packed = bytes.At((long)clusters[k].Block << blockBits, clusters[k].Type == 0 ? most : blocks * BlockBytes);
            byte[] part;
            if (clusters[k].Type == 0)
                part = packed;
            else
            {
                // With zero padding the data stand at the end of the block.
                if ((incompatible & 1) != 0)
                    packed = packed.AsSpan().TrimStart((byte)0).ToArray();
                part = new byte[most];
                var came = K4os.Compression.LZ4.LZ4Codec.PartialDecode(packed, part);
                if (came < most)
                    throw new UnreadableException("a block packed with lz4 does not unpack");
            }
            part.AsSpan(0, (int)Math.Min(part.Length, length - from)).CopyTo(into.AsSpan((int)from));
        }
        return into;
    }

    private List<Cluster> FullIndex(long at, Inode i, int bits)
    {
        var count = (int)Math.Min((i.Size + (1L << bits) - 1) >> bits, 1 << 20);
        var table = bytes.Exactly(at, count * 8);
        return
        [
            .. Enumerable
                .Range(0, count)
                .Select(k => new Cluster(Field.U16(table, k * 8) & 3, Field.U16(table, k * 8 + 2), Field.U32(table, k * 8 + 4))),
        ];
    }

    /// <summary>The compacted index: packs of 2 clusters in 8 bytes at first and at the end, of 16 in 32 bytes between where that is set (fs/erofs/zmap.c).</summary>
    private List<Cluster> CompactIndex(long at, Inode i, int bits, bool pairs, bool big)
    {
        var total = (int)Math.Min((i.Size + (1L << bits) - 1) >> bits, 1 << 20);
        var initial = Math.Min((int)((32 - at % 32) / 4) & 7, total);
        var small = pairs ? (total - initial) / 16 * 16 : 0;
        var list = new List<Cluster>();
        void Pack(int count, int size)
        {
            var pack = bytes.At(at, size);
            if (pack.Length < size)
                throw new UnreadableException("the index of a packed file of the erofs breaks off");
            var blockOf = Field.U32(pack, size - 4);
            var width = (size - 4) * 8 / count;
            var first = list.Count;
            for (var k = 0; k < count; k++)
            {
                var position = k * width;
                ulong word = 0;
                for (var b = 0; b < 4 && position / 8 + b < size - 4; b++)
                    word |= (ulong)pack[position / 8 + b] << b * 8;
                word >>= position % 8;
                var low = (int)(word & ((1UL << bits) - 1));
                list.Add(new((int)(word >> bits & 3), low, 0));
            }
            // Blocks are counted from the first of the pack: each head takes one, or the number that the cluster behind it holds.
            uint next = blockOf;
            for (var k = first; k < list.Count; k++)
            {
                if (list[k].Type == 2)
                {
                    if (big && (list[k].Offset & 1 << 11) != 0 && k > first)
                        next += (uint)(list[k].Offset & ~(1 << 11)) - 1;
                    continue;
                }
                list[k] = list[k] with { Block = next + (big ? 0u : 1u) };
                next++;
            }
            at += size;
        }
        while (list.Count < initial)
            Pack(2, 8);
        while (list.Count < initial + small)
            Pack(16, 32);
        while (list.Count < total)
            Pack(2, 8);
        return list.Count > total ? list[..total] : list;
    }

    /// <inheritdoc/>
    protected override IEnumerable<(string Name, Func<Inode> Node)> Names(Inode folder)
    {
        var content = Content(folder, MostFolder);
        for (var block = 0; block < content.Length; block += BlockBytes)
        {
            var end = Math.Min(block + BlockBytes, content.Length);
            if (end - block < 12)
                yield break;
            int first = Field.U16(content, block + 8),
                count = first / 12;
            for (var k = 0; k < count && block + k * 12 + 12 <= end; k++)
            {
                var number = Field.U64(content, block + k * 12);
                int from = block + Field.U16(content, block + k * 12 + 8),
                    to = k + 1 < count ? block + Field.U16(content, block + (k + 1) * 12 + 8) : end;
                if (from > to || to > end)
                    throw new UnreadableException("a folder of the erofs is damaged");
                if (Field.Text(content.AsSpan(from, to - from)) is var name and not ("." or ".."))
                    yield return (name, () => Get(number));
            }
        }
    }
}
