using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>FAT12, FAT16 and FAT32 with long names, from the published specification (FAT32 File System Specification 1.03). Names ignore case.</summary>
public sealed class FatTree : FileTree
{
    private readonly ImageBytes bytes;
    private readonly FatLayout layout;
    private const int PageBytes = 1 << 16;
    private readonly Dictionary<long, List<FatEntry>> folders = [];
    private readonly Dictionary<long, byte[]> table = [];

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
        layout = FatLayout.Read(p);
        var serial = Field.U32(p, layout.Bits == 32 ? 67 : 39);
        Uuid = $"{serial >> 16:X4}-{serial & 0xFFFF:X4}";
        Label = Encoding.ASCII.GetString(p, layout.Bits == 32 ? 71 : 43, 11).TrimEnd();
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
        var (at, count) = layout.LinkPlace(cluster);
        var page = at / PageBytes;
        if (!table.TryGetValue(page, out var links))
            // A little more than a page, since a 12-bit link may lie across its end.
            table[page] = links = bytes.At(layout.TableStart + page * PageBytes, PageBytes + 4);
        var place = (int)(at % PageBytes);
        return place + count <= links.Length
            ? layout.Link(cluster, links.AsSpan(place, count))
            : throw new UnreadableException("the FAT continues beyond the end of the image");
    }

    /// <summary>What is in a folder; null is the root.</summary>
    private List<FatEntry> Folder(uint? first) =>
        folders.TryGetValue(first ?? -1L, out var known)
            ? known
            : folders[first ?? -1L] = [.. FatLayout.Entries(layout.Blocks(first, bytes, Next))];

    private FatEntry? Locate(string path)
    {
        var walked = new Stack<FatEntry>([new("/", true, 0, 0, [])]);
        foreach (var part in path.Split('/', StringSplitOptions.RemoveEmptyEntries))
        {
            if (!walked.Peek().IsFolder)
                return null;
            if (part == ".")
                continue;
            if (part == "..")
            {
                if (walked.Count > 1)
                    walked.Pop();
                continue;
            }
            var folder = walked.Count == 1 ? (uint?)null : walked.Peek().First;
            if (Folder(folder).FirstOrDefault(e => e.Name.Equals(part, StringComparison.OrdinalIgnoreCase)) is not { } entry)
                return null;
            walked.Push(entry);
        }
        return walked.Peek();
    }

    /// <inheritdoc/>
    public override TreeEntry? Find(string path) => Locate(path) is { } e ? new(path, e.Size, e.IsFolder, true) : null;

    /// <inheritdoc/>
    public override IReadOnlyList<string> List(string folder) =>
        Locate(folder) is { IsFolder: true } e ? [.. Folder(folder.Trim('/').Length == 0 ? null : e.First).Select(x => x.Name)] : [];

    /// <inheritdoc/>
    public override byte[]? Read(string path, int most = LargestFile)
    {
        if (Locate(path) is not { IsFolder: false } e)
            return null;
        var into = new byte[Math.Min(e.Size, most)];
        var (at, run, length) = (0, 0L, 0);
        void Flush()
        {
            if (bytes.Read(run, into.AsSpan(at, length)) < length)
                throw new UnreadableException($"{path} continues beyond the end of the image");
            (at, length) = (at + length, 0);
        }
        // Clusters that lie one after another are read in one go.
        foreach (var c in into.Length == 0 ? [] : layout.Chain(e.First, Next))
        {
            var place = layout.At(c);
            if (length > 0 && place != run + length)
                Flush();
            if (length == 0)
                run = place;
            length += Math.Min(layout.ClusterBytes, into.Length - at - length);
            if (at + length == into.Length)
                break;
        }
        Flush();
        return at == into.Length ? into : throw new UnreadableException($"the chain of {path} is shorter than its size");
    }
}
