using System.Globalization;

namespace Buttonhook.Core.Diagnosing;

/// <summary>What a person found by the check of a cause.</summary>
public enum CheckAnswer
{
    /// <summary>It was so: the check confirms the cause.</summary>
    Yes,

    /// <summary>It was not so: the check clears the cause.</summary>
    No,

    /// <summary>The person cannot look; it says nothing, and is not asked again.</summary>
    Unseen,
}

/// <summary>Chooses the check that is worth doing next, and takes what a person found into the ranking.</summary>
public static class Checks
{
    /// <summary>How much likelier a look is to find what is there than what is not: nineteen of twenty looks are taken to be right.</summary>
    private const double LookOdds = 19;

    /// <summary>The causes ranked anew with what was found: the odds of a confirmed cause are multiplied, those of a cleared one divided, and all add up to 1 again. Answers to causes that are not in it are passed over.</summary>
    public static Diagnosis Answered(this Diagnosis diagnosis, IReadOnlyDictionary<string, CheckAnswer> answers)
    {
        var known = answers.Where(a => diagnosis.Causes.Any(c => c.Id == a.Key)).ToDictionary();
        if (known.Count == 0)
            return diagnosis;
        var causes = Rank(diagnosis.Causes, known);
        return diagnosis with { Causes = causes, NextCheck = Next(causes, false, false) };
    }

    private static List<RankedCause> Rank(IReadOnlyList<RankedCause> causes, IReadOnlyDictionary<string, CheckAnswer> answers)
    {
        double Weight(RankedCause cause) =>
            cause.Probability
            * (
                answers.TryGetValue(cause.Id, out var answer)
                    ? answer switch
                    {
                        CheckAnswer.Yes => LookOdds,
                        CheckAnswer.No => 1 / LookOdds,
                        _ => 1,
                    }
                    : 1
            );
        var sum = causes.Sum(Weight);
        // No look proves a cause to the last; what stays with something else is not looked away.
        double Share(RankedCause cause) =>
            cause.Id == RuleBook.SomethingElse ? Math.Max(Weight(cause) / sum, Diagnoser.Doubt) : Weight(cause) / sum;
        var shares = causes.Sum(Share);
        return
        [
            .. causes
                .Select(c =>
                    c with
                    {
                        Probability = Share(c) / shares,
                        Answer = answers.TryGetValue(c.Id, out var answer) ? answer : c.Answer,
                    }
                )
                .OrderByDescending(c => c.Probability),
        ];
    }

    /// <summary>The check that moves the ranking most for its time, of those that nobody answered; when the leading cause is confirmed there is nothing more to ask.</summary>
    /// <param name="cut">Whether the capture ended on the way.</param>
    /// <param name="noText">Whether the log is no console text.</param>
    public static NextCheck Next(IReadOnlyList<RankedCause> causes, bool cut, bool noText)
    {
        var top = causes[0];
        if (top.Id == RuleBook.None)
            return new(top.NextCheck, "The boot is clean; the address is what you need next.");
        if (top.Answer == CheckAnswer.Yes)
            return new(top.Fix, $"You looked: it is “{top.Name}”.");
        var best = causes
            .Where(c => c.Id is not RuleBook.SomethingElse and not RuleBook.None && c.Answer is null)
            .OrderByDescending(c => c.Probability * (1 - c.Probability / 2) / Math.Sqrt(Math.Max(1, c.CheckMinutes)))
            .FirstOrDefault();
        if (best is null)
        {
            var rest = causes.First(c => c.Id == RuleBook.SomethingElse);
            return new(
                rest.NextCheck,
                noText ? "Nothing can be read as long as it is no text."
                    : cut ? "That a capture ended does not say that the board stopped."
                    : causes.Count > 1 ? "Every other check was answered."
                    : "No rule explains this log."
            );
        }
        return new(
            best.NextCheck,
            $"It confirms or clears “{best.Name}” ({Percent(best.Probability)}) in {best.CheckMinutes} min.",
            best.Id,
            best.CheckMinutes,
            Then(causes, best.Id, CheckAnswer.Yes),
            Then(causes, best.Id, CheckAnswer.No)
        );
    }

    private static string Then(IReadOnlyList<RankedCause> causes, string id, CheckAnswer answer)
    {
        var leads = Rank(causes, new Dictionary<string, CheckAnswer> { [id] = answer })[0];
        return $"Then {leads.Name} {(leads.Id == id ? "stands at" : "leads with")} {Percent(leads.Probability)}.";
    }

    private static string Percent(double share) => $"{(share * 100).ToString("0", CultureInfo.InvariantCulture)} %";
}
