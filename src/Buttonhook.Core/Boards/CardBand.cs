namespace Buttonhook.Core.Boards;

/// <summary>How much of its label a card holds: makers differ, so it is a band from measured cards and not one factor.</summary>
/// <param name="Least">The smallest share that a measured card held, 0 to 1.</param>
/// <param name="Most">The largest.</param>
/// <param name="Cards">How many cards were measured; 0 leaves the band at 0.9 to 1, wider than any that was met.</param>
public sealed record CardBand(double Least, double Most, int Cards)
{
    /// <summary>The band of these cards; what is more than a tenth below its label or above it is no measure of that label and is left out.</summary>
    public static CardBand Of(IEnumerable<MeasuredCard> cards)
    {
        var shares = cards.Select(c => c.Bytes / (c.LabelGb * 1e9)).Where(s => s is >= 0.9 and <= 1.1).ToList();
        return shares.Count == 0 ? new(0.9, 1, 0) : new(shares.Min(), shares.Max(), shares.Count);
    }

    /// <summary>What can be counted on of a card with this label, in bytes.</summary>
    public long LeastBytes(int labelGb) => (long)(labelGb * 1e9 * Least);

    /// <summary>What it may hold at most.</summary>
    public long MostBytes(int labelGb) => (long)(labelGb * 1e9 * Most);
}
