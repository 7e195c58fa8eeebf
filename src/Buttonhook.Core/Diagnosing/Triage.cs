namespace Buttonhook.Core.Diagnosing;

/// <summary>A cause that a board which says nothing can have, and how common it is among them (any unit; only shares count).</summary>
public sealed record TriageCause(string Id, double Prior);

/// <summary>An answer and in what share of boards with each cause it is given; "other" stands for every cause that is not named.</summary>
public sealed record TriageAnswer(string Id, string Says, IReadOnlyDictionary<string, double> Likely)
{
    /// <summary>The share of boards with this cause that give this answer, 0 to 1.</summary>
    public double With(string cause) => Likely.TryGetValue(cause, out var share) ? share : Likely["other"];
}

/// <summary>Something to look at.</summary>
/// <param name="Minutes">How long it takes.</param>
/// <param name="Caution">What can be damaged, or null; such a look is asked later.</param>
public sealed record TriageQuestion(string Id, string Ask, int Minutes, IReadOnlyList<TriageAnswer> Answers, string? Caution = null);

/// <summary>A cause with its share after the answers.</summary>
public sealed record TriagedCause(string Id, double Probability);

/// <summary>The look that tells most for its time and risk; what each answer would make of the ranking.</summary>
/// <param name="Then">By answer: the cause that would lead, and its share.</param>
public sealed record TriageNext(TriageQuestion Question, IReadOnlyDictionary<string, TriagedCause> Then);

/// <summary>Where a board stands after some answers.</summary>
/// <param name="Next">Null when the leading cause is clear or nothing that helps is left to ask.</param>
public sealed record Triaged(IReadOnlyList<TriagedCause> Causes, TriageNext? Next);

/// <summary>Finds out why a board says nothing, by lights, screen and a few safe looks: each question is chosen because its answer tells most for the least effort and risk.</summary>
public sealed record Triage(IReadOnlyList<TriageCause> Causes, IReadOnlyList<TriageQuestion> Questions)
{
    /// <summary>From this share on a cause is clear enough to be mended first.</summary>
    public const double Clear = 0.85;

    /// <summary>A look that could damage something costs as much as so many minutes more.</summary>
    private const double RiskMinutes = 2;

    /// <summary>A question that is expected to tell less than this (in bits) is not asked.</summary>
    private const double LeastBits = 0.01;

    /// <summary>Reads it from its file.</summary>
    public static Answer<Triage> Read(string yaml, string schema) => DataFile.Read<Triage>("triage.yaml", yaml, schema);

    /// <summary>Ranks the causes by Bayes' rule over the answers (by question) and chooses the next question; answers that it does not know are passed over.</summary>
    /// <param name="weights">By cause: what is known from elsewhere, as a factor of its prior; null for nothing.</param>
    public Triaged After(IReadOnlyDictionary<string, string> answers, IReadOnlyDictionary<string, double>? weights = null)
    {
        var shares = Causes.ToDictionary(c => c.Id, c => c.Prior * (weights?.GetValueOrDefault(c.Id, 1) ?? 1));
        foreach (var question in Questions)
            if (answers.TryGetValue(question.Id, out var said) && question.Answers.FirstOrDefault(a => a.Id == said) is { } answer)
                foreach (var cause in Causes)
                    shares[cause.Id] *= answer.With(cause.Id);
        var ranked = Ranked(shares);
        var next =
            ranked[0].Probability >= Clear && ranked[0].Id != RuleBook.SomethingElse
                ? null
                : Questions
                    .Where(q => !answers.ContainsKey(q.Id))
                    .Select(q => (Question: q, Bits: Told(ranked, q)))
                    .Where(q => q.Bits >= LeastBits)
                    .OrderByDescending(q => q.Bits / (q.Question.Minutes + (q.Question.Caution is null ? 0 : RiskMinutes)))
                    .Select(q => q.Question)
                    .FirstOrDefault();
        return new(ranked, next is null ? null : new(next, next.Answers.ToDictionary(a => a.Id, a => Ranked(With(ranked, a))[0])));
    }

    private static Dictionary<string, double> With(IReadOnlyList<TriagedCause> ranked, TriageAnswer answer) =>
        ranked.ToDictionary(c => c.Id, c => c.Probability * answer.With(c.Id));

    private static List<TriagedCause> Ranked(Dictionary<string, double> shares)
    {
        var sum = shares.Values.Sum();
        return [.. shares.Select(s => new TriagedCause(s.Key, s.Value / sum)).OrderByDescending(c => c.Probability)];
    }

    private static double Told(IReadOnlyList<TriagedCause> ranked, TriageQuestion question) =>
        Information.Expected(
            [.. ranked.Select(c => c.Probability)],
            [.. question.Answers.Select(a => (IReadOnlyList<double>)[.. ranked.Select(c => a.With(c.Id))])]
        );
}
