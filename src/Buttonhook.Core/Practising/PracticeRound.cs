using Buttonhook.Core.Simulating;

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
/// <param name="Judged">What each step gave away; null while it goes on, and of rounds of earlier versions.</param>
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
    JudgedRound? Judged = null
)
{
    /// <summary>Minutes after which a round is lost.</summary>
    public const int MostMinutes = 60;

    /// <summary>Minutes of the bench that a boot takes, beside what the board takes itself: card in, wires, power.</summary>
    public const int BootMinutes = 2;

    /// <summary>Minutes of a boot that took so many seconds on the board.</summary>
    public static int Cost(int seconds) => BootMinutes + (int)Math.Ceiling(seconds / 60.0);

    /// <summary>What was spent.</summary>
    public int Minutes => Steps.Sum(s => s.Minutes);

    /// <summary>The faults that were mended in vain.</summary>
    public IReadOnlyList<string> Mistaken =>
        [.. Steps.Where(s => s.Kind == PracticeKind.Mend && !(s.Of == FaultId || Won == true && s == Steps[^1])).Select(s => s.Of)];

    /// <summary>The round with one more step; it is over when the fault was mended or the time ran out.</summary>
    /// <param name="mended">Whether the step took the fault away.</param>
    public PracticeRound With(PracticeStep step, bool mended, DateTimeOffset at)
    {
        var next = this with { Steps = [.. Steps, step] };
        bool? won =
            mended && next.Minutes <= MostMinutes ? true
            : next.Minutes >= MostMinutes ? false
            : null;
        return won is null ? next : next with { Won = won, EndedAt = at };
    }
}

/// <summary>Draws faults.</summary>
public static class Practice
{
    /// <summary>A fault that was missed or mended in vain before comes back so much more often than one that was found at once.</summary>
    private const double Missed = 4,
        Unmet = 2,
        Found = 1;

    /// <summary>Draws a fault of a level by what this bench met, and by what this person missed or mixed up before.</summary>
    /// <param name="met">How often boots of this bench failed by each cause.</param>
    /// <param name="past">Earlier rounds, ended ones.</param>
    /// <param name="possible">The faults that this board can have.</param>
    /// <param name="dice">From 0 to below 1.</param>
    public static PracticeFault? Draw(
        PracticeBook book,
        int level,
        IReadOnlyDictionary<string, int> met,
        IReadOnlyList<PracticeRound> past,
        IReadOnlySet<string> possible,
        double dice
    )
    {
        var those = book.Faults.Where(f => f.Level == level && possible.Contains(f.Id)).ToList();
        if (those.Count == 0)
            return null;
        var weights = those.ConvertAll(f => MetWeight(f.Id, met) * WeightOf(f.Id, past));
        var left = Math.Clamp(dice, 0, 0.999999) * weights.Sum();
        for (var i = 0; i < those.Count; i++)
            if ((left -= weights[i]) < 0)
                return those[i];
        return those[^1];
    }

    /// <summary>How likely a fault is before anything was looked at, beside the others: each one as if it had been met once more than it was.</summary>
    public static double MetWeight(string faultId, IReadOnlyDictionary<string, int> met) =>
        1 + (SimulatedFaults.Find(faultId)?.ClearedBy ?? [faultId]).Sum(c => met.GetValueOrDefault(c));

    /// <summary>How often a fault is drawn beside the others: the newest round that had to do with it decides.</summary>
    public static double WeightOf(string faultId, IReadOnlyList<PracticeRound> past)
    {
        var last = past.Where(r => r.Won is not null && (r.FaultId == faultId || r.Mistaken.Contains(faultId))).MaxBy(r => r.EndedAt);
        return last is null ? Unmet
            : last.Won == true && last.FaultId == faultId && last.Mistaken.Count == 0 ? Found
            : Missed;
    }

    /// <summary>Newest rounds that are held against those before.</summary>
    private const int Newest = 3;

    /// <summary>How the newest rounds went against those before; null without enough of them.</summary>
    /// <param name="same">Rounds of one level, newest first.</param>
    public static string? Better(IReadOnlyList<PracticeRound> same)
    {
        var lost = same.Select(r => r.Judged?.Lost).OfType<double>().ToList();
        return lost.Count <= Newest
            ? null
            : $"Your last three rounds of this level gave {lost.Take(Newest).Average():0} min away each; those before gave {lost.Skip(Newest).Average():0} min away.";
    }

    /// <summary>The faults that were taken for each other, the most often ones first.</summary>
    public static IReadOnlyList<(string Meant, string Was, int Times)> MixedUp(IReadOnlyList<PracticeRound> past) =>
        [
            .. past.SelectMany(r => r.Mistaken.Select(m => (Meant: m, Was: r.FaultId)))
                .GroupBy(p => p)
                .Select(g => (g.Key.Meant, g.Key.Was, g.Count()))
                .OrderByDescending(p => p.Item3),
        ];
}
