using Buttonhook.Core.Connecting;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Guiding;

/// <summary>What shows how far the work on a board is.</summary>
/// <param name="Card">The card that should be in it.</param>
/// <param name="CardSays">How the writing stands or why it ended, in plain words; null when there is nothing to say.</param>
/// <param name="BytesRead">Whether bytes of this board's console were read.</param>
/// <param name="Sag">Where a log of this card shows that the supply sagged, or null.</param>
public sealed record Proof(CardState Card, string? CardSays, bool BytesRead, SupplySag? Sag = null)
{
    /// <summary>Whether the image is on the card, as far as anything shows.</summary>
    public bool OnCard => Card is CardState.Written or CardState.Told or CardState.Seen;
}
