using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Simulating;

/// <summary>An entry of a loader's menu: the system that it starts, with the root as it lies on this card, and the fault that it meets.</summary>
public sealed record MenuEntry(ImageCard Image, int RootNumber, string? FaultId);

/// <summary>What a simulated board plays.</summary>
/// <param name="Image">The image on its card; null for an empty slot.</param>
/// <param name="FaultId">A fault of <see cref="SimulatedFaults"/>, or null.</param>
/// <param name="ListenSpeed">Bits per second at which the console listens.</param>
/// <param name="Seed">Makes times differ a little from boot to boot, the same for the same seed.</param>
/// <param name="FirstBoot">Whether the root grows at this boot.</param>
/// <param name="HostName">The host name that the card sets; null for the nickname.</param>
/// <param name="MovedTo">The disk that its root was moved to ("nvme0n1"); null while it is on the card.</param>
/// <param name="Now">What its clock says; null for a board without one.</param>
/// <param name="RootNumber">The number of the partition of its root.</param>
/// <param name="Menu">What its loader's menu starts, the default first; null without a menu.</param>
/// <param name="MenuMilliseconds">How long the menu waits, in board time.</param>
public sealed record SimulationPlan(
    Board Board,
    BoardModel Model,
    ImageCard? Image,
    string? FaultId,
    int ListenSpeed,
    int Seed,
    bool FirstBoot = false,
    string? HostName = null,
    string? MovedTo = null,
    DateTimeOffset? Now = null,
    int RootNumber = 2,
    IReadOnlyList<MenuEntry>? Menu = null,
    int MenuMilliseconds = 5000
)
{
    /// <summary>The plan when an entry of the menu is taken, from 1; null when there is none.</summary>
    public SimulationPlan? Taking(int entry) =>
        Menu?.ElementAtOrDefault(entry - 1) is not { } taken
            ? null
            : this with
            {
                Image = taken.Image,
                FaultId = taken.FaultId,
                RootNumber = taken.RootNumber,
                // The host name that is known is that of the first system.
                HostName = entry == 1 ? HostName : taken.Image.Name.ToLowerInvariant(),
            };

    /// <summary>The console that it plays; a card that knows none gets the first port, at the speed that is listened at: this is a rehearsal.</summary>
    public (string Device, int Speed) Console => (Model.Console.Device ?? "ttyS0", Model.Console.Speed ?? ListenSpeed);

    /// <summary>Its memory; where nobody knows how much is fitted it has what the image wants.</summary>
    public int MemoryMiB => Board.MemoryMiB ?? Math.Max(512, Image?.ComfortableMemoryMiB ?? 0);

    /// <summary>The disk that its root is on.</summary>
    public string Disk => MovedTo ?? (Model.InstructionSet == InstructionSet.Amd64 ? "sda" : "mmcblk0");

    /// <summary>The partition of its root.</summary>
    public string Partition => char.IsAsciiDigit(Disk[^1]) ? $"{Disk}p{RootNumber}" : $"{Disk}{RootNumber}";

    /// <summary>What the system calls itself.</summary>
    public string Host => HostName ?? Preparing.FirstBootCheck.HostNameOf(Board.Nickname);
}
