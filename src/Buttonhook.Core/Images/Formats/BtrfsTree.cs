using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>btrfs on one disk (Linux include/uapi/linux/btrfs_tree.h): chunks, trees, subvolumes, packed extents. Paths begin at the subvolume that is mounted by default.</summary>
internal sealed class BtrfsTree : WalkedTree<BtrfsTree.Inode>
{
    private const long SuperblockAt = 65536;
    private const ulong TopLevel = 5;
    private const ulong FirstInode = 256;
    private const byte InodeItem = 1,
        FolderItem = 84,
        FolderIndex = 96,
        ExtentData = 108,
        RootItem = 132,
        ChunkItem = 228;
    private readonly ImageBytes bytes;
    private readonly Func<Stream, Stream?> unpack;
    private readonly int nodeBytes;
    private readonly int sectorBytes;
    private readonly List<(ulong Logical, ulong Length, ulong Physical)> chunks = [];
    private readonly ulong roots;
    private readonly Dictionary<ulong, byte[]> nodes = [];
    private readonly ulong subvolume;

    private readonly record struct Key(ulong Object, byte Type, ulong Offset) : IComparable<Key>
    {
        public int CompareTo(Key other) =>
            Object != other.Object ? Object.CompareTo(other.Object)
            : Type != other.Type ? Type.CompareTo(other.Type)
            : Offset.CompareTo(other.Offset);

        public static Key Of(ReadOnlySpan<byte> b, int o) => new(Field.U64(b, o), b[o + 8], Field.U64(b, o + 9));
    }

    /// <summary>An inode: the tree of its subvolume, and its number there.</summary>
    internal sealed record Inode(uint Bits, long Bytes, DateTimeOffset? Changed, ulong Tree, ulong Number) : FileNode(Bits, Bytes, Changed);

    internal BtrfsTree(ImageBytes bytes, Func<Stream, Stream?> unpack)
    {
        (this.bytes, this.unpack) = (bytes, unpack);
        var p = bytes.Exactly(SuperblockAt, 4096);
        if (Field.U16(p, 196) == 0 && ~Field.Crc32C(p.AsSpan(32)) != Field.U32(p, 0))
            throw new UnreadableException("the checksum of the btrfs superblock is wrong");
        if (Field.U64(p, 136) != 1)
            throw new NotReadHereException($"the btrfs lies over {Field.U64(p, 136)} disks");
        if ((long)Field.U64(p, 112) > bytes.Length)
            throw new UnreadableException("the btrfs ends behind the end of the image");
        sectorBytes = (int)Field.U32(p, 144);
        nodeBytes = (int)Field.U32(p, 148);
        if (nodeBytes is < 4096 or > 65536 || sectorBytes is < 512 or > 65536)
            throw new UnreadableException("the sizes in the btrfs superblock cannot be");
        Label = Field.Text(p.AsSpan(299, 256)) is { Length: > 0 } label ? label : null;
        Uuid = new Guid(p.AsSpan(32, 16), bigEndian: true).ToString();
        var array = (int)Math.Min(Field.U32(p, 160), 2048);
        for (var at = 811; at + 17 + 48 <= 811 + array; )
            at += 17 + Chunk(Key.Of(p, at), p.AsSpan(at + 17));
        foreach (var (key, item) in Items(Field.U64(p, 88), new(0, 0, 0), new(ulong.MaxValue, byte.MaxValue, ulong.MaxValue)))
            if (key.Type == ChunkItem)
                Chunk(key, item);
        roots = Field.U64(p, 80);
        // The subvolume that is mounted by default is an entry of the tree of roots.
        subvolume = Items(roots, new(Field.U64(p, 128), FolderItem, 0), new(Field.U64(p, 128), FolderItem, ulong.MaxValue))
            .Select(i => Entry(i.Item).Location)
            .FirstOrDefault(k => k.Type == RootItem)
            .Object
            is > 0
                and var set
            ? set
            : TopLevel;
        Root = Get(subvolume, FirstInode);
    }

    private BtrfsTree(BtrfsTree other, Inode root)
    {
        (bytes, unpack, nodeBytes, sectorBytes, roots, subvolume) = (
            other.bytes,
            other.unpack,
            other.nodeBytes,
            other.sectorBytes,
            other.roots,
            root.Tree
        );
        (chunks, nodes, Label, Uuid, Root) = (other.chunks, other.nodes, other.Label, other.Uuid, root);
    }

