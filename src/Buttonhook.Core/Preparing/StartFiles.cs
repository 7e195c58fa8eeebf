using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Preparing;

/// <summary>One file that starts a system, by its name without a folder.</summary>
public sealed record StartFile(string Name, byte[] Bytes);

/// <summary>What starts the system of an image, wherever its own loader takes it from.</summary>
/// <param name="Loader">The way of the loader: distro, efi or keyvalue.</param>
/// <param name="CommandLine">As the loader of the image hands it over.</param>
/// <param name="Trees">Device trees to choose from by the loader's own name for the board; paths from their folder.</param>
/// <param name="Root">The partition of the root, an ext file system.</param>
/// <param name="MountTable">The text of its /etc/fstab, or null.</param>
/// <param name="Beside">The other files of the FAT partition that it starts from: first loaders, settings of a first boot.</param>
/// <param name="BootLabel">The label of that partition, or null.</param>
/// <param name="FirstPartitionAt">Where the first partition begins, in bytes: what lies in front of it may be the board's first loader.</param>
/// <param name="CommandFile">
/// Of a loader without a menu, that takes one kernel from a fixed place: the file that holds the command line. All that starts the system is
/// then among <paramref name="Beside"/>, at its place. Null where a menu is written.
/// </param>
public sealed record StartFiles(
    string Loader,
    string CommandLine,
    StartFile Kernel,
    StartFile? InitialFiles,
    StartFile? Tree,
    IReadOnlyList<StartFile> Trees,
    Partition Root,
    string? MountTable,
    IReadOnlyList<StartFile> Beside,
    string? BootLabel,
    string TableKind,
    long FirstPartitionAt,
    string? CommandFile = null
)
{
    private const int MostTrees = 4000;
    private const long MostBeside = 64 << 20;

    /// <summary>What a boot partition may hold whose files stay at their places.</summary>
    private const long MostKept = 512 << 20;

    /// <summary>What all its files take in bytes.</summary>
    public long Bytes =>
        CommandFile is not null
            ? Beside.Sum(f => f.Bytes.LongLength)
            : Kernel.Bytes.LongLength
                + (InitialFiles?.Bytes.LongLength ?? 0)
                + (Tree?.Bytes.LongLength ?? 0)
                + Trees.Sum(t => t.Bytes.LongLength)
                + Beside.Sum(f => f.Bytes.LongLength);

    /// <summary>Finds it by playing the boot of an image on a board; an image that does not start there, or whose files cannot be taken apart, is a problem.</summary>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</param>
    public static Answer<StartFiles> Of(string title, ImageBytes image, DryBoard board, Func<Stream, Stream?> unpack)
    {
        Problem Not(string came) =>
            new(
                $"{title} should be one that can be put together anew: kernel, initial files and root apart.",
                came,
                "Take another image, or the layout with one system on the card."
            );
        var table = PartitionTable.Read(image);
        var volumes = Volume.All(image, table, unpack);
        var (run, dry) = DryBooter.Play(image, table, volumes, board, unpack);
        if (run.Board.Loader == "bios")
            return Not("The loader of this board is found by numbers of sectors, which do not move with it.");
        if (run.Handover is not { } handover || dry.Verdict == DryVerdict.DoesNotBoot)
            return Not(dry.Broken.FirstOrDefault()?.Text ?? "Its loader starts no kernel.");
        if (run.Board.Loader == "efi" && !handover.Where.Contains("grub.cfg", StringComparison.Ordinal))
            return Not("Its loader takes its entries from elsewhere than grub.cfg.");
        if (FileAt(handover.KernelWhere, volumes) is not { } kernel)
            return Not($"Its kernel lies in no file of its own ({handover.KernelWhere}).");
        if (run.Root is not { Mapped: null, Tree: { Kind: "ext2" or "ext3" or "ext4" } tree } root)
            return Not(
                run.Root is null
                    ? "Its root is not told."
                    : $"Its root is {run.Root.Kind ?? "not known"}; only ext file systems are copied here."
            );
        var boot = volumes.FirstOrDefault(v => v.Tree is { Kind: "vfat" } && v != root);
        string? commandFile = null;
        if (run.Board.Loader == "keyvalue")
        {
            // p1:/cmdline.txt:1
            (boot, commandFile) = handover.Where.Split(':') is [['p', .. var number], var path, ..]
                ? (volumes.FirstOrDefault(v => v.Mapped is null && $"{v.Partition.Number}" == number), path)
                : (null, null);
            if (boot?.Tree is not { Kind: "vfat" } fat || boot == root || fat.Find(commandFile!) is null)
                return Not("Its command line lies in no file of a FAT boot partition.");
        }
        var taken = new[] { handover.KernelWhere, handover.InitialFiles?.Where, handover.Tree?.Where }.OfType<string>().ToHashSet();
        var files = new StartFiles(
            run.Board.Loader ?? "distro",
            handover.CommandLine.TrimEnd('\r'),
            new(FileName(handover.KernelWhere), kernel),
            handover.InitialFiles is { } initial ? new("initrd.img", initial.Bytes) : null,
            handover.Tree is { } given ? new("board.dtb", given.Bytes) : null,
            handover.Tree is null && handover.TreeFolder is { } folder ? TreesIn(folder, volumes) : [],
            root.Partition,
            tree.Read("/etc/fstab", 1 << 20) is { } mounts ? Encoding.UTF8.GetString(mounts) : null,
            boot is null ? []
                : commandFile is null ? [.. Besides(boot, taken)]
                : [.. All(boot)],
            boot?.Tree!.Label,
            table.Kind,
            table.Partitions.Count == 0 ? 0 : table.Partitions.Min(p => p.StartBytes),
            commandFile
        );
        return commandFile is not null && files.Bytes > MostKept
            ? Not($"Its boot partition holds more than {Sizes.Binary(MostKept)}.")
            : files;
    }

    /// <summary>Every file at its place, as far as it may be held.</summary>
    private static IEnumerable<StartFile> All(Volume boot)
    {
        long bytes = 0;
        foreach (var path in FilesBelow(boot.Tree!, "/"))
            if (bytes <= MostKept && boot.Tree!.Read(path) is { } content)
            {
                bytes += content.LongLength;
                yield return new(path, content);
            }
    }

    private static string FileName(string where) => where[(where.LastIndexOf('/') + 1)..];

    /// <summary>The file that a finding names (p1:/path), or null.</summary>
    private static byte[]? FileAt(string where, IReadOnlyList<Volume> volumes) =>
        where.Split(':', 2) is [['p', .. var number], ['/', ..] and var path]
        && volumes.FirstOrDefault(v => v.Mapped is null && $"{v.Partition.Number}" == number)?.Tree is { } tree
            ? tree.Read(path)
            : null;

    private static List<StartFile> TreesIn(string where, IReadOnlyList<Volume> volumes)
    {
        var list = new List<StartFile>();
        if (
            where.Split(':', 2) is not [['p', .. var number], var folder]
            || volumes.FirstOrDefault(v => $"{v.Partition.Number}" == number)?.Tree is not { } tree
        )
            return list;
        foreach (var path in FilesBelow(tree, "/" + folder.Trim('/')))
            if (path.EndsWith(".dtb", StringComparison.Ordinal) && list.Count < MostTrees && tree.Read(path) is { } bytes)
                list.Add(new(path[(folder.TrimEnd('/').Length + 1)..], bytes));
        return list;
    }

    private static IEnumerable<string> FilesBelow(FileTree tree, string folder, int depth = 0)
    {
        foreach (var name in tree.List(folder))
        {
            var path = $"{folder.TrimEnd('/')}/{name}";
            if (tree.Find(path) is not { } entry)
                continue;
            if (!entry.IsFolder)
                yield return path;
            else if (depth < 8)
                foreach (var below in FilesBelow(tree, path, depth + 1))
                    yield return below;
        }
    }

    /// <summary>Files of the boot partition that this system does not start with; kernels of other versions are too large to come along.</summary>
    private static IEnumerable<StartFile> Besides(Volume boot, HashSet<string> taken)
    {
        long bytes = 0;
        foreach (var path in FilesBelow(boot.Tree!, "/"))
        {
            if (taken.Contains(boot.Name(path)))
                continue;
            if (path.EndsWith(".dtb", StringComparison.Ordinal) || boot.Tree!.Find(path) is not { Size: < 16 << 20 } entry)
                continue;
            if ((bytes += entry.Size) > MostBeside)
                yield break;
            if (boot.Tree.Read(path) is { } content)
                yield return new(path, content);
        }
    }
}
