using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>The machine-readable answer; its shape is published in the design and stays.</summary>
public sealed record Diagnosis(
    Outcome Outcome,
    Stage? LastStage,
    IReadOnlyList<Attempt> Attempts,
    IReadOnlyList<RankedCause> Causes,
    IReadOnlyList<HarmlessLine> Harmless,
    NextCheck NextCheck,
    Facts Facts
);

/// <summary>A cause with its probability (0 to 1; all causes of a diagnosis add up to 1) and the lines that prove it.</summary>
/// <param name="Against">Lines that speak against it.</param>
/// <param name="Answer">What a person found by its check; null when nobody looked.</param>
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
    CheckAnswer? Answer = null
);

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
