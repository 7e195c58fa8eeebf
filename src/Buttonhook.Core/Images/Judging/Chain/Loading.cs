using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging.Chain;

/// <summary>The image is whole: an image that ends inside a partition was cut off; everything after is a consequence.</summary>
internal sealed class WholeImage : ILink
{
    public string Name => "whole image";

    public void Check(DryRun run)
    {
        var (table, image) = (run.Table, run.Image);
        if (table.Partitions.FirstOrDefault(p => p.EndBytes > image.Length) is { } cut)
            run.Fail(
                Stage.SecondLoader,
                CauseIds.ImageTruncated,
                $"Partition {cut.Number} ends at byte {cut.EndBytes}, the image at byte {image.Length}.",
                "Get the whole image and write it again.",
                $"partition table entry {cut.Number}"
            );
        else if (table.UsableEndBytes > image.Length)
            run.Fail(
                Stage.SecondLoader,
                CauseIds.ImageTruncated,
                $"The partition table promises {table.UsableEndBytes} bytes, the image ends at byte {image.Length}: loaders and kernel refuse such a table.",
                "Get the whole image and write it again.",
                "partition table"
            );
        if (run.Stopped)
            run.End();
    }
}

/// <summary>The file is an image of a disk, of a kind that this board starts.</summary>
internal sealed class StartableImage : ILink
{
    public string Name => "kind of image";

    public void Check(DryRun run)
    {
        if (FileNature.Of(run.Image, run.Table) is { } nature)
            run.Fail(Stage.FirstLoader, CauseIds.NoBootMedium, $"{nature.Says} {nature.Why}", nature.Instead, "sector 0");
        else if (FileNature.IsDisc(run.Image) && run.Board.Loader is not ("efi" or "bios"))
            run.Fail(
                Stage.FirstLoader,
                CauseIds.NoBootMedium,
                "It is an installer ISO: firmware of PCs and EFI firmware start it, the loader of this board does not.",
                "Get the image for this board, or one for cards.",
                "sector 64"
            );
        if (run.Stopped)
            run.End();
    }
}

/// <summary>What the board's boot ROM looks for on a card lies there.</summary>
internal sealed class FirstLoaderPresent : ILink
{
    public string Name => "first loader";

    public void Check(DryRun run)
    {
        if (run.Board is not { FirstLoader: { } place, BootMedium: "sd" })
            return;
        if (FirstLoaders.Stands(run.Image, place.At, place.Bytes))
            run.Pass(Stage.FirstLoader, $"The boot ROM finds {place.Name}.", $"byte {place.At}");
        else
            run.Fail(
                Stage.FirstLoader,
                CauseIds.NoBootMedium,
                $"This board's boot ROM looks for {place.Name} at byte {place.At}; it is not there.",
                "Use an image that is made for this board, or write its first loader onto the card.",
                $"byte {place.At}"
            );
    }
}

/// <summary>The loader finds a system and can start it: its configuration, the kernel, the device tree.</summary>
internal sealed class LoaderFindsSystem : ILink
{
    public string Name => "loader";

    public void Check(DryRun run)
    {
        var passage = new Passage(run.Image, run.Table, [.. run.Volumes.Where(v => v.Drive is null)], run.Board, run.Unpack);
        var taken = BoardLoaders.Follow(passage);
        foreach (var (text, where) in passage.Found)
            run.Pass(Stage.SecondLoader, text, where);
        run.CommandLine = taken.Handover?.CommandLine ?? passage.CommandLine;
        foreach (var broken in taken.Breaks)
            if (broken.Cause is { } cause)
                run.Fail(
                    cause is CauseIds.NoBootMedium ? Stage.FirstLoader : Stage.SecondLoader,
                    cause,
                    broken.Text,
                    broken.Fix,
                    broken.Where,
                    broken.Edit
                );
            else
                run.CannotTell(Stage.SecondLoader, $"{broken.Text} {broken.Fix}", broken.Where);
        if (taken.Handover is not { } handover)
        {
            run.End();
            return;
        }
        run.Handover = handover;
        run.Starts = taken.Starts;
        run.Arguments = new(handover.CommandLine);
        run.InitialLost = handover.InitialFilesLost;
        run.CardHosts = Math.Max(1, handover.Tree is null ? 1 : DeviceTree.Read(handover.Tree.Bytes).CardHosts);
        if (passage.Found.Count == 0)
            run.Pass(Stage.SecondLoader, "The loader finds its configuration.", handover.Where);
        foreach (var (text, where) in passage.Notes)
            run.Pass(Stage.SecondLoader, text, where);
        if (handover.Kernel.Fault is null && (handover.Kernel.Architecture ?? run.Board.Architecture) == run.Board.Architecture)
            run.Pass(
                Stage.Kernel,
                $"The kernel is for {run.Board.Architecture.Words()}{(handover.Kernel.Version is { } v ? $", version {v}" : "")}.",
                handover.KernelWhere
            );
        if (handover.Tree is not null)
            run.Pass(Stage.SecondLoader, "The device tree is there and for this board.", handover.Tree.Where);
    }
}

/// <summary>Kernel and initial file system fit into the board's memory.</summary>
internal sealed class MemorySuffices : ILink
{
    public string Name => "memory";

    public void Check(DryRun run)
    {
        if (run.Handover is not { InitialFiles: { } loaded } h)
            return;
        run.Initial = InitialFiles.Read(loaded.Bytes, run.Unpack);
        var needed = (h.Kernel.Payload?.Length ?? 0) + loaded.Bytes.Length + run.Initial.UnpackedBytes;
        if (run.Board.MemoryMiB is not { } memory)
            run.CannotTell(
                Stage.Kernel,
                $"Cannot tell without the memory of the board: kernel and initial file system take {Sizes.Binary(needed)}.",
                loaded.Where
            );
        else if (needed > (long)memory * Sizes.MiB * 9 / 10)
            run.Fail(
                Stage.Kernel,
                CauseIds.OutOfMemory,
                $"Kernel and initial file system take {Sizes.Binary(needed)}; the board has {memory} MiB.",
                "Take a smaller image.",
                loaded.Where
            );
    }
}
