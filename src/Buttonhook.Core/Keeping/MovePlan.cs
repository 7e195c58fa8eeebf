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
/// <param name="Command">As it is typed on the board, or null where hands do it.</param>
public sealed record MoveStep(string Text, string? Command, string? Caution);

/// <summary>How a proven system is moved from its card to another medium of this board.</summary>
/// <param name="Possible">False with the reason in <paramref name="Says"/>; null when it cannot be told.</param>
/// <param name="Says">The judgement in sentences: what the ROM starts from, what stays on the card, room, supply, bus.</param>
/// <param name="Device">The disk as the system will call it ("/dev/nvme0n1"); a guess that the first step proves.</param>
public sealed record MovePlan(
    MoveTarget Target,
    string Name,
    bool? Possible,
    IReadOnlyList<string> Says,
    string Device,
    IReadOnlyList<MoveStep> Steps
)
{
    private static readonly Dictionary<MoveTarget, (string Name, string Medium, string Device)> Targets = new()
    {
        [MoveTarget.Flash] = ("Soldered flash", "flash", "/dev/mmcblk1"),
        [MoveTarget.Ssd] = ("SSD", "ssd", "/dev/nvme0n1"),
        [MoveTarget.Usb] = ("USB drive", "usb", "/dev/sda"),
    };

    /// <summary>The plans for all targets, possible or not.</summary>
    public static IReadOnlyList<MovePlan> All(Board board, BoardModel model, ImageCard? image, Catalogue catalogue) =>
        [.. Enum.GetValues<MoveTarget>().Select(t => For(t, board, model, image, catalogue))];

    /// <summary>The plan for one target.</summary>
    public static MovePlan For(MoveTarget target, Board board, BoardModel model, ImageCard? image, Catalogue catalogue)
    {
        var (name, medium, device) = Targets[target];
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
        return new(target, name, possible, says, device, possible == false ? [] : Made(target, device, starts));
    }

    /// <summary>Whether a part of the catalogue is such a drive, by its id.</summary>
    private static bool Drive(FedPart part, MoveTarget target) =>
        target == MoveTarget.Ssd ? part.Id == "ssd" : part.Id is "stick" or "disk";

    private static string Part(string device, int number) => char.IsAsciiDigit(device[^1]) ? $"{device}p{number}" : $"{device}{number}";

    private static List<MoveStep> Made(MoveTarget target, string device, bool starts)
    {
        var steps = new List<MoveStep>();
        if (target != MoveTarget.Flash)
            steps.Add(
                new(
                    "Fit the drive.",
                    null,
                    "Power off before a drive is fitted; touch grounded metal first. Mind its screws: a bare drive that slips shorts."
                )
            );
        steps.Add(
            new(
                $"Look what the system calls it: {device} is usual, and the size must be that of the new medium.",
                "lsblk -o NAME,SIZE,MODEL,MOUNTPOINTS",
                null
            )
        );
        if (!starts)
        {
            steps.Add(
                new(
                    "Make one partition and a file system on it.",
                    $"sudo sh -c 'echo type=83 | sfdisk {device} && mkfs.ext4 -L newroot {Part(device, 1)}'",
                    $"This erases {device}. Read its name and size once more."
                )
            );
            steps.Add(new("Copy the root.", $"sudo sh -c 'mount {Part(device, 1)} /mnt && cp -ax / /mnt && sync'", null));
            steps.Add(
                new(
                    "Let the card's command line name the new root: its identifier is what the first line prints. Change it in Prepare or in the file on the card.",
                    $"sudo blkid -s PARTUUID -o value {Part(device, 1)}",
                    null
                )
            );
            steps.Add(
                new(
                    "Name the new root in its own mount table as well.",
                    $"sudo sh -c 'sed -i \"s#^[^ ]* / #PARTUUID=$(blkid -s PARTUUID -o value {Part(device, 1)}) / #\" /mnt/etc/fstab && umount /mnt'",
                    null
                )
            );
        }
        else
        {
            steps.Add(
                new(
                    "Copy the whole card while little runs.",
                    $"sudo sh -c 'sync; dd if=/dev/mmcblk0 of={device} bs=4M conv=fsync status=progress'",
                    $"This erases {device}. Read its name and size once more."
                )
            );
            steps.Add(
                new(
                    "Give the copy identifiers of its own, so that the two are told apart.",
                    $"sudo sh -c 'e2fsck -fy {Part(device, 2)}; tune2fs -U random {Part(device, 2)}; sfdisk --disk-id {device} 0x$(od -An -N4 -tx4 /dev/urandom | tr -d \" \")'",
                    null
                )
            );
            steps.Add(
                new(
                    "Let the command line and the mount table of the copy name its own partition.",
                    $"sudo blkid {Part(device, 1)} {Part(device, 2)}",
                    null
                )
            );
        }
        steps.Add(new("Switch the board off.", "sudo poweroff", "Wait until it says so before the supply is pulled."));
        steps.Add(
            starts
                ? new("Take the card out and lay it aside: it is the rescue.", null, null)
                : new("Leave the card in: it starts the board.", null, null)
        );
        steps.Add(new("Boot it here: the log shows from where the root was really mounted.", null, null));
        return steps;
    }

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
        var name = Targets[target].Name.ToLowerInvariant();
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