    /// <summary>As it is mounted with rootflags or options of a mount table: subvol= by its path from the top, subvolid= by its number.</summary>
    public override (FileTree? Tree, string? Because) Mounted(string? options)
    {
        foreach (var option in (options ?? "").Split(','))
            if (option.StartsWith("subvol=", StringComparison.Ordinal))
            {
                var path = option[7..].Trim('/');
                var at = Get(TopLevel, FirstInode);
                foreach (var part in path.Split('/', StringSplitOptions.RemoveEmptyEntries))
                {
                    if (!at.IsFolder || Entry(at, part) is not { } next)
                        return (null, $"subvol={option[7..]} names no subvolume; there are {Subvolumes()}");
                    at = next;
                }
                return at.IsFolder && at.Number == FirstInode
                    ? (new BtrfsTree(this, at), null)
                    : (null, $"subvol={option[7..]} is no subvolume");
            }
            else if (option.StartsWith("subvolid=", StringComparison.Ordinal) && ulong.TryParse(option[9..], out var id))
                try
                {
                    return (new BtrfsTree(this, Get(id == 0 ? TopLevel : id, FirstInode)), null);
                }
                catch (UnreadableException)
                {
                    return (null, $"there is no subvolume with the number {id}; there are {Subvolumes()}");
                }
        return (this, null);
    }

    private string Subvolumes() =>
        string.Join(", ", Names(Get(TopLevel, FirstInode)).Where(n => n.Node() is { Number: FirstInode }).Select(n => n.Name))
            is { Length: > 0 } names
            ? names
            : "none";

    private int Chunk(Key key, ReadOnlySpan<byte> item)
    {
        int stripes = Field.U16(item, 44);
        // Two copies, or one: the first will do. Stripes over several places are not read.
        if ((Field.U64(item, 24) & 0x1C8) == 0)
            chunks.Add((key.Offset, Field.U64(item, 0), Field.U64(item, 48 + 8)));
        return 48 + stripes * 32;
    }

    private long Place(ulong logical)
    {
        foreach (var (from, length, physical) in chunks)
            if (logical >= from && logical - from < length)
                return (long)(logical - from + physical);
        throw new UnreadableException("a tree of the btrfs points to where no chunk lies");
    }

    private byte[] Node(ulong logical)
    {
        if (nodes.TryGetValue(logical, out var known))
            return known;
        var node = bytes.Exactly(Place(logical), nodeBytes);
        if (Field.U64(node, 48) != logical)
            throw new UnreadableException("a node of the btrfs is damaged");
        if (nodes.Count > 20_000)
            nodes.Clear();
        return nodes[logical] = node;
    }

    /// <summary>The items of a tree between two keys, in order.</summary>
    private IEnumerable<(Key Key, byte[] Item)> Items(ulong root, Key first, Key last, int depth = 0)
    {
        var node = Node(root);
        int level = node[100],
            count = (int)Math.Min(Field.U32(node, 96), (uint)nodeBytes / 25);
        if (depth > 8 || level > 8)
            throw new UnreadableException("a tree of the btrfs is too deep");
        for (var i = 0; i < count; i++)
        {
            var at = 101 + i * (level == 0 ? 25 : 33);
            var key = Key.Of(node, at);
            if (key.CompareTo(last) > 0)
                yield break;
            if (level > 0)
            {
                // A child holds what is before the next key.
                if (i + 1 < count && Key.Of(node, at + 33).CompareTo(first) <= 0)
                    continue;
                foreach (var item in Items(Field.U64(node, at + 17), first, last, depth + 1))
                    yield return item;
            }
            else if (key.CompareTo(first) >= 0)
            {
                long from = 101L + Field.U32(node, at + 17),
                    size = Field.U32(node, at + 21);
                if (from + size > nodeBytes)
                    throw new UnreadableException("an item of the btrfs lies beyond its node");
                yield return (key, node[(int)from..(int)(from + size)]);
            }
        }
    }

    private ulong TreeOf(ulong id)
    {
        foreach (var (_, item) in Items(roots, new(id, RootItem, 0), new(id, RootItem, ulong.MaxValue)))
            return Field.U64(item, 176);
        throw new UnreadableException($"there is no subvolume with the number {id}");
    }

