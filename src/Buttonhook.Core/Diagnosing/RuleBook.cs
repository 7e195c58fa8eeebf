using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>The rule book as data: what lines mean, which causes there are, and which lines frighten without meaning anything.</summary>
/// <param name="Seen">What words of a person say who watched the board; null for none.</param>
/// <param name="Asked">What is asked to tell causes apart; null for none.</param>
public sealed record RuleBook(
    IReadOnlyList<Mark> Marks,
    IReadOnlyList<Cause> Causes,
    IReadOnlyList<Harmless> Harmless,
    IReadOnlyList<SeenWords>? Seen = null,
    IReadOnlyList<Question>? Asked = null
)
{
    /// <summary>The id of "booted cleanly".</summary>
    public const string None = "none";

    /// <summary>The id of "a cause that the book does not know".</summary>
    public const string SomethingElse = "something-else";

    /// <summary>The cause with this id, or null.</summary>
    public Cause? Cause(string id) => Causes.FirstOrDefault(c => c.Id == id);

    /// <summary>The questions, with those that causes bring themselves.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public IReadOnlyList<Question> Questions => Asked ?? [];

    /// <summary>The question with this id, or null.</summary>
    public Question? Question(string id) => Questions.FirstOrDefault(q => q.Id == id);

    /// <summary>The question that confirms or clears a cause of a diagnosis; null when there is none.</summary>
    public Question? QuestionOf(RankedCause cause) => cause.Question is { } id ? Question(id) : null;

    /// <summary>Reads a book from its files (name and YAML text each), checked against the schema; a cause that stands twice, an unknown signal or an expression that cannot be compiled is a problem that names the place.</summary>
    /// <param name="shipped">Whether the files are those that a test has checked: their expressions are then not made once more at every start.</param>
    /// <param name="questions">What is asked; a cause of which nothing is asked brings a check of its own, or is a problem.</param>
    public static Answer<RuleBook> Read(
        IEnumerable<(string Name, string Yaml)> files,
        string schema,
        bool shipped = false,
        IReadOnlyList<Question>? questions = null
    )
    {
        var book = new RuleBook([], [], []);
        foreach (var (name, yaml) in files)
        {
            var part = DataFile.Read<RuleBook>(name, yaml, schema);
            if (part.Value is not { } read)
                return part;
            book = new(
                [.. book.Marks, .. read.Marks ?? []],
                [.. book.Causes, .. read.Causes ?? []],
                [.. book.Harmless, .. read.Harmless ?? []],
                [.. book.Seen ?? [], .. read.Seen ?? []]
            );
        }
        book = book.With(questions ?? []);
        return book.Mistake(!shipped) is { } mistake ? mistake : book;
    }

    private RuleBook With(IReadOnlyList<Question> questions)
    {
        var of = questions.SelectMany(q => (q.Of ?? []).Select(c => (Cause: c, Question: q))).ToLookup(q => q.Cause, q => q.Question);
        var made = Causes
            .Where(c => c.Check is not null && !of.Contains(c.Id))
            .ToDictionary(c => c.Id, c => Diagnosing.Question.Made(c.Id, c.Check!));
        return this with
        {
            Asked = [.. questions, .. made.Values],
            Causes =
            [
                .. Causes.Select(c =>
                    (of[c.Id].FirstOrDefault() ?? made.GetValueOrDefault(c.Id)) is { } question
                        ? c with
                        {
                            Check = new(question.Asks, question.Minutes ?? 1, question.Worth, question.Id),
                        }
                        : c
                ),
            ],
        };
    }

    private Problem? Mistake(bool expressionsToo)
    {
        if (Causes.FirstOrDefault(c => c.Check is null) is { } unasked)
            return new(
                $"A question should confirm or clear {unasked.Id}.",
                "There is none.",
                "Add one to the questions, with it under “of”."
            );
        foreach (var question in Questions)
        {
            if (question.Moves.FirstOrDefault(id => Cause(id) is null) is { } strange)
                return new($"{question.Id} should move causes of this book.", $"It names {strange}.", "Correct the name.");
            if ((question.Of ?? []).FirstOrDefault(c => Questions.Count(q => q.Of?.Contains(c) == true) > 1) is { } shared)
                return new("A cause has one question of its own.", $"{shared} has several.", "Leave it under “of” of one of them.");
        }
        if (
            Causes.SelectMany(c => (c.Evidence ?? []).Select(e => e.Question)).OfType<string>().FirstOrDefault(q => Question(q) is null) is
            { } gone
        )
            return new("Evidence should name a question that there is.", $"It names {gone}.", "Correct the name.");
        if (Causes.GroupBy(c => c.Id).FirstOrDefault(g => g.Count() > 1) is { } twice)
            return new(
                "Every cause should stand once in the rule book.",
                $"{twice.Key} stands {twice.Count()} times.",
                "Keep one of them."
            );
        foreach (var cause in Causes)
        {
            if (cause.Explains?.FirstOrDefault(id => Cause(id) is null) is { } unknown)
                return new($"{cause.Id} should explain causes of this book.", $"It names {unknown}.", "Correct the name.");
            foreach (var evidence in (cause.Evidence ?? []).Concat(cause.Against ?? []))
            foreach (var signal in new[] { evidence.Signal, evidence.When }.OfType<string>())
                if (!Signals.All.ContainsKey(signal))
                    return new(
                        $"{cause.Id} should use a known signal.",
                        $"It names {signal}.",
                        $"Known are {string.Join(", ", Signals.All.Keys)}."
                    );
        }
        if (Seen?.FirstOrDefault(s => !Signals.All.ContainsKey(s.Signal)) is { } named)
            return new(
                "What is seen should be a known signal.",
                $"It is called {named.Signal}.",
                $"Known are {string.Join(", ", Signals.All.Keys)}."
            );
        if (!expressionsToo)
            return null;
        var expressions = Marks
            .SelectMany(m => new[] { (m.Name, m.Regex), (m.Name, m.Not) })
            .Concat(
                Causes.SelectMany(c => (c.Evidence ?? []).Concat(c.Against ?? []).SelectMany(e => new[] { (c.Id, e.Regex), (c.Id, e.Not) }))
            )
            .Concat(Harmless.SelectMany(h => new[] { (h.Find, h.Regex), (h.Find, h.Not) }))
            .Concat((Seen ?? []).SelectMany(s => new[] { (s.Signal, s.Regex), (s.Signal, s.Ends) }));
        return expressions.Select(e => e.Item2 is { } regex ? MistakeIn(e.Item1, regex) : null).FirstOrDefault(p => p is not null);
    }

    /// <summary>What is wrong with an expression, or null; it must be one that is matched in a time that grows with the line only.</summary>
    /// <param name="owner">Whose it is, for the words.</param>
    public static Problem? MistakeIn(string owner, string regex)
    {
        try
        {
            _ = LineScanner.Expression(regex);
            return null;
        }
        catch (ArgumentException e)
        {
            return new($"{owner} should have an expression that can be compiled.", e.Message, "Correct the expression.");
        }
        catch (NotSupportedException)
        {
            return new(
                $"{owner} should have an expression that no line can make slow.",
                "It looks ahead, looks back or refers back.",
                "Say what must not be there under “not”."
            );
        }
    }
}

