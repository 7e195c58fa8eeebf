using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Keeping;

/// <summary>Where a system can be moved to.</summary>
public enum MoveTarget
{
    /// <summary>Flash that is soldered onto the board.</summary>
    Flash,

    /// <summary>A drive in a slot for one.</summary>
    Ssd,

    /// <summary>A drive or stick on a USB socket.</summary>
    Usb,
}

/// <summary>One step of a move.</summary>
/// <param name="Command">As it is sent on the board, or null where hands do it.</param>
/// <param name="State">Whether a line of the console shows that it was done.</param>
/// <param name="Line">That line.</param>
/// <param name="Tells">What it says where it did not take.</param>
public sealed record MoveStep(
    string Text,
    string? Command,
    string? Caution,
    LoginTaskState State = LoginTaskState.Open,
    int? Line = null,
    string? Tells = null
);

/// <summary>A disk that the running system shows, as the place to move to.</summary>
/// <param name="Confirm">What a person types to say that this is the one: its size in whole GB.</param>
/// <param name="Refused">Why it cannot be, or null.</param>
public sealed record MoveCandidate(string Device, long Bytes, string Model, string Bus, string Confirm, string? Refused);

/// <summary>How a proven system is moved from its card to another medium of this board.</summary>
/// <param name="Possible">False with the reason in <paramref name="Says"/>; null when it cannot be told.</param>
/// <param name="Says">The judgement in sentences: what the ROM starts from, what stays on the card, room, supply, bus.</param>
/// <param name="Source">The disk that the root really lies on, as the running system shows it; null before it was asked.</param>
/// <param name="Candidates">The disks that it shows beside that one.</param>
public sealed record MovePlan(
    MoveTarget Target,
    string Name,
    bool? Possible,
    IReadOnlyList<string> Says,
    string? Source,
    IReadOnlyList<MoveCandidate> Candidates,
    IReadOnlyList<MoveStep> Steps
)
{
    private static readonly Dictionary<MoveTarget, (string Name, string Medium)> Targets = new()
    {
        [MoveTarget.Flash] = ("Soldered flash", "flash"),
        [MoveTarget.Ssd] = ("SSD", "ssd"),
        [MoveTarget.Usb] = ("USB drive", "usb"),
    };

    /// <summary>The plans for all targets, possible or not.</summary>
    public static IReadOnlyList<MovePlan> All(Board board, BoardProfile model, ImageProfile? image, Catalogue catalogue, MoveSight sight) =>
        [.. Enum.GetValues<MoveTarget>().Select(t => For(t, board, model, image, catalogue, sight.For(t)))];

    /// <summary>The plan for one target.</summary>
    /// <param name="sight">What the running system shows, and what was chosen and confirmed.</param>
    public static MovePlan For(
        MoveTarget target,
        Board board,
        BoardProfile model,
        ImageProfile? image,
        Catalogue catalogue,
        MoveSight sight
    )
    {
        var (name, medium) = Targets[target];
        var says = new List<string>();
        bool? possible = true;
        var starts = model.BootMedia.Contains(medium);
        var port = model.Ports.FirstOrDefault(p => target == MoveTarget.Usb ? p.Kind == "usb-host" : p.Kind == "storage");
        if (target == MoveTarget.Flash)
        {
            if (model.FlashGb is not { } flash)
            {
                possible = model.BootMedia.Count == 0 ? null : false;
                says.Add(possible is null ? "Whether flash is soldered on is not known." : "No flash is soldered onto this board.");
            }
            else if (image is not null && image.ExpandedBytes > Sizes.CardBytes(flash))
            {
                possible = false;
                says.Add($"{image.Title} takes {Sizes.Binary(image.ExpandedBytes)}, the flash has {Sizes.Binary(Sizes.CardBytes(flash))}.");
            }
            else
                says.Add(
                    $"The flash has {flash} GB{(board.Connected.CardGb > flash ? $", the card {board.Connected.CardGb} GB: what lies on it must fit" : "")}."
                );
        }
        else if (port is null && model.Ports.Count > 0)
        {
            possible = false;
            says.Add(target == MoveTarget.Usb ? "This board has no USB socket for drives." : "This board has no slot for a drive.");
        }
        else if (port is null)
        {
            possible = null;
            says.Add("What sockets this board has is not known.");
        }
        else
            says.Add($"{port.Name}{(port.Note is { } note ? $" ({note})" : "")}: its bus limits how fast it gets.");
        if (possible != false)
        {
            says.Add(
                model.BootMedia.Count == 0
                    ? "What its ROM can start from is not known: keep the card at hand until a boot without it was seen."
                : starts ? $"Its ROM can start from it ({string.Join(", ", model.BootMedia)}): the card can be taken out afterwards."
                : $"Its ROM does not start from it ({string.Join(", ", model.BootMedia)}): loader and kernel stay on the card, only the root moves."
            );
            if (target != MoveTarget.Flash && board.Connected.SupplyId is not null)
            {
                // The usual drive of the catalogue stands for one whose print nobody read.
                var drive =
                    catalogue.Parts.FirstOrDefault(p => (board.Connected.Parts ?? []).Contains(p.Id) && Drive(p, target))
                    ?? catalogue.Parts.FirstOrDefault(p => Drive(p, target));
                if (drive is null)
                    says.Add("What a drive takes is not known here: read it from its print and add it to the parts.");
                else
                {
                    var with = board.Connected with { Parts = [.. (board.Connected.Parts ?? []).Where(p => p != drive.Id), drive.Id] };
                    var verdict = SupplyCheck.Check(with, model.Power, catalogue);
                    says.Add($"With {drive.Name}: {verdict.Text}");
                }
            }
        }
        var candidates = possible == false ? [] : MoveSteps.Candidates(target, sight.Look);
        return new(
            target,
            name,
            possible,
            says,
            sight.Look?.Source?.Path,
            candidates,
            possible == false ? [] : MoveSteps.Of(target, starts, sight, candidates)
        );
    }

    /// <summary>Whether a part of the catalogue is such a drive, by its id.</summary>
    private static bool Drive(FedPart part, MoveTarget target) =>
        target == MoveTarget.Ssd ? part.Id == "ssd" : part.Id is "stick" or "disk";

    /// <summary>Whether a device, as a log names it, is of the medium; null when that cannot be told.</summary>
    public static bool? Is(MoveTarget target, string device)
    {
        var name = device.Replace("/dev/", "", StringComparison.Ordinal);
        return name switch
        {
            _ when name.StartsWith("nvme", StringComparison.Ordinal) => target == MoveTarget.Ssd,
            // A drive in a slot may be SATA, and then has the same name as one on USB.
            _ when name.StartsWith("sd", StringComparison.Ordinal) => target is MoveTarget.Usb or MoveTarget.Ssd,
            _ when name.StartsWith("mmcblk0", StringComparison.Ordinal) => target == MoveTarget.Flash ? null : false,
            _ when name.StartsWith("mmcblk", StringComparison.Ordinal) => target == MoveTarget.Flash,
            _ => null,
        };
    }

    /// <summary>The disk of a partition: "/dev/mmcblk0p2" is on "/dev/mmcblk0".</summary>
    private static string? Disk(string? partition) =>
        partition is null ? null
        : partition.TrimEnd('0', '1', '2', '3', '4', '5', '6', '7', '8', '9') is var stem
        && stem.EndsWith('p')
        && stem.Length > 1
        && char.IsAsciiDigit(stem[^2])
            ? stem[..^1]
        : stem;

    /// <summary>What a boot says of a move, in a sentence, and whether it took.</summary>
    /// <param name="before">The device that the root was mounted from before the move, or null.</param>
    /// <param name="mounted">The device that it was mounted from in the boot; null when its log does not say.</param>
    public static (bool? Took, string Says) Proof(MoveTarget target, string? before, string? mounted)
    {
        var name = target == MoveTarget.Flash ? "soldered flash" : Targets[target].Name;
        if (mounted is null)
            return (
                null,
                "The log does not say which device the root was mounted from: turn the kernel's messages on (no quiet) and boot again."
            );
        // Card and flash share their names: the other one than before is the flash.
        var is_ =
            target == MoveTarget.Flash && Disk(before) is { } was && was.StartsWith("/dev/mmcblk", StringComparison.Ordinal)
                ? Disk(mounted) != was && mounted.StartsWith("/dev/mmcblk", StringComparison.Ordinal)
                : Is(target, mounted);
        return is_ switch
        {
            true when mounted != before => (true, $"The root was mounted from {mounted}: it runs from the {name}."),
            true => (
                null,
                $"The root was mounted from {mounted}, as before the move: take the card out and boot again to tell them apart."
            ),
            false => (
                false,
                $"The root was mounted from {mounted}: it does not run from the {name}. It started the old system; look at root= on the command line."
            ),
            null => (null, $"The root was mounted from {mounted}; whether that is the {name} cannot be told from its name."),
        };
    }
}
