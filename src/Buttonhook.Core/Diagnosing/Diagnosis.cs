using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>The machine-readable answer; its shape is published in the design and stays.</summary>
/// <param name="NewToMe">What of it no good boot of the lab prints, when that is most of it; null otherwise.</param>
/// <param name="IfStill">Of a file that merely ends, the other half of the answer; null where its end is known, or where it would be the same.</param>
/// <param name="Remarks">What stopped nothing and is worth doing something about, in the order of the log.</param>
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
    IReadOnlyList<string>? MendInOrder = null,
    OtherHalf? IfStill = null,
    IReadOnlyList<Remark>? Remarks = null
);

/// <summary>A line that stopped nothing and is worth doing something about.</summary>
/// <param name="Times">How many lines say the same.</param>
public sealed record Remark(int Line, string Text, string Why, string ToDo, int Times);

/// <summary>What a log would say if the board stood still behind its last byte.</summary>
/// <param name="Causes">In order of probability; they add up to 1.</param>
public sealed record OtherHalf(Outcome Outcome, IReadOnlyList<RankedCause> Causes);

/// <summary>A cause with its probability (0 to 1; all causes of a diagnosis add up to 1) and the lines that prove it.</summary>
/// <param name="Against">Lines that speak against it.</param>
/// <param name="Answer">What answers found of it; null when nobody asked.</param>
/// <param name="LedTo">What came of it, in the order of the log, up to the line at which the boot ended; null or empty when nothing did.</param>
/// <param name="State">Whether it is settled.</param>
/// <param name="StateSays">What settled it, in plain words; null while it is open.</param>
/// <param name="Question">The question that confirms or clears it here; null when there is none.</param>
/// <param name="AnsweredBy">The question whose answer found or cleared it; null when none did.</param>
/// <param name="ConsoleAtFault">Whether it tells of the console and not of the board.</param>
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
    string? StateSays = null,
    bool ConsoleAtFault = false,
    string? Question = null,
    string? AnsweredBy = null
)
{
    /// <summary>Its probability before a person looked; null while nobody did.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public double? Before { get; init; }

    /// <summary>What its evidence holds, by name; null when nothing.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public IReadOnlyDictionary<string, string>? Values { get; init; }
}

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

/// <summary>A line of the log (from 1; 0 when no line shows it, as for an absence) and what it says.</summary>
/// <param name="Times">How many lines of the log say the same, kernel times aside; at least 1.</param>
public sealed record EvidenceLine(int Line, string Text, string? Says, int Times = 1);

/// <summary>A line that only looks bad.</summary>
public sealed record HarmlessLine(int Line, string Text, string Why);

/// <summary>The question that is worth asking first, and why.</summary>
/// <param name="What">The question; what mends it, when there is nothing to answer.</param>
/// <param name="CauseId">The cause that it confirms or clears; null when there is nothing to answer.</param>
/// <param name="Minutes">How long a person takes; 0 when it is no question.</param>
/// <param name="Question">Its id; null when there is nothing to answer.</param>
/// <param name="Look">How a person finds out; null where the question says it.</param>
/// <param name="Answers">What can be answered, and what each would change; null when there is nothing to answer.</param>
public sealed record NextCheck(
    string What,
    string Why,
    string? CauseId = null,
    int Minutes = 0,
    string? Question = null,
    string? Look = null,
    IReadOnlyList<PossibleAnswer>? Answers = null
);

/// <summary>An answer that can be given.</summary>
/// <param name="Id">Its id within the question.</param>
/// <param name="Says">What a button shows.</param>
/// <param name="Then">What it would change.</param>
public sealed record PossibleAnswer(string Id, string Says, string Then);
