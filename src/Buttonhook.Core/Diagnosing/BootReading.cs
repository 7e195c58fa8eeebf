using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>What a capture says: attempts, stages, outcome, facts. Computed from the bytes alone, so it can always be computed again.</summary>
/// <param name="Outcome">How the last attempt ended, as far as the capture goes.</param>
/// <param name="Waiting">True when the board waits for a person or has stopped for good, so no more output is expected.</param>
/// <param name="LongestQuietMilliseconds">The longest silence up to the login or the last byte; null without arrival times.</param>
/// <param name="StartSeen">Whether the start of the board was seen: power was marked, a loader or the beginning kernel printed, or it started again. Else the capture was attached to a board that ran already, and counts nowhere.</param>
/// <param name="Helped">Whether something was tried by hand in the last attempt: whatever it came to, it counts nowhere.</param>
/// <param name="StageLines">The stages of the last attempt with the line and time at which each was reached.</param>
public sealed record BootReading(
    Outcome Outcome,
    Stage? LastStage,
    bool Waiting,
    IReadOnlyList<Attempt> Attempts,
    IReadOnlyList<StageReached> StageLines,
    Facts Facts,
    LineVerdict Line,
    int? LongestQuietMilliseconds,
    bool StartSeen,
    bool Helped = false
);

/// <summary>One attempt to boot within a capture; lines are counted from 1.</summary>
/// <param name="Stages">Its stages; the times of the first attempt count from where the capture counts from, those of a later one from its first line.</param>
/// <param name="Helped">Whether something was tried by hand in it: it counts nowhere.</param>
/// <param name="ByPower">Whether power was marked where it begins.</param>
public sealed record Attempt(
    int Number,
    int FirstLine,
    int LastLine,
    Outcome Outcome,
    Stage? LastStage,
    IReadOnlyList<StageReached> Stages,
    bool Helped = false,
    bool ByPower = false
);

/// <summary>A stage, the line that shows it, and milliseconds since power when arrival times are known.</summary>
public sealed record StageReached(Stage Stage, int Line, int? Milliseconds);

/// <summary>What the log tells about board and system; what is not in it is null (addresses: empty).</summary>
/// <param name="MemoryBytes">What the loader found; without it what the kernel counts, which is less than what is fitted.</param>
/// <param name="ManagedBytes">What the kernel counts; null when it does not say it.</param>
public sealed record Facts(
    string? Architecture,
    string? Board,
    long? MemoryBytes,
    string? Kernel,
    string? Os,
    string? BootMedium,
    string? Hostname,
    IReadOnlyList<string> Addresses,
    long? ManagedBytes = null
);
