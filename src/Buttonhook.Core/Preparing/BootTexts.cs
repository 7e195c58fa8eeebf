using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;

namespace Buttonhook.Core.Preparing;

/// <summary>Finds the configuration files of an image or a card: which partition holds them, and their texts.</summary>
/// <param name="RootKind">The file system of the root, as mount(8) calls it; null without a root that is read here.</param>
public sealed record BootTexts(Partition BootPartition, bool BootIsExt, Partition? RootPartition, ImageTexts Texts, string? RootKind = null)
{
    /// <summary>Why no file can be written to the root; null when it can be: it is an ext file system.</summary>
    public string? RootRefuses =>
        RootPartition is null
            ? "What is set goes onto the root file system of this image, which is not found here. Leave it empty, write the image as it is, and set it after the first login."
        : RootKind?.StartsWith("ext", StringComparison.Ordinal) != true
            ? $"What is set goes onto the root file system of this image, which is {RootKind}; files are written onto ext4 and FAT only. Leave it empty, write the image as it is, and set it after the first login."
        : null;

    private const int LargestText = 1 << 20;
    private static readonly string[] Fixed =
    [
        "/config.txt",
        "/cmdline.txt",
        "/extlinux/extlinux.conf",
        "/boot/extlinux/extlinux.conf",
        "/grub/grub.cfg",
        "/boot/grub/grub.cfg",
        "/EFI/BOOT/grub.cfg",
        "/user-data",
        "/network-config",
        "/meta-data",
        "/firstboot.sh",
    ];

    /// <summary>Reads them; a problem when no partition holds a loader's configuration.</summary>
    public static Answer<BootTexts> Of(ImageBytes image)
    {
        try
        {
            var volumes = Volume
                .All(image, PartitionTable.Read(image))
                .Where(v => v is { Tree: not null, Mapped: null, Partition.Number: > 0 })
                .Select(v => (v.Partition, Tree: v.Tree!, Files: TextsIn(v.Tree!)))
                .ToList();
            var root = volumes.FirstOrDefault(v => v.Tree.Kind != "vfat" && v.Tree.Find("/etc") is not null);
            var boot = volumes
                .Where(v => Loader(v.Files) != LoaderConfig.None)
                .OrderBy(v => Loader(v.Files) == LoaderConfig.Grub && !v.Files.Values.Any(HasKernelLine))
                .ThenBy(v => v.Tree.Kind != "vfat")
                .FirstOrDefault();
            if (boot.Tree is null)
                boot = volumes.FirstOrDefault(v => v.Tree.Kind == "vfat");
            if (boot.Tree is null)
                return new Problem(
                    "The image should have a partition with its loader's configuration.",
                    "None of its partitions has one that is read here.",
                    "Write the image as it is, and set it up after the first login."
                );
            var isExt = boot.Tree.Kind != "vfat";
            var (mount, mounted) = isExt ? ("", true) : MountOf(root.Tree, boot.Partition, boot.Tree);
            return new BootTexts(
                boot.Partition,
                isExt,
                root.Tree is null ? null : root.Partition,
                new(
                    boot.Files,
                    mount,
                    boot.Tree.Label,
                    root.Tree is not null
                        && (root.Tree.Find("/etc/cloud") is not null || root.Tree.Find("/usr/bin/cloud-init") is not null),
                    root.Tree?.HasSystemd == true,
                    mounted,
                    root.Tree is null ? null : RootSystem.Of(root.Tree)
                ),
                root.Tree?.Kind
            );
        }
        catch (UnreadableException e)
        {
            return new Problem(
                "The file systems of the image should be readable.",
                $"They are not: {e.Message}.",
                "Download the image again and compare its checksum."
            );
        }
    }

    private static LoaderConfig Loader(IReadOnlyDictionary<string, string> files) => new ImageTexts(files, "", null, false, false).Loader;

    private static bool HasKernelLine(string text) =>
        text.Split('\n').Any(l => l.TrimStart().StartsWith("linux", StringComparison.Ordinal));

    private static Dictionary<string, string> TextsIn(FileTree tree)
    {
        var files = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        void Take(string path)
        {
            if (tree.Find(path) is { IsFolder: false, Size: <= LargestText } && tree.Read(path, LargestText) is { } bytes)
                files[path] = Encoding.UTF8.GetString(bytes);
        }
        foreach (var path in Fixed)
            Take(path);
        foreach (var folder in new[] { "/", "/boot/" })
        foreach (var name in tree.List(folder))
            if (ImageTexts.IsEnvironment(folder + name))
                Take(folder + name);
        foreach (var name in tree.List("/loader/entries"))
            if (name.EndsWith(".conf", StringComparison.OrdinalIgnoreCase))
                Take("/loader/entries/" + name);
        foreach (var name in tree.List("/EFI"))
            Take($"/EFI/{name}/grub.cfg");
        if (FirstBootFiles.ValueOf(files.GetValueOrDefault("/config.txt") ?? "", "cmdline") is { } command)
            Take("/" + command.Trim().TrimStart('/'));
        return files;
    }

    /// <summary>Where fstab mounts the boot partition, null when it does not say, and whether it does so at the start.</summary>
    private static (string? At, bool Mounted) MountOf(FileTree? root, Partition partition, FileTree boot)
    {
        if (root?.Read("/etc/fstab", LargestText) is not { } bytes)
            return (null, false);
        foreach (var line in Encoding.UTF8.GetString(bytes).Split('\n'))
        {
            if (
                line.Split([' ', '\t'], StringSplitOptions.RemoveEmptyEntries) is not [var device, var at, ..] words
                || device.StartsWith('#')
            )
                continue;
            var value = device[(device.IndexOf('=') + 1)..].Trim('"');
            if (
                device.StartsWith("UUID=", StringComparison.Ordinal) && value.Equals(boot.Uuid, StringComparison.OrdinalIgnoreCase)
                || device.StartsWith("PARTUUID=", StringComparison.Ordinal)
                    && value.Equals(partition.PartUuid, StringComparison.OrdinalIgnoreCase)
                || device.StartsWith("LABEL=", StringComparison.Ordinal) && value == boot.Label
                || device.StartsWith("/dev/", StringComparison.Ordinal) && device.EndsWith($"p{partition.Number}", StringComparison.Ordinal)
            )
                return (at, words.Length < 4 || !words[3].Split(',').Contains("noauto"));
        }
        return (null, false);
    }
}
