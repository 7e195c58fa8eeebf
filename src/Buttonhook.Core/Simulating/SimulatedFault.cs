using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Simulating;

/// <summary>A fault that a simulated board can carry; the id is the cause it stands for.</summary>
public sealed record SimulatedFault(string Id, string Name, IReadOnlyList<string> ClearedBy);

/// <summary>The faults that can be put into a simulated board, and those that follow from what is on the bench.</summary>
public static class SimulatedFaults
{
    /// <summary>All of them.</summary>
    public static IReadOnlyList<SimulatedFault> All { get; } =
    [
        Fault(CauseIds.RootNotFound, "The command line names another card's partition"),
        Fault(CauseIds.NoBootMedium, "The card is not pushed home", CauseIds.CardNotDetected),
        Fault(CauseIds.BootFilesMissing, "The kernel file was renamed"),
        Fault(CauseIds.DtbMissing, "The device tree is not on the card"),
        Fault(CauseIds.InitrdCorrupt, "The initial file system is damaged"),
        Fault(CauseIds.KernelWrongArchitecture, "The kernel is for another instruction set", CauseIds.KernelCorrupt),
        Fault(CauseIds.ConsoleArgMissing, "The serial console is not on the command line"),
        Fault(CauseIds.ImageTruncated, "Writing the card stopped too early", CauseIds.RootfsCorrupt, CauseIds.FsCheckNeeded),
        Fault(CauseIds.MediumIoErrors, "The card has unreadable sectors", CauseIds.InitCrashed, CauseIds.RootfsCorrupt),
        Fault(CauseIds.FstabDeviceMissing, "The mount table names a stick that is not there"),
        Fault(CauseIds.SupplyTooWeak, "The supply sags when the radio starts"),
        Fault(CauseIds.ConsoleSpeedMismatch, "The console listens at another speed"),
        Fault(CauseIds.ServiceFailed, "The frost sensor service cannot start"),
        Fault(CauseIds.DiskFull, "The root file system is full"),
        Fault(CauseIds.NetworkNoLease, "Nobody gives the board an address"),
        Fault(CauseIds.AutobootInterrupted, "Noise on the receive wire stops the loader"),
        Fault(CauseIds.DramInitFailed, "The loader is for an older revision", CauseIds.LoaderWrongBoard),
        Fault(CauseIds.OutOfMemory, "The image needs more memory than there is"),
    ];

    /// <summary>A fault that comes and goes: every third start does not find the card.</summary>
    public static SimulatedFault Unsteady { get; } =
        Fault("card-loose", "The card is loose: every third start does not find it", CauseIds.NoBootMedium, CauseIds.CardNotDetected);

    /// <summary>The fault that a start meets.</summary>
    /// <param name="id">The fault that was put into the board, or null.</param>
    /// <param name="start">The start, from 0 since power.</param>
    public static string? At(string? id, int start) =>
        id != Unsteady.Id ? id
        : start % 3 == 2 ? CauseIds.NoBootMedium
        : null;

    private static SimulatedFault Fault(string id, string name, params string[] also) => new(id, name, [id, .. also]);

    /// <summary>The fault with this id, or null.</summary>
    public static SimulatedFault? Find(string? id) => id == Unsteady.Id ? Unsteady : All.FirstOrDefault(f => f.Id == id);

    /// <summary>What goes wrong by itself with this image on this board and bench, leaving out what was corrected; null when nothing does.</summary>
    public static SimulatedFault? Implied(
        Board board,
        BoardProfile model,
        ImageProfile? image,
        Catalogue catalogue,
        IReadOnlyCollection<string> corrected
    )
    {
        IEnumerable<string> Candidates()
        {
            if (image is null || board.Connected.CardGb is null)
            {
                yield return CauseIds.NoBootMedium;
                yield break;
            }
            if (board.Connected.SupplyId is not null && SupplyCheck.Check(board.Connected, model.Power, catalogue).Enough == false)
                yield return CauseIds.SupplyTooWeak;
            if (model.InstructionSet is { } set && image.InstructionSet != set)
                yield return CauseIds.KernelWrongArchitecture;
            var support = image.Supports.FirstOrDefault(s => s.Model == board.ModelId);
            if (support is { Otherwise: not null } && !support.Revisions.Contains(board.RevisionId))
                yield return CauseIds.DramInitFailed;
            if (Sizes.CardBytes(board.Connected.CardGb.Value) < image.ExpandedBytes)
                yield return CauseIds.ImageTruncated;
            if (board.MemoryMiB < image.MinimumMemoryMiB)
                yield return CauseIds.OutOfMemory;
            if (model.Console.Device is { } device && (image.ConsoleDevice != device || image.ConsoleSpeed != model.Console.Speed))
                yield return CauseIds.ConsoleArgMissing;
        }
        return Candidates().Select(Find).FirstOrDefault(f => f is not null && !f.ClearedBy.Any(corrected.Contains));
    }
}
