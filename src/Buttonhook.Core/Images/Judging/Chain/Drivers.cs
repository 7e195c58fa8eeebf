using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Judging.Chain;

/// <summary>Drivers that a start needs: in the kernel itself, or as a module of the initial file system that fits this kernel, with all that it depends on.</summary>
internal static class Drivers
{
    /// <summary>Why the driver of the board's medium is missing, as the begin of a sentence; null when it is there, or cannot be told.</summary>
    public static string? OfMedium(DryRun run)
    {
        // Without modules in the initial file system there is nothing to look at.
        if (run.Initial?.HasModules != true)
            return null;
        var (modules, marker) = Medium(run, run.Root);
        return modules.Any(m => BuiltIn(run, m, marker) != false) ? null : Lack(run, modules);
    }

    /// <summary>Media of which neither kernel nor initial file system has a driver; none where that cannot be told.</summary>
    public static IReadOnlyList<string> OtherMedia(DryRun run) =>
        run.Initial?.HasModules != true
            ? []
            :
            [
                .. Media
                    .Where(m => m.Modules.All(d => BuiltIn(run, d, m.Marker) == false && !run.Initial.HasModule(d)))
                    .Select(m => m.Words),
            ];

    private static readonly (string Words, string[] Modules, string Marker)[] Media =
    [
        ("cards and soldered flash", ["mmc_block"], "mmcblk"),
        ("USB disks", ["usb-storage", "uas"], "usb-storage"),
        ("NVMe disks", ["nvme"], "nvme"),
        ("SATA disks", ["sd_mod"], "sd_mod"),
    ];

    /// <summary>Whether the kernel comes to the root without any initial file system: it has the drivers built in, and knows the name of the root.</summary>
    public static bool KernelAlone(DryRun run)
    {
        var kernel = run.Handover!.Kernel;
        if (run.Arguments.Last("root") is not { Length: > 0 } root || run.Device(root) is not { OnlyPrograms: false, Volume: { } volume })
            return false;
        return kernel.HasBuiltIn(Medium(run, volume).Marker) == true
            && (volume.Tree?.Kind ?? volume.Kind) is { } kind
            && kernel.HasBuiltIn(Marker(kind)) == true;
    }

    private static (string[] Modules, string Marker) Medium(DryRun run, Volume? root) =>
        (root?.Drive ?? run.Board.BootMedium) switch
        {
            "sd" => (["mmc_block"], "mmcblk"),
            "usb" => (["usb-storage", "uas"], "usb-storage"),
            "ssd" => (["nvme"], "nvme"),
            _ => (["virtio_blk"], "virtio_blk"),
        };

    /// <summary>A text that only the code of a file system's driver has.</summary>
    public static string Marker(string kind) =>
        kind switch
        {
            "ext2" or "ext3" or "ext4" => "EXT4-fs",
            "f2fs" => "F2FS-fs",
            "btrfs" => "BTRFS",
            "xfs" => "XFS (",
            "squashfs" => "SQUASHFS error",
            "vfat" => "FAT-fs (",
            "autofs4" => "autofs4:pid",
            _ => $"{kind}: ",
        };

    /// <summary>Why the driver of a file system is missing; null when it is there, or cannot be told.</summary>
    public static string? OfFileSystem(DryRun run, string kind)
    {
        var module = kind is "ext2" or "ext3" ? "ext4" : kind;
        var builtIn = BuiltIn(run, module, Marker(module));
        if (builtIn == true)
            return null;
        if (run.Initial is { } initial)
            return initial.HasModules || builtIn == false && !initial.HasModule(module) && initial.WaitsByItself
                ? Lack(run, [module])
                : null;
        return builtIn == false ? "it is not built in" : null;
    }

    /// <summary>Whether the kernel has a driver built in: by the list that its initial file system carries, else by a text in its code; null when neither tells.</summary>
    private static bool? BuiltIn(DryRun run, string module, string marker) =>
        run.Initial?.ModuleVersions.Contains(run.Handover!.Kernel.Version ?? "") == true && run.Initial.BuiltIn(module) is { } listed
            ? listed
            : run.Handover!.Kernel.HasBuiltIn(marker);

    /// <summary>Why none of these modules can be loaded from the initial file system, as the begin of a sentence; null when one can.</summary>
    public static string? Lack(DryRun run, string[] modules)
    {
        var initial = run.Initial!;
        var have = modules.Where(initial.HasModule).ToList();
        if (have.Count == 0)
            return $"Neither the kernel nor the initial file system has the driver {modules[0]}";
        if (initial.Module(have[0], run.Unpack)?.Architecture is { } set && set != run.Board.Architecture)
            return $"The modules in the initial file system are for {set.Words()}, and the kernel is for {run.Board.Architecture.Words()}: it takes none of them";
        // modprobe looks in the folder of the version that runs, and nowhere else.
        if (run.Handover!.Kernel.Version is { } version && initial.ModuleVersions is { Count: > 0 } versions && !versions.Contains(version))
            return $"The modules in the initial file system are for the kernel {string.Join(" and ", versions)}, and {version} is started: it finds none of them";
        var lacking = have.Select(m => (Module: m, Lacks: initial.Lacks(m, run.Unpack))).ToList();
        return lacking.FirstOrDefault(l => l.Lacks is not null) is { Lacks: { } dependency } first && lacking.All(l => l.Lacks is not null)
            ? $"The driver {first.Module} in the initial file system needs the module {dependency}, which is not in it"
            : null;
    }
}
