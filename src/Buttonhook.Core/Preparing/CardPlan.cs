using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Preparing;

/// <summary>An image on a card in bytes: what the image takes, what is kept for updates, what stays free.</summary>
/// <param name="CardBytes">What can be counted on of a card with this label.</param>
/// <param name="CardMostBytes">What it may hold at most.</param>
/// <param name="MeasuredCards">How many measured cards that comes from.</param>
/// <param name="Fits">The expanded image is not larger than the card.</param>
/// <param name="HasRoom">A quarter of the image, at least 1 GiB, stays free for updates.</param>
/// <param name="GrowsToBytes">What the root file system has after the first boot: the rest of the card when it grows, else what the image gives it.</param>
/// <param name="UsableBytes">What a user may fill of it (see <see cref="Usable"/>).</param>
/// <param name="WriteSeconds">Seconds to write and read back with a card of speed class 10.</param>
public sealed record CardPlan(
    int CardGb,
    long CardBytes,
    long CardMostBytes,
    int MeasuredCards,
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
    /// <param name="band">What labels hold.</param>
    public static CardPlan For(ImageProfile image, int cardGb, CardBand band)
    {
        var card = band.LeastBytes(cardGb);
        var updates = SoldSizes.UpdateRoom(image.ExpandedBytes);
        var free = card - image.ExpandedBytes;
        return new(
            cardGb,
            card,
            band.MostBytes(cardGb),
            band.Cards,
            image.ExpandedBytes,
            updates,
            Math.Max(0, free),
            free >= 0,
            free >= updates,
            WriteTime(image.ExpandedBytes),
            image.GrowsAtFirstBoot == true ? card : image.ExpandedBytes,
            Usable(image.GrowsAtFirstBoot == true ? card : image.ExpandedBytes)
        );
    }

    /// <summary>
    /// What an ext4 file system of so many bytes leaves to users, as mke2fs(8) makes it (mke2fs.conf, types default and small; libext2fs:
    /// ext2fs_default_journal_size, ext2fs_initialize): inode tables, journal, bitmaps, group descriptors with the room kept for their
    /// growth, and the twentieth that is kept for root.
    /// </summary>
    public static long Usable(long bytes)
    {
        if (bytes < 512 * Sizes.MiB)
            return (long)(bytes * 0.9);
        const long block = 4096;
        const long blocksOfGroup = 8 * block;
        const long descriptorsOfBlock = block / 64;
        const long mostKept = block / 4;
        const int inodeBytes = 256;
        const int bytesOfInode = 16384;
        var blocks = bytes / block;
        var groups = (blocks + blocksOfGroup - 1) / blocksOfGroup;
        var inodeTables = groups * ((blocksOfGroup * block / bytesOfInode * inodeBytes + block - 1) / block);
        var descriptors = (groups + descriptorsOfBlock - 1) / descriptorsOfBlock;
        var grown = Math.Min(blocks * 1024, uint.MaxValue);
        var kept = Math.Clamp((grown / blocksOfGroup + descriptorsOfBlock - 1) / descriptorsOfBlock - descriptors, 0, mostKept);
        var copies = 1 + Powers(1, groups) + Powers(3, groups) + Powers(5, groups) + Powers(7, groups);
        var overhead = inodeTables + groups * 2 + copies * (1 + descriptors + kept) + JournalBlocks(blocks);
        return Math.Max(0, blocks - overhead - blocks / 20) * block;
        // Copies of the superblock lie in the groups 0, 1 and the powers of 3, 5 and 7 (sparse_super, ext4(5)).
        static int Powers(long of, long groups)
        {
            var count = 0;
            for (var n = of; n < groups; n *= of == 1 ? groups : of)
                count++;
            return count;
        }
    }

    /// <summary>The journal of so many blocks of 4 KiB, in blocks (libext2fs, ext2fs_default_journal_size).</summary>
    private static long JournalBlocks(long blocks) =>
        blocks switch
        {
            < 2048 => 0,
            < 32768 => 1024,
            < 256 * 1024 => 4096,
            < 512 * 1024 => 8192,
            < 4096 * 1024 => 16384,
            < 8192 * 1024 => 32768,
            < 16384 * 1024 => 65536,
            < 32768 * 1024 => 131072,
            _ => 262144,
        };

    // Cards of speed class 10 promise 10 MB/s of writing (SD Association, speed class), and read back at about twice that.
    internal const double ClassWrites = 10e6;
    internal const double ClassReads = 20e6;

    private static int WriteTime(long bytes) => (int)Math.Ceiling(bytes / ClassWrites + bytes / ClassReads);
}
