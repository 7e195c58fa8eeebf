using System.Buffers;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Diagnosing;

/// <summary>A pattern that stood in a line, with the named groups of its expression.</summary>
public readonly record struct Hit(int Line, int Pattern, IReadOnlyDictionary<string, string> Values);

/// <summary>
/// Finds all patterns of a rule book in a line: one pass with a set of literals, then only the expressions whose literal is there.
/// </summary>
public sealed class LineScanner
{
    /// <summary>Above this many literals .NET leaves the vectorised search.</summary>
    private const int SetSize = 64;
    private static readonly IReadOnlyDictionary<string, string> NoValues = new Dictionary<string, string>();
    private readonly SearchValues<string>[] sets;
    private readonly (string Find, Regex? Regex)[] patterns;

    /// <summary>Prepares the patterns; an expression that cannot be compiled throws <see cref="ArgumentException"/> (the rule book test catches it).</summary>
    public LineScanner(IEnumerable<(string Find, string? Regex)> patterns)
    {
        this.patterns =
        [
            .. patterns.Select(p =>
                (p.Find, p.Regex is null ? null : new Regex(p.Regex, RegexOptions.CultureInvariant, TimeSpan.FromMilliseconds(200)))
            ),
        ];
        sets =
        [
            .. this
                .patterns.Select(p => p.Find)
                .Distinct()
                .Chunk(SetSize)
                .Select(chunk => SearchValues.Create(chunk, StringComparison.Ordinal)),
        ];
    }

    /// <summary>All patterns in this line.</summary>
    public void Scan(string text, int line, List<Hit> hits)
    {
        var any = false;
        foreach (var set in sets)
            any |= text.AsSpan().ContainsAny(set);
        if (!any)
            return;
        for (var i = 0; i < patterns.Length; i++)
        {
            var (find, regex) = patterns[i];
            if (!text.Contains(find, StringComparison.Ordinal))
                continue;
            if (regex is null)
            {
                hits.Add(new(line, i, NoValues));
                continue;
            }
            try
            {
                var match = regex.Match(text.Length > 2000 ? text[..2000] : text);
                if (match.Success)
                    hits.Add(new(line, i, Values(match)));
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
