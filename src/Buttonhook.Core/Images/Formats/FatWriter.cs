using System.Buffers.Binary;
using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>Writes files into a FAT12, FAT16 or FAT32 file system, long names included (FAT32 File System Specification 1.03). Damage throws <see cref="UnreadableException"/>, a full volume <see cref="IOException"/>; neither leaves a file half there.</summary>
public sealed class FatWriter
{
    private const uint End = FatLayout.End;
    private const int EntryBytes = FatLayout.EntryBytes;
    private readonly WritableBytes bytes;
    private readonly FatLayout layout;
    private readonly byte[] table;
    private readonly SortedSet<long> dirty = [];
    private readonly DateTime stamp;

    /// <summary>Opens the file system that begins at the first of these bytes.</summary>
    /// <param name="stamp">The time that new files get (FAT keeps local time); 1980 or later.</param>
    public FatWriter(WritableBytes bytes, DateTime stamp)
    {
        this.bytes = bytes;
        this.stamp = stamp;
        var p = bytes.Exactly(0, 512);
        if (p[510] != 0x55 || p[511] != 0xAA || !FatTree.Looks(p))
            throw new UnreadableException("this is no FAT file system");
        layout = FatLayout.Read(p);
        if (layout.TotalBytes > bytes.Length)
            throw new UnreadableException("the sizes in the FAT boot sector contradict each other");
        if (layout.TableBytes > 64 << 20 || layout.TableBytes * 8 < (layout.Clusters + 2L) * layout.Bits)
            throw new UnreadableException("the FAT does not have the size that its clusters need");
        table = bytes.Exactly(layout.TableStart, (int)layout.TableBytes);
    }

    /// <summary>Writes a file, in place of one that is there; folders on the way are made.</summary>
    public void Write(string path, ReadOnlySpan<byte> content)
    {
        var parts = path.Split('/', StringSplitOptions.RemoveEmptyEntries);
        if (parts.Length == 0 || parts.Any(n => n.Length > 255 || n.Any(c => c < ' ' || "\"*:<>?\\|".Contains(c)) || n is "." or ".."))
            throw new IOException($"“{path}” is no name that FAT takes");
        uint folder = 0;
        foreach (var name in parts[..^1])
        {
            var next = Find(folder, name);
            if (next is { IsFolder: false })
                throw new IOException($"{name} in {path} is a file, not a folder");
            folder = next?.First ?? MakeFolder(folder, name);
        }
        var there = Find(folder, parts[^1]);
        if (there is { IsFolder: true })
            throw new IOException($"{path} is a folder");
        var first = Store(content);
        if (there is not null)
        {
            var entry = bytes.Exactly(there.Slots[^1], EntryBytes);
            Fill(entry, first, (uint)content.Length);
            bytes.Write(there.Slots[^1], entry);
            Free(there.First);
        }
        else
            Enter(folder, parts[^1], 0x20, first, (uint)content.Length);
        Flush();
    }

    /// <summary>Takes a file away; false when it is not there.</summary>
    public bool Delete(string path)
    {
        uint folder = 0;
        var parts = path.Split('/', StringSplitOptions.RemoveEmptyEntries);
        foreach (var name in parts[..^1])
        {
            if (Find(folder, name) is not { IsFolder: true } next)
                return false;
            folder = next.First;
        }
        if (Find(folder, parts[^1]) is not { IsFolder: false } file)
            return false;
        foreach (var slot in file.Slots)
            bytes.Write(slot, [0xE5]);
        Free(file.First);
        Flush();
        return true;
    }

    /// <summary>Bytes that are free.</summary>
    public long FreeBytes
    {
        get
        {
            long free = 0;
            for (uint c = 2; c < layout.Clusters + 2; c++)
                if (Get(c) == 0)
                    free++;
            return free * layout.ClusterBytes;
        }
    }

    private uint Get(uint cluster)
    {
        var (at, count) = layout.LinkPlace(cluster);
        return layout.Link(cluster, table.AsSpan((int)at, count));
    }

    private void Set(uint cluster, uint value)
    {
        var (at, count) = layout.LinkPlace(cluster);
        var place = table.AsSpan((int)at, count);
        if (layout.Bits == 32)
            BinaryPrimitives.WriteUInt32LittleEndian(place, (Field.U32(place, 0) & 0xF0000000) | (value & End));
        else if (layout.Bits == 16)
            BinaryPrimitives.WriteUInt16LittleEndian(place, (ushort)value);
        else
        {
            var pair = Field.U16(place, 0);
            var mixed = (cluster & 1) == 0 ? (pair & 0xF000) | (int)(value & 0xFFF) : (pair & 0xF) | (int)((value & 0xFFF) << 4);
            BinaryPrimitives.WriteUInt16LittleEndian(place, (ushort)mixed);
        }
        dirty.Add(at / layout.SectorBytes);
        dirty.Add((at + count - 1) / layout.SectorBytes);
    }

