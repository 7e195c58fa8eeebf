using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging.Chain;

/// <summary>The command line names a root that is there.</summary>
internal sealed class RootIsNamed : ILink
{
    public string Name => "name of the root";

    public void Check(DryRun run)
    {
        var h = run.Handover!;
        if (run.Arguments.Last("root") is { Length: > 0 } root)
            run.Root = Named(run, h, root);
        else if (ByItself(run) is { } found)
        {
            run.Root = found;
            run.Pass(Stage.Root, $"No root is named; the initial file system takes {found.Words} by the type in the table.", h.Where);
        }
        else if (run.Arguments.Last("boot")?.TrimEnd('\r') is "live" or "casper" && run.Initial is { } initial)
            Live(run, initial, h);
        else
            run.Fail(
                Stage.Root,
                CauseIds.RootArgMissing,
                "The kernel command line names no root.",
                "Add root= with the partition of this image.",
                h.Where,
                FileEdit.At(h.Where, null, $"root={run.SuggestedRoot}")
            );
        // Behind a root that is not named rightly, the one that is meant is looked at.
        run.Root ??= Meant(run.Volumes);
    }

    /// <summary>A live system: scripts of the initial file system look for a packed root by its place, and need no name.</summary>
    private static void Live(DryRun run, InitialFiles initial, Handover h)
    {
        var kind = run.Arguments.Last("boot")!.TrimEnd('\r');
        var folder = "/" + (run.Arguments.Last("live-media-path") ?? kind).Trim('/');
        var found = run
            .Volumes.Where(v => v.Tree is not null)
            .SelectMany(v =>
                v.Tree!.List(folder).Where(n => n.EndsWith(".squashfs", StringComparison.Ordinal)).Select(n => v.Name($"{folder}/{n}"))
            )
            .FirstOrDefault();
        if (!initial.Names.Any(n => n == $"scripts/{kind}" || n.StartsWith($"scripts/{kind}", StringComparison.Ordinal)))
            run.Fail(
                Stage.Root,
                CauseIds.RootNotFound,
                $"boot={kind} asks for a live system, and the initial file system has no scripts for one.",
                "Install the package of the live system, and make the initial file system again.",
                h.InitialFiles?.Where ?? h.KernelWhere
            );
        else if (found is null)
            run.Fail(
                Stage.Root,
                CauseIds.RootNotFound,
                $"boot={kind} asks for a live system, and no partition has a packed root in {folder}.",
                "Write the image again.",
                h.Where
            );
        else
            run.CannotTell(
                Stage.Root,
                $"It is a live system: its root is packed in {found}, under a layer in memory. What is in it is not looked at here.",
                found
            );
        run.End();
    }

    /// <summary>The partition that root= names; null, and told, when there is none.</summary>
    private static Volume? Named(DryRun run, Handover h, string root)
    {
        var device = run.Device(root);
        if (device.Elsewhere is { } elsewhere)
        {
            run.CannotTell(
                Stage.Root,
                $"root={DryRun.Shown(root)} is {elsewhere}: what lies there cannot be told from this image.",
                h.Where
            );
            run.End();
            return null;
        }
        var (volume, why) = (device.Volume, device.Why);
        if (volume is not null && root.Contains('"') && run.Initial?.StartsWithScript == true)
            (volume, why) = (null, "the initial file system takes the quotation marks for a part of the name");
        else if (volume is not null && run.Initial is not null && root.Contains("/PARTNROFF=", StringComparison.Ordinal))
            (volume, why) = (
                null,
                "only the kernel by itself counts on from a partition; the programs of the initial file system look for this whole text"
            );
        if (volume is null && device.Needs is { } layer)
        {
            Closed(run, h, root, layer);
            return null;
        }
        if (volume is null)
            run.Fail(
                Stage.Root,
                CauseIds.RootNotFound,
                $"root={DryRun.Shown(root)}: {why}.",
                $"Name a root that is there, such as {run.SuggestedRoot}.",
                h.Where,
                FileEdit.At(h.Where, $"root={root}", $"root={run.SuggestedRoot}")
            );
        else
            run.Pass(Stage.Root, $"root={root} is {volume.Words}{(volume.Drive is null ? " of this image" : "")}.", h.Where);
        return volume;
    }

