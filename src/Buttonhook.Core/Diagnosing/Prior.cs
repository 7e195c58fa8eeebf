namespace Buttonhook.Core.Diagnosing;

/// <summary>What is known from elsewhere than the log, and makes a cause likelier.</summary>
/// <param name="Odds">Log odds that it is worth.</param>
/// <param name="Says">Where it is known from, as a sentence without its full stop.</param>
public sealed record Prior(string CauseId, double Odds, string Says)
{
    /// <summary>Log odds of what a dry boot of the very card found.</summary>
    private const double DryBootOdds = 3;

    /// <summary>Log odds of a supply that is not enough on paper: prints are read wrongly, and boards need less than they name.</summary>
    private const double SupplyOdds = 1.5;

    /// <summary>Log odds of a cause that was confirmed once before on the same board, on another one with the same revision or image, and on one that another bench tells of.</summary>
    private const double SameBoardOdds = 1.1,
        AlikeOdds = 0.7,
        ToldOdds = 0.4;

    /// <summary>Log odds of a card that was not written, and of a console that was read before.</summary>
    private const double EmptyCardOdds = 1.5,
        WiredOdds = 1.5;

    /// <summary>A broken link that the dry boot of a card or an image file found.</summary>
    /// <param name="where">What was looked into ("the card that was written here").</param>
    public static Prior OfDryBoot(string causeId, string where, string text) =>
        new(causeId, DryBootOdds, $"the dry boot of {where} found it: {text.TrimEnd('.')}");

    /// <summary>A supply that is not enough on paper.</summary>
    public static Prior OfSupply(string text) =>
        new(CauseIds.SupplyTooWeak, SupplyOdds, $"on paper the supply is not enough: {text.TrimEnd('.')}");

    /// <summary>A cause that later boots of the same board confirmed.</summary>
    public static Prior OfSameBoard(string causeId, IEnumerable<int> boots) =>
        new(causeId, SameBoardOdds, $"this board had it before: boot {string.Join(", ", boots.Order())}");

    /// <summary>A cause that later boots of other boards confirmed.</summary>
    /// <param name="with">What they have in common ("this revision").</param>
    public static Prior OfAlike(string causeId, int boots, string with) =>
        new(causeId, AlikeOdds, $"{boots} other boot{(boots == 1 ? "" : "s")} with {with} had it");

    /// <summary>A cause that another bench met, and whose fix a later boot proved there.</summary>
    public static Prior OfOtherBench(string causeId, string from, string with) =>
        new(causeId, ToldOdds, $"{from} tells of it with {with}, and of a fix that a later boot proved");

    /// <summary>A card of which nothing shows that it was ever written whole.</summary>
    public static Prior OfEmptyCard { get; } =
        new(CauseIds.NoBootMedium, EmptyCardOdds, "nothing shows that its card was ever written whole");

    /// <summary>A console that was read before, with this card.</summary>
    public static Prior OfReadConsole { get; } = new(CauseIds.ConsoleNotWired, -WiredOdds, "its console was read before, with this card");
}
