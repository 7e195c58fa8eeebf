using System.Buffers.Binary;
using System.Globalization;
using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;

namespace Buttonhook.Core.Preparing;

/// <summary>A system as it lies on a card that is put together, and how its boot went when it was played from there.</summary>
/// <param name="Root">The number of its root partition, from 1, on the card or on the drive.</param>
/// <param name="PartUuid">What root= names.</param>
/// <param name="Dry">The boot of this entry of the menu and of no other; null before it was played.</param>
public sealed record LaidSystem(string ImageId, string Title, int Root, string PartUuid, DryBoot? Dry = null)
{
    /// <summary>The system that a boot started, by the root that its kernel was told; null when it was none of these.</summary>
    /// <param name="commandLine">As the kernel reported it, or null.</param>
    public static LaidSystem? Started(IReadOnlyList<LaidSystem>? systems, string? commandLine) =>
        systems?.FirstOrDefault(s =>
            string.Equals(KernelCommandLine.RootOf(commandLine), $"PARTUUID={s.PartUuid}", StringComparison.OrdinalIgnoreCase)
        );
}

/// <summary>A system that is to be laid onto a card.</summary>
public sealed record SystemToLay(string ImageId, string Title, StartFiles Start);

/// <summary>
/// A card that is put together from systems: a table with a FAT partition that holds the loader's menu, the kernels and initial files, and the
/// roots behind it, or one root on a drive.
/// </summary>
/// <param name="DiskId">The id of the card's table, which PARTUUID= begins with.</param>
/// <param name="Boot">The FAT partition.</param>
/// <param name="Roots">The root of each system in order; on the drive when there is one.</param>
/// <param name="DriveId">The id of the drive's table; null without a drive.</param>
public sealed record CardLayout(
    StorageLayout Layout,
    uint DiskId,
    Partition Boot,
    IReadOnlyList<Partition> Roots,
    IReadOnlyList<SystemToLay> Systems,
    uint? DriveId
)
{
    private const int Sector = 512;
    private const int MostRoots = 3;

    /// <summary>Behind the header and the 128 entries of a GPT (UEFI specification, 5.3), which a table of this kind would not outlive.</summary>
    private const int BehindGpt = 34 * Sector;

    /// <summary>Lays out up to three systems behind a menu; systems that do not fit, or too many of them, are a problem.</summary>
    /// <param name="diskId">Any number; two cards should not have the same.</param>
    public static Answer<CardLayout> Menu(IReadOnlyList<SystemToLay> systems, long cardBytes, uint diskId)
    {
        if (systems.Count is < 2 or > MostRoots)
            return new Problem(
                $"A menu is for two or {MostRoots} systems: a table of this kind has four partitions, one of them for the loader.",
                $"{systems.Count} {(systems.Count == 1 ? "is" : "are")} chosen.",
                "Choose one or two more beside the image of this board."
            );
        if (systems.FirstOrDefault(s => s.Start.Loader != systems[0].Start.Loader) is { } other)
            return new Problem(
                "All systems of a menu should be started by the loader of this board.",
                $"{other.Title} is started in another way than {systems[0].Title}.",
                "Choose another one."
            );
        if (systems.FirstOrDefault(s => s.Start.CommandFile is not null) is { } fixedPlace)
            return new Problem(
                "The loader of this board should have a menu.",
                $"It starts {fixedPlace.Title} from a fixed place, and has none.",
                "Take the layout with one system on the card, or with the loader on the card."
            );
        var boot = BootOf(systems, diskId);
        var at = boot.EndBytes;
        var free = cardBytes - at - Sizes.MiB - systems.Sum(s => Even(s.Start.Root.LengthBytes));
        if (free < 0)
            return new Problem(
                "The systems should fit on the card together.",
                $"They take {Sizes.Binary(cardBytes - free)}; the card holds {Sizes.Binary(cardBytes)}.",
                "Use a larger card, or leave one out."
            );
        var roots = new List<Partition>();
        foreach (var system in systems)
        {
            // Each root has room of its own, for none may grow over the next one.
            var length = Even(system.Start.Root.LengthBytes) + free / systems.Count / Sizes.MiB * Sizes.MiB;
            roots.Add(Root(roots.Count + 2, at, length, diskId));
            at += length;
        }
        return new CardLayout(StorageLayout.BootMenu, diskId, boot, roots, systems, null);
    }

    /// <summary>Lays the loader of a system onto a card and its root onto a drive; a medium that is too small is a problem.</summary>
    public static Answer<CardLayout> LoaderOnCard(SystemToLay system, long cardBytes, long driveBytes, uint diskId, uint driveId)
    {
        var boot = BootOf([system], diskId);
        var need = Even(system.Start.Root.LengthBytes) + 2 * Sizes.MiB;
        if (cardBytes < boot.EndBytes || driveBytes < need)
            return new Problem(
                "Loader and system should fit on their media.",
                cardBytes < boot.EndBytes
                    ? $"The loader's part takes {Sizes.Binary(boot.EndBytes)}; the card holds {Sizes.Binary(cardBytes)}."
                    : $"The root takes {Sizes.Binary(need)}; the drive holds {Sizes.Binary(driveBytes)}.",
                "Use a larger one."
            );
        // A table of this kind counts 2 TiB.
        var length = Math.Min(driveBytes - 2 * Sizes.MiB, (1L << 41) - 2 * Sizes.MiB) / Sizes.MiB * Sizes.MiB;
        return new CardLayout(StorageLayout.LoaderOnCard, diskId, boot, [Root(1, Sizes.MiB, length, driveId)], [system], driveId);
    }

    private static Partition BootOf(IReadOnlyList<SystemToLay> systems, uint diskId)
    {
        var first = systems[0].Start;
        var bytes = systems.Sum(s => s.Start.Bytes);
        return new(
            1,
            Math.Max(4 * Sizes.MiB, Even(first.FirstPartitionAt)),
            Math.Max(LayoutPlan.LoaderBytes, Even(bytes * 5 / 4 + 32 * Sizes.MiB)),
            first.Loader == "efi" ? "ef" : "0e",
            $"{diskId:x8}-01",
            null,
            true
        );
    }

    private static Partition Root(int number, long at, long length, uint id) =>
        new(number, at, length, "83", $"{id:x8}-{number:x2}", null, false);

    private static long Even(long bytes) => (bytes + Sizes.MiB - 1) / Sizes.MiB * Sizes.MiB;

    /// <summary>Where each system lies, before its boot is played.</summary>
    public IReadOnlyList<LaidSystem> Laid => [.. Systems.Zip(Roots, (s, r) => new LaidSystem(s.ImageId, s.Title, r.Number, r.PartUuid))];

    /// <summary>Which bytes in front of the first partition of the first image come along: the board's first loader may be among them.</summary>
    public (long From, long To) LoaderArea =>
        Systems[0].Start is { TableKind: not "none" } start
            ? (start.TableKind == "gpt" ? BehindGpt : Sector, Math.Min(Boot.StartBytes, start.FirstPartitionAt))
            : (0, 0);

    /// <summary>The first sector of the card: a table of the MBR kind.</summary>
    public byte[] Table() => Table(DiskId, DriveId is null ? [Boot, .. Roots] : [Boot]);

    /// <summary>The first sector of the drive; null without one.</summary>
    public byte[]? DriveTable() => DriveId is { } id ? Table(id, Roots) : null;

    private static byte[] Table(uint id, IReadOnlyList<Partition> partitions)
    {
        var mbr = new byte[Sector];
        BinaryPrimitives.WriteUInt32LittleEndian(mbr.AsSpan(440), id);
        foreach (var p in partitions)
        {
            var entry = mbr.AsSpan(446 + (p.Number - 1) * 16);
            entry[0] = (byte)(p.Bootable ? 0x80 : 0);
            // Places that cylinders, heads and sectors cannot tell are FE FF FF.
            entry[1] = entry[5] = 0xFE;
            entry[2] = entry[3] = entry[6] = entry[7] = 0xFF;
            entry[4] = byte.Parse(p.Type, NumberStyles.HexNumber, CultureInfo.InvariantCulture);
            BinaryPrimitives.WriteUInt32LittleEndian(entry[8..], (uint)(p.StartBytes / Sector));
            BinaryPrimitives.WriteUInt32LittleEndian(entry[12..], (uint)(p.LengthBytes / Sector));
        }
        mbr[510] = 0x55;
        mbr[511] = 0xAA;
        return mbr;
    }

    /// <summary>The label of the FAT partition: that of the first image, for programs of a first boot look for it.</summary>
    public string BootLabel => Systems[0].Start.BootLabel ?? "BOOT";

    /// <summary>All files of the FAT partition: what lay beside the first system, each system's own in its folder, and the menu.</summary>
    public IReadOnlyList<StartFile> BootFiles()
    {
        var first = Systems[0].Start;
        if (first.CommandFile is { } command)
            return [.. first.Beside.Select(f => f.Name == command ? f with { Bytes = WithRoot(f.Bytes) } : f)];
        var menu = Encoding.UTF8.GetBytes(first.Loader == "efi" ? GrubMenu() : ExtlinuxMenu());
        var files = first.Beside.Where(f => !IsMenu(f.Name, first.Loader)).ToDictionary(f => f.Name, StringComparer.OrdinalIgnoreCase);
        for (var n = 0; n < Systems.Count; n++)
            foreach (var file in FilesOf(Systems[n].Start))
                files[$"{Folder(n)}/{file.Name}"] = file with { Name = $"{Folder(n)}/{file.Name}" };
        IEnumerable<string> places =
            first.Loader != "efi"
                ? ["/extlinux/extlinux.conf"]
                : ["/EFI/BOOT/grub.cfg", .. first.Beside.Select(f => f.Name).Where(n => IsMenu(n, "efi"))];
        foreach (var place in places)
            files[place] = new(place, menu);
        return [.. files.Values];
    }

    /// <summary>Files that the loader would take instead of this menu, or that this menu takes the place of.</summary>
    private static bool IsMenu(string path, string loader) =>
        loader == "efi"
            ? path.EndsWith("/grub.cfg", StringComparison.OrdinalIgnoreCase)
            : path.EndsWith("/extlinux.conf", StringComparison.OrdinalIgnoreCase)
                || path.EndsWith("/boot.scr", StringComparison.OrdinalIgnoreCase)
                || path.EndsWith("/boot.scr.uimg", StringComparison.OrdinalIgnoreCase);

    private static string Folder(int n) => $"/system-{n + 1}";

    private static IEnumerable<StartFile> FilesOf(StartFiles start) =>
        [
            start.Kernel,
            .. start.InitialFiles is { } initial ? [initial] : (StartFile[])[],
            .. start.Tree is { } tree ? [tree] : (StartFile[])[],
            .. start.Trees.Select(t => t with { Name = $"trees/{t.Name}" }),
        ];

    /// <summary>The command line of a system with its root as it lies here.</summary>
    private string CommandLine(int n)
    {
        var words = new KernelCommandLine(Systems[n].Start.CommandLine).Words.Where(w => !IsOfTheOldRoot(w));
        return string.Join(' ', [$"root=PARTUUID={Roots[n].PartUuid}", "rootwait", .. words]);
    }

    /// <summary>The file of a command line whose first line names the root as it lies here; the rest of it stays as it is.</summary>
    private byte[] WithRoot(byte[] file)
    {
        var lines = Encoding.UTF8.GetString(file).Split('\n');
        var words = lines[0].TrimEnd('\r').Split(' ', StringSplitOptions.RemoveEmptyEntries).Where(w => !IsOfTheOldRoot(w));
        lines[0] = string.Join(' ', [$"root=PARTUUID={Roots[0].PartUuid}", "rootwait", .. words]);
        return Encoding.UTF8.GetBytes(string.Join('\n', lines));
    }

    private static bool IsOfTheOldRoot(string word) =>
        word.StartsWith("root=", StringComparison.Ordinal)
        || word.StartsWith("BOOT_IMAGE=", StringComparison.Ordinal)
        || word.StartsWith("resume=", StringComparison.Ordinal)
        || word == "rootwait";

    private static string OneLine(string title) =>
        string.Join(
            ' ',
            title.Split((char[])[' ', '\t', '\r', '\n', '"', '\'', '{', '}', '$', '\\'], StringSplitOptions.RemoveEmptyEntries)
        );

    /// <summary>The menu as U-Boot reads it (boot/pxe_utils.c): shown for five seconds, counted in tenths; one system needs no choice.</summary>
    private string ExtlinuxMenu()
    {
        var text = new StringBuilder(
            Systems.Count > 1 ? "menu title Systems on this card\nprompt 1\ntimeout 50\ndefault system-1\n" : "default system-1\n"
        );
        for (var n = 0; n < Systems.Count; n++)
        {
            var start = Systems[n].Start;
            text.Append(CultureInfo.InvariantCulture, $"\nlabel system-{n + 1}\n\tmenu label {OneLine(Systems[n].Title)}\n");
            text.Append(CultureInfo.InvariantCulture, $"\tlinux {Folder(n)}/{start.Kernel.Name}\n");
            if (start.InitialFiles is { } initial)
                text.Append(CultureInfo.InvariantCulture, $"\tinitrd {Folder(n)}/{initial.Name}\n");
            if (start.Tree is { } tree)
                text.Append(CultureInfo.InvariantCulture, $"\tfdt {Folder(n)}/{tree.Name}\n");
            else if (start.Trees.Count > 0)
                text.Append(CultureInfo.InvariantCulture, $"\tfdtdir {Folder(n)}/trees\n");
            text.Append(CultureInfo.InvariantCulture, $"\tappend {CommandLine(n)}\n");
        }
        return text.ToString();
    }

    /// <summary>The menu as GRUB reads it (GRUB manual, chapter 16).</summary>
    private string GrubMenu()
    {
        var text = new StringBuilder($"set timeout={(Systems.Count > 1 ? 5 : 1)}\nset default=0\n");
        for (var n = 0; n < Systems.Count; n++)
        {
            var start = Systems[n].Start;
            text.Append(CultureInfo.InvariantCulture, $"\nmenuentry \"{OneLine(Systems[n].Title)}\" {{\n");
            text.Append(CultureInfo.InvariantCulture, $"\tlinux {Folder(n)}/{start.Kernel.Name} {CommandLine(n)}\n");
            if (start.InitialFiles is { } initial)
                text.Append(CultureInfo.InvariantCulture, $"\tinitrd {Folder(n)}/{initial.Name}\n");
            if (start.Tree is { } tree)
                text.Append(CultureInfo.InvariantCulture, $"\tdevicetree {Folder(n)}/{tree.Name}\n");
            text.Append("}\n");
        }
        return text.ToString();
    }

    /// <summary>
    /// A mount table (fstab(5)) that names the new root, and the boot partition where its files stayed at their places; what lay on other
    /// partitions of the image is not on this card, and its lines are kept as comments.
    /// </summary>
    public string MountTable(int n, string text)
    {
        var lines = text.Split('\n');
        for (var i = 0; i < lines.Length; i++)
        {
            var words = lines[i].Split((char[])[' ', '\t'], StringSplitOptions.RemoveEmptyEntries);
            if (words.Length < 3 || words[0].StartsWith('#'))
                continue;
            void Name(Partition partition)
            {
                var at = lines[i].IndexOf(words[0], StringComparison.Ordinal);
                lines[i] = lines[i][..at] + $"PARTUUID={partition.PartUuid}" + lines[i][(at + words[0].Length)..];
            }
            if (words[1] == "/")
                Name(Roots[n]);
            else if (Systems[n].Start.CommandFile is not null && words[2] == "vfat" && IsBelowBoot(words[1]))
                Name(Boot);
            else if (words[0].StartsWith("/dev/", StringComparison.Ordinal) || words[0].Contains('=') && !words[0].Contains(':'))
                lines[i] = "# not on this card: " + lines[i];
        }
        return string.Join('\n', lines);
    }

    private static bool IsBelowBoot(string place) => place == "/boot" || place.StartsWith("/boot/", StringComparison.Ordinal);
}
