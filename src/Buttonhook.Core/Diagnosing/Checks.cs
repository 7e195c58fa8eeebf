using System.Globalization;
using Buttonhook.Core.Consoles;

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

    /// <summary>
    /// The ranking with what is known from elsewhere: the odds of a cause are multiplied by what that is worth. A cause that the log does not
    /// show, and for which something speaks, is taken in where a board stopped and the log explains little: as likely as something else, times what is known.
    /// </summary>
    public static Diagnosis Knowing(this Diagnosis diagnosis, IReadOnlyList<KnownBefore> known, RuleBook book)
    {
        if (diagnosis.Outcome is Outcome.Cut or Outcome.Garbled || diagnosis.Causes[0].Id == RuleBook.None)
            return diagnosis;
        var causes = diagnosis.Causes.ToList();
        var rest = causes.Find(c => c.Id == RuleBook.SomethingElse)?.Probability ?? Diagnoser.Doubt;
        foreach (var of in known.GroupBy(k => k.CauseId))
        {
            var odds = of.Sum(k => k.Odds);
            var factor = Math.Exp(Math.Min(odds, MostKnown));
            List<EvidenceLine> Says(bool against) => [.. of.Where(k => k.Odds < 0 == against).Select(k => new EvidenceLine(0, "", k.Says))];
            var at = causes.FindIndex(c => c.Id == of.Key);
            if (at >= 0)
                causes[at] = causes[at] with
                {
                    Probability = causes[at].Probability * factor,
                    Evidence = [.. Says(false), .. causes[at].Evidence],
                    Against = [.. Says(true), .. causes[at].Against],
                };
            else if (
                odds > 0
                && book.Cause(of.Key) is { } cause
                && diagnosis.Outcome is Outcome.Stopped or Outcome.Silent or Outcome.Rebooting
            )
                causes.Add(
                    new(
                        cause.Id,
                        cause.Name,
                        rest * factor,
                        Says(false),
                        Says(true),
                        Template.Plain(cause.Check.What),
                        cause.Check.Minutes,
                        Template.Plain(cause.Fix),
                        cause.Correction is { } correction ? Template.Plain(correction) : null,
                        cause.Caution
                    )
                );
        }
        if (causes.SequenceEqual(diagnosis.Causes))
            return diagnosis;
        var ranked = Rank(causes, new Dictionary<string, CheckAnswer>());
        return diagnosis with { Causes = ranked, NextCheck = Next(ranked, false, false) };
    }

    /// <summary>The most that is taken from elsewhere, in log odds: a line of the log that proves a cause weighs more.</summary>
    private const double MostKnown = 3.5;

    /// <summary>The causes with what settled them: one that is confirmed leads as if a look had found it, one that a look cleared is refuted.</summary>
    /// <param name="confirmed">By id: the words that tell what proved it.</param>
    public static Diagnosis Settled(this Diagnosis diagnosis, IReadOnlyDictionary<string, string> confirmed)
    {
        var proven = diagnosis.Causes.Where(c => confirmed.ContainsKey(c.Id) && c.Answer != CheckAnswer.Yes).ToList();
        var asked = diagnosis.Causes.ToDictionary(c => c.Id, c => c.Answer);
        var causes = (
            proven.Count == 0 ? [.. diagnosis.Causes] : Rank(diagnosis.Causes, proven.ToDictionary(c => c.Id, _ => CheckAnswer.Yes))
        ).ConvertAll(c =>
            confirmed.TryGetValue(c.Id, out var says) ? c with { State = CauseState.Confirmed, StateSays = says, Answer = asked[c.Id] }
            : c.Answer == CheckAnswer.No ? c with { State = CauseState.Refuted, StateSays = "You looked: it was not so." }
            : c
        );
        return diagnosis with
        {
            Causes = causes,
            NextCheck = causes[0].State == CauseState.Confirmed ? Next(causes, false, false) : diagnosis.NextCheck,
        };
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

    /// <summary>The check that is expected to tell most for its time (bits a minute), of those that nobody answered; when the leading cause is confirmed there is nothing more to ask.</summary>
    /// <param name="cut">Whether the capture ended on the way.</param>
    /// <param name="noText">Whether the log is no console text.</param>
    public static NextCheck Next(IReadOnlyList<RankedCause> causes, bool cut, bool noText)
    {
        var top = causes[0];
        if (top.Id == RuleBook.None)
            return new(top.NextCheck, "The boot is clean; the address is what you need next.");
        if (top.State == CauseState.Confirmed)
            return new("Nothing is left to check.", $"{top.StateSays} It was “{top.Name}”.");
        if (top.Answer == CheckAnswer.Yes)
            return new(top.Fix, $"You looked: it is “{top.Name}”.");
        // What is nearly certain is looked at first, and mended at once.
        var best =
            top is { Answer: null, Probability: >= Diagnoser.Solved } && top.Id != RuleBook.SomethingElse
                ? top
                : causes
                    .Where(c => c.Id is not RuleBook.SomethingElse and not RuleBook.None && c.Answer is null)
                    .OrderByDescending(c => Told(causes, c) / Math.Max(1, c.CheckMinutes))
                    // Which of two is so clears the other as well: the likelier one may be mended at once.
                    .ThenByDescending(c => c.Probability)
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

    /// <summary>What the check of a cause is expected to tell, in bits: a look finds what is there in nineteen cases of twenty, and as rarely what is not. Rounded, so that equals are equal.</summary>
    private static double Told(IReadOnlyList<RankedCause> causes, RankedCause of)
    {
        const double right = LookOdds / (1 + LookOdds);
        var found = causes.Select(c => c.Id == of.Id ? right : 1 - right).ToList();
        return Math.Round(Information.Expected([.. causes.Select(c => c.Probability)], [found, [.. found.Select(f => 1 - f)]]), 3);
    }

    private static string Then(IReadOnlyList<RankedCause> causes, string id, CheckAnswer answer)
    {
        var leads = Rank(causes, new Dictionary<string, CheckAnswer> { [id] = answer })[0];
        return $"Then {leads.Name} {(leads.Id == id ? "stands at" : "leads with")} {Percent(leads.Probability)}.";
    }

    private static string Percent(double share) => $"{(share * 100).ToString("0", CultureInfo.InvariantCulture)} %";
}
