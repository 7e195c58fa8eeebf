using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Simulating;

namespace Buttonhook.Core.Practising;

/// <summary>How a step of a round stands beside the best one that could have been taken then.</summary>
/// <param name="Lost">Minutes that it gave away on average, by what was known before it; 0 when none was better.</param>
/// <param name="Best">The best step then, in words.</param>
/// <param name="Why">Why that one, by what was known then.</param>
public sealed record JudgedStep(double Lost, string Best, string Why);

/// <summary>A line of the log that told the fault.</summary>
/// <param name="Line">Its number, from 1.</param>
/// <param name="Says">What it means, as the rule book says.</param>
public sealed record TellingLine(int Line, string Text, string Says)
{
    private const int Most = 3;

    /// <summary>The lines for a fault in the diagnosis of its boot, when it leads there; else none.</summary>
    public static IReadOnlyList<TellingLine> In(ReadCapture read, string faultId)
    {
        var same = SimulatedFaults.Find(faultId)?.ClearedBy ?? [faultId];
        return read.Diagnosis.Causes.FirstOrDefault() is { } top && same.Contains(top.Id)
            ? [.. top.Evidence.Where(e => e.Line > 0).Take(Most).Select(e => new TellingLine(e.Line, e.Text, e.Says ?? ""))]
            : [];
    }
}

/// <summary>A round that is over, judged step by step.</summary>
/// <param name="Steps">One for each step; the one that gave up, if any, comes last.</param>
/// <param name="Told">What told the fault, in a sentence.</param>
/// <param name="Lines">The lines of the boot's log that told it; none when its log does not.</param>
public sealed record JudgedRound(IReadOnlyList<JudgedStep> Steps, string Told, IReadOnlyList<TellingLine> Lines)
{
    /// <summary>Minutes that were given away in all.</summary>
    public double Lost => Steps.Sum(s => s.Lost);
}

/// <summary>How the boot of a board with a fault reads: boots that read the same cannot be told apart by their log.</summary>
/// <param name="Cause">What leads in the diagnosis, when it is more likely than not and a line of the log says it; null when none does.</param>
public sealed record BootSign(Outcome Outcome, Stage? LastStage, string? Cause)
{
    private const double MoreLikelyThanNot = 0.5;

    /// <summary>How a boot reads.</summary>
    public static BootSign Of(ReadCapture read) =>
        new(
            read.Reading.Outcome,
            read.Reading.LastStage,
            read.Diagnosis.Causes.FirstOrDefault() is { Probability: >= MoreLikelyThanNot } top && top.Evidence.Any(e => e.Line > 0)
                ? top.Id
                : null
        );
}

