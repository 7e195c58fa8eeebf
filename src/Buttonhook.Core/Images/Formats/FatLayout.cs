using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>A file or folder in a FAT folder, with the places of its 32-byte entries (long-name pieces first).</summary>
internal sealed record FatEntry(string Name, bool IsFolder, uint First, uint Size, IReadOnlyList<long> Slots);

/// <summary>Where things lie in a FAT file system, in bytes, and how its table and folders are read (FAT32 File System Specification 1.03).</summary>
/// <param name="Bits">12, 16 or 32.</param>
/// <param name="RootEntries">Places in the fixed root folder; 0 where the root is a chain.</param>
/// <param name="InfoSector">The sector with the free count, or 0.</param>
internal sealed record FatLayout(
    int SectorBytes,
    int ClusterBytes,
    uint Clusters,
    int Bits,
    int Tables,
    long TableStart,
    long TableBytes,
    long RootStart,
    int RootEntries,
    uint RootCluster,
    long DataStart,
    long TotalBytes,
    int InfoSector
)
{
    /// <summary>The size of a folder entry in bytes.</summary>
    public const int EntryBytes = 32;

    /// <summary>The link that ends a chain.</summary>
    public const uint End = 0x0FFFFFFF;

    private const int MostEntries = 200_000;

    /// <summary>Reads the boot sector; throws <see cref="UnreadableException"/> when its sizes contradict each other.</summary>
    public static FatLayout Read(ReadOnlySpan<byte> boot)
    {
        int sector = Field.U16(boot, 11),
            per = boot[13],
            reserved = Field.U16(boot, 14),
            tables = boot[16],
            rootEntries = Field.U16(boot, 17);
        long total = Field.U16(boot, 19) is var small and > 0 ? small : Field.U32(boot, 32);
        long tableSectors = Field.U16(boot, 22) is var old and > 0 ? old : Field.U32(boot, 36);
        long rootSectors = (rootEntries * EntryBytes + sector - 1) / sector;
        var dataSectors = total - reserved - tables * tableSectors - rootSectors;
        if (dataSectors <= 0 || tableSectors == 0)
            throw new UnreadableException("the sizes in the FAT boot sector contradict each other");
        var clusters = (uint)Math.Min(dataSectors / per, 0x0FFFFFF5);
        // Formatters may make a FAT32 with fewer clusters; what counts for readers is the 16-bit table size of 0.
        var bits =
            Field.U16(boot, 22) == 0 && rootEntries == 0 ? 32
            : clusters < 4085 ? 12
            : clusters < 65525 ? 16
            : 32;
        var rootStart = (reserved + tables * tableSectors) * sector;
        return new(
            sector,
            sector * per,
            clusters,
            bits,
            tables,
            (long)reserved * sector,
            tableSectors * sector,
            rootStart,
            rootEntries,
            bits == 32 ? Field.U32(boot, 44) : 0,
            rootStart + rootSectors * sector,
            total * sector,
            bits == 32 ? Field.U16(boot, 48) : 0
        );
    }

    /// <summary>Where a cluster's content begins.</summary>
    public long At(uint cluster) => DataStart + (cluster - 2L) * ClusterBytes;

    /// <summary>Where a cluster's link lies in the table, and in how many bytes.</summary>
    public (long At, int Count) LinkPlace(uint cluster) =>
        Bits switch
        {
            32 => (cluster * 4L, 4),
            16 => (cluster * 2L, 2),
            _ => (cluster * 3L / 2, 2),
        };

    /// <summary>The link in those bytes; all ends of chains and bad marks are widened to those of FAT32.</summary>
    public uint Link(uint cluster, ReadOnlySpan<byte> place)
    {
        if (Bits == 32)
            return Field.U32(place, 0) & End;
        var pair = Field.U16(place, 0);
        if (Bits == 16)
            return pair >= 0xFFF7 ? pair | 0x0FFF0000u : pair;
        var value = (cluster & 1) == 0 ? pair & 0xFFFu : (uint)(pair >> 4);
        return value >= 0xFF7 ? value | 0x0FFFF000 : value;
    }

    /// <summary>The clusters of a chain; a loop or a link out of the table ends it with an error.</summary>
    public IEnumerable<uint> Chain(uint first, Func<uint, uint> next)
    {
        var steps = 0u;
        for (var c = first; c is >= 2 and < 0x0FFFFFF7; c = next(c))
        {
            if (c >= Clusters + 2)
                throw new UnreadableException($"a FAT chain leaves the table at cluster {c}");
            if (steps++ > Clusters)
                throw new UnreadableException("a FAT chain runs in a circle");
            yield return c;
        }
    }

    /// <summary>The pieces of a folder with their places: the fixed root, or the clusters of a chain; null is the root.</summary>
    public IEnumerable<(long At, byte[] Block)> Blocks(uint? folder, ImageBytes bytes, Func<uint, uint> next)
    {
        if (folder is null && Bits != 32)
        {
            yield return (RootStart, bytes.Exactly(RootStart, RootEntries * EntryBytes));
            yield break;
        }
        foreach (var c in Chain(folder ?? RootCluster, next))
            yield return (At(c), bytes.Exactly(At(c), ClusterBytes));
    }

    /// <summary>The files and folders in the pieces of a folder, without its links to itself and its parent; volume labels and deleted entries are passed over.</summary>
    public static IEnumerable<FatEntry> Entries(IEnumerable<(long At, byte[] Block)> blocks)
    {
        var slots = new List<long>();
        var pieces = new SortedDictionary<int, string>();
        var seen = 0;
        foreach (var (at, block) in blocks)
            for (var o = 0; o + EntryBytes <= block.Length; o += EntryBytes)
            {
                var e = block.AsSpan(o, EntryBytes);
                if (e[0] == 0)
                    yield break;
                if (++seen > MostEntries)
                    throw new UnreadableException("a FAT folder has no end");
                if (e[0] == 0xE5)
                {
                    slots.Clear();
                    pieces.Clear();
                    continue;
                }
                slots.Add(at + o);
                if (e[11] == 0x0F)
                {
                    pieces[e[0] & 0x1F] = Encoding.Unicode.GetString([.. e[1..11], .. e[14..26], .. e[28..32]]);
                    continue;
                }
                FatEntry? found = null;
                if ((e[11] & 8) == 0)
                {
                    var name = pieces.Count > 0 ? string.Concat(pieces.Values).Split('\0', '\uFFFF')[0] : ShortName(e);
                    if (name is not ("." or ".."))
                        found = new(
                            name,
                            (e[11] & 16) != 0,
                            (uint)(Field.U16(e, 20) << 16 | Field.U16(e, 26)),
                            Field.U32(e, 28),
                            [.. slots]
                        );
                }
                slots.Clear();
                pieces.Clear();
                if (found is not null)
                    yield return found;
            }
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
}
