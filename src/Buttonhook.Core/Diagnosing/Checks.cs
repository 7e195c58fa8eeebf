using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>What an answer found of a cause.</summary>
public enum CheckAnswer
{
    /// <summary>It finds the cause.</summary>
    Yes,

    /// <summary>It rules the cause out.</summary>
    No,

    /// <summary>The person cannot find out; it says nothing, and is not asked again.</summary>
    Unseen,
}

/// <summary>What answers do to a cause.</summary>
/// <param name="Answer">What they found; null when they only make it likelier or less so.</param>
/// <param name="Factor">Of its odds.</param>
/// <param name="By">The question whose answer found it; null for none.</param>
internal sealed record Finding(CheckAnswer? Answer, double Factor, string? By = null);

/// <summary>Chooses the check that is worth doing next, and takes what a person found into the ranking.</summary>
public static class Checks
{
    /// <summary>The causes ranked anew with what was found of each: the odds of a confirmed cause are multiplied, those of a cleared one divided, and all add up to 1 again. Answers to causes that are not in it are passed over.</summary>
    public static Diagnosis Answered(this Diagnosis diagnosis, IReadOnlyDictionary<string, CheckAnswer> answers, RuleBook book) =>
        Ranked(
            diagnosis,
            diagnosis.Causes.Where(c => answers.ContainsKey(c.Id)).ToDictionary(c => c.Id, c => Of(c, answers[c.Id], book)),
            book
        );

    /// <summary>An answer by cause: worth what its question is, or the usual.</summary>
    private static Finding Of(RankedCause cause, CheckAnswer answer, RuleBook book) =>
        new(answer, Question.FactorOf(answer, book.QuestionOf(cause)?.Worth ?? Check.UsualWorth));

    /// <summary>
    /// The causes ranked anew with the answers to questions, a person's or the board's. An answer that finds a cause which the log does not show takes it in,
    /// as likely as something else. Questions and results that the book does not know are passed over.
    /// </summary>
    /// <param name="told">By question: its result, or <see cref="Question.Unseen"/>.</param>
    public static Diagnosis Told(this Diagnosis diagnosis, IReadOnlyDictionary<string, string> told, RuleBook book)
    {
        var causes = diagnosis.Causes.ToList();
        var findings = new Dictionary<string, Finding>();
        void Add(string cause, string question, CheckAnswer? answer, double factor)
        {
            var before = findings.GetValueOrDefault(cause) ?? new(null, 1);
            var counts = answer is not null && (answer != CheckAnswer.Unseen || before.Answer is null);
            findings[cause] = new(counts ? answer : before.Answer, before.Factor * factor, counts ? question : before.By);
        }
        foreach (var (id, said) in told)
        {
            if (book.Question(id) is not { } question)
                continue;
            if (said == Question.Unseen)
            {
                foreach (var cause in causes.Where(c => c.Question == id))
                    Add(cause.Id, id, CheckAnswer.Unseen, 1);
                continue;
            }
            if (question.Result(said) is not { } result)
                continue;
            var blamed = diagnosis.Outcome is Outcome.Stopped or Outcome.Silent or Outcome.Rebooting or Outcome.Degraded;
            if (blamed && result.Finds is [var found] && causes.TrueForAll(c => c.Id != found) && book.Cause(found) is { } unseen)
                causes.Add(Taken(unseen, Rest(causes), [], []));
            foreach (var cause in causes)
                if (question.Factor(result, cause.Id) is var factor && factor != 1)
                    Add(cause.Id, id, result.Of(cause.Id), factor);
        }
        return Ranked(diagnosis with { Causes = causes }, findings, book);
    }

    private static Diagnosis Ranked(Diagnosis diagnosis, Dictionary<string, Finding> findings, RuleBook book)
    {
        if (findings.Count == 0)
            return diagnosis;
        var causes = Rank(diagnosis.Causes, findings);
        return diagnosis with { Causes = causes, NextCheck = Next(causes, false, false, book) };
    }

