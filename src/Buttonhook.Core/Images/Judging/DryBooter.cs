using System.Text;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Images;

/// <summary>Plays the boot of an image on a board without starting it, link by link.</summary>
internal sealed class DryBooter(
    ImageBytes image,
    PartitionTable table,
    IReadOnlyList<Volume> volumes,
    DryBoard board,
    Func<Stream, Stream?> unpack
)
{
    private readonly List<DryStep> steps = [];

    /// <summary>Whether a link broke that stops the boot; what lies behind it is looked at all the same, as far as it can be.</summary>
    private bool stopped;

    /// <summary>Hosts for cards on the board as its device tree tells: with several, the card need not be the first.</summary>
    private int cardHosts = 1;

    /// <summary>What the loader handed over, or null when the chain broke before.</summary>
    public Handover? Handover { get; private set; }

    /// <summary>The kernel command line as far as the chain was followed, or null.</summary>
    public string? CommandLine { get; private set; }

    /// <summary>How the loader of this board was taken to find a system, or null.</summary>
    public string? Loader => board.Loader;

    /// <summary>Plays the boot; where nobody knows how the board's loader finds a system, every way is tried and the one that comes furthest counts, as a guess.</summary>
    public static (DryBooter Booter, DryBoot Dry) Play(
        ImageBytes image,
        PartitionTable table,
        IReadOnlyList<Volume> volumes,
        DryBoard board,
        Func<Stream, Stream?> unpack
    )
    {
        (DryBooter Booter, DryBoot Dry) By(string? loader)
        {
            var booter = new DryBooter(image, table, volumes, board with { Loader = loader }, unpack);
            return (booter, booter.Run());
        }
        if (board.Loader is not null)
            return By(board.Loader);
        var ways = board.Architecture == InstructionSet.Amd64 ? (string[])["efi", "bios"] : ["distro", "keyvalue", "efi"];
        var best = ways.Select(By)
            .OrderBy(w => w.Dry.Verdict == DryVerdict.DoesNotBoot)
            .ThenByDescending(w => w.Booter.Handover is not null)
            .ThenByDescending(w => w.Dry.Steps.Count(s => s.Result == LinkResult.Passed))
            .First();
        var guess = new DryStep(
            Stage.SecondLoader,
            LinkResult.CannotTell,
            $"Nobody knows how this board's loader finds a system. {(best.Dry.Verdict == DryVerdict.DoesNotBoot ? "No way that is known here leads through; this one comes furthest" : "It goes through")} {Way(best.Booter.Loader)}.",
            null
        );
        return (
            best.Booter,
            new(best.Dry.Verdict == DryVerdict.Boots ? DryVerdict.CannotTell : best.Dry.Verdict, [guess, .. best.Dry.Steps])
        );
    }

    private static string Way(string? loader) =>
        loader switch
        {
            "efi" => "by an EFI program",
            "bios" => "by the first sectors of the disk",
            "keyvalue" => "by a key=value configuration",
            _ => "by extlinux.conf or a boot script",
        };

    public DryBoot Run()
    {
        try
        {
            var verdict = Play();
            if (stopped)
                verdict = DryVerdict.DoesNotBoot;
            var known = board.ConsoleDevice is not null && board.MemoryMiB is not null;
            return new(verdict == DryVerdict.Boots && !known ? DryVerdict.CannotTell : verdict, steps);
        }
        catch (UnreadableException e)
        {
            CannotTell(Stage.Root, $"The image cannot be read further: {e.Message}.", null);
            return new(stopped ? DryVerdict.DoesNotBoot : DryVerdict.CannotTell, steps);
        }
    }

    private void Pass(Stage stage, string text, string? file) => steps.Add(new(stage, LinkResult.Passed, text, file));

    private void CannotTell(Stage stage, string text, string? file) => steps.Add(new(stage, LinkResult.CannotTell, text, file));

    private DryVerdict Fail(Stage stage, string cause, string text, string fix, string? file, FileEdit? edit = null)
    {
        Warn(stage, cause, text, fix, file, edit);
        stopped = true;
        return DryVerdict.DoesNotBoot;
    }

    /// <summary>A broken link that does not stop the boot.</summary>
    private void Warn(Stage stage, string cause, string text, string fix, string? file, FileEdit? edit = null) =>
        steps.Add(new(stage, LinkResult.Failed, text, file, cause, fix, edit));

    private DryVerdict Play()
    {
        // An image that ends inside a partition was cut off; everything after is a consequence.
        if (table.Partitions.FirstOrDefault(p => p.EndBytes > image.Length) is { } cut)
            return Fail(
                Stage.SecondLoader,
                "image-truncated",
                $"Partition {cut.Number} ends at byte {cut.EndBytes}, the image at byte {image.Length}.",
                "Get the whole image and write it again.",
                $"partition table entry {cut.Number}"
            );
        if (table.UsableEndBytes > image.Length)
            return Fail(
                Stage.SecondLoader,
                "image-truncated",
                $"The partition table promises {table.UsableEndBytes} bytes, the image ends at byte {image.Length}: loaders and kernel refuse such a table.",
                "Get the whole image and write it again.",
                "partition table"
            );
        if (FileNature.Of(image, table) is { } nature)
            return Fail(Stage.FirstLoader, "no-boot-medium", $"{nature.Says} {nature.Why}", nature.Instead, "sector 0");
        if (FileNature.IsDisc(image) && board.Loader is not ("efi" or "bios"))
            return Fail(
                Stage.FirstLoader,
                "no-boot-medium",
                "It is an installer ISO: firmware of PCs and EFI firmware start it, the loader of this board does not.",
                "Get the image for this board, or one for cards.",
                "sector 64"
            );
        if (board is { FirstLoader: { } place, BootMedium: "sd" })
        {
            if (FirstLoaders.Stands(image, place.At, place.Bytes))
                Pass(Stage.FirstLoader, $"The boot ROM finds {place.Name}.", $"byte {place.At}");
            else
                Fail(
                    Stage.FirstLoader,
                    "no-boot-medium",
                    $"This board's boot ROM looks for {place.Name} at byte {place.At}; it is not there.",
                    "Use an image that is made for this board, or write its first loader onto the card.",
                    $"byte {place.At}"
                );
        }
        var passage = new Passage(image, volumes, board, unpack);
        var taken = BoardLoaders.Follow(passage);
        foreach (var (text, where) in passage.Found)
            Pass(Stage.SecondLoader, text, where);
        CommandLine = taken.Handover?.CommandLine ?? passage.CommandLine;
        foreach (var broken in taken.Breaks)
            if (broken.Cause is { } cause)
                Fail(
                    cause is "no-boot-medium" ? Stage.FirstLoader : Stage.SecondLoader,
                    cause,
                    broken.Text,
                    broken.Fix,
                    broken.Where,
                    broken.Edit
                );
            else
                CannotTell(Stage.SecondLoader, $"{broken.Text} {broken.Fix}", broken.Where);
        if (taken.Handover is not { } handover)
            return stopped ? DryVerdict.DoesNotBoot : DryVerdict.CannotTell;
        Handover = taken.Starts ? handover : null;
        cardHosts = Math.Max(1, handover.Tree is null ? 1 : DeviceTree.Read(handover.Tree.Bytes).CardHosts);
        if (passage.Found.Count == 0)
            Pass(Stage.SecondLoader, "The loader finds its configuration.", handover.Where);
        foreach (var (text, where) in passage.Notes)
            Pass(Stage.SecondLoader, text, where);
        if (handover.Kernel.Fault is null && (handover.Kernel.Architecture ?? board.Architecture) == board.Architecture)
            Pass(
                Stage.Kernel,
                $"The kernel is for {board.Architecture.Words()}{(handover.Kernel.Version is { } v ? $", version {v}" : "")}.",
                handover.KernelWhere
            );
        if (handover.Tree is not null)
            Pass(Stage.SecondLoader, "The device tree is there and for this board.", handover.Tree.Where);
        return InitialFileSystem(handover);
    }

    private DryVerdict InitialFileSystem(Handover h)
    {
        var arguments = new KernelCommandLine(h.CommandLine);
        InitialFiles? initial = null;
        if (h.InitialFiles is { } loaded)
        {
            initial = InitialFiles.Read(loaded.Bytes, unpack);
            if (initial.Fault is { } fault)
            {
                Fail(
                    Stage.Kernel,
                    "initrd-corrupt",
                    $"The initial file system cannot be unpacked: {fault}.",
                    "Copy the initial file system again.",
                    loaded.Where
                );
                return Root(h with { InitialFilesLost = true }, arguments, null);
            }
            var needed = (h.Kernel.Payload?.Length ?? 0) + loaded.Bytes.Length + initial.UnpackedBytes;
            if (board.MemoryMiB is not { } memory)
                CannotTell(
                    Stage.Kernel,
                    $"Cannot tell without the memory of the board: kernel and initial file system take {Sizes.Binary(needed)}.",
                    loaded.Where
                );
            else if (needed > (long)memory * Sizes.MiB * 9 / 10)
                Fail(
                    Stage.Kernel,
                    "out-of-memory",
                    $"Kernel and initial file system take {Sizes.Binary(needed)}; the board has {memory} MiB.",
                    "Take a smaller image.",
                    loaded.Where
                );
            var first = arguments.Last("rdinit") ?? "/init";
            var (architecture, wrong) = Programs.Look(first, p => initial.Find(p));
            if (architecture is { } set && !RunsOn(set))
                Fail(
                    Stage.Root,
                    "init-wrong-architecture",
                    $"The first program of the initial file system is for {set.Words()}.",
                    "Make the initial file system for this board.",
                    $"{loaded.Where} {first}"
                );
            else if (wrong is not null)
                Fail(
                    Stage.Root,
                    arguments.Last("rdinit") is null ? "initrd-corrupt" : "init-missing",
                    $"The initial file system cannot start: {wrong}.",
                    "Make the initial file system again.",
                    $"{loaded.Where} {first}"
                );
            else
                Pass(Stage.Root, "The initial file system unpacks and its first program runs here.", loaded.Where);
        }
        return Root(h, arguments, initial);
    }

    /// <summary>Programs of the board's own set, and 32-bit ARM ones on 64-bit ARM, where kernels carry the compatible mode.</summary>
    private bool RunsOn(InstructionSet set) =>
        set == board.Architecture || (board.Architecture == InstructionSet.Arm64 && set == InstructionSet.Armhf);

    private DryVerdict Root(Handover h, KernelCommandLine arguments, InitialFiles? initial)
    {
        var named = arguments.Last("root") is { Length: > 0 } root ? Named(h, root, initial) : null;
        if (arguments.Last("root") is not { Length: > 0 })
            Fail(
                Stage.Root,
                "root-arg-missing",
                "The kernel command line names no root.",
                "Add root= with the partition of this image.",
                h.Where,
                FileEdit.At(h.Where, null, $"root={Suggestion()}")
            );
        if (table.FirstCopyDamaged && board.Loader != "efi" && !arguments.Has("gpt"))
            Fail(
                Stage.Root,
                "root-not-found",
                "The first copy of the partition table is damaged. Loaders go on with the second one, the kernel does not: it sees no partition.",
                "Write the image again, or add gpt to the command line.",
                "partition table",
                FileEdit.At(h.Where, null, "gpt")
            );
        if (!h.InitialFilesLost && MediumDriver(h, initial) is { } undriven)
            Fail(
                Stage.Root,
                "root-not-found",
                $"Neither the kernel nor the initial file system has the driver {undriven}, so this medium does not appear.",
                $"Add the module {undriven} to the initial file system.",
                h.InitialFiles?.Where ?? h.KernelWhere
            );
        // Whether an initial file system that cannot be read waits by itself is not known.
        var slow =
            board.BootMedium is "usb" or "sd"
            && !h.InitialFilesLost
            && !arguments.Has("rootwait")
            && arguments.Last("rootdelay") is null
            && initial?.WaitsByItself != true;
        if (slow)
            Fail(
                Stage.Root,
                "root-not-found",
                $"{(board.BootMedium == "usb" ? "A USB disk" : "A card")} appears late and rootwait is not on the command line: the root is looked for once, too early.",
                "Add rootwait.",
                h.Where,
                FileEdit.At(h.Where, null, "rootwait")
            );
        // Behind a root that is not named rightly, the one that is meant is looked at.
        return (named ?? Meant()) is { } volume ? Mounted(h, arguments, initial, volume) : DryVerdict.DoesNotBoot;
    }

    /// <summary>The partition that root= names; null, and told, when there is none.</summary>
    private Volume? Named(Handover h, string root, InitialFiles? initial)
    {
        var volume = Resolve(root, out var why);
        if (volume is not null && root.Contains('"') && initial?.StartsWithScript == true)
        {
            volume = null;
            why = "the initial file system takes the quotation marks for a part of the name";
        }
        if (volume is null)
            Fail(
                Stage.Root,
                "root-not-found",
                $"root={Shown(root)}: {why}.",
                $"Name a root that is there, such as {Suggestion()}.",
                h.Where,
                FileEdit.At(h.Where, $"root={root}", $"root={Suggestion()}")
            );
        else
            Pass(Stage.Root, $"root={root} is partition {volume.Partition.Number} of this image.", h.Where);
        return volume;
    }

    /// <summary>The only partition that holds a system, whatever the command line names; null when there is none, or several.</summary>
    private Volume? Meant() =>
        volumes.Where(v => v.Tree is ExtTree t && (t.Find("/sbin/init") ?? t.Find("/etc")) is not null).ToList() is [var only]
            ? only
            : null;

    /// <summary>From the root as it is mounted to the login.</summary>
    private DryVerdict Mounted(Handover h, KernelCommandLine arguments, InitialFiles? initial, Volume volume)
    {
        var root = arguments.Last("root") ?? "";
        var kind = volume.Tree?.Kind ?? volume.Kind;
        if (kind is null)
            return Fail(
                Stage.Root,
                "rootfs-corrupt",
                $"No file system is recognised on partition {volume.Partition.Number}{(volume.Because is null ? "" : $": {volume.Because}")}{(HasBackup(volume) ? "; a copy of its superblock is still there" : "")}.",
                "Write the image again; a copy of the superblock can repair it (e2fsck -b).",
                volume.Name("")
            );
        if (arguments.Last("rootfstype") is { } types && !types.Split(',').Any(t => Mounts(t.TrimEnd('\r'), kind)))
            Fail(
                Stage.Root,
                "rootfs-unsupported",
                $"rootfstype={Shown(types)} is on the command line, and the root is {kind}: mounting it as anything else fails.",
                $"Set rootfstype={kind}, or take it off the command line.",
                h.Where,
                FileEdit.At(h.Where, $"rootfstype={types}", $"rootfstype={kind}")
            );
        if (!h.InitialFilesLost && Driver(kind, h, initial) is { } missing)
            _ = missing.Wrapped
                ? Fail(
                    Stage.Root,
                    "initrd-missing",
                    $"The kernel has no built-in driver for {kind}, and {h.InitialFilesMissing ?? "no initial file system is named"}.",
                    "Name the initial file system in the configuration.",
                    h.Where
                )
                : Fail(
                    Stage.Root,
                    "rootfs-unsupported",
                    $"The root file system is {kind}; neither the kernel nor the initial file system has a driver for it.",
                    $"Add the {kind} module to the initial file system.",
                    volume.Name("")
                );
        else if (initial is null && !h.InitialFilesLost && OnlyProgramsFind(root))
            Fail(
                Stage.Root,
                "root-not-found",
                $"root={Shown(root)} needs an initial file system: the kernel itself knows partitions by PARTUUID, PARTLABEL and device name only.",
                $"Name the root as PARTUUID={volume.Partition.PartUuid}.",
                h.Where,
                FileEdit.At(h.Where, $"root={root}", $"root=PARTUUID={volume.Partition.PartUuid}")
            );
        if (volume.Tree is not { } tree)
        {
            CannotTell(
                Stage.Root,
                $"{kind} is not read here{(volume.Because is null ? "" : $" ({volume.Because})")}, so what is on the root cannot be told.",
                volume.Name("")
            );
            return DryVerdict.CannotTell;
        }
        return Init(h, arguments, volume, tree);
    }

    /// <summary>Names of a root that only programs resolve, not the kernel (Linux init/do_mounts.c).</summary>
    private static bool OnlyProgramsFind(string root) =>
        root.StartsWith("UUID=", StringComparison.OrdinalIgnoreCase)
        || root.StartsWith("LABEL=", StringComparison.OrdinalIgnoreCase)
        || root.StartsWith("/dev/disk/", StringComparison.Ordinal);

    /// <summary>Whether a file system can be mounted under a name: ext4's driver takes the older kinds too.</summary>
    private static bool Mounts(string type, string kind) =>
        type == kind || type == "auto" || (type == "ext4" && kind is "ext2" or "ext3") || (type == "ext3" && kind == "ext2");

    /// <summary>The driver of the boot medium that a modular start lacks, or null: only where modules are there to be looked at and the kernel has it not built in.</summary>
    private string? MediumDriver(Handover h, InitialFiles? initial)
    {
        if (initial?.HasModules != true)
            return null;
        var (modules, marker) = board.BootMedium switch
        {
            "sd" => ((string[])["mmc_block"], "mmcblk"),
            "usb" => (["usb-storage", "usb_storage", "uas"], "usb-storage"),
            _ => (["virtio_blk"], "virtio_blk"),
        };
        return modules.Any(initial.HasModule) || h.Kernel.HasBuiltIn(marker) != false ? null : modules[0];
    }

    private static string Shown(string text) => text.Replace("\r", "<CR>", StringComparison.Ordinal);

    /// <summary>Whether a driver is missing for a file system; Wrapped when what is missing is the initial file system that would carry it.</summary>
    private (bool Wrapped, string Kind)? Driver(string kind, Handover h, InitialFiles? initial)
    {
        var module = kind is "ext2" or "ext3" ? "ext4" : kind;
        var marker = module switch
        {
            "ext4" => "EXT4-fs",
            "f2fs" => "F2FS-fs",
            "btrfs" => "BTRFS",
            "xfs" => "XFS (",
            "squashfs" => "SQUASHFS error",
            _ => module,
        };
        var builtIn = h.Kernel.HasBuiltIn(marker);
        if (initial is not null)
            return initial.HasModule(module) || builtIn != false && !initial.HasModules || builtIn == true ? null : (false, kind);
        return builtIn == false ? (true, kind) : null;
    }

    private bool HasBackup(Volume volume)
    {
        var bytes = image.Slice(volume.Partition.StartBytes, volume.Partition.LengthBytes);
        return new[] { 8193L * 1024, 16385L * 1024, 32768L * 4096 }.Any(at => bytes.At(at + 56, 2) is [0x53, 0xEF]);
    }

    private string Suggestion()
    {
        var best = volumes.FirstOrDefault(v => v.Tree is ExtTree t && (t.Find("/sbin/init") ?? t.Find("/etc")) is not null) ?? volumes[^1];
        return $"PARTUUID={best.Partition.PartUuid}";
    }

    /// <summary>The partition that a root or mount-table device names on this board's medium, or null with the reason.</summary>
    private Volume? Resolve(string device, out string why)
    {
        device = device.Trim('"');
        why = "no partition has it";
        Volume? By(Func<Volume, bool> fits) => volumes.FirstOrDefault(fits);
        if (device.Split('=', 2) is [var key, var value])
        {
            value = value.Trim('"');
            switch (key.ToUpperInvariant())
            {
                case "PARTUUID":
                    why = "no partition has this id";
                    return By(v => v.Partition.PartUuid.Equals(value, StringComparison.OrdinalIgnoreCase));
                case "UUID":
                    why = "no file system has this id";
                    return By(v => string.Equals(v.Tree?.Uuid, value, StringComparison.OrdinalIgnoreCase));
                case "LABEL":
                    why = "no file system has this label";
                    return By(v => v.Tree?.Label == value);
                case "PARTLABEL":
                    why = "no partition has this name";
                    return By(v => v.Partition.Name == value);
            }
        }
        if (device.StartsWith("/dev/disk/by-", StringComparison.Ordinal) && device[13..].Split('/', 2) is [var by, var id])
            return Resolve($"{by.ToUpperInvariant()}={id}", out why);
        var disk = board.BootMedium switch
        {
            "sd" => "/dev/mmcblk0p",
            "usb" => "/dev/sda",
            _ => "/dev/vda",
        };
        if (
            board.BootMedium == "sd"
            && device.StartsWith("/dev/mmcblk", StringComparison.Ordinal)
            && device.Length > 12
            && device[11] - '0' is >= 0 and var host
            && host < cardHosts
        )
            disk = device[..12] + "p";
        if (
            !device.StartsWith(disk, StringComparison.Ordinal)
            || !int.TryParse(device[disk.Length..], System.Globalization.NumberStyles.None, null, out var number)
        )
        {
            why =
                device == disk.TrimEnd('p')
                    ? $"that is the whole medium, and its partitions are called {disk}1 and so on"
                    : $"on this medium partitions are called {disk}1 and so on";
            return null;
        }
        why = "there is no such partition";
        return By(v => v.Partition.Number == number);
    }

    private DryVerdict Init(Handover h, KernelCommandLine arguments, Volume volume, FileTree tree)
    {
        FirstProgram(h, arguments, volume, tree);
        if (tree.HasSystemd)
            InsteadOfTheSystem(h, arguments);
        MountTable(volume, tree);
        ConsoleAndLogin(h, arguments, volume, tree);
        return DryVerdict.Boots;
    }

    /// <summary>Whether the first program of the root is there and runs on this board.</summary>
    private void FirstProgram(Handover h, KernelCommandLine arguments, Volume volume, FileTree tree)
    {
        var named = arguments.Last("init");
        var path = named ?? "/sbin/init";
        var where = named is null ? volume.Name(path) : h.Where;
        if (tree.Find(path) is not { } entry)
        {
            Fail(
                Stage.Root,
                "init-missing",
                $"{Shown(path)} is not on the root.",
                named is null ? "Put /sbin/init back." : "Take init= off the command line.",
                where,
                named is null ? null : FileEdit.At(h.Where, $"init={named}", "")
            );
            return;
        }
        if (entry.IsFolder || (!entry.IsExecutable && tree.Kind != "vfat"))
        {
            Fail(Stage.Root, "init-missing", $"{path} may not be executed.", "Make it executable (chmod +x).", where);
            return;
        }
        var (set, wrong) = Programs.Look(path, p => tree.Read(p, 4096));
        if (set is { } architecture && !RunsOn(architecture))
            Fail(
                Stage.Root,
                "init-wrong-architecture",
                $"{path} is for {architecture.Words()}, the board is {board.Architecture.Words()}.",
                "Use the image made for this instruction set.",
                volume.Name(path)
            );
        else if (wrong is not null)
            Fail(Stage.Root, "init-missing", $"{path} cannot start: {wrong}.", "Put the program back.", volume.Name(path));
        else
            Pass(Stage.Root, $"{path} is there and runs on this board.", volume.Name(path));
    }

    /// <summary>Words that make systemd start something else than the system (systemd-run-generator(8), systemd(1) kernel command line).</summary>
    private void InsteadOfTheSystem(Handover h, KernelCommandLine arguments)
    {
        if (arguments.Last("systemd.run") is { } command)
        {
            var after = arguments.Last("systemd.run_success_action")?.TrimEnd('\r') ?? "exit";
            Fail(
                Stage.Services,
                "getty-missing",
                $"systemd.run={Shown(command)} makes systemd start this one command instead of the system, at every boot; "
                    + (after == "none" ? "no login comes behind it." : $"behind it the board goes down ({after})."),
                "Take systemd.run= off the command line.",
                h.Where,
                FileEdit.At(h.Where, $"systemd.run={command}", "")
            );
            return;
        }
        var targets = new Dictionary<string, string>
        {
            ["emergency"] = "emergency.target",
            ["-b"] = "emergency.target",
            ["rescue"] = "rescue.target",
            ["single"] = "rescue.target",
            ["s"] = "rescue.target",
            ["S"] = "rescue.target",
            ["1"] = "rescue.target",
        };
        var word = arguments.Words.Select(w => w.TrimEnd('\r')).LastOrDefault(targets.ContainsKey);
        var unit = arguments.Last("systemd.unit")?.TrimEnd('\r') ?? (word is null ? null : targets[word]);
        if (unit is "emergency.target" or "rescue.target")
            Warn(
                Stage.Login,
                "getty-missing",
                $"The command line asks for {unit}: a shell for repairs comes instead of the system.",
                "Take the word off the command line.",
                h.Where,
                word is null ? FileEdit.At(h.Where, $"systemd.unit={arguments.Last("systemd.unit")}", "") : FileEdit.At(h.Where, word, "")
            );
    }

    private void MountTable(Volume volume, FileTree tree)
    {
        var lines = Encoding.UTF8.GetString(tree.Read("/etc/fstab", 1 << 20) ?? []).Split('\n');
        var systemd = tree.HasSystemd;
        for (var i = 0; i < lines.Length; i++)
        {
            var words = lines[i].Split([' ', '\t'], StringSplitOptions.RemoveEmptyEntries);
            if (
                words.Length < 4
                || words[0].StartsWith('#')
                || !(words[0].Contains('=') || words[0].StartsWith("/dev/", StringComparison.Ordinal))
            )
                continue;
            var options = words[3].Split(',');
            if (
                options.Contains("noauto")
                || options.Contains("nofail")
                || words[0].StartsWith("/dev/mapper", StringComparison.Ordinal)
                || Resolve(words[0], out _) is not null
            )
                continue;
            var at = $"{volume.Name("/etc/fstab")}:{i + 1}";
            Warn(
                Stage.Services,
                "fstab-device-missing",
                $"The mount table names {words[0]} for {words[1]}, which no partition of this image has.",
                "Take the line out, or add nofail.",
                at,
                FileEdit.At(at, words[3], $"{words[3]},nofail")
            );
            // systemd waits for it, and then gives a shell for repairs instead of the system.
            stopped |= systemd && words[1] != "/";
        }
        if (steps.All(s => s.Cause != "fstab-device-missing"))
            Pass(Stage.Services, "Every device of the mount table is there.", volume.Name("/etc/fstab"));
    }

    private void ConsoleAndLogin(Handover h, KernelCommandLine arguments, Volume volume, FileTree tree)
    {
        // The kernel takes a carriage return for a space; only programs that read the line themselves trip over it.
        var consoles = arguments.All("console").Select(c => c.TrimEnd('\r')).ToList();
        if (board.ConsoleDevice is null)
        {
            CannotTell(
                Stage.Kernel,
                $"Cannot tell without the board's console device whether anything is seen of this boot: {(consoles.Count > 0 ? $"the command line's is {string.Join(" and ", consoles)}" : "the command line names none")}.",
                h.Where
            );
            return;
        }
        var ours = consoles.FirstOrDefault(c => c.Split(',')[0] == board.ConsoleDevice);
        var byTree = consoles.Count == 0 && board.Architecture != InstructionSet.Amd64 && TreeNamesConsole(h);
        if (ours is null && !byTree)
            Warn(
                Stage.Kernel,
                "console-arg-missing",
                consoles.Count == 0
                        ? "No console is on the command line and the device tree names none: kernel and start-up messages do not reach the serial port."
                    : consoles.All(c => c.Length == 0)
                        ? "The command line has console= with nothing behind it: start-up messages go nowhere."
                    : $"The command line's console is {string.Join(" and ", consoles)}; the board's is {board.ConsoleDevice}.",
                $"Add {board.ConsoleArgument} to the command line.",
                h.Where,
                FileEdit.At(h.Where, null, board.ConsoleArgument!)
            );
        else if (
            ours is not null
            && ours.Split(',') is [_, var mode, ..]
            && Digits(mode) is { } speed
            && board.ConsoleSpeed is { } wanted
            && speed != wanted
        )
            Warn(
                Stage.Kernel,
                "console-speed-mismatch",
                $"The command line sets {speed} bits a second, the board's console runs at {wanted}.",
                $"Set {board.ConsoleArgument}.",
                h.Where,
                FileEdit.At(h.Where, $"console={ours}", board.ConsoleArgument!)
            );
        else
            Pass(
                Stage.Kernel,
                ours is null ? "The device tree names the console." : $"The command line names the board's console {board.ConsoleDevice}.",
                h.Where
            );
        if (arguments.Last("init")?.TrimEnd('\r').Split('/')[^1] is { } shell && shell is "sh" or "ash" or "bash" or "dash" or "busybox")
        {
            Warn(
                Stage.Login,
                "getty-missing",
                $"init={shell} starts a shell instead of the system: no service runs and no login appears.",
                "Take init= off the command line.",
                h.Where,
                FileEdit.At(h.Where, $"init={arguments.Last("init")}", "")
            );
            return;
        }
        var logins = LoginPorts.Of(tree);
        var consoleIsOurs = ours is not null || byTree;
        if (
            logins.Contains(board.ConsoleDevice)
            || (logins.Contains("console") && consoleIsOurs)
            || (logins.Contains("systemd") && ours is not null)
        )
            Pass(Stage.Login, $"A login waits on {board.ConsoleDevice}.", volume.Name("/etc/inittab"));
        else if (!(logins.Contains("console") && !consoleIsOurs))
            Warn(
                Stage.Login,
                "getty-missing",
                logins.Count == 0
                    ? "No login is set up on any port."
                    : $"Logins are on {string.Join(", ", logins)}, none on {board.ConsoleDevice}.",
                $"Add a login on {board.ConsoleDevice}.",
                volume.Name("/etc/inittab"),
                tree.Find("/etc/inittab") is null
                    ? null
                    : new FileEdit(
                        volume.Partition.Number,
                        "/etc/inittab",
                        0,
                        null,
                        $"{board.ConsoleDevice}::respawn:/sbin/getty -L {board.ConsoleDevice} {board.ConsoleSpeed ?? 0} vt100"
                    )
            );
    }

    private static int? Digits(string mode) =>
        int.TryParse(new string([.. mode.TakeWhile(char.IsAsciiDigit)]), out var speed) ? speed : null;

    private static bool TreeNamesConsole(Handover h)
    {
        if (h.Tree is null)
            return h.OwnTree;
        try
        {
            return DeviceTree.Read(h.Tree.Bytes).HasConsole;
        }
        catch (UnreadableException)
        {
            return false;
        }
    }
}
