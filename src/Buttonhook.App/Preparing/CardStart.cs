using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Preparing;
using Buttonhook.Core.Simulating;
using Buttonhook.Hardware.Cards;
using Buttonhook.Storage;

namespace Buttonhook.App.Preparing;

/// <summary>What a simulated board finds on the card that was written for it.</summary>
/// <param name="Fault">The fault that the card itself brings, or null when the board starts from it.</param>
/// <param name="HostName">The host name that its first-boot files set, or null.</param>
/// <param name="Broken">The links of the card that do not hold, as its dry boot found them.</param>
/// <param name="Systems">What each entry of its menu starts; null for a card that holds one image as it is.</param>
/// <param name="Drive">The disk that the root lies on, as the kernel calls it; null for the card.</param>
public sealed record CardStart(
    SimulatedFault? Fault,
    string? HostName,
    IReadOnlyList<DryStep>? Broken = null,
    IReadOnlyList<StartedSystem>? Systems = null,
    string? Drive = null
);

/// <summary>What an entry of a menu starts on a simulated board.</summary>
public sealed record StartedSystem(LaidSystem System, SimulatedFault? Fault);

/// <summary>Reads the card that was written for a board, byte by byte as its loader would.</summary>
public sealed partial class CardStarts(PreparationStore store, CardSlots slots)
{
    /// <summary>Faults that are on a card; one that was written just now does not have those of the card before it.</summary>
    private static readonly string[] OnCard =
    [
        CauseIds.RootNotFound,
        CauseIds.BootFilesMissing,
        CauseIds.DtbMissing,
        CauseIds.InitrdCorrupt,
        CauseIds.KernelWrongArchitecture,
        CauseIds.ConsoleArgMissing,
        CauseIds.ImageTruncated,
        CauseIds.MediumIoErrors,
        CauseIds.FstabDeviceMissing,
        CauseIds.ServiceFailed,
        CauseIds.DiskFull,
    ];

    [GeneratedRegex("""^(?:hostname: "?|\tprintf '%s\\n' ')(?<name>[A-Za-z0-9-]+)["']?(?: >/etc/hostname)?$""", RegexOptions.Multiline)]
    private static partial Regex HostName();

    /// <summary>Whether a fault lies on the card.</summary>
    public static bool IsOnCard(string faultId) => OnCard.Contains(faultId);

    /// <summary>What the board finds; null when no card was written for it with its present image, or when the slot holds another one now.</summary>
    public CardStart? Of(Board board, Catalogue catalogue)
    {
        if (
            store.NewestOf(board.Id) is not { Erased: true } write
            || write.ImageId != board.ImageId
            || store.NewestIn(write.SlotId)?.Id != write.Id
            || slots.Find(write.SlotId, null) is not { Setup: { } setup } slot
            || DryBoards.Of(board, catalogue).Value is not { } dry
        )
            return null;
        if (Opened(slot, setup) is not { } card)
            return new(SimulatedFaults.Find(CauseIds.NoBootMedium), null);
        using (card)
            try
            {
                if (write.Systems is { Count: > 0 } systems)
                    return Laid(write, systems, card, dry);
                var played = DryBoot.Play(card, dry, ImageFiles.Unpack);
                return new(FaultOf(played), played.Verdict == DryVerdict.DoesNotBoot ? null : Host(card), played.Broken);
            }
            catch (IOException)
            {
                return new(SimulatedFaults.Find(CauseIds.MediumIoErrors), null);
            }
    }

    /// <summary>The board reads the card itself; how fast the slot writes does not matter to it.</summary>
    private CardDevice? Opened(CardSlot slot, SimulatedCardSetup setup) =>
        slots.Open(slot with { Setup = setup with { MegabytesPerSecond = 2000, RemovedAtMiB = null } }, null, CancellationToken.None).Value;

    private static SimulatedFault? FaultOf(DryBoot played) =>
        played.Causes.Select(c => SimulatedFaults.All.FirstOrDefault(f => f.ClearedBy.Contains(c))).FirstOrDefault(f => f is not null)
        ?? (played.Verdict == DryVerdict.DoesNotBoot ? SimulatedFaults.Find(CauseIds.BootFilesMissing) : null);

    /// <summary>A card that was put together: each entry of its menu is played; a drive that another card was written over since is not there.</summary>
    private CardStart Laid(CardWrite write, IReadOnlyList<LaidSystem> systems, CardDevice card, DryBoard dry)
    {
        using var drive =
            write.DriveSlotId is { } id && store.NewestIn(id)?.Id == write.Id && slots.Find(id, null) is { Setup: { } setup } slot
                ? Opened(slot, setup)
                : null;
        var played = CardAssembly.Played(systems, card, dry, drive is null ? null : new(drive, write.DriveKind ?? "usb"));
        return new(
            FaultOf(played[0].Dry!),
            Host(card) ?? (drive is null ? null : Host(drive)),
            played[0].Dry!.Broken,
            [.. played.Select(s => new StartedSystem(s, FaultOf(s.Dry!)))],
            write.DriveKind switch
            {
                null => null,
                "ssd" => "nvme0n1",
                _ => "sda",
            }
        );
    }

    private static string? Host(ImageBytes card)
    {
        foreach (var volume in Volume.All(card, PartitionTable.Read(card), ImageFiles.Unpack))
        foreach (
            var path in new[] { "/user-data", "/var/lib/cloud/seed/nocloud/user-data", FirstBootScript.OnBoot, FirstBootScript.OnRoot }
        )
            if (
                volume.Tree?.Read(path, 1 << 20) is { } bytes
                && HostName().Match(Encoding.UTF8.GetString(bytes)) is { Success: true } found
            )
                return found.Groups["name"].Value;
        return null;
    }
}