    private List<uint> Chain(uint first) => [.. layout.Chain(first, Get)];

    private List<uint> Reserve(int count)
    {
        var list = new List<uint>(count);
        for (uint c = 2; c < layout.Clusters + 2 && list.Count < count; c++)
            if (Get(c) == 0)
                list.Add(c);
        if (list.Count < count)
            throw new IOException(
                $"the partition is full: {(long)count * layout.ClusterBytes} bytes are needed, {(long)list.Count * layout.ClusterBytes} are free"
            );
        for (var i = 0; i < count; i++)
            Set(list[i], i + 1 < count ? list[i + 1] : End);
        return list;
    }

    private uint Store(ReadOnlySpan<byte> content)
    {
        if (content.Length == 0)
            return 0;
        var chain = Reserve((content.Length + layout.ClusterBytes - 1) / layout.ClusterBytes);
        var block = new byte[layout.ClusterBytes];
        for (var i = 0; i < chain.Count; i++)
        {
            var piece = content[(i * layout.ClusterBytes)..Math.Min(content.Length, (i + 1) * layout.ClusterBytes)];
            Array.Clear(block);
            piece.CopyTo(block);
            bytes.Write(layout.At(chain[i]), block);
        }
        return chain[0];
    }

    private void Free(uint first)
    {
        foreach (var c in Chain(first))
            Set(c, 0);
    }

    /// <summary>The pieces of a folder; 0 is the root.</summary>
    private IEnumerable<(long At, byte[] Block)> Blocks(uint folder) => layout.Blocks(folder == 0 ? null : folder, bytes, Get);

    private FatEntry? Find(uint folder, string name) =>
        FatLayout.Entries(Blocks(folder)).FirstOrDefault(e => e.Name.Equals(name, StringComparison.OrdinalIgnoreCase));

    /// <summary>All places of a folder in their order.</summary>
    private IEnumerable<(long At, byte[] Entry)> Slots(uint folder)
    {
        foreach (var (at, block) in Blocks(folder))
            for (var o = 0; o < block.Length; o += EntryBytes)
                yield return (at + o, block[o..(o + EntryBytes)]);
    }

    private uint MakeFolder(uint parent, string name)
    {
        var cluster = Reserve(1)[0];
        var block = new byte[layout.ClusterBytes];
        foreach (var (at, dots, to) in new[] { (0, ".", cluster), (32, "..", parent) })
        {
            Encoding.ASCII.GetBytes(dots.PadRight(11)).CopyTo(block, at);
            block[at + 11] = 0x10;
            Fill(block.AsSpan(at, EntryBytes), to, 0);
        }
        bytes.Write(layout.At(cluster), block);
        Enter(parent, name, 0x10, cluster, 0);
        return cluster;
    }

    private void Fill(Span<byte> entry, uint first, uint size)
    {
        var time = (ushort)((stamp.Hour << 11) | (stamp.Minute << 5) | (stamp.Second / 2));
        var date = (ushort)((Math.Max(0, stamp.Year - 1980) << 9) | (stamp.Month << 5) | stamp.Day);
        BinaryPrimitives.WriteUInt16LittleEndian(entry[20..], (ushort)(first >> 16));
        BinaryPrimitives.WriteUInt16LittleEndian(entry[22..], time);
        BinaryPrimitives.WriteUInt16LittleEndian(entry[24..], date);
        BinaryPrimitives.WriteUInt16LittleEndian(entry[26..], (ushort)first);
        BinaryPrimitives.WriteUInt32LittleEndian(entry[28..], size);
    }

    private void Enter(uint folder, string name, byte attributes, uint first, uint size)
    {
        var (shortName, flags, needsLong) = Short(folder, name);
        var pieces = new List<byte[]>();
        if (needsLong)
        {
            byte sum = 0;
            foreach (var b in shortName)
                sum = (byte)((sum >> 1) + ((sum & 1) << 7) + b);
            var count = (name.Length + 12) / 13;
            for (var n = count; n > 0; n--)
            {
                var piece = new byte[EntryBytes];
                piece[0] = (byte)(n | (n == count ? 0x40 : 0));
                piece[11] = 0x0F;
                piece[13] = sum;
                for (var i = 0; i < 13; i++)
                {
                    var index = (n - 1) * 13 + i;
                    var c =
                        index < name.Length ? name[index]
                        : index == name.Length ? '\0'
                        : '\uFFFF';
                    BinaryPrimitives.WriteUInt16LittleEndian(
                        piece.AsSpan(
                            i < 5 ? 1 + i * 2
                            : i < 11 ? 14 + (i - 5) * 2
                            : 28 + (i - 11) * 2
                        ),
                        c
                    );
                }
                pieces.Add(piece);
            }
        }
        var entry = new byte[EntryBytes];
        shortName.CopyTo(entry, 0);
        entry[11] = attributes;
        entry[12] = flags;
        Fill(entry, first, size);
        entry.AsSpan(22, 2).CopyTo(entry.AsSpan(14));
        entry.AsSpan(24, 2).CopyTo(entry.AsSpan(16));
        entry.AsSpan(24, 2).CopyTo(entry.AsSpan(18));
        pieces.Add(entry);
        var free = Room(folder, pieces.Count);
        for (var i = 0; i < pieces.Count; i++)
            bytes.Write(free[i], pieces[i]);
    }

