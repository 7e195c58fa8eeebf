using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Simulating;

/// <summary>An entry of a loader's menu: the system that it starts, with the root as it lies on this card, and the fault that it meets.</summary>
public sealed record MenuEntry(ImageProfile Image, int RootNumber, string? FaultId);

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
    BoardProfile Model,
    ImageProfile? Image,
    string? FaultId,
    int ListenSpeed,
    int Seed,
    bool FirstBoot = false,
    string? HostName = null,
    string? MovedTo = null,
    DateTimeOffset? Now = null,
    int RootNumber = 2,
    IReadOnlyList<MenuEntry>? Menu = null,
    int MenuMilliseconds = SimulationPlan.MenuWaits
)
{
    /// <summary>Bits per second of a board whose profile knows no speed: what it plays is a rehearsal.</summary>
    public const int RehearsalSpeed = 115_200;

    /// <summary>The partition of another card, which a wrong command line names.</summary>
    private const string StrangeRoot = "5e1c04aa-02";

    /// <summary>What its file systems call themselves.</summary>
    public const string RootUuid = "5f1c0a52-0c0f-4f3e-9d75-6d0e5a1f7a11",
        BootUuid = "0B7A-11C9";

    /// <summary>Milliseconds that a menu waits for a person.</summary>
    private const int MenuWaits = 5000;

    /// <summary>The plan of a card with a menu; its first entry meets what the board and its wires bring as well.</summary>
    /// <param name="menu">What it starts, the default first; without any, the plan stays as it is.</param>
    /// <param name="hidden">The fault put into the board, which every entry meets; null without one.</param>
    /// <param name="pace">How many times faster than a real board it plays: a person has the same seconds of their own.</param>
    public SimulationPlan WithMenu(IReadOnlyList<MenuEntry> menu, string? hidden, double pace) =>
        menu.Count == 0
            ? this
            : this with
            {
                Image = menu[0].Image,
                RootNumber = menu[0].RootNumber,
                MenuMilliseconds = (int)Math.Min(MenuWaits * Math.Max(1, pace), int.MaxValue / 2),
                Menu = [menu[0] with { FaultId = FaultId }, .. menu.Skip(1).Select(m => m with { FaultId = hidden ?? m.FaultId })],
            };

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
    public string Partition => PartitionOf(RootNumber);

    /// <summary>A partition of that disk, from 1.</summary>
    public string PartitionOf(int number) => char.IsAsciiDigit(Disk[^1]) ? $"{Disk}p{number}" : $"{Disk}{number}";

    /// <summary>The number that its card's partition table carries.</summary>
    public string DiskId => Image?.RootPartUuid is { Length: > 8 } known ? known[..8] : "7c1d90aa";

    /// <summary>The partition that the command line names as root, right or wrong; null without an image.</summary>
    public string? RootArgument => FaultId == CauseIds.RootNotFound ? StrangeRoot : Image?.RootPartUuid;

    /// <summary>What the loader gives to the kernel; empty without an image.</summary>
    public string CommandLine =>
        Image is null
            ? ""
            : $"root=PARTUUID={RootArgument} ro rootwait{(FaultId == CauseIds.ConsoleArgMissing ? " console=tty0" : $" console={Console.Device},{Console.Speed}n8")}";

    /// <summary>What the system calls itself.</summary>
    public string Host => HostName ?? FirstBootCheck.HostNameOf(Board.Nickname);
}
