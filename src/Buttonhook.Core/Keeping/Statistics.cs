using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Keeping;

/// <summary>One boot as statistics count it.</summary>
/// <param name="LoginSeconds">From power to the login; null without arrival times or without a login.</param>
/// <param name="Connected">What was at the board as it began; null for boots of earlier versions.</param>
public sealed record CountedBoot(
    string ModelId,
    string RevisionId,
    string? ImageId,
    Outcome Outcome,
    string? TopCause,
    double? LoginSeconds,
    Connected? Connected
)
{
    /// <summary>Whether it reached the login, be it with a fault.</summary>
    public bool Good => BootSummary.Good(Outcome);
}

/// <summary>Boots of one image on one revision.</summary>
/// <param name="LoginSeconds">From power to the login, each good boot with times, in ascending order.</param>
public sealed record PairCount(string Image, string Board, int Boots, int Good, int Degraded, IReadOnlyList<double> LoginSeconds);

/// <summary>A cause that was met.</summary>
/// <param name="Boots">In how many boots it led.</param>
/// <param name="Fixes">What was noted against it, with how often a later boot proved it.</param>
public sealed record CauseCount(string Id, string Name, int Boots, IReadOnlyList<FixCount> Fixes);

/// <summary>Something that was noted against a cause.</summary>
public sealed record FixCount(string Text, int Times, int Proven);

/// <summary>A card, supply or adapter, and how the boots with it ended.</summary>
/// <param name="Kind">card, supply or adapter.</param>
public sealed record PartCount(string Kind, string Name, int Boots, int Failed);

/// <summary>How fast the cards that were written in one slot were, oldest first, in MB a second.</summary>
/// <param name="Slower">Whether the newest is slower than two thirds of the fastest before it.</param>
public sealed record CardSpeeds(string Slot, IReadOnlyList<double> Written, bool Slower)
{
    private const double SlowerShare = 2.0 / 3;

    /// <summary>Those of one slot.</summary>
    /// <param name="bytesPerSecond">Oldest first.</param>
    public static CardSpeeds Of(string slot, IEnumerable<double> bytesPerSecond)
    {
        var speeds = bytesPerSecond.Select(b => Math.Round(b / 1e6, 1)).ToList();
        return new(slot, speeds, speeds.Count > 1 && speeds[^1] < speeds.Take(speeds.Count - 1).Max() * SlowerShare);
    }
}

/// <summary>What the bench has learnt.</summary>
/// <param name="Counted">How many boots are counted; cut and garbled captures count for nothing.</param>
/// <param name="Told">What other benches told, which counts less than what was seen here.</param>
public sealed record Statistics(
    int Counted,
    IReadOnlyList<PairCount> Pairs,
    IReadOnlyList<CauseCount> Causes,
    IReadOnlyList<PartCount> Parts,
    IReadOnlyList<CardSpeeds> Cards,
    IReadOnlyList<Experience> Told
)
{
    /// <summary>Statistics of boots that count.</summary>
    public static Statistics Of(
        IReadOnlyList<CountedBoot> counted,
        IReadOnlyList<NotedFix> fixes,
        IReadOnlyList<CardSpeeds> cards,
        IReadOnlyList<Experience> told,
        Catalogue catalogue,
        RuleBook rules
    ) => new(counted.Count, PairsOf(counted, catalogue), CausesOf(counted, fixes, rules), [.. PartsOf(counted, catalogue)], cards, told);

    private static List<PairCount> PairsOf(IReadOnlyList<CountedBoot> counted, Catalogue catalogue) =>
        [
            .. counted
                .Where(b => b.ImageId is not null)
                .GroupBy(b => (b.ImageId, b.ModelId, b.RevisionId))
                .Select(g => new PairCount(
                    catalogue.Image(g.Key.ImageId)?.Title ?? g.Key.ImageId!,
                    $"{catalogue.Model(g.Key.ModelId)?.Name ?? g.Key.ModelId}, rev {g.Key.RevisionId}",
                    g.Count(),
                    g.Count(b => b.Good),
                    g.Count(b => b.Outcome == Outcome.Degraded),
                    [.. g.Where(b => b.Good).Select(b => b.LoginSeconds).OfType<double>().Order()]
                ))
                .OrderByDescending(p => p.Boots),
        ];

    private static List<CauseCount> CausesOf(IReadOnlyList<CountedBoot> counted, IReadOnlyList<NotedFix> fixes, RuleBook rules)
    {
        var noted = fixes.ToLookup(f => f.CauseId);
        return
        [
            .. counted
                .Select(b => b.TopCause)
                .Where(c => c is not (null or RuleBook.None or RuleBook.SomethingElse))
                .Concat(noted.Select(f => f.Key))
                .Distinct()
                .Select(id => new CauseCount(
                    id!,
                    rules.Cause(id!)?.Name ?? id!,
                    counted.Count(b => b.TopCause == id),
                    [.. noted[id!].GroupBy(f => f.Text).Select(g => new FixCount(g.Key, g.Count(), g.Count(f => f.Proven)))]
                ))
                .OrderByDescending(c => c.Boots)
                .ThenBy(c => c.Name, StringComparer.Ordinal),
        ];
    }

    private static IEnumerable<PartCount> PartsOf(IReadOnlyList<CountedBoot> counted, Catalogue catalogue)
    {
        IEnumerable<PartCount> Parts(string kind, Func<Connected, string?> name) =>
            counted
                .Where(b => b.Connected is not null)
                .Select(b => (Name: name(b.Connected!), Failed: !b.Good))
                .Where(b => b.Name is not null)
                .GroupBy(b => b.Name!)
                .Select(g => new PartCount(kind, g.Key, g.Count(), g.Count(b => b.Failed)))
                .OrderByDescending(p => p.Failed);
        return
        [
            .. Parts("card", c => c.CardGb is { } gb ? $"{gb} GB card" : null),
            .. Parts("supply", c => catalogue.Supply(c.SupplyId)?.Name),
            .. Parts("adapter", c => catalogue.Adapter(c.AdapterId)?.Name),
        ];
    }
}
