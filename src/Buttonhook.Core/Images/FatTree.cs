using System.Text;

namespace Buttonhook.Core.Images;

/// <summary>FAT12, FAT16 and FAT32 with long names, from the published specification (FAT32 File System Specification 1.03). Names ignore case.</summary>
public sealed class FatTree : FileTree
{
    private const int MostEntries = 200_000;
    private readonly ImageBytes bytes;
    private readonly int bits;
    private readonly int clusterBytes;
    private readonly long fatStart;
    private readonly long rootStart;
    private readonly int rootEntries;
    private readonly long dataStart;
    private readonly uint rootCluster;
    private readonly uint clusters;
    private readonly Dictionary<string, List<Entry>> folders = [];

    private sealed record Entry(string Name, bool IsFolder, uint First, long Size);

    internal static bool Looks(byte[] head)
    {
        int sector = Field.U16(head, 11),
            per = head[13];
        return sector is 512 or 1024 or 2048 or 4096
            && per > 0
            && (per & (per - 1)) == 0
            && head[16] is 1 or 2
            && Field.U16(head, 14) > 0
            && head[21] >= 0xF0;
    }

    internal FatTree(ImageBytes bytes)
    {
        this.bytes = bytes;
        var p = bytes.Exactly(0, 512);
        int sector = Field.U16(p, 11),
            per = p[13],
            reserved = Field.U16(p, 14),
            tables = p[16];
        rootEntries = Field.U16(p, 17);
        long total = Field.U16(p, 19) is var small and > 0 ? small : Field.U32(p, 32);
        long tableSectors = Field.U16(p, 22) is var old and > 0 ? old : Field.U32(p, 36);
        long rootSectors = (rootEntries * 32L + sector - 1) / sector;
        var dataSectors = total - reserved - tables * tableSectors - rootSectors;
        if (dataSectors <= 0 || tableSectors == 0)
            throw new UnreadableException("the sizes in the FAT boot sector contradict each other");
        clusters = (uint)Math.Min(dataSectors / per, 0x0FFFFFF5);
        bits =
            clusters < 4085 ? 12
            : clusters < 65525 ? 16
            : 32;
        // Formatters may make a FAT32 with fewer clusters; what counts for readers is the 16-bit table size of 0.
        if (Field.U16(p, 22) == 0 && rootEntries == 0)
            bits = 32;
        clusterBytes = sector * per;
        fatStart = (long)reserved * sector;
        rootStart = fatStart + tables * tableSectors * sector;
        dataStart = rootStart + rootSectors * sector;
        rootCluster = bits == 32 ? Field.U32(p, 44) : 0;
        var serial = Field.U32(p, bits == 32 ? 67 : 39);
        Uuid = $"{serial >> 16:X4}-{serial & 0xFFFF:X4}";
        Label = Encoding.ASCII.GetString(p, bits == 32 ? 71 : 43, 11).TrimEnd();
        if (Label is "NO NAME" or "")
            Label = null;
    }

    /// <inheritdoc/>
    public override string Kind => "vfat";

    /// <inheritdoc/>
    public override string? Label { get; }

    /// <inheritdoc/>
    public override string? Uuid { get; }

    private uint Next(uint cluster)
    {
        if (bits == 32)
            return Field.U32(bytes.Exactly(fatStart + cluster * 4L, 4), 0) & 0x0FFFFFFF;
        if (bits == 16)
        {
            uint n = Field.U16(bytes.Exactly(fatStart + cluster * 2L, 2), 0);
            return n >= 0xFFF7 ? n | 0x0FFF0000 : n;
        }
        var pair = Field.U16(bytes.Exactly(fatStart + cluster * 3L / 2, 2), 0);
        var value = (cluster & 1) == 0 ? pair & 0xFFFu : (uint)(pair >> 4);
        return value >= 0xFF7 ? value | 0x0FFFF000 : value;
    }

    /// <summary>The clusters of a chain; a loop or a link out of the table ends it with an error.</summary>
    private IEnumerable<uint> Chain(uint first)
    {
        var steps = 0u;
        for (var c = first; c is >= 2 and < 0x0FFFFFF7; c = Next(c))
        {
            if (c >= clusters + 2)
                throw new UnreadableException($"a FAT chain leaves the table at cluster {c}");
            if (steps++ > clusters)
                throw new UnreadableException("a FAT chain runs in a circle");
            yield return c;
        }
    }