/// <summary>A line with a meaning. Named groups of the expression are facts (board, memory, managed, kernel, os, medium, hostname, address, architecture, cmdline).</summary>
/// <param name="Name">What kind of line it is; signals are made from these names.</param>
/// <param name="Find">Text that must stand in the line.</param>
/// <param name="Regex">Narrows it further; null when the text is enough.</param>
/// <param name="Not">An expression that must not match; null for none.</param>
/// <param name="Stage">The stage that is reached with this line, or null.</param>
/// <param name="Banner">True for a line printed once at the start of an attempt.</param>
/// <param name="Ends">True when the boot waits or is over here.</param>
/// <param name="Asked">True for what a board says when somebody asks: that a stage is reached, but not when.</param>
public sealed record Mark(
    string Name,
    string Find,
    string? Regex = null,
    string? Not = null,
    Stage? Stage = null,
    bool Banner = false,
    bool Ends = false,
    bool Asked = false
);

/// <summary>One root cause with everything a person needs to confirm and mend it.</summary>
/// <param name="Stage">The stage it strikes at.</param>
/// <param name="Prior">How common it is, as log odds added to its evidence; 0 is ordinary.</param>
/// <param name="Degrades">True when a boot that reaches the login with it counts as degraded.</param>
/// <param name="Symptom">True when it is named only where nothing else explains it, and never as a fault beside another one.</param>
/// <param name="ConsoleAtFault">True when it tells of the console and not of the board: such a capture counts neither for it nor against it.</param>
/// <param name="Check">The question that confirms or clears it; in a file only where no question names the cause.</param>
/// <param name="Explains">Later causes that are only its consequences.</param>
/// <param name="Correction">What correcting it changes on the card or bench, as recorded in the working settings; null when nothing is to correct.</param>
public sealed record Cause(
    string Id,
    string Name,
    Stage Stage,
    string LooksLike,
    IReadOnlyList<Evidence>? Evidence,
    IReadOnlyList<Evidence>? Against,
    IReadOnlyList<string>? Explains,
    string Fix,
    Check? Check = null,
    string? Correction = null,
    string? Caution = null,
    double Prior = 0,
    bool Degrades = false,
    bool Symptom = false,
    bool ConsoleAtFault = false
);