/// <summary>
/// Judges the steps of a round by what was known before each: every fault that is still possible has its likelihood, and a step is worth the
/// minutes that it takes until the board starts, on average, when one goes on by mending the likeliest for its minutes first (the order that
/// is cheapest for known likelihoods: W. E. Smith, "Various optimizers for single-stage production", 1956).
/// </summary>
/// <param name="likely">How likely each possible fault is before anything was done, beside the others.</param>
/// <param name="signs">How the boot of each of them reads.</param>
/// <param name="bootMinutes">What a boot of this board takes.</param>
public sealed class PracticeJudge(
    PracticeBook book,
    IReadOnlyDictionary<string, double> likely,
    IReadOnlyDictionary<string, BootSign> signs,
    int bootMinutes
)
{
    /// <summary>Less than this of a minute is no difference.</summary>
    private const double Nothing = 0.05;

    private sealed record Choice(PracticeKind Kind, string Of, double Cost, string Name);

    /// <summary>Judges all steps of a round; one that was given up lost what it would still have taken.</summary>
    public IReadOnlyList<JudgedStep> Of(PracticeRound round)
    {
        var now = Normal(likely);
        var judged = new List<JudgedStep>();
        foreach (var step in round.Steps)
        {
            var best = Best(now);
            // All that could be done before can still be done behind it: no step gives more away than it takes.
            var lost = Math.Clamp(CostOf(step.Kind, step.Of, now) - best.Cost, 0, step.Minutes);
            judged.Add(new(lost < Nothing ? 0 : Math.Round(lost, 1), best.Name, Why(best, now)));
            now = After(now, step, round);
        }
        if (round.Won == false && round.Minutes < PracticeRound.MostMinutes)
        {
            var best = Best(now);
            judged.Add(new(Math.Round(best.Cost, 1), best.Name, Why(best, now)));
        }
        return judged;
    }

    /// <summary>The best step by what the steps of a round have shown so far: its kind, and the look or fault.</summary>
    public (PracticeKind Kind, string Of) Next(PracticeRound round)
    {
        var now = Normal(likely);
        foreach (var step in round.Steps)
            now = After(now, step, round);
        var best = Best(now);
        return (best.Kind, best.Of);
    }

    private Choice Best(IReadOnlyDictionary<string, double> now) =>
        Choices().Select(c => new Choice(c.Kind, c.Of, CostOf(c.Kind, c.Of, now), c.Name)).MinBy(c => c.Cost)!;

    private IEnumerable<(PracticeKind Kind, string Of, string Name)> Choices() =>
        [
            (PracticeKind.Boot, "", "Apply power and read the console"),
            .. book.Faults.Select(f => (PracticeKind.Mend, f.Id, f.Mend.TrimEnd('.'))),
            .. book.Looks.Select(l => (PracticeKind.Look, l.Id, l.Name)),
        ];

    /// <summary>Minutes until the board starts, on average, when this is done now.</summary>
    private double CostOf(PracticeKind kind, string of, IReadOnlyDictionary<string, double> now)
    {
        if (kind != PracticeKind.Mend)
        {
            var minutes = kind == PracticeKind.Boot ? bootMinutes : book.Look(of)?.Minutes ?? 0;
            return minutes + now.GroupBy(f => Shown(kind, of, f.Key)).Sum(g => g.Sum(f => f.Value) * Mending(Normal(g)));
        }
        var mend = book.Fault(of);
        // The boot behind a mending in vain is read, too.
        return (mend?.Minutes ?? 0)
            + bootMinutes
            + now.Where(f => mend?.Mends(f.Key) != true).GroupBy(f => signs[f.Key]).Sum(g => g.Sum(f => f.Value) * Mending(Normal(g)));
    }

    /// <summary>Minutes until the board starts, on average, when nothing is done but mending, the likeliest for its minutes first.</summary>
    private double Mending(IReadOnlyDictionary<string, double> now)
    {
        var (spent, all) = (0.0, 0.0);
        var left = now.Keys.ToHashSet();
        foreach (var fault in book.Faults.OrderByDescending(f => now.GetValueOrDefault(f.Id) / (f.Minutes + bootMinutes)))
        {
            if (!left.Contains(fault.Id))
                continue;
            spent += fault.Minutes + bootMinutes;
            foreach (var gone in left.Where(fault.Mends).ToList())
            {
                all += now[gone] * spent;
                left.Remove(gone);
            }
        }
        return all;
    }

    /// <summary>What a look or a boot shows of a board with a fault.</summary>
    private object Shown(PracticeKind kind, string of, string fault) =>
        kind == PracticeKind.Boot ? signs[fault] : book.Look(of)?.Shows(fault) ?? "";

    /// <summary>What is still possible behind a step.</summary>
    private Dictionary<string, double> After(IReadOnlyDictionary<string, double> now, PracticeStep step, PracticeRound round)
    {
        var seen = step.Kind == PracticeKind.Mend ? PracticeKind.Boot : step.Kind;
        return Normal(
            now.Where(f =>
                (step.Kind != PracticeKind.Mend || book.Fault(step.Of)?.Mends(f.Key) != true)
                && Shown(seen, step.Of, f.Key).Equals(Shown(seen, step.Of, round.FaultId))
            )
        );
    }

    private static Dictionary<string, double> Normal(IEnumerable<KeyValuePair<string, double>> some)
    {
        var all = some.ToDictionary(f => f.Key, f => f.Value);
        var sum = all.Values.Sum();
        return sum > 0 ? all.ToDictionary(f => f.Key, f => f.Value / sum) : all;
    }

    private string Why(Choice best, IReadOnlyDictionary<string, double> now)
    {
        string NameOf(string fault) => SimulatedFaults.Find(fault)?.Name ?? fault;
        if (best.Kind == PracticeKind.Mend)
        {
            var share = now.Where(f => book.Fault(best.Of)!.Mends(f.Key)).Sum(f => f.Value);
            return now.Count <= 1
                ? $"Only “{NameOf(best.Of)}” was left."
                : $"“{NameOf(best.Of)}” was likely at {100 * share:0} %, and mending it takes {book.Fault(best.Of)!.Minutes + bootMinutes} min.";
        }
        var groups = now.GroupBy(f => Shown(best.Kind, best.Of, f.Key)).Count();
        return $"{now.Count} faults were possible; this parts them into {groups} groups.";
    }
}
