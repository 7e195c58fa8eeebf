using System.Text.RegularExpressions;

namespace Buttonhook.Core.Diagnosing;

/// <summary>A pattern that stood in a line, with the named groups of its expression.</summary>
/// <param name="Text">The line, up to 2000 letters of it.</param>
/// <param name="Milliseconds">From the begin of the capture to the first byte of the line; null without times.</param>
public readonly record struct Hit(int Line, int Pattern, string Text, IReadOnlyDictionary<string, string> Values, int? Milliseconds = null);

/// <summary>
/// Finds all patterns of a rule book in a line: one pass for their literals, then only the expressions whose literal is there.
/// </summary>
public sealed class LineScanner
{
    private const int MostLetters = 2000;
    private static readonly IReadOnlyDictionary<string, string> NoValues = new Dictionary<string, string>();
    private readonly LiteralFinder literals;
    private readonly Regex?[] expressions;

    /// <summary>Prepares the patterns; an expression that cannot be compiled throws <see cref="ArgumentException"/> (the rule book test catches it).</summary>
    public LineScanner(IEnumerable<(string Find, string? Regex)> patterns)
    {
        var all = patterns.ToList();
        literals = new([.. all.Select(p => p.Find)]);
        expressions =
        [
            .. all.Select(p => p.Regex is null ? null : new Regex(p.Regex, RegexOptions.CultureInvariant, TimeSpan.FromMilliseconds(200))),
        ];
    }

    /// <summary>All patterns in this line.</summary>
    public void Scan(string text, int line, List<Hit> hits)
    {
        string? start = null;
        foreach (var i in literals.In(text))
        {
            start ??= text.Length > MostLetters ? text[..MostLetters] : text;
            var regex = expressions[i];
            if (regex is null)
            {
                hits.Add(new(line, i, start, NoValues));
                continue;
            }
            try
            {
                var match = regex.Match(start);
                if (match.Success)
                    hits.Add(new(line, i, start, Values(match)));
            }
            catch (RegexMatchTimeoutException)
            {
                // A line made to be slow: the pattern counts as not found.
            }
        }
    }

    private static IReadOnlyDictionary<string, string> Values(Match match) =>
        match.Groups.Count == 1
            ? NoValues
            : match.Groups.Values.Where(g => g.Success && !char.IsAsciiDigit(g.Name[0])).ToDictionary(g => g.Name, g => g.Value.Trim());
}