    /// <summary>So many free entries in a row; a folder grows by a cluster when it has none.</summary>
    private List<long> Room(uint folder, int count)
    {
        while (true)
        {
            var run = new List<long>();
            var ended = false;
            foreach (var (at, entry) in Slots(folder))
            {
                ended |= entry[0] == 0;
                if (ended || entry[0] == 0xE5)
                    run.Add(at);
                else
                    run.Clear();
                if (run.Count == count)
                    return run;
            }
            if (folder == 0 && layout.Bits != 32)
                throw new IOException("the root folder of the partition is full");
            var added = Reserve(1)[0];
            bytes.Write(layout.At(added), new byte[layout.ClusterBytes]);
            Set(Chain(folder == 0 ? layout.RootCluster : folder)[^1], added);
        }
    }

    /// <summary>The short name: the name itself when it fits, in one case each side; else six letters, a tilde and a number.</summary>
    private (byte[] Name, byte Flags, bool NeedsLong) Short(uint folder, string name)
    {
        var dot = name.LastIndexOf('.');
        var stem = dot > 0 ? name[..dot] : name;
        var end = dot > 0 ? name[(dot + 1)..] : "";
        static bool Plain(string text) => text.All(c => c < 128 && (char.IsAsciiLetterOrDigit(c) || "!#$%&'()-@^_`{}~".Contains(c)));
        static bool OneCase(string text) => text == text.ToLowerInvariant() || text == text.ToUpperInvariant();
        if (
            stem.Length is > 0 and <= 8
            && end.Length <= 3
            && Plain(stem)
            && Plain(end)
            && OneCase(stem)
            && OneCase(end)
            && (dot > 0 || !name.Contains('.'))
        )
        {
            var flags = (byte)((stem != stem.ToUpperInvariant() ? 8 : 0) | (end != end.ToUpperInvariant() ? 16 : 0));
            return (Encoding.ASCII.GetBytes(stem.ToUpperInvariant().PadRight(8) + end.ToUpperInvariant().PadRight(3)), flags, false);
        }
        static string Clean(string text) =>
            new([.. text.ToUpperInvariant().Where(c => c < 128 && (char.IsAsciiLetterOrDigit(c) || c is '_' or '-'))]);
        var (head, tail) = (Clean(stem), Clean(end));
        var taken = Slots(folder)
            .Select(s => s.Entry)
            .TakeWhile(e => e[0] != 0)
            .Where(e => e[0] != 0xE5 && e[11] != 0x0F)
            .Select(e => Encoding.Latin1.GetString(e, 0, 11))
            .ToHashSet();
        for (var n = 1; ; n++)
        {
            var mark = $"~{n}";
            var text = (head.Length > 8 - mark.Length ? head[..(8 - mark.Length)] : head) + mark;
            var whole = text.PadRight(8) + (tail.Length > 3 ? tail[..3] : tail).PadRight(3);
            if (!taken.Contains(whole))
                return (Encoding.ASCII.GetBytes(whole), 0, true);
        }
    }

    private void Flush()
    {
        foreach (var index in dirty)
            for (var t = 0; t < layout.Tables; t++)
                bytes.Write(
                    layout.TableStart + t * layout.TableBytes + index * layout.SectorBytes,
                    table.AsSpan((int)index * layout.SectorBytes, layout.SectorBytes)
                );
        dirty.Clear();
        if (layout.InfoSector is 0 or 0xFFFF)
            return;
        var info = bytes.Exactly((long)layout.InfoSector * layout.SectorBytes, 512);
        if (Field.U32(info, 0) != 0x41615252)
            return;
        BinaryPrimitives.WriteUInt32LittleEndian(info.AsSpan(488), (uint)(FreeBytes / layout.ClusterBytes));
        BinaryPrimitives.WriteUInt32LittleEndian(info.AsSpan(492), uint.MaxValue);
        bytes.Write((long)layout.InfoSector * layout.SectorBytes, info);
    }
}
