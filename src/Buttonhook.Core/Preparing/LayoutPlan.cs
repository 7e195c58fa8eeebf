using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Preparing;

/// <summary>One part of a medium and what it takes in bytes.</summary>
public sealed record MediumPart(string Medium, string Name, long Bytes);

/// <summary>How systems lie on their media for one layout: the parts with their sizes, what must be minded, and what stands against it.</summary>
public sealed record LayoutPlan(
    StorageLayout Layout,
    IReadOnlyList<MediumPart> Parts,
    IReadOnlyList<string> Steps,
    IReadOnlyList<string> Against
)
{
    /// <summary>Room for loader, kernel and initial files, with a second kernel beside them during an update.</summary>
    public const long LoaderBytes = 256 << 20;
    private const int MostPrimary = 4;

    /// <summary>What is said where nobody said or measured how large the card is.</summary>
    public const string CardUnknown = "How large the card is, nobody said or measured yet.";
    private const string KernelsStay =
        "The loader starts the kernels that lie beside it: one that an update installs in a system is started after it was copied into that system's folder on the first partition.";

    /// <summary>What the layouts plan with; the card holds 0 bytes when none is in the board.</summary>
    private sealed record Given(ImageProfile Image, BoardProfile Model, long Card, long Flash, long RecoveryBytes)
    {
        /// <summary>The system with room for its updates.</summary>
        public long Need => Image.ExpandedBytes + SoldSizes.UpdateRoom(Image.ExpandedBytes);

        public MediumPart[] Recovery => RecoveryBytes > 0 ? [new("card", "Recovery, at the end", RecoveryBytes)] : [];

        /// <summary>What speaks against so many bytes on this card.</summary>
        public string[] Against(long bytes) =>
            Card >= bytes ? []
            : Card == 0 ? [CardUnknown]
            : [$"That is {Sizes.Binary(bytes)}; the card holds {Sizes.Binary(Card)}."];
    }

    /// <summary>The plan of each layout for this image on this board.</summary>
    /// <param name="recoveryBytes">What a recovery partition at the end of the card takes; 0 for none.</param>
    public static IReadOnlyList<LayoutPlan> All(ImageProfile image, Board board, BoardProfile model, long recoveryBytes, CardBand band)
    {
        var given = new Given(
            image,
            model,
            board.Connected.CardGb is { } card ? band.LeastBytes(card) : 0,
            model.FlashGb is { } flash ? band.LeastBytes(flash) : 0,
            recoveryBytes
        );
        return [OneCard(given), BootMenu(given), LoaderOnCard(given), FlashLater(given)];
    }

    private static LayoutPlan OneCard(Given g)
    {
        string[] growing =
            g.RecoveryBytes == 0 || g.Image.GrowsAtFirstBoot == false ? []
            : g.Image.GrowsAtFirstBoot == true
                ? ["Stop the root from growing into the recovery partition: it grows at first boot by itself."]
            : ["See to it that the root does not grow into the recovery partition: whether it grows by itself is not known."];
        return new(
            StorageLayout.OneCard,
            [
                new("card", g.Image.Title, g.Image.ExpandedBytes),
                new("card", "Room for updates", SoldSizes.UpdateRoom(g.Image.ExpandedBytes)),
                .. g.Recovery,
            ],
            [.. growing, "Swap cards to try another system; nothing is lost."],
            g.Against(g.Need + g.RecoveryBytes)
        );
    }

    private static LayoutPlan BootMenu(Given g)
    {
        var many = (int)Math.Max(0, (g.Card - LoaderBytes - g.RecoveryBytes) / Math.Max(1, g.Need));
        var against = new List<string>();
        if (many < 2)
            against.Add($"Only {many} of this size fits beside the menu with room for updates; a smaller second one may.");
        if (g.Image.Kind == "installer")
            against.Add("An installer takes the whole card.");
        return new(
            StorageLayout.BootMenu,
            [
                new("card", "Loader and menu", LoaderBytes),
                .. Enumerable.Range(1, Math.Min(many, MostPrimary - 1)).Select(n => new MediumPart("card", $"System {n}", g.Need)),
                .. g.Recovery,
            ],
            [
                $"{many} systems of this size fit; the table has {MostPrimary} partitions, so {MostPrimary - 1} behind the loader.",
                "Each root is named by PARTUUID, in the menu and in its own mount table, and has room of its own: let it grow into that with resize2fs, and no further.",
                KernelsStay,
                "The first-boot files are for the first system; the others are set at their first login.",
            ],
            against
        );
    }

    private static LayoutPlan LoaderOnCard(Given g)
    {
        var other =
            g.Model.BootMedia.FirstOrDefault(m => m is "ssd" or "usb")
            ?? (
                g.Model.Ports.Any(p => p.Kind == "storage") ? "ssd"
                : g.Model.Ports.Any(p => p.Kind == "usb-host") ? "usb"
                : null
            );
        var parts = new List<MediumPart> { new("card", "Loader, kernel and initial files", LoaderBytes) };
        if (other is not null)
            parts.Add(new(other, g.Image.Title, g.Image.ExpandedBytes));
        var against = new List<string>();
        if (other is null)
            against.Add("This board has no socket for an SSD or a USB stick.");
        if (g.Image.Kind == "installer")
            against.Add("An installer chooses its own disk.");
        return new(
            StorageLayout.LoaderOnCard,
            [.. parts, .. g.Recovery],
            other is null
                ? []
                :
                [
                    "The root goes onto the other medium, and root= names it by PARTUUID, with rootwait; the card starts it, and stays in.",
                    KernelsStay,
                    "Feed a spinning disk from its own supply.",
                ],
            [.. against, .. g.Against(LoaderBytes + g.RecoveryBytes)]
        );
    }

    private static LayoutPlan FlashLater(Given g)
    {
        MediumPart[] flash = g.Flash > 0 ? [new("flash", g.Image.Title, g.Image.ExpandedBytes)] : [];
        string[] against =
            g.Flash == 0 ? ["This board has no soldered flash."]
            : g.Flash < g.Need ? [$"The flash holds {Sizes.Binary(g.Flash)}, {Sizes.Binary(g.Need)} are needed with updates."]
            : [];
        return new(
            StorageLayout.FlashLater,
            [new("card", g.Image.Title, g.Image.ExpandedBytes), .. g.Recovery, .. flash],
            [
                "Prove it on the card first, then copy it, power off, take the card out, start again and check the root device.",
                "Keep the card as rescue.",
            ],
            [.. against, .. g.Against(g.Need + g.RecoveryBytes)]
        );
    }
}
