using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Keeping;

/// <summary>A boot that counts, as a proof of a fix looks at it.</summary>
public sealed record LaterBoot(int Number, string? TopCause, Outcome Outcome, Stage? LastStage);

/// <summary>What boots behind a fix say of it.</summary>
/// <param name="CauseId">The cause that the fix is of.</param>
/// <param name="Strikes">The stage at which that cause strikes; null for one that the rule book does not know, of which nothing is a proof.</param>
/// <param name="Boots">Those of the same card, oldest first.</param>
public sealed record LaterBoots(string CauseId, Stage? Strikes, IReadOnlyList<LaterBoot> Boots)
{
    /// <summary>The first boot that proves it: it does not show that cause, and passed the stage at which it strikes. Null without one.</summary>
    public LaterBoot? Proof =>
        Strikes is not { } stage
            ? null
            : Boots.FirstOrDefault(b => b.TopCause != CauseId && (BootSummary.Good(b.Outcome) || b.LastStage > stage));

    /// <summary>Whether a boot proved it, in a sentence.</summary>
    public string Says =>
        Proof is { } good
            ? BootSummary.Good(good.Outcome)
                ? $"Proven: boot {good.Number} reached the login without it."
                : $"Proven: boot {good.Number} passed that stage without it, and stopped later."
            : Boots.LastOrDefault(b => b.TopCause == CauseId) is { } still
                ? $"Not proven: boot {still.Number} shows the same."
                : Boots.Count > 0
                    ? $"Boot {Boots[^1].Number} does not show it any more, and did not reach the login."
                    : "Not proven yet: no boot since.";
}

/// <summary>Something that was noted against a cause on a board, and whether a later boot proved it.</summary>
public sealed record NotedFix(string ModelId, string RevisionId, string? ImageId, string CauseId, string Text, bool Proven);