    /// <summary>The root lies in something that stays closed here; what the initial file system must hold to open it is still to be seen.</summary>
    private static void Closed(DryRun run, Handover h, string root, string layer)
    {
        RootOpens.Look(run, h, layer);
        if (!run.Stopped)
            run.CannotTell(
                Stage.Root,
                layer == Layers.Luks
                    ? $"root={root} lies in an encrypted container (LUKS): what is in it cannot be told without its key. At the start the console asks for the passphrase; type it there."
                    : $"root={root} lies in a group of volumes or an array that this disk does not hold whole.",
                h.Where
            );
        run.End();
    }

    /// <summary>The root that systemd's generator takes by the partition's type when it was started by EFI (the discoverable partitions specification).</summary>
    private static Volume? ByItself(DryRun run)
    {
        if (
            run.Board.Loader != "efi"
            || run.Initial?.Names.Any(n => n.EndsWith("systemd-gpt-auto-generator", StringComparison.Ordinal)) != true
        )
            return null;
        var type = run.Board.Architecture switch
        {
            InstructionSet.Amd64 => "4f68bce3-e8cd-4db1-96e7-fbcaf984b709",
            InstructionSet.Arm64 => "b921b045-1df0-41c3-af44-4c6f280d3fae",
            InstructionSet.Armhf => "69dad710-2ce4-4e3c-b16c-21a1d49abed3",
            _ => "72ec70a6-cf74-40e6-bd49-4bda08e8f224",
        };
        return run.Volumes.FirstOrDefault(v => v.Partition.Type.Equals(type, StringComparison.OrdinalIgnoreCase));
    }

    /// <summary>The only volume that holds a system, whatever the command line names; null when there is none, or several.</summary>
    private static Volume? Meant(IReadOnlyList<Volume> volumes) =>
        volumes.Where(v => v.Tree?.HoldsSystem == true).ToList() is [var only] ? only : null;
}

/// <summary>The partition table is one that the kernel reads too.</summary>
internal sealed class TableForKernel : ILink
{
    public string Name => "partition table for the kernel";

    public void Check(DryRun run)
    {
        var h = run.Handover!;
        if (run.Table.FirstCopyDamaged && run.Board.Loader != "efi" && !run.Arguments.Has("gpt"))
            run.Fail(
                Stage.Root,
                CauseIds.RootNotFound,
                "The first copy of the partition table is damaged. Loaders go on with the second one, the kernel does not: it sees no partition.",
                "Write the image again, or add gpt to the command line.",
                "partition table",
                FileEdit.At(h.Where, null, "gpt")
            );
    }
}

/// <summary>The medium appears to the kernel, and in time.</summary>
internal sealed class DiskAppears : ILink
{
    public string Name => "driver of the medium";

    public void Check(DryRun run)
    {
        var h = run.Handover!;
        if (!run.InitialLost && Drivers.OfMedium(run) is { } missing)
            run.Fail(
                Stage.Root,
                CauseIds.RootNotFound,
                $"{missing}, so this medium does not appear.",
                "Make the initial file system again with this driver in it.",
                h.InitialFiles?.Where ?? h.KernelWhere
            );
        else if (!run.InitialLost && run.Board.MediumIsGuess && Drivers.OtherMedia(run) is { Count: > 0 } undriven)
            run.CannotTell(
                Stage.Root,
                $"Cannot tell without the disk that this board starts from, which its profile does not name: of {string.Join(" and ", undriven)} neither the kernel nor the initial file system has a driver.",
                h.InitialFiles?.Where ?? h.KernelWhere
            );
        // Whether an initial file system that cannot be read waits by itself is not known.
        if (
            run.Board.BootMedium is "usb" or "sd"
            && !run.InitialLost
            && !run.Arguments.Has("rootwait")
            && run.Arguments.Last("rootdelay") is null
            && run.Arguments.Last("rootwait") is null
            && run.Initial?.WaitsByItself != true
        )
            run.Fail(
                Stage.Root,
                CauseIds.RootNotFound,
                $"{(run.Board.BootMedium == "usb" ? "A USB disk" : "A card")} appears late and rootwait is not on the command line: the root is looked for once, too early.",
                "Add rootwait.",
                h.Where,
                FileEdit.At(h.Where, null, "rootwait")
            );
    }
}
