using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Matching;

namespace Buttonhook.Core.Preparing;

/// <summary>One part of a medium and what it takes in bytes.</summary>
public sealed record MediumPart(string Medium, string Name, long Bytes);

/// <summary>How systems lie on their media for one school: the parts with their sizes, what must be minded, and what stands against it.</summary>
public sealed record SchoolPlan(School School, IReadOnlyList<MediumPart> Parts, IReadOnlyList<string> Steps, IReadOnlyList<string> Against)
{
    /// <summary>Room for loader, kernel and initial files, with a second kernel beside them during an update.</summary>
    public const long LoaderBytes = 256 << 20;
    private const int MostPrimary = 4;

    /// <summary>The plan of each school for this image on this board.</summary>
    /// <param name="recoveryBytes">What a recovery partition at the end of the card takes; 0 for none.</param>
    public static IReadOnlyList<SchoolPlan> All(ImageCard image, Board board, BoardModel model, long recoveryBytes, CardBand band)
    {
        var card = board.Connected.CardGb is { } gb ? band.LeastBytes(gb) : 0;
        var need = image.ExpandedBytes + CardPlan.UpdateRoom(image.ExpandedBytes);
        var recovery = recoveryBytes > 0 ? new[] { new MediumPart("card", "Recovery, at the end", recoveryBytes) } : [];
        var recoveryStep =
            recoveryBytes > 0 && image.GrowsAtFirstBoot != false
                ?
                [
                    image.GrowsAtFirstBoot == true
                        ? "Stop the root from growing into the recovery partition: it grows at first boot by itself."
                        : "See to it that the root does not grow into the recovery partition: whether it grows by itself is not known.",
                ]
                : Array.Empty<string>();
        string TooSmall(long bytes) => $"That is {Sizes.Binary(bytes)}; the card holds {Sizes.Binary(card)}.";
        string[] Fits(long bytes) => card >= bytes ? [] : [card == 0 ? "No card is in this board." : TooSmall(bytes)];

        var one = new SchoolPlan(
            School.OneCard,
            [
                new("card", image.Title, image.ExpandedBytes),
                new("card", "Room for updates", CardPlan.UpdateRoom(image.ExpandedBytes)),
                .. recovery,
            ],
            [.. recoveryStep, "Swap cards to try another system; nothing is lost."],
            Fits(need + recoveryBytes)
        );
        var many = (int)Math.Max(0, (card - LoaderBytes - recoveryBytes) / Math.Max(1, need));
        var menu = new SchoolPlan(
            School.BootMenu,
            [
                new("card", "Loader and menu", LoaderBytes),
                .. Enumerable.Range(1, Math.Min(many, MostPrimary - 1)).Select(n => new MediumPart("card", $"System {n}", need)),
                .. recovery,
            ],
            [
                $"{many} systems of this size fit; an MBR table has {MostPrimary} primary partitions, so {MostPrimary - 1} behind the loader, more with logical ones or GPT.",
                "Each system names its root by PARTUUID, or it finds the wrong one.",
                "No system may grow at first boot: it would grow over the next one.",
            ],
            [
                .. many < 2 ? [$"Only {many} of this size fits beside the menu."] : Array.Empty<string>(),
                .. image.RootBy == "device" ? ["This image names its root by device."] : Array.Empty<string>(),
                .. image.Kind == "installer" ? ["An installer takes the whole card."] : Array.Empty<string>(),
            ]
        );
        var other =
            model.BootMedia.FirstOrDefault(m => m is "ssd" or "usb")
            ?? (
                model.Ports.Any(p => p.Kind == "storage") ? "ssd"
                : model.Ports.Any(p => p.Kind == "usb-host") ? "usb"
                : null
            );
        var split = new SchoolPlan(
            School.LoaderOnCard,
            [
                new("card", "Loader, kernel and initial files", LoaderBytes),
                .. other is null ? Array.Empty<MediumPart>() : [new MediumPart(other, image.Title, image.ExpandedBytes)],
                .. recovery,
            ],
            other is null
                ? []
                :
                [
                    "Copy the boot partition onto the card and the root onto the other medium; root= names it by PARTUUID, with rootwait.",
                    "Feed a spinning disk from its own supply.",
                ],
            [
                .. other is null ? ["This board has no socket for an SSD or a USB stick."] : Array.Empty<string>(),
                .. image.Kind == "installer" ? ["An installer chooses its own disk."] : Array.Empty<string>(),
                .. Fits(LoaderBytes + recoveryBytes),
            ]
        );
        var flash = model.FlashGb is { } flashGb ? band.LeastBytes(flashGb) : 0;
        var later = new SchoolPlan(
            School.FlashLater,
            [
                new("card", image.Title, image.ExpandedBytes),
                .. recovery,
                .. flash > 0 ? [new MediumPart("flash", image.Title, image.ExpandedBytes)] : Array.Empty<MediumPart>(),
            ],
            [
                "Prove it on the card first, then copy it, power off, take the card out, start again and check the root device.",
                "Keep the card as rescue.",
            ],
            [
                .. flash == 0 ? ["This board has no soldered flash."] : Array.Empty<string>(),
                .. flash > 0 && flash < need
                    ? [$"The flash holds {Sizes.Binary(flash)}, {Sizes.Binary(need)} are needed with updates."]
                    : Array.Empty<string>(),
                .. Fits(need + recoveryBytes),
            ]
        );
        return [one, menu, split, later];
    }
}