    private Inode Get(ulong tree, ulong number)
    {
        foreach (var (_, i) in Items(TreeOf(tree), new(number, InodeItem, 0), new(number, InodeItem, ulong.MaxValue)))
            return new(
                Field.U32(i, 52),
                (long)Field.U64(i, 16),
                DateTimeOffset.FromUnixTimeSeconds((long)Math.Min(Field.U64(i, 136), 253402300799)),
                tree,
                number
            );
        throw new UnreadableException("a folder of the btrfs names a file that is not there");
    }

    private static (Key Location, string Name) Entry(byte[] item) =>
        (Key.Of(item, 0), Encoding.UTF8.GetString(item, 30, Math.Min(Field.U16(item, 27), item.Length - 30)));

    /// <inheritdoc/>
    protected override IEnumerable<(string Name, Func<Inode> Node)> Names(Inode folder)
    {
        foreach (
            var (_, item) in Items(TreeOf(folder.Tree), new(folder.Number, FolderIndex, 0), new(folder.Number, FolderIndex, ulong.MaxValue))
        )
            if (item.Length > 30)
            {
                var (location, name) = Entry(item);
                yield return (name, () => location.Type == RootItem ? Get(location.Object, FirstInode) : Get(folder.Tree, location.Object));
            }
    }

    /// <inheritdoc/>
    protected override byte[] Content(Inode node, long most)
    {
        var into = new byte[Math.Min(Math.Max(0, node.Size), most)];
        foreach (var (key, item) in Items(TreeOf(node.Tree), new(node.Number, ExtentData, 0), new(node.Number, ExtentData, ulong.MaxValue)))
        {
            if ((long)key.Offset >= into.Length)
                break;
            var room = into.AsSpan((int)key.Offset);
            var memory = (int)Math.Min(Field.U64(item, 8), FileTree.LargestFile);
            byte[] part;
            if (item[20] == 0)
                part = Unpacked(item[16], item[21..], memory);
            else
            {
                var disk = Field.U64(item, 21);
                // A hole, or room that is only reserved.
                if (disk == 0 || item[20] != 1)
                    continue;
                long offset = (long)Field.U64(item, 37),
                    length = (long)Math.Min(Field.U64(item, 45), (ulong)room.Length);
                if (item[16] == 0)
                    part = bytes.Exactly(Place(disk) + offset, (int)length);
                else
                {
                    var whole = Unpacked(item[16], bytes.Exactly(Place(disk), (int)Math.Min(Field.U64(item, 29), 1 << 20)), memory);
                    if (offset + length > whole.Length)
                        throw new UnreadableException("a packed extent of the btrfs is too short");
                    part = whole[(int)offset..(int)(offset + length)];
                }
            }
            part.AsSpan(0, Math.Min(part.Length, room.Length)).CopyTo(room);
        }
        return into;
    }

    private byte[] Unpacked(byte packing, byte[] packed, int size) =>
        packing switch
        {
            0 => packed,
            1 => Packed.Block("zlib", packed, size, unpack),
            2 => UnpackLzo(packed, size),
            3 => Packed.Block("zstd", packed, size, unpack),
            _ => throw new NotReadHereException("an extent of the btrfs is packed in a way that is not known here"),
        };

    /// <summary>Segments of a sector each, whose lengths do not lie across the end of a sector (fs/btrfs/lzo.c).</summary>
    private byte[] UnpackLzo(byte[] packed, int size)
    {
        var into = new byte[size];
        var count = 0;
        var end = Math.Min((int)Field.U32(packed, 0), packed.Length);
        for (var at = 4; at + 4 <= end && count < size; )
        {
            if (sectorBytes - at % sectorBytes < 4)
                at += sectorBytes - at % sectorBytes;
            var length = (int)Math.Min(Field.U32(packed, at), int.MaxValue);
            at += 4;
            var came =
                length > packed.Length - at
                    ? -1
                    : Lzo.Unpack(packed.AsSpan(at, length), into.AsSpan(count, Math.Min(sectorBytes, size - count)));
            if (came < 0)
                throw new UnreadableException("a block packed with lzo does not unpack");
            count += came;
            at += length;
        }
        return into[..count];
    }

    /// <inheritdoc/>
    public override string Kind => "btrfs";

    /// <inheritdoc/>
    public override string? Label { get; }

    /// <inheritdoc/>
    public override string? Uuid { get; }

    /// <inheritdoc/>
    protected override Inode Root { get; }
}
