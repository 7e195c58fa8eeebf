using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images;

/// <summary>A device tree as it lies in an image: the partition, its path there, and its bytes.</summary>
public readonly record struct TreeInImage(string Where, byte[] Blob);

/// <summary>Finds the device trees in an image: beside the kernels, at the top of a partition, and under boot, dtb and firmware folders.</summary>
public static class ImageTrees
{
    private const int Most = 5000;
    private const int Largest = 4 << 20;
    private const int Deepest = 6;

    /// <summary>All of them; what cannot be read is told to <paramref name="notes"/>.</summary>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</param>
    public static IEnumerable<TreeInImage> Of(ImageBytes image, Func<Stream, Stream?> unpack, ICollection<string> notes) =>
        Of(Volume.All(image, PartitionTable.Read(image), unpack), notes);

    /// <summary>All of them on these partitions.</summary>
    public static IEnumerable<TreeInImage> Of(IReadOnlyList<Volume> volumes, ICollection<string> notes)
    {
        var found = 0;
        foreach (var volume in volumes)
        {
            if (volume.Tree is not { } files)
                continue;
            var folders = new Queue<(string Path, int Depth)>([("/", 0)]);
            while (folders.TryDequeue(out var at) && found < Most)
                foreach (var (path, blob) in In(files, volume, at.Path, notes))
                    if (blob is not null)
                    {
                        found++;
                        yield return new(volume.Name(path), blob);
                    }
                    else if (at.Depth < Deepest)
                        folders.Enqueue((path, at.Depth + 1));
        }
    }

    /// <summary>Trees of one folder with their bytes, and folders to look into without.</summary>
    private static List<(string Path, byte[]? Blob)> In(FileTree files, Volume volume, string folder, ICollection<string> notes)
    {
        var list = new List<(string, byte[]?)>();
        try
        {
            foreach (var name in files.List(folder))
            {
                var path = folder.TrimEnd('/') + "/" + name;
                if (
                    (
                        name.EndsWith(".dtb", StringComparison.OrdinalIgnoreCase)
                        || name.EndsWith(".dtbo", StringComparison.OrdinalIgnoreCase)
                    ) && files.Read(path, Largest) is { } blob
                )
                    list.Add((path, blob));
                else if (MayHold(path) && files.Find(path) is { IsFolder: true })
                    list.Add((path, null));
            }
        }
        catch (UnreadableException e)
        {
            notes.Add($"{volume.Name(folder)} cannot be read: {e.Message}.");
        }
        return list;
    }

    private static bool MayHold(string path) =>
        path.Contains("/dtb", StringComparison.Ordinal)
        || path.Contains("device-tree", StringComparison.Ordinal)
        || path.Contains("overlays", StringComparison.Ordinal)
        || path is "/boot" or "/usr" or "/usr/lib" or "/lib" or "/lib/firmware" or "/usr/lib/firmware"
        || path.StartsWith("/boot/", StringComparison.Ordinal)
        || path.StartsWith("/usr/lib/linux-image", StringComparison.Ordinal)
        || path.StartsWith("/lib/linux-image", StringComparison.Ordinal)
        || (path.LastIndexOf('/') == 0 && path is not ("/proc" or "/sys" or "/dev" or "/var" or "/home" or "/etc" or "/bin" or "/sbin"));
}
