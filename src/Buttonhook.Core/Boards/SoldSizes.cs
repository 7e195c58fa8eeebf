namespace Buttonhook.Core.Boards;

/// <summary>The sizes that SD cards are sold in, and which of them an image needs.</summary>
public static class SoldSizes
{
    /// <summary>Sizes that cards are sold in, in GB.</summary>
    public static IReadOnlyList<int> All { get; } = [1, 2, 4, 8, 16, 32, 64, 128, 256, 512, 1024];

    /// <summary>The smallest card that is sold and holds so many bytes.</summary>
    public static int SmallestGb(long bytes) => All.FirstOrDefault(gb => Sizes.CardBytes(gb) >= bytes, All[^1]);

    /// <summary>The smallest card that is sold and leaves room for updates as well.</summary>
    public static int RecommendedGb(long bytes) => SmallestGb(bytes + UpdateRoom(bytes));

    /// <summary>Room that updates need: an update of a system unpacks about a quarter of it beside itself, and hardly less than 1 GiB.</summary>
    public static long UpdateRoom(long bytes) => Math.Max(Sizes.GiB, bytes / 4);
}
