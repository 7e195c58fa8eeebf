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
    string? Caution
);

/// <summary>A line of the log (from 1; 0 when no line shows it, as for an absence) and what it says.</summary>
public sealed record EvidenceLine(int Line, string Text, string? Says);

/// <summary>A line that only looks bad.</summary>
public sealed record HarmlessLine(int Line, string Text, string Why);

/// <summary>The check that is worth doing first, and why.</summary>
public sealed record NextCheck(string What, string Why);