    private IEnumerable<byte[]> Blocks(uint first, bool root)
    {
        if (root && bits != 32)
        {
            yield return bytes.Exactly(rootStart, rootEntries * 32);
            yield break;
        }
        foreach (var c in Chain(root ? rootCluster : first))
            yield return bytes.Exactly(dataStart + (c - 2L) * clusterBytes, clusterBytes);
    }

    private List<Entry> Folder(uint first, bool root)
    {
        var key = root ? "/" : first.ToString();
        if (folders.TryGetValue(key, out var known))
            return known;
        var list = new List<Entry>();
        var longName = new SortedDictionary<int, string>();
        var seen = 0;
        foreach (var block in Blocks(first, root))
            for (var o = 0; o + 32 <= block.Length; o += 32)
            {
                var e = block.AsSpan(o, 32);
                if (e[0] == 0)
                    return folders[key] = list;
                if (++seen > MostEntries)
                    throw new UnreadableException("a FAT folder has no end");
                if (e[0] == 0xE5)
                {
                    longName.Clear();
                    continue;
                }
                if (e[11] == 0x0F)
                {
                    longName[e[0] & 0x1F] = Encoding.Unicode.GetString([.. e[1..11], .. e[14..26], .. e[28..32]]);
                    continue;
                }
                if ((e[11] & 8) == 0)
                {
                    var name = longName.Count > 0 ? string.Concat(longName.Values).Split('\0', '\uFFFF')[0] : ShortName(e);
                    if (name is not ("." or ".."))
                        list.Add(new(name, (e[11] & 16) != 0, (uint)(Field.U16(e, 20) << 16 | Field.U16(e, 26)), Field.U32(e, 28)));
                }
                longName.Clear();
            }
        return folders[key] = list;
    }

    private static string ShortName(ReadOnlySpan<byte> e)
    {
        var name = Encoding.Latin1.GetString(e[..8]).TrimEnd();
        var end = Encoding.Latin1.GetString(e[8..11]).TrimEnd();
        if ((e[12] & 8) != 0)
            name = name.ToLowerInvariant();
        if ((e[12] & 16) != 0)
            end = end.ToLowerInvariant();
        return end.Length > 0 ? $"{name}.{end}" : name;
    }

    private Entry? Locate(string path)
    {
        Entry? at = new("/", true, 0, 0);
        var root = true;
        foreach (var part in path.Split('/', StringSplitOptions.RemoveEmptyEntries))
        {
            if (part == ".")
                continue;
            if (at is not { IsFolder: true })
                return null;
            at = Folder(at.First, root).FirstOrDefault(e => e.Name.Equals(part, StringComparison.OrdinalIgnoreCase));
            root = false;
        }
        return at;
    }

    /// <inheritdoc/>
    public override TreeEntry? Find(string path) => Locate(path) is { } e ? new(path, e.Size, e.IsFolder, true) : null;

    /// <inheritdoc/>
    public override IReadOnlyList<string> List(string folder) =>
        Locate(folder) is { IsFolder: true } e ? [.. Folder(e.First, folder.Trim('/').Length == 0).Select(x => x.Name)] : [];

    /// <inheritdoc/>
    public override byte[]? Read(string path, int most = LargestFile)
    {
        if (Locate(path) is not { IsFolder: false } e)
            return null;
        var into = new byte[Math.Min(e.Size, most)];
        var at = 0;
        if (into.Length > 0)
            foreach (var c in Chain(e.First))
            {
                var count = Math.Min(clusterBytes, into.Length - at);
                if (bytes.Read(dataStart + (c - 2L) * clusterBytes, into.AsSpan(at, count)) < count)
                    throw new UnreadableException($"{path} continues beyond the end of the image");
                if ((at += count) == into.Length)
                    break;
            }
        return at == into.Length ? into : throw new UnreadableException($"the chain of {path} is shorter than its size");
    }
}
