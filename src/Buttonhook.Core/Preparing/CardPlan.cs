using Buttonhook.Core.Images;

namespace Buttonhook.Core.Preparing;

/// <summary>An image on a card in bytes: what the image takes, what is kept for updates, what stays free.</summary>
/// <param name="Fits">The expanded image is not larger than the card.</param>
/// <param name="HasRoom">A quarter of the image, at least 1 GiB, stays free for updates.</param>
/// <param name="GrowsToBytes">What the root file system has after the first boot: the rest of the card when it grows, else what the image gives it.</param>
/// <param name="UsableBytes">What a user may fill of it (see <see cref="Usable"/>).</param>
/// <param name="WriteSeconds">Seconds to write and read back with a card of speed class 10.</param>
public sealed record CardPlan(
    int CardGb,
    long CardBytes,
    long ImageBytes,
    long UpdateBytes,
    long FreeBytes,
    bool Fits,
    bool HasRoom,
    int WriteSeconds,
    long GrowsToBytes,
    long UsableBytes
)
{
    /// <summary>Plans <paramref name="image"/> on a card sold as <paramref name="cardGb"/> GB.</summary>
    public static CardPlan For(ImageCard image, int cardGb)
    {
        var card = Sizes.CardBytes(cardGb);
        var updates = UpdateRoom(image.ExpandedBytes);
        var free = card - image.ExpandedBytes;
        return new(
            cardGb,
            card,
            image.ExpandedBytes,
            updates,
            Math.Max(0, free),
            free >= 0,
            free >= updates,
            WriteTime(image.ExpandedBytes),
            image.GrowsAtFirstBoot ? card : image.ExpandedBytes,
            Usable(image.GrowsAtFirstBoot ? card : image.ExpandedBytes)
        );
    }

    /// <summary>What ext4 leaves of so many bytes: a 256-byte inode for each 16 KiB, a journal of up to 1 GiB (a 64th), and a twentieth kept for root (mke2fs(8) defaults).</summary>
    public static long Usable(long bytes) => (long)((bytes - bytes / 64 - Math.Min(Sizes.GiB, bytes / 64)) * 0.95);

    /// <summary>Sizes that cards are sold in, in GB.</summary>
    public static IReadOnlyList<int> SoldGb { get; } = [1, 2, 4, 8, 16, 32, 64, 128, 256, 512, 1024];

    /// <summary>The smallest card that is sold and holds so many bytes.</summary>
    public static int SmallestGb(long bytes) => SoldGb.FirstOrDefault(gb => Sizes.CardBytes(gb) >= bytes, SoldGb[^1]);

    /// <summary>The smallest card that is sold and leaves room for updates as well.</summary>
    public static int RecommendedGb(long bytes) => SmallestGb(bytes + UpdateRoom(bytes));

    /// <summary>Room that updates need: an update of a system unpacks about a quarter of it beside itself, and hardly less than 1 GiB.</summary>
    public static long UpdateRoom(long bytes) => Math.Max(Sizes.GiB, bytes / 4);

    // Cards of speed class 10 promise 10 MB/s of writing (SD Association, speed class), and read back at about twice that.
    internal const double ClassWrites = 10e6;
    internal const double ClassReads = 20e6;

    private static int WriteTime(long bytes) => (int)Math.Ceiling(bytes / ClassWrites + bytes / ClassReads);
}
