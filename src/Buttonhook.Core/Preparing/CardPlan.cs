using Buttonhook.Core.Images;

namespace Buttonhook.Core.Preparing;

/// <summary>An image on a card in bytes: what the image takes, what is kept for updates, what stays free.</summary>
/// <param name="Fits">The expanded image is not larger than the card.</param>
/// <param name="HasRoom">A quarter of the image, at least 1 GiB, stays free for updates.</param>
/// <param name="WriteSeconds">Seconds to write and read back with a card of speed class 10.</param>
public sealed record CardPlan(
    int CardGb,
    long CardBytes,
    long ImageBytes,
    long UpdateBytes,
    long FreeBytes,
    bool Fits,
    bool HasRoom,
    int WriteSeconds
)
{
    /// <summary>Plans <paramref name="image"/> on a card sold as <paramref name="cardGb"/> GB. An update of a system unpacks about a quarter of it beside itself.</summary>
    public static CardPlan For(ImageCard image, int cardGb)
    {
        var card = Sizes.CardBytes(cardGb);
        var updates = Math.Max(Sizes.GiB, image.ExpandedBytes / 4);
        var free = card - image.ExpandedBytes;
        return new(
            cardGb,
            card,
            image.ExpandedBytes,
            updates,
            Math.Max(0, free),
            free >= 0,
            free >= updates,
            WriteTime(image.ExpandedBytes)
        );
    }

    // The slowest link: cards of speed class 10 promise 10 MB/s of writing, and read back at about twice that.
    private static int WriteTime(long bytes) => (int)Math.Ceiling(bytes / 10e6 + bytes / 20e6);
}
