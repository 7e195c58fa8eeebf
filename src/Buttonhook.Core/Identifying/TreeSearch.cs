namespace Buttonhook.Core.Identifying;

/// <summary>A tree that a search found, and how well it fits: 1 when every word stands in it as it was typed.</summary>
public readonly record struct TreeFound(TreeFacts Tree, double Fit);

/// <summary>Finds a board among thousands of device trees by what is printed on it: the order of the words, missing words and small slips do not matter.</summary>
public sealed class TreeSearch
{
    private const double LeastFit = 0.45;

    /// <summary>Words that say nothing of a board by themselves.</summary>
    private static readonly HashSet<string> Empty = ["rev", "revision", "ver", "version", "v", "board", "model"];
    private readonly (TreeFacts Tree, string[] Words)[] trees;

    /// <summary>Lays out the words of all trees: of their model, their compatible names and their file name.</summary>
    public TreeSearch(IEnumerable<TreeFacts> trees) => this.trees = [.. trees.Select(t => (t, WordsOf(t)))];

    /// <summary>How many there are.</summary>
    public int Count => trees.Length;

    /// <summary>The trees that fit best, the best first; those that miss more than about half of the words are left out. Without a word all come, in the order of their models.</summary>
    public IReadOnlyList<TreeFound> Find(string typed, int most)
    {
        var words = Split(typed, parts: true).Where(w => !Empty.Contains(w)).Distinct().ToArray();
        if (words.Length == 0)
            return [.. trees.OrderBy(t => t.Tree.Model, StringComparer.OrdinalIgnoreCase).Take(most).Select(t => new TreeFound(t.Tree, 0))];
        // A name tells more than a number, of which many boards have the same; the number of a model stands before that of its revision.
        var numbers = 0;
        var weights = words.Select(w => char.IsAsciiDigit(w[0]) ? Math.Pow(0.5, numbers++) : 2).ToArray();
        var all = weights.Sum();
        return
        [
            .. trees
                .Select(t => (t.Tree, t.Words, Fit: words.Select((w, i) => weights[i] * t.Words.Max(own => Fit(w, own))).Sum() / all))
                .Where(t => t.Fit >= LeastFit)
                .OrderByDescending(t => Math.Round(t.Fit, 3))
                .ThenBy(t => t.Words.Length)
                .ThenBy(t => t.Tree.Model, StringComparer.OrdinalIgnoreCase)
                .Take(most)
                .Select(t => new TreeFound(t.Tree, t.Fit)),
        ];
    }

    private static string[] WordsOf(TreeFacts tree)
    {
        var file = tree.Source[(tree.Source.LastIndexOfAny(['/', ':']) + 1)..];
        // Names that a whole family carries tell nothing of the board: only the first one is looked at.
        return
        [
            .. Split($"{tree.Model} {tree.Compatible.FirstOrDefault()} {file.Replace(".dtb", "", StringComparison.Ordinal)}").Distinct(),
        ];
    }

    /// <summary>Small letters and digits; "Zero2W" is taken apart where letters and digits meet, and kept whole too.</summary>
    /// <param name="parts">Whether a word that was taken apart counts by its parts alone.</param>
    private static IEnumerable<string> Split(string text, bool parts = false)
    {
        foreach (
            var word in text.ToLowerInvariant()
                .Split([' ', ',', '-', '_', '.', '/', '(', ')', ':', '@', '\t', '\n'], StringSplitOptions.RemoveEmptyEntries)
        )
        {
            if (!parts || !word.Any(char.IsAsciiDigit) || word.All(char.IsAsciiDigit))
                yield return word;
            var start = 0;
            for (var i = 1; i <= word.Length; i++)
                if (i == word.Length || char.IsAsciiDigit(word[i]) != char.IsAsciiDigit(word[i - 1]))
                {
                    if (i - start < word.Length)
                        yield return word[start..i];
                    start = i;
                }
        }
    }

    /// <summary>1 for the same word, less for one that begins with it or that a slip or two make of it, 0 for another.</summary>
    private static double Fit(string typed, string own)
    {
        if (typed == own)
            return 1;
        if (typed.Length >= 2 && own.StartsWith(typed, StringComparison.Ordinal))
            return 0.85;
        if (own.Length >= 3 && typed.StartsWith(own, StringComparison.Ordinal))
            return 0.6;
        // Numbers are not misspelt: 4 is not 5.
        if (typed.Length < 4 || char.IsAsciiDigit(typed[^1]) && char.IsAsciiDigit(own[^1]) && typed[^1] != own[^1])
            return 0;
        var slips = typed.Length >= 7 ? 2 : 1;
        return Math.Abs(typed.Length - own.Length) <= slips && Distance(typed, own, slips) is var d && d <= slips ? 0.8 - 0.15 * d : 0;
    }

    /// <summary>Letters to insert, leave out, change or swap with their neighbour (Damerau and Levenshtein, neighbours only); more than <paramref name="most"/> is not counted.</summary>
    private static int Distance(string a, string b, int most)
    {
        Span<int> before = stackalloc int[b.Length + 1];
        Span<int> last = stackalloc int[b.Length + 1];
        Span<int> row = stackalloc int[b.Length + 1];
        for (var j = 0; j <= b.Length; j++)
            last[j] = j;
        for (var i = 1; i <= a.Length; i++)
        {
            row[0] = i;
            var least = i;
            for (var j = 1; j <= b.Length; j++)
            {
                row[j] = Math.Min(Math.Min(last[j] + 1, row[j - 1] + 1), last[j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1));
                if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                    row[j] = Math.Min(row[j], before[j - 2] + 1);
                least = Math.Min(least, row[j]);
            }
            if (least > most)
                return most + 1;
            last.CopyTo(before);
            row.CopyTo(last);
        }
        return last[b.Length];
    }
}
