using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>What lists and the next thing need of a boot; it can always be computed again from its bytes.</summary>
/// <param name="Waiting">Whether no more output is expected: the board waits for a person or has stopped for good.</param>
/// <param name="Quiet">Whether it was quiet for longer than is usual.</param>
/// <param name="Top">The likeliest cause; null for a clean boot and where no rule explains it.</param>
/// <param name="LastArrival">Milliseconds from power to the newest byte; null without times.</param>
/// <param name="SagLine">The line that shows that the supply sagged; null when none does.</param>
/// <param name="SagVolts">The volts that this line tells, or null.</param>
/// <param name="StartSeen">See <see cref="BootReading.StartSeen"/>.</param>
/// <param name="Counts">Whether it counts as a boot: its start was seen, it came to an end by itself, and its console was not at fault.</param>
/// <param name="Helped">See <see cref="BootReading.Helped"/>.</param>
public sealed partial record BootSummary(
    Outcome Outcome,
    Stage? LastStage,
    bool Waiting,
    bool Quiet,
    IReadOnlyList<StageReached> Stages,
    RankedCause? Top,
    int? LastArrival,
    int? SagLine,
    double? SagVolts,
    bool StartSeen = true,
    bool Counts = true,
    bool Helped = false
)
{
    /// <summary>What counts as a boot, for records, statistics, usual times and comparison; <see cref="Good"/> tells the good ones of them.</summary>
    public static bool IsCounted(BootReading reading, Diagnosis diagnosis) =>
        reading.StartSeen
        && !reading.Helped
        && diagnosis.Outcome is not (Outcome.Cut or Outcome.Garbled)
        && !diagnosis.Causes[0].ConsoleAtFault;

    /// <summary>Whether it reached the login, be it with a fault.</summary>
    public static bool Good(Outcome outcome) => outcome is Outcome.ReachedLogin or Outcome.Degraded;

    private const double LeastSag = 0.3;

    /// <summary>The summary of what was read.</summary>
    public static BootSummary Of(ReadCapture read)
    {
        var (reading, diagnosis, log, ending) = read;
        var sag = diagnosis
            .Causes.FirstOrDefault(c => c.Id == CauseIds.SupplyTooWeak && c.Probability >= LeastSag)
            ?.Evidence.FirstOrDefault(e => e.Line > 0);
        var volts = sag is null ? null : Volts().Match(sag.Text);
        return new(
            diagnosis.Outcome,
            reading.LastStage,
            reading.Waiting,
            ending.ProvesSilence,
            reading.StageLines,
            diagnosis.Causes[0].Id is RuleBook.None or RuleBook.SomethingElse ? null : diagnosis.Causes[0],
            log.LastArrival,
            sag?.Line,
            volts is { Success: true } ? double.Parse(volts.Groups[1].Value, System.Globalization.CultureInfo.InvariantCulture) : null,
            reading.StartSeen,
            IsCounted(reading, diagnosis),
            reading.Helped
        );
    }

    [GeneratedRegex(@"(\d{1,2}\.\d{1,3}) ?V\b")]
    private static partial Regex Volts();
}
