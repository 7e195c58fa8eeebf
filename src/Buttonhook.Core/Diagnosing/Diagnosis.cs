using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>The machine-readable answer; its shape is published in the design and stays.</summary>
/// <param name="NewToMe">What of it no good boot of the lab prints, when that is most of it; null otherwise.</param>
/// <param name="MendInOrder">Several faults that each stand by themselves, by id, in the order in which they must be mended; empty when there is at most one.</param>
public sealed record Diagnosis(
    Outcome Outcome,
    Stage? LastStage,
    IReadOnlyList<Attempt> Attempts,
    IReadOnlyList<RankedCause> Causes,
    IReadOnlyList<HarmlessLine> Harmless,
    NextCheck NextCheck,
    Facts Facts,
    Novelty? NewToMe = null,
    IReadOnlyList<string>? MendInOrder = null
);

/// <summary>A cause with its probability (0 to 1; all causes of a diagnosis add up to 1) and the lines that prove it.</summary>
/// <param name="Against">Lines that speak against it.</param>
/// <param name="Answer">What a person found by its check; null when nobody looked.</param>
/// <param name="LedTo">What came of it, in the order of the log, up to the line at which the boot ended; null or empty when nothing did.</param>
/// <param name="State">Whether it is settled.</param>
/// <param name="StateSays">What settled it, in plain words; null while it is open.</param>
public sealed record RankedCause(
    string Id,
    string Name,
    double Probability,
    IReadOnlyList<EvidenceLine> Evidence,
    IReadOnlyList<EvidenceLine> Against,
    string NextCheck,
    int CheckMinutes,
    string Fix,
    string? Correction,
    string? Caution,
    CheckAnswer? Answer = null,
    IReadOnlyList<Consequence>? LedTo = null,
    CauseState State = CauseState.Open,
    string? StateSays = null
);

/// <summary>Whether a cause is settled.</summary>
public enum CauseState
{
    /// <summary>Nobody knows yet.</summary>
    Open,

    /// <summary>Its fix worked: a later boot passed the stage at which it strikes.</summary>
    Confirmed,

    /// <summary>A look showed that it was not so.</summary>
    Refuted,
}

/// <summary>What came of a cause: a later symptom, or the line at which the boot ended.</summary>
/// <param name="Line">Its line, from 1.</param>
/// <param name="Text">The line itself.</param>
/// <param name="Name">The cause that this would be if it stood alone; null for the end of the boot.</param>
public sealed record Consequence(int Line, string Text, string? Name);

/// <summary>What is known from elsewhere than the log, and makes a cause likelier.</summary>
/// <param name="Odds">Log odds that it is worth.</param>
/// <param name="Says">Where it is known from, as a sentence without its full stop.</param>
public sealed record KnownBefore(string CauseId, double Odds, string Says);

/// <summary>A line of the log (from 1; 0 when no line shows it, as for an absence) and what it says.</summary>
/// <param name="Times">How many lines of the log say the same, kernel times aside; at least 1.</param>
public sealed record EvidenceLine(int Line, string Text, string? Says, int Times = 1);

/// <summary>A line that only looks bad.</summary>
public sealed record HarmlessLine(int Line, string Text, string Why);

/// <summary>The check that is worth doing first, and why.</summary>
/// <param name="CauseId">The cause that it confirms or clears; null when there is nothing to answer.</param>
/// <param name="Minutes">How long it takes; 0 when it is no check.</param>
/// <param name="IfYes">What would follow if it was so; null when there is nothing to answer.</param>
/// <param name="IfNo">What would follow if it was not.</param>
public sealed record NextCheck(string What, string Why, string? CauseId = null, int Minutes = 0, string? IfYes = null, string? IfNo = null);