/// <summary>One observation for or against a cause: a line, a computed signal, or a line that counts only under a signal.</summary>
/// <param name="Weight">Log odds that the observation is worth, 1 (a hint) to 8 (a proof).</param>
/// <param name="Find">Text that must stand in the line, small and capital letters being the same.</param>
/// <param name="Not">An expression that must not match the line; null for none.</param>
/// <param name="Until">Counts only in lines before this stage is reached; null for everywhere.</param>
/// <param name="From">Counts only in lines from where this stage is reached; null for everywhere.</param>
/// <param name="Says">What it shows, as a clause.</param>
/// <param name="Question">The question that fits where this was observed; null for that of the cause.</param>
/// <param name="Fix">What mends it where this was observed; null for that of the cause.</param>
/// <param name="Correction">What that changes, as recorded; null for that of the cause.</param>
public sealed record Evidence(
    double Weight,
    string? Find = null,
    string? Regex = null,
    string? Not = null,
    string? Signal = null,
    string? When = null,
    Stage? Until = null,
    Stage? From = null,
    string? Says = null,
    string? Question = null,
    string? Fix = null,
    string? Correction = null
)
{
    /// <summary>Names the observation itself, whatever it weighs: what was fitted is found by it.</summary>
    public string Key => string.Join('|', Signal ?? Find, Regex, Not, When, Until, From);
}

/// <summary>The cheapest look that confirms or clears a cause.</summary>
/// <param name="Worth">How many times likelier it is to find the cause where it is so than where it is not, 2 to 1000; estimated, not fitted.</param>
/// <param name="QuestionId">The question that it is; null in a file.</param>
public sealed record Check(string What, int Minutes, double Worth = Check.UsualWorth, string? QuestionId = null)
{
    /// <summary>What a look is worth that nothing else is said of: forty-nine of fifty looks are taken to be right.</summary>
    public const double UsualWorth = 49;
}

/// <summary>A line that means nothing by itself, and why.</summary>
/// <param name="Not">An expression that must not match the line; null for none.</param>
/// <param name="ToDo">What is worth doing all the same: it is told as a remark then; null where nothing is.</param>
public sealed record Harmless(string Find, string Why, string? Regex = null, string? Not = null, string? ToDo = null);

/// <summary>Words of a person that are a signal.</summary>
/// <param name="Regex">An expression that finds them in what was noted.</param>
/// <param name="Ends">An expression of later words after which it is not so any more; null for none.</param>
public sealed record SeenWords(string Signal, string Regex, string? Ends = null);
