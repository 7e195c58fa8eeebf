using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>The rule book as data: what lines mean, which causes there are, and which lines frighten without meaning anything.</summary>
public sealed record RuleBook(IReadOnlyList<Mark> Marks, IReadOnlyList<Cause> Causes, IReadOnlyList<Harmless> Harmless)
{
    /// <summary>The id of "booted cleanly".</summary>
    public const string None = "none";

    /// <summary>The id of "a cause that the book does not know".</summary>
    public const string SomethingElse = "something-else";

    /// <summary>The cause with this id, or null.</summary>
    public Cause? Cause(string id) => Causes.FirstOrDefault(c => c.Id == id);

    /// <summary>Reads a book from its files (name and YAML text each), checked against the schema; a cause that stands twice, an unknown signal or an expression that cannot be compiled is a problem that names the place.</summary>
    public static Answer<RuleBook> Read(IEnumerable<(string Name, string Yaml)> files, string schema)
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
                [.. book.Harmless, .. read.Harmless ?? []]
            );
        }
        return book.Mistake() is { } mistake ? mistake : book;
    }

    private Problem? Mistake()
    {
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
        var expressions = Marks
            .Select(m => (m.Name, m.Regex))
            .Concat(Causes.SelectMany(c => (c.Evidence ?? []).Concat(c.Against ?? []).Select(e => (c.Id, e.Regex))));
        foreach (var (owner, regex) in expressions.Concat(Harmless.Select(h => (h.Find, h.Regex))))
        {
            try
            {
                if (regex is not null)
                    _ = new System.Text.RegularExpressions.Regex(regex);
            }
            catch (ArgumentException e)
            {
                return new($"{owner} should have an expression that can be compiled.", e.Message, "Correct the expression.");
            }
        }
        return null;
    }
}

/// <summary>A line with a meaning. Named groups of the expression are facts (board, memory, kernel, os, medium, hostname, address, architecture, cmdline).</summary>
/// <param name="Name">What kind of line it is; signals are made from these names.</param>
/// <param name="Find">Text that must stand in the line.</param>
/// <param name="Regex">Narrows it further; null when the text is enough.</param>
/// <param name="Stage">The stage that is reached with this line, or null.</param>
/// <param name="Banner">True for a line printed once at the start of an attempt.</param>
/// <param name="Ends">True when the boot waits or is over here.</param>
public sealed record Mark(string Name, string Find, string? Regex = null, Stage? Stage = null, bool Banner = false, bool Ends = false);

/// <summary>One root cause with everything a person needs to confirm and mend it.</summary>
/// <param name="Stage">The stage it strikes at.</param>
/// <param name="Prior">How common it is, as log odds added to its evidence; 0 is ordinary.</param>
/// <param name="Degrades">True when a boot that reaches the login with it counts as degraded.</param>
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
    Check Check,
    string Fix,
    string? Correction = null,
    string? Caution = null,
    double Prior = 0,
    bool Degrades = false
);

/// <summary>One observation for or against a cause: a line, a computed signal, or a line that counts only under a signal.</summary>
/// <param name="Weight">Log odds that the observation is worth, 1 (a hint) to 8 (a proof).</param>
/// <param name="Says">What it shows, as a clause.</param>
public sealed record Evidence(
    double Weight,
    string? Find = null,
    string? Regex = null,
    string? Signal = null,
    string? When = null,
    string? Says = null
);

/// <summary>The cheapest look that confirms or clears a cause.</summary>
public sealed record Check(string What, int Minutes);

/// <summary>A line that means nothing by itself, and why.</summary>
public sealed record Harmless(string Find, string Why, string? Regex = null);
