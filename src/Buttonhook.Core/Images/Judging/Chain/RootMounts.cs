using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging.Chain;

/// <summary>What lies around the root is opened before it is mounted: a group of volumes, an array, an encrypted container.</summary>
internal sealed class RootOpens : ILink
{
    public string Name => "layers around the root";

    public void Check(DryRun run)
    {
        if (run.Root is not { Mapped: not null } root)
            return;
        var layer = run.Volumes.First(v => v.Mapped is null && v.Partition == root.Partition).Kind!;
        Look(run, run.Handover!, layer);
    }

    private static readonly string[] Places = ["sbin", "bin", "usr/sbin", "usr/bin", "lib/systemd", "usr/lib/systemd"];

    /// <summary>Whether the initial file system has the program and the modules that open a layer.</summary>
    public static void Look(DryRun run, Handover h, string layer)
    {
        if (run.InitialLost)
            return;
        var (programs, module, words) = layer switch
        {
            Layers.Luks => ((string[])["cryptsetup", "systemd-cryptsetup"], "dm_crypt", "an encrypted container (LUKS)"),
            Layers.Raid => (["mdadm"], "raid1", "an array (md)"),
            _ => (["lvm"], "dm_mod", "a group of volumes (LVM)"),
        };
        if (run.Initial is not { } initial)
            run.Fail(
                Stage.Root,
                CauseIds.InitrdMissing,
                $"The root lies in {words}, which the kernel does not open by itself, and {h.InitialFilesMissing ?? "no initial file system is named"}.",
                "Name an initial file system that opens it.",
                h.Where
            );
        // Its scripts carry the same names, so the place counts.
        else if (!programs.Any(p => Places.Any(f => initial.Names.Contains($"{f}/{p}"))))
            run.Fail(
                Stage.Root,
                CauseIds.RootNotFound,
                $"The root lies in {words}, and the initial file system has no {programs[0]} to open it.",
                $"Install the package that brings {programs[0]} and its hook, and make the initial file system again.",
                h.InitialFiles!.Where
            );
        else if (initial.HasModules && h.Kernel.HasBuiltIn("device-mapper: ioctl") == false && Drivers.Lack(run, [module]) is { } missing)
            run.Fail(
                Stage.Root,
                CauseIds.RootNotFound,
                $"The root lies in {words}. {missing}.",
                "Make the initial file system again with this driver in it.",
                h.InitialFiles!.Where
            );
        else
            run.Pass(Stage.Root, $"The initial file system can open {words}.", h.InitialFiles!.Where);
    }
}

/// <summary>The root is a file system that is in order, and the kernel can mount it as it is asked to.</summary>
internal sealed class RootMounts : ILink
{
    public string Name => "root file system";

    public void Check(DryRun run)
    {
        if (run.Root is not { } volume)
        {
            run.End();
            return;
        }
        var h = run.Handover!;
        var root = run.Arguments.Last("root") ?? "";
        if ((volume.Tree?.Kind ?? volume.Kind) is not { } kind)
        {
            run.Fail(
                Stage.Root,
                CauseIds.RootfsCorrupt,
                $"No file system is recognised on {volume.Words}{(volume.Because is null ? "" : $": {volume.Because}")}{(HasBackup(run.Image, volume) ? "; a copy of its superblock is still there" : "")}.",
                "Write the image again; a copy of the superblock can repair it (e2fsck -b).",
                volume.Name("")
            );
            run.End();
            return;
        }
        if (run.Arguments.Last("rootfstype") is { } types && !types.Split(',').Any(t => Mounts(t.TrimEnd('\r'), kind)))
            run.Fail(
                Stage.Root,
                CauseIds.RootfsUnsupported,
                $"rootfstype={DryRun.Shown(types)} is on the command line, and the root is {kind}: mounting it as anything else fails.",
                $"Set rootfstype={kind}, or take it off the command line.",
                h.Where,
                FileEdit.At(h.Where, $"rootfstype={types}", $"rootfstype={kind}")
            );
        if (!run.InitialLost && Drivers.OfFileSystem(run, kind) is { } missing)
            if (run.Initial is null)
                run.Fail(
                    Stage.Root,
                    CauseIds.InitrdMissing,
                    $"The kernel has no built-in driver for {kind}, and {h.InitialFilesMissing ?? "no initial file system is named"}.",
                    "Name the initial file system in the configuration.",
                    h.Where
                );
            else
                run.Fail(
                    Stage.Root,
                    CauseIds.RootfsUnsupported,
                    $"The root file system is {kind}. {missing}.",
                    $"Make the initial file system again with the {kind} module in it.",
                    volume.Name("")
                );
        else if (run.Initial is null && !run.InitialLost && root.Length > 0 && run.Device(root) is { OnlyPrograms: true, Volume: not null })
            run.Fail(
                Stage.Root,
                CauseIds.RootNotFound,
                $"root={DryRun.Shown(root)} needs an initial file system: the kernel itself knows partitions by PARTUUID, PARTLABEL and device name only.",
                $"Name the root as PARTUUID={volume.Partition.PartUuid}.",
                h.Where,
                FileEdit.At(h.Where, $"root={root}", $"root=PARTUUID={volume.Partition.PartUuid}")
            );
        if (volume.Tree is null)
        {
            run.CannotTell(
                Stage.Root,
                $"{kind} is not read here{(volume.Because is null ? "" : $" ({volume.Because})")}, so what is on the root cannot be told.",
                volume.Name("")
            );
            run.End();
            return;
        }
        var flags = run.Arguments.Last("rootflags")?.TrimEnd('\r');
        (run.Tree, var why) = volume.Tree.Mounted(flags);
        if (run.Tree is not null)
            return;
        run.Fail(Stage.Root, CauseIds.RootNotFound, $"rootflags={flags}: {why}.", "Correct rootflags on the command line.", h.Where);
        run.End();
    }

    /// <summary>Whether a file system can be mounted under a name: ext4's driver takes the older kinds too.</summary>
    private static bool Mounts(string type, string kind) =>
        type == kind || type == "auto" || (type == "ext4" && kind is "ext2" or "ext3") || (type == "ext3" && kind == "ext2");

    private static bool HasBackup(ImageBytes image, Volume volume)
    {
        var bytes = image.Slice(volume.Partition.StartBytes, volume.Partition.LengthBytes);
        return new[] { 8193L * 1024, 16385L * 1024, 32768L * 4096 }.Any(at => bytes.At(at + 56, 2) is [0x53, 0xEF]);
    }
}
