using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Tests.Diagnosing;

/// <summary>Each pattern of the rule book finds a line that is printed in truth, and does not find what is easily taken for it.</summary>
public class RuleExamplesTests
{
    private sealed record Pattern(string Owner, string Find, string? Regex, string? Not);

    private static readonly Lazy<ILookup<(string Owner, string Find), (bool Found, string Line)>> Examples = new(() =>
        File.ReadLines(Path.Combine(Knowledge.Root, "tests/Buttonhook.Core.Tests/Diagnosing/examples.tsv"))
            .Where(l => !l.StartsWith('#'))
            .Select(l => l.Split('\t', 4))
            .ToLookup(c => (c[0], c[1]), c => (c[2] == "+", c[3]))
    );

    private static IEnumerable<Pattern> Patterns()
    {
        var book = Knowledge.Rules.Book;
        foreach (var mark in book.Marks)
            yield return new(mark.Name, mark.Find, mark.Regex, mark.Not);
        foreach (var cause in book.Causes)
        foreach (var evidence in (cause.Evidence ?? []).Concat(cause.Against ?? []))
            if (evidence.Find is { } find)
                yield return new(cause.Id, find, evidence.Regex, evidence.Not);
        foreach (var harmless in book.Harmless)
            yield return new("harmless", harmless.Find, harmless.Regex, harmless.Not);
    }

    private static bool Finds(Pattern pattern, string line)
    {
        var hits = new List<Hit>();
        new LineScanner([new(pattern.Find, pattern.Regex, pattern.Not)]).Scan(line, 1, hits);
        return hits.Count > 0;
    }

    [Fact]
    public void Every_pattern_has_a_line_that_it_finds()
    {
        var without = Patterns()
            .Where(p => !Examples.Value[(p.Owner, p.Find)].Any(e => e.Found && Finds(p, e.Line)))
            .Select(p => $"{p.Owner} | {p.Find} | {p.Regex} | not {p.Not}");
        Assert.Empty(without);
    }

    [Fact]
    public void No_pattern_finds_what_is_easily_taken_for_it()
    {
        var patterns = Patterns().ToLookup(p => (p.Owner, p.Find));
        var confused = Examples
            .Value.SelectMany(g => g.Where(e => !e.Found), (g, e) => (g.Key, e.Line))
            .Where(e => patterns[e.Key].Any(p => Finds(p, e.Line)))
            .Select(e => $"{e.Key.Owner} | {e.Key.Find} | {e.Line}");
        Assert.Empty(confused);
    }

    [Fact]
    public void Every_line_belongs_to_a_pattern_and_what_is_easily_confused_holds_its_words()
    {
        var patterns = Patterns().Select(p => (p.Owner, p.Find)).ToHashSet();
        Assert.Empty(Examples.Value.Where(g => !patterns.Contains(g.Key)).Select(g => g.Key.ToString()));
        Assert.Empty(
            Examples
                .Value.SelectMany(g => g, (g, e) => (g.Key, e.Line))
                .Where(e => !e.Line.Contains(e.Key.Find, StringComparison.OrdinalIgnoreCase))
                .Select(e => $"{e.Key.Find}: {e.Line}")
        );
        Assert.InRange(Examples.Value.Sum(g => g.Count(e => !e.Found)), 40, 1000);
    }
}