    private static double Rest(IEnumerable<RankedCause> causes) =>
        causes.FirstOrDefault(c => c.Id == RuleBook.SomethingElse)?.Probability ?? Diagnoser.Doubt;

    /// <summary>A cause that the log does not show.</summary>
    private static RankedCause Taken(
        Cause cause,
        double share,
        IReadOnlyList<EvidenceLine> evidence,
        IReadOnlyList<EvidenceLine> against
    ) =>
        new(
            cause.Id,
            cause.Name,
            share,
            evidence,
            against,
            Template.Plain(cause.Check!.What),
            cause.Check.Minutes,
            Template.Plain(cause.Fix),
            cause.Correction is { } correction ? Template.Plain(correction) : null,
            cause.Caution,
            Question: cause.Check.QuestionId
        );

    /// <summary>
    /// The ranking with what is known from elsewhere: the odds of a cause are multiplied by what that is worth. A cause that the log does not
    /// show, and for which something speaks, is taken in where a board stopped and the log explains little: as likely as something else, times what is known.
    /// </summary>
    public static Diagnosis Knowing(this Diagnosis diagnosis, IReadOnlyList<Prior> known, RuleBook book)
    {
        if (diagnosis.Outcome is Outcome.Cut or Outcome.Garbled || diagnosis.Causes[0].Id == RuleBook.None)
            return diagnosis;
        var causes = diagnosis.Causes.ToList();
        var rest = Rest(causes);
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
                causes.Add(Taken(cause, rest * factor, Says(false), Says(true)));
        }
        if (causes.SequenceEqual(diagnosis.Causes))
            return diagnosis;
        var ranked = Rank(causes, new Dictionary<string, Finding>());
        return diagnosis with { Causes = ranked, NextCheck = Next(ranked, false, false, book) };
    }

    /// <summary>The most that is taken from elsewhere, in log odds: a line of the log that proves a cause weighs more.</summary>
    private const double MostKnown = 3.5;

    /// <summary>The causes with what settled them: one that is confirmed leads as if a look had found it, one that a look cleared is refuted.</summary>
    /// <param name="confirmed">By id: the words that tell what proved it.</param>
    public static Diagnosis Settled(this Diagnosis diagnosis, IReadOnlyDictionary<string, string> confirmed, RuleBook book)
    {
        var proven = diagnosis.Causes.Where(c => confirmed.ContainsKey(c.Id) && c.Answer != CheckAnswer.Yes).ToList();
        var asked = diagnosis.Causes.ToDictionary(c => c.Id, c => c.Answer);
        var causes = (
            proven.Count == 0
                ? [.. diagnosis.Causes]
                : Rank(diagnosis.Causes, proven.ToDictionary(c => c.Id, c => Of(c, CheckAnswer.Yes, book)))
        ).ConvertAll(c =>
            confirmed.TryGetValue(c.Id, out var says) ? c with { State = CauseState.Confirmed, StateSays = says, Answer = asked[c.Id] }
            : c.Answer == CheckAnswer.No
                ? c with
                {
                    State = CauseState.Refuted,
                    StateSays = ProvingLine(diagnosis, c) is { } line
                        ? $"An answer rules it out. Line {line} says the opposite: check again, or find out which of them deceives."
                        : "An answer rules it out.",
                }
            : c
        );
        return diagnosis with
        {
            Causes = causes,
            NextCheck = causes[0].State == CauseState.Confirmed ? Next(causes, false, false, book) : diagnosis.NextCheck,
        };
    }

    /// <summary>What a look leaves of another cause that would lead all the same: half of what leads. A look that found a cause leads, and one that cleared it never does.</summary>
    private const double Behind = 0.5;

    private static List<RankedCause> Rank(IReadOnlyList<RankedCause> causes, IReadOnlyDictionary<string, Finding> findings)
    {
        CheckAnswer? AnswerOf(RankedCause cause) => findings.GetValueOrDefault(cause.Id)?.Answer ?? cause.Answer;
        double Looked(RankedCause cause) => cause.Probability * (findings.GetValueOrDefault(cause.Id)?.Factor ?? 1);
        var found = causes.Where(c => AnswerOf(c) == CheckAnswer.Yes).Select(Looked).DefaultIfEmpty(0).Max();
        var open = causes.Where(c => AnswerOf(c) != CheckAnswer.No).Select(Looked).DefaultIfEmpty(0).Max();
        double Weight(RankedCause cause) =>
            AnswerOf(cause) switch
            {
                CheckAnswer.Yes => Looked(cause),
                CheckAnswer.No when open > 0 => Math.Min(Looked(cause), (found > 0 ? found : open) * Behind),
                _ when found > 0 => Math.Min(Looked(cause), found * Behind),
                _ => Looked(cause),
            };
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
                        Answer = AnswerOf(c),
                        AnsweredBy = findings.GetValueOrDefault(c.Id)?.By ?? c.AnsweredBy,
                        Before = findings.ContainsKey(c.Id) ? c.Before ?? c.Probability : c.Before,
                    }
                )
                .OrderByDescending(c => c.Probability),
        ];
    }

    /// <summary>The first line that speaks for a cause which the log alone all but proves; null without one.</summary>
    private static int? ProvingLine(Diagnosis diagnosis, RankedCause cause) =>
        cause.Before >= Diagnoser.Solved ? cause.Evidence.FirstOrDefault(e => e.Line > 0)?.Line : null;

    /// <summary>The question that is expected to tell most for a person's time (bits a minute), of those that nobody answered; when the leading cause is confirmed there is nothing more to ask.</summary>
    /// <param name="cut">Whether the capture ended on the way.</param>
    /// <param name="noText">Whether the log is no console text.</param>
    public static NextCheck Next(IReadOnlyList<RankedCause> causes, bool cut, bool noText, RuleBook book)
    {
        var top = causes[0];
        if (top.Id == RuleBook.None)
            return new(top.NextCheck, "The boot is clean; the address is what you need next.");
        if (top.State == CauseState.Confirmed)
            return new("Nothing is left to check.", $"{top.StateSays} It was “{top.Name}”.");
        if (top.Answer == CheckAnswer.Yes)
            return new(top.Fix, $"An answer found it: “{top.Name}”.");
        var open = causes.Where(c => c.Answer is null && book.QuestionOf(c) is { Minutes: not null }).ToList();
        // What is nearly certain is looked at first, and mended at once.
        var best =
            top is { Answer: null, Probability: >= Diagnoser.Solved } && open.Contains(top)
                ? top
                // Rounded, so that equals are equal.
                : open.OrderByDescending(c =>
                        Math.Round(Information.Expected(causes, book.QuestionOf(c)!), 3) / Math.Max(1, c.CheckMinutes)
                    )
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
        var question = book.QuestionOf(best)!;
        return new(
            best.NextCheck,
            $"It confirms or clears “{best.Name}” ({Words.Percent(best.Probability)}) in {best.CheckMinutes} min.",
            best.Id,
            best.CheckMinutes,
            question.Id,
            question.Look is { } look ? Template.Plain(look) : null,
            [
                .. question.Results.Select(r => new PossibleAnswer(r.Id, r.Says, Then(causes, question, r))),
                new(Question.Unseen, "I cannot check this", "It is not asked again."),
            ]
        );
    }

    private static string Then(IReadOnlyList<RankedCause> causes, Question question, Result result)
    {
        var findings = causes.ToDictionary(c => c.Id, c => new Finding(result.Of(c.Id), question.Factor(result, c.Id)));
        var leads = Rank(causes, findings)[0];
        return $"{leads.Name} {(findings[leads.Id].Answer == CheckAnswer.Yes ? "stands at" : "leads with")} {Words.Percent(leads.Probability)}.";
    }
}
