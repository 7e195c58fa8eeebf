namespace Buttonhook.Core.Diagnosing;

/// <summary>A rule that a person added.</summary>
/// <param name="Id">Its name in the file.</param>
/// <param name="CauseId">The cause of the rule book that it speaks for or against.</param>
/// <param name="Find">Text that must stand in the line, 3 letters or more; small and capital letters are the same.</param>
/// <param name="Regex">An expression that must match too; null when the text is enough.</param>
/// <param name="Not">An expression that must not match; null for none.</param>
/// <param name="Weight">Log odds, 1 (a hint) to 8 (a proof).</param>
/// <param name="Against">Whether it speaks against the cause.</param>
/// <param name="Says">What such a line shows, as a clause; null for none.</param>
public sealed record OwnRule(string Id, string CauseId, string Find, string? Regex, string? Not, double Weight, bool Against, string? Says);

/// <summary>What a person made of the rule book: rules added, and shipped ones switched off.</summary>
/// <param name="Off">Names of rules that are off, as <see cref="NameOf"/> makes them.</param>
public sealed record OwnRules(IReadOnlyList<OwnRule> Rules, IReadOnlyList<string> Off)
{
    private const int ShortestFind = 3;
    private const int LongestText = 300;

    /// <summary>Nothing changed.</summary>
    public static OwnRules None { get; } = new([], []);

    /// <summary>Reads them from YAML that was exported or written by hand; anything that does not fit is a problem that names the place.</summary>
    public static Answer<OwnRules> Read(string yaml, string schema, RuleBook book)
    {
        var read = DataFile.Read<OwnRules>("rules.yaml", yaml, schema);
        if (read.Value is not { } own)
            return read;
        return own.Rules.Select(r => Mistake(r, book)).FirstOrDefault(p => p is not null) is { } mistake ? mistake : own;
    }

    /// <summary>What is wrong with a rule, or null.</summary>
    public static Problem? Mistake(OwnRule rule, RuleBook book)
    {
        if (book.Cause(rule.CauseId) is null)
            return new("A rule belongs to a cause of the rule book.", $"{rule.CauseId} is not one.", "Choose one of its causes.");
        if (rule.Find.Trim().Length < ShortestFind)
            return new(
                $"A rule looks for at least {ShortestFind} letters.",
                $"“{rule.Find}” has {rule.Find.Trim().Length}.",
                "Give words that stand in the line."
            );
        if (new[] { rule.Find, rule.Regex, rule.Not, rule.Says }.Any(t => t?.Length > LongestText))
            return new($"A text of a rule has at most {LongestText} letters.", "One is longer.", "Give the part of the line that matters.");
        if (rule.Weight is not (>= 1 and <= 8))
            return new("A rule weighs 1 (a hint) to 8 (a proof).", $"This weighs {rule.Weight}.", "Choose how strongly it speaks.");
        foreach (var expression in new[] { rule.Regex, rule.Not }.OfType<string>())
            if (RuleBook.MistakeIn("The rule", expression) is { } mistake)
                return mistake;
        return null;
    }

    /// <summary>How a rule of the book is named: its cause, which way it speaks, and what it observes.</summary>
    public static string NameOf(string cause, Evidence evidence, bool against) => $"{cause} {(against ? "against" : "for")} {evidence.Key}";

    /// <summary>The names of all rules of a book.</summary>
    public static IEnumerable<string> NamesIn(RuleBook book) =>
        book.Causes.SelectMany(c =>
            (c.Evidence ?? []).Select(e => NameOf(c.Id, e, false)).Concat((c.Against ?? []).Select(e => NameOf(c.Id, e, true)))
        );

    /// <summary>The book with these changes; rules of causes that it does not have are passed over.</summary>
    public RuleBook Applied(RuleBook book)
    {
        if (Rules.Count == 0 && Off.Count == 0)
            return book;
        var off = Off.ToHashSet();
        IReadOnlyList<Evidence> Changed(Cause cause, IReadOnlyList<Evidence>? evidence, bool against) =>
            [
                .. (evidence ?? []).Where(e => !off.Contains(NameOf(cause.Id, e, against))),
                .. Rules
                    .Where(r => r.CauseId == cause.Id && r.Against == against)
                    .Select(r => new Evidence(r.Weight, r.Find, r.Regex, r.Not, Says: r.Says ?? "a rule of your own")),
            ];
        return book with
        {
            Causes =
            [
                .. book.Causes.Select(c => c with { Evidence = Changed(c, c.Evidence, false), Against = Changed(c, c.Against, true) }),
            ],
        };
    }
}
