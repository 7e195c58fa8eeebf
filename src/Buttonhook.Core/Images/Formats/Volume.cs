namespace Buttonhook.Core.Images.Formats;

/// <summary>A partition, or a volume inside of one, with its file system, if it can be read.</summary>
/// <param name="Kind">The file system's kind when it is recognised, by the name that libblkid gives it.</param>
/// <param name="Because">Why it cannot be read, or null.</param>
/// <param name="Mapped">The name below /dev of a volume inside of a partition (vg/lv, md/name); null for a partition itself.</param>
/// <param name="Drive">The kind of the drive that it lies on (usb or ssd); null on the medium that the board starts from.</param>
public sealed record Volume(Partition Partition, FileTree? Tree, string? Kind, string? Because, string? Mapped = null, string? Drive = null)
{
    /// <summary>A path on it as findings name it.</summary>
    public string Name(string path) =>
        Mapped is not null ? $"{Mapped}:{path}"
        : Drive is not null ? $"{Drive} p{Partition.Number}:{path}"
        : $"p{Partition.Number}:{path}";

    /// <summary>What it is in a sentence: "partition 2", "partition 1 of the drive", or "the volume vg/lv on partition 2".</summary>
    public string Words =>
        (Mapped is null ? $"partition {Partition.Number}" : $"the volume {Mapped} on partition {Partition.Number}")
        + (Drive is null ? "" : " of the drive");

    /// <summary>All partitions of an image and the volumes inside of them; a file system that lies in it without a partition table is number 0.</summary>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know; without it packed file systems are not read.</param>
    public static IReadOnlyList<Volume> All(ImageBytes image, PartitionTable table, Func<Stream, Stream?>? unpack = null)
    {
        if (table.Partitions.Count > 0)
            return [.. table.Partitions.SelectMany(p => Open(image.Slice(p.StartBytes, p.LengthBytes), p, unpack))];
        var whole = Open(image, new(0, 0, image.Length, "", "", null, false), unpack)[0];
        return whole.Tree is null ? [] : [whole];
    }

    private static List<Volume> Open(ImageBytes part, Partition partition, Func<Stream, Stream?>? unpack)
    {
        var (tree, kind, because) = FileTree.Open(part, unpack);
        var list = new List<Volume> { new(partition, tree, kind, because) };
        try
        {
            foreach (var (name, bytes, why) in Layers.Inside(part, kind))
                if (bytes is null)
                    list.Add(new(partition, null, null, why, name));
                else
                {
                    var (inner, innerKind, innerWhy) = FileTree.Open(bytes, unpack);
                    list.Add(new(partition, inner, innerKind, innerWhy, name));
                }
        }
        catch (UnreadableException e)
        {
            list[0] = list[0] with { Because = e.Message };
        }
        return list;
    }
}
