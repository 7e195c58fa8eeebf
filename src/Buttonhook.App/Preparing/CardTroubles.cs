using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;
using Buttonhook.Hardware.Cards;

namespace Buttonhook.App.Preparing;

/// <summary>What goes wrong while a card is written, in plain words.</summary>
internal static class CardTroubles
{
    /// <summary>The image is larger than the card.</summary>
    public static Problem TooSmall(ImageProfile image, long bytes) =>
        new(
            $"{image.Title} should fit on the card.",
            $"It has {Sizes.Binary(image.ExpandedBytes)}, the card {Sizes.Binary(bytes)}.",
            $"Use a card of {image.SmallestCardGb} GB or more."
        );

    /// <summary>The card did what a sound one does not.</summary>
    public static Problem Told(CardException e, CardWrite state) =>
        e.Fault switch
        {
            CardFault.Removed => new(
                "The card should stay in its slot until it is ready.",
                $"It was gone at {Sizes.Binary(state.DoneBytes)} of {Sizes.Binary(state.TotalBytes)}.",
                "Put it in again and write it again; it is half written."
            ),
            CardFault.ReadOnly => new(
                "The card should take what is written.",
                $"Became read-only at {Sizes.Binary(e.At)}.",
                "Look at the slider of the card; when it is open, the card is worn out: use another one."
            ),
            CardFault.Unreadable => new(
                "The card should be read back whole.",
                $"It cannot be read at {Sizes.Binary(e.At)}.",
                "The card is broken there: use another one."
            ),
            _ => new("The card should take what is written.", e.Message, "Use another card."),
        };

    /// <summary>The program ended while a card was written.</summary>
    public static Problem Interrupted(CardWrite left) =>
        new(
            "The card should have been written to its end.",
            left.Erased
                ? $"Buttonhook ended while it was at: {Words(left.Step)}, {Sizes.Binary(left.DoneBytes)} of {Sizes.Binary(left.TotalBytes)}."
                : "Buttonhook ended before anything was written.",
            left.Erased ? "The card is half written: write it again." : "The card is as it was; start again."
        );

    /// <summary>A person stopped it.</summary>
    public static Problem Stopped(bool erased) =>
        new(
            "The card should be written to its end.",
            "It was stopped.",
            erased ? "The card is half written: write it again before you use it." : "The card is as it was."
        );

    /// <summary>The disk of this computer is full.</summary>
    public static Problem NoRoom(bool erased) =>
        new(
            "There should be room on this computer's disk while a card is written.",
            "The disk is full; the card itself is not at fault.",
            erased ? "Make room, then write the card again: it is half written." : "Make room, then start again: the card is as it was."
        );

    private static string Words(WriteStep step) =>
        step switch
        {
            WriteStep.CheckingDownload => "checking the download",
            WriteStep.CheckingSize => "checking the size of the card",
            WriteStep.Writing => "writing",
            WriteStep.ReadingBack => "reading back",
            WriteStep.FirstBootFiles => "writing the first-boot files",
            WriteStep.DryBoot => "the dry boot",
            _ => "looking at the image",
        };
}
