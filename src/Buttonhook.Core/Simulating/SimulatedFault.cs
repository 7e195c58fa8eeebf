using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Simulating;

/// <summary>A fault that a simulated board can carry; the id is the cause it stands for.</summary>
public sealed record SimulatedFault(string Id, string Name, IReadOnlyList<string> ClearedBy);

/// <summary>The faults that can be put into a simulated board, and those that follow from what is on the bench.</summary>
public static class SimulatedFaults
{
    /// <summary>All of them.</summary>
    public static IReadOnlyList<SimulatedFault> All { get; } =
    [
        Fault("root-not-found", "The command line names another card's partition"),
        Fault("no-boot-medium", "The card is not pushed home", "card-not-detected"),
        Fault("boot-files-missing", "The kernel file was renamed"),
        Fault("dtb-missing", "The device tree is not on the card"),
        Fault("initrd-corrupt", "The initial file system is damaged"),
        Fault("kernel-wrong-architecture", "The kernel is for another instruction set", "kernel-corrupt"),
        Fault("console-arg-missing", "The serial console is not on the command line"),
        Fault("image-truncated", "Writing the card stopped too early", "rootfs-corrupt", "fs-check-needed"),
        Fault("medium-io-errors", "The card has unreadable sectors", "init-crashed", "rootfs-corrupt"),
        Fault("fstab-device-missing", "The mount table names a stick that is not there"),
        Fault("supply-too-weak", "The supply sags when the radio starts"),
        Fault("console-speed-mismatch", "The console listens at another speed"),
        Fault("service-failed", "The frost sensor service cannot start"),
        Fault("disk-full", "The root file system is full"),
        Fault("network-no-lease", "Nobody gives the board an address"),
        Fault("autoboot-interrupted", "Noise on the receive wire stops the loader"),
        Fault("dram-init-failed", "The loader is for an older revision", "loader-wrong-board"),
        Fault("out-of-memory", "The image needs more memory than there is"),
    ];

    private static SimulatedFault Fault(string id, string name, params string[] also) => new(id, name, [id, .. also]);

    /// <summary>The fault with this id, or null.</summary>
    public static SimulatedFault? Find(string? id) => All.FirstOrDefault(f => f.Id == id);

    /// <summary>What goes wrong by itself with this image on this board and bench, leaving out what was corrected; null when nothing does.</summary>
    public static SimulatedFault? Implied(
        Board board,
        BoardModel model,
        ImageCard? image,
        Catalogue catalogue,
        IReadOnlyCollection<string> corrected
    )
    {
        IEnumerable<string> Candidates()
        {
            if (image is null || board.Connected.CardGb is null)
            {
                yield return "no-boot-medium";
                yield break;
            }
            if (board.Connected.SupplyId is not null && SupplyCheck.Check(board.Connected, model.Power, catalogue).Enough == false)
                yield return "supply-too-weak";
            if (model.InstructionSet is { } set && image.InstructionSet != set)
                yield return "kernel-wrong-architecture";
            var support = image.Supports.FirstOrDefault(s => s.Model == board.ModelId);
            if (support is { Otherwise: not null } && !support.Revisions.Contains(board.RevisionId))
                yield return "dram-init-failed";
            if (Sizes.CardBytes(board.Connected.CardGb.Value) < image.ExpandedBytes)
                yield return "image-truncated";
            if (board.MemoryMiB < image.MinimumMemoryMiB)
                yield return "out-of-memory";
            if (model.Console.Device is { } device && (image.ConsoleDevice != device || image.ConsoleSpeed != model.Console.Speed))
                yield return "console-arg-missing";
        }
        return Candidates().Select(Find).FirstOrDefault(f => f is not null && !f.ClearedBy.Any(corrected.Contains));
    }
}
