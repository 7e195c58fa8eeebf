using System.Text.RegularExpressions;

namespace Buttonhook.Core.Diagnosing;

/// <summary>A pattern that stood in a line, with the named groups of its expression.</summary>
/// <param name="Text">The line; of one that is longer than 2000 letters the beginning and the end.</param>
/// <param name="Milliseconds">From the begin of the capture to the first byte of the line; null without times.</param>
public readonly record struct Hit(int Line, int Pattern, string Text, IReadOnlyDictionary<string, string> Values, int? Milliseconds = null);

/// <summary>What is looked for in a line.</summary>
/// <param name="Find">Text that must stand in it, small and capital letters being the same.</param>
/// <param name="Regex">An expression that must match; null when the text is enough.</param>
/// <param name="Not">An expression that must not match; null for none.</param>
public sealed record Pattern(string Find, string? Regex = null, string? Not = null);

/// <summary>
/// Finds all patterns of a rule book in a line: one pass for their literals, then only the expressions whose literal is there.
/// </summary>
public sealed class LineScanner
{
    private const int MostLetters = 2000;
    private static readonly IReadOnlyDictionary<string, string> NoValues = new Dictionary<string, string>();
    private readonly LiteralFinder literals;
    private readonly Pattern[] sources;

    /// <summary>Made when their literal is met for the first time: most logs need few of them.</summary>
    private readonly Pair?[] expressions;
    private readonly System.Collections.Concurrent.ConcurrentDictionary<string, QuickExpression> made = new();

    /// <summary>Prepares the patterns; an expression that cannot be compiled throws when its literal is met (the rule book is checked before).</summary>
    public LineScanner(IEnumerable<Pattern> patterns)
    {
        sources = [.. patterns];
        literals = new([.. sources.Select(p => p.Find)]);
        expressions = new Pair?[sources.Length];
    }

    /// <summary>An expression whose time grows with the line only, whatever stands in it; throws <see cref="NotSupportedException"/> for one that looks around or refers back.</summary>
    public static Regex Expression(string regex) => new(regex, RegexOptions.CultureInvariant | RegexOptions.NonBacktracking);

    /// <summary>Several rules share one.</summary>
    private QuickExpression? Made(string? regex) => regex is null ? null : made.GetOrAdd(regex, r => new(r));

    /// <summary>What must and what must not match; one reference, so that two readers at once see it whole or not at all.</summary>
    private sealed record Pair(QuickExpression? Regex, QuickExpression? Not);

    private Pair Of(int pattern) => expressions[pattern] ??= new(Made(sources[pattern].Regex), Made(sources[pattern].Not));

    /// <summary>
    /// An expression that no line can make slow, and that costs little to make. The one whose time grows with the line only takes
    /// milliseconds to be made, a hundred times as long as the usual one: so the usual one is tried first, for a moment only, and a line
    /// that is too much for it twice has the other one made, which is used from then on. Both find the same.
    /// </summary>
    private sealed class QuickExpression(string regex)
    {
        private static readonly TimeSpan Moment = TimeSpan.FromMilliseconds(100);
        private volatile Regex current = new(regex, RegexOptions.CultureInvariant, Moment);
        private int uses;
        private int late;

        /// <summary>After so many lines it is worth the time to make machine code of it.</summary>
        private const int ManyUses = 20_000;

        public bool IsMatch(ReadOnlySpan<char> text)
        {
            if (Interlocked.Increment(ref uses) == ManyUses && !current.Options.HasFlag(RegexOptions.NonBacktracking))
                current = new(regex, RegexOptions.CultureInvariant | RegexOptions.Compiled, Moment);
            while (true)
                try
                {
                    return current.IsMatch(text);
                }
                catch (RegexMatchTimeoutException)
                {
                    TookLong();
                }
        }

        public Match Match(string text)
        {
            while (true)
                try
                {
                    return current.Match(text);
                }
                catch (RegexMatchTimeoutException)
                {
                    TookLong();
                }
        }

        /// <summary>The first time it may have been the machine that was busy, or the making of code.</summary>
        private void TookLong()
        {
            if (Interlocked.Increment(ref late) > 1)
                current = Expression(regex);
        }
    }

    /// <summary>How many patterns there are.</summary>
    public int Count => sources.Length;

    /// <summary>All patterns in this line.</summary>
    /// <param name="passOver">By pattern: whether it is not looked for, because one more of it says nothing; null for none.</param>
    public void Scan(string text, int line, List<Hit> hits, bool[]? passOver = null) => Scan(text, line, hits, [], passOver);

    /// <summary>The same of a text that is no string yet: one is made of a line in which something was found.</summary>
    /// <param name="literalsFound">A list to work with, that is emptied.</param>
    public void Scan(ReadOnlySpan<char> text, int line, List<Hit> hits, List<int> literalsFound, bool[]? passOver)
    {
        literals.In(text, literalsFound, passOver);
        if (literalsFound.Count == 0)
            return;
        // What is drawn over and over in one line ends with what counts.
        var start = text.Length <= MostLetters ? text : string.Concat(text[..(MostLetters / 2)], " … ", text[^(MostLetters / 2)..]);
        string? said = null;
        foreach (var i in literalsFound)
        {
            var (regex, not) = Of(i);
            if (regex?.IsMatch(start) == false || not?.IsMatch(start) == true)
                continue;
            said ??= start.ToString();
            hits.Add(new(line, i, said, regex is null ? NoValues : Values(regex.Match(said))));
        }
    }

    private static IReadOnlyDictionary<string, string> Values(Match match) =>
        match.Groups.Count == 1
            ? NoValues
            : match.Groups.Values.Where(g => g.Success && !char.IsAsciiDigit(g.Name[0])).ToDictionary(g => g.Name, g => g.Value.Trim());
}
