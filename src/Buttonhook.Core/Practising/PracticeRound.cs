using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Practising;

/// <summary>What was done in a round.</summary>
public enum PracticeKind
{
    /// <summary>Something was looked at or measured.</summary>
    Look,

    /// <summary>Power was applied and the console read.</summary>
    Boot,

    /// <summary>Something was mended.</summary>
    Mend,
}

/// <summary>One step of a round.</summary>
/// <param name="Of">The id of the look, or of the fault that was mended; empty for a boot.</param>
/// <param name="Minutes">What it cost.</param>
/// <param name="Tells">What it showed.</param>
public sealed record PracticeStep(PracticeKind Kind, string Of, int Minutes, string Tells);

/// <summary>A round of practice: a board with a hidden fault.</summary>
/// <param name="ModelId">Of the board.</param>
/// <param name="FaultId">Hidden until the round is over.</param>
/// <param name="ByPerson">Whether another person hid it.</param>
/// <param name="Won">Null while it goes on; false when it was given up or went over its time.</param>
/// <param name="Shortest">How it could have been found soonest; null while it goes on.</param>
public sealed record PracticeRound(
    string Id,
    string Nickname,
    string ModelId,
    string RevisionId,
    int? MemoryMiB,
    string ImageId,
    string FaultId,
    int Level,
    bool ByPerson,
    int Seed,
    IReadOnlyList<PracticeStep> Steps,
    DateTimeOffset StartedAt,
    DateTimeOffset? EndedAt,
    bool? Won,
    ShortestWay? Shortest = null
)
{
    /// <summary>Minutes after which a round is lost.</summary>
    public const int MostMinutes = 60;

    /// <summary>Minutes of the bench that a boot takes, beside what the board takes itself: card in, wires, power.</summary>
    public const int BootMinutes = 2;

    /// <summary>What was spent.</summary>
    public int Minutes => Steps.Sum(s => s.Minutes);

    /// <summary>The faults that were mended in vain.</summary>
    public IReadOnlyList<string> Mistaken => [.. Steps.Where(s => s.Kind == PracticeKind.Mend && s.Of != FaultId).Select(s => s.Of)];

    /// <summary>The round with one more step; it is over when the fault was mended or the time ran out.</summary>
    public PracticeRound With(PracticeStep step, DateTimeOffset at)
    {
        var next = this with { Steps = [.. Steps, step] };
        bool? won =
            step.Kind == PracticeKind.Mend && step.Of == FaultId ? true
            : next.Minutes >= MostMinutes ? false
            : null;
        return won is null ? next : next with { Won = won, EndedAt = at };
    }
}

/// <summary>How one could have found a fault soonest.</summary>
/// <param name="Minutes">What that costs, the mending included.</param>
/// <param name="Says">In a sentence.</param>
/// <param name="Lines">Lines of the log of the first boot that told it.</param>
public sealed record ShortestWay(int Minutes, string Says, IReadOnlyList<int> Lines);

/// <summary>Draws faults and judges rounds.</summary>
public static class Practice
{
    /// <summary>A fault that was missed or mended in vain before comes back so much more often than one that was found at once.</summary>
    private const double Missed = 4,
        Unmet = 2,
        Found = 1;

    /// <summary>Draws a fault of a level by what this person met and mixed up before.</summary>
    /// <param name="past">Earlier rounds, ended ones.</param>
    /// <param name="possible">The faults that this board can have.</param>
    /// <param name="dice">From 0 to below 1.</param>
    public static PracticeFault? Draw(
        PracticeBook book,
        int level,
        IReadOnlyList<PracticeRound> past,
        IReadOnlySet<string> possible,
        double dice
    )
    {
        var those = book.Faults.Where(f => f.Level == level && possible.Contains(f.Id)).ToList();
        if (those.Count == 0)
            return null;
        var weights = those.ConvertAll(f => WeightOf(f.Id, past));
        var left = Math.Clamp(dice, 0, 0.999999) * weights.Sum();
        for (var i = 0; i < those.Count; i++)
            if ((left -= weights[i]) < 0)
                return those[i];
        return those[^1];
    }

    /// <summary>How often a fault is drawn beside the others: the newest round that had to do with it decides.</summary>
    public static double WeightOf(string faultId, IReadOnlyList<PracticeRound> past)
    {
        var last = past.Where(r => r.Won is not null && (r.FaultId == faultId || r.Mistaken.Contains(faultId))).MaxBy(r => r.EndedAt);
        return last is null ? Unmet
            : last.Won == true && last.FaultId == faultId && last.Mistaken.Count == 0 ? Found
            : Missed;
    }

    /// <summary>The shortest way to a fault: by the log of a boot where the diagnosis of it proves the fault, else by the cheapest look that tells.</summary>
    /// <param name="bootMinutes">What a boot of this board costs.</param>
    public static ShortestWay Shortest(PracticeBook book, string faultId, Diagnosis diagnosis, int bootMinutes)
    {
        var mend = book.Fault(faultId)?.Mend ?? faultId;
        var look = book.Looks.Where(l => l.Proves.Contains(faultId)).MinBy(l => l.Minutes);
        var cause = diagnosis.Causes.FirstOrDefault();
        var same = Simulating.SimulatedFaults.Find(faultId)?.ClearedBy ?? [faultId];
        var byLog = cause is not null && same.Contains(cause.Id);
        if (byLog && (look is null || bootMinutes <= look.Minutes))
        {
            var lines = cause!.Evidence.Select(e => e.Line).Where(l => l > 0).Distinct().Order().Take(6).ToList();
            return new(
                bootMinutes + bootMinutes,
                lines.Count > 0
                    ? $"One boot, and {(lines.Count == 1 ? "line" : "lines")} {string.Join(", ", lines)} of its log; then: {mend}"
                    : $"One boot, and what its log leaves out; then: {mend}",
                lines
            );
        }
        return look is not null
            ? new(
                look.Minutes + bootMinutes,
                $"{look.Name} ({look.Minutes} min): {look.Tells.GetValueOrDefault(faultId, look.Usual)} Then: {mend}",
                []
            )
            : new(2 * bootMinutes, $"One boot, and leaving out what it is not; then: {mend}", []);
    }

    /// <summary>How one is doing: rounds, won, minutes beyond the shortest way, and the faults that were mixed up.</summary>
    public static IReadOnlyList<(string Meant, string Was, int Times)> MixedUp(IReadOnlyList<PracticeRound> past) =>
        [
            .. past.SelectMany(r => r.Mistaken.Select(m => (Meant: m, Was: r.FaultId)))
                .GroupBy(p => p)
                .Select(g => (g.Key.Meant, g.Key.Was, g.Count()))
                .OrderByDescending(p => p.Item3),
        ];
}
