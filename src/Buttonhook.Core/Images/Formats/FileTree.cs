namespace Buttonhook.Core.Images.Formats;

/// <summary>One file or folder of a file system; when it was last changed, or null where the file system does not tell.</summary>
public sealed record TreeEntry(string Path, long Size, bool IsFolder, bool IsExecutable, DateTimeOffset? Modified = null);

/// <summary>A file system inside an image, read-only. Paths begin at its root with a slash.</summary>
public abstract class FileTree
{
    /// <summary>Largest file that is read whole, in bytes.</summary>
    public const int LargestFile = 256 << 20;

    /// <summary>The name of its kind, as mount(8) takes it.</summary>
    public abstract string Kind { get; }

    /// <summary>The volume label, or null.</summary>
    public abstract string? Label { get; }

    /// <summary>The id that <c>UUID=</c> names, or null.</summary>
    public abstract string? Uuid { get; }

    /// <summary>The file or folder at a path, links followed, or null; throws <see cref="UnreadableException"/> when the tree is damaged there.</summary>
    public abstract TreeEntry? Find(string path);

    /// <summary>The names in a folder, or nothing when it is none.</summary>
    public abstract IReadOnlyList<string> List(string folder);

    /// <summary>Whether a name is a link itself, wherever it leads; false where it is not there, and on file systems without links.</summary>
    public virtual bool IsLink(string path) => false;

    /// <summary>The first bytes of a file, at most <paramref name="most"/>; null when it is not there or a folder.</summary>
    public abstract byte[]? Read(string path, int most = LargestFile);

    /// <summary>As it is mounted with these options, or null with the reason why that cannot be.</summary>
    public virtual (FileTree? Tree, string? Because) Mounted(string? options) => (this, null);

    /// <summary>Whether a system lies on it: a first program, or its settings.</summary>
    public bool HoldsSystem => Kind != "vfat" && (Find("/sbin/init") ?? Find("/etc")) is not null;

    /// <summary>Whether systemd lies on it.</summary>
    public bool HasSystemd => (Find("/lib/systemd/systemd") ?? Find("/usr/lib/systemd/systemd")) is not null;

    /// <summary>Opens the file system in a part of an image; null with the reason when it is none that is read here.</summary>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know; without it packed file systems are not read.</param>
    public static (FileTree? Tree, string? Kind, string? Because) Open(ImageBytes bytes, Func<Stream, Stream?>? unpack = null)
    {
        string? kind = null;
        try
        {
            var head = bytes.At(0, 4096);
            if (head.Length >= 2048 && Field.U16(head, 1024 + 56) == 0xEF53)
            {
                var ext = new ExtTree(bytes);
                return ext.Strange is null
                    ? (ext, ext.Kind, null)
                    : (null, ext.Kind, $"it uses ext4 features that are not read here: {ext.Strange}");
            }
            if (head.Length >= 512 && head[510] == 0x55 && head[511] == 0xAA && FatTree.Looks(head))
                return (new FatTree(bytes), "vfat", null);
            kind = Layers.KindOf(bytes) ?? Other(bytes, head);
            FileTree? tree = kind switch
            {
                "squashfs" => new SquashTree(bytes, unpack ?? (_ => null)),
                "btrfs" => new BtrfsTree(bytes, unpack ?? (_ => null)),
                "erofs" => new ErofsTree(bytes),
                "f2fs" => new F2fsTree(bytes),
                "xfs" => new XfsTree(bytes),
                _ => null,
            };
            return (tree, kind, null);
        }
        catch (NotReadHereException e)
        {
            return (null, kind, e.Message);
        }
        catch (UnreadableException e)
        {
            return (null, null, e.Message);
        }
    }

    /// <summary>The name of a file system by its magic (libblkid's table); null for none.</summary>
    private static string? Other(ImageBytes bytes, byte[] head) =>
        head.Length < 4096 ? null
        : Field.U32(head, 1024) == 0xF2F52010 ? "f2fs"
        : Field.U32(head, 1024) == 0xE0F5E1E2 ? "erofs"
        : Field.U32(head, 0) == 0x73717368 ? "squashfs"
        : head.AsSpan(0, 4).SequenceEqual("XFSB"u8) ? "xfs"
        : head.AsSpan(4086, 10).SequenceEqual("SWAPSPACE2"u8) ? "swap"
        : bytes.At(0x10040, 8).AsSpan().SequenceEqual("_BHRfS_M"u8) ? "btrfs"
        : bytes.At(0x8001, 5).AsSpan().SequenceEqual("CD001"u8) ? "iso9660"
        : head.AsSpan(3, 8).SequenceEqual("EXFAT   "u8) ? "exfat"
        : head.AsSpan(3, 8).SequenceEqual("NTFS    "u8) ? "ntfs"
        : null;
}
