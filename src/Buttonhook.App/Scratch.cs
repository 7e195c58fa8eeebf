using Buttonhook.Core;

namespace Buttonhook.App;

/// <summary>Room for what is unpacked: of a server a folder in its data folder, empty at every start; of a command the system's room for large temporary files.</summary>
public static class Scratch
{
    /// <summary>What stays free on the disk whatever is unpacked.</summary>
    private const long KeptFree = 256L << 20;

    /// <summary>For large files that need not survive; unlike /tmp it does not lie in memory (Filesystem Hierarchy Standard, 5.15).</summary>
    private const string Large = "/var/tmp";

    /// <summary>Makes the scratch of a data folder, empty, and puts everything temporary of this process there.</summary>
    public static void Begin(string dataFolder)
    {
        Environment.SetEnvironmentVariable("TMPDIR", OwnFolder.Fresh(Path.Combine(Path.GetFullPath(dataFolder), "scratch")));
    }

    /// <summary>Where it lies.</summary>
    public static string Folder =>
        Environment.GetEnvironmentVariable("TMPDIR") is { Length: > 0 } own ? own
        : Directory.Exists(Large) ? Large
        : Path.GetTempPath();

    /// <summary>An empty file that is gone by itself when it is closed, also after a kill: it has no name any more once it is open.</summary>
    public static FileStream File()
    {
        var path = Path.Combine(Folder, $"buttonhook-{Guid.NewGuid():N}.img");
        var file = new FileStream(path, FileMode.CreateNew, FileAccess.ReadWrite, FileShare.ReadWrite, 1 << 16);
        System.IO.File.Delete(path);
        return file;
    }

    /// <summary>The problem when there is no room for so many bytes more; null when there is, or when the system does not tell.</summary>
    public static Problem? NoRoom(long bytes)
    {
        try
        {
            var free = new DriveInfo(Folder).AvailableFreeSpace;
            return free >= bytes + KeptFree
                ? null
                : new(
                    $"There should be room to unpack the image in {Folder}.",
                    $"{Sizes.Binary(free)} are free, and {Sizes.Binary(KeptFree)} of that are left alone.",
                    "Make room, or unpack the image yourself on another disk and name that file."
                );
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentException)
        {
            return null;
        }
    }
}
