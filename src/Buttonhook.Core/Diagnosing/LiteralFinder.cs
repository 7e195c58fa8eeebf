namespace Buttonhook.Core.Diagnosing;

/// <summary>Finds all of a set of literals in a text in one pass, whatever their number (the automaton of Aho and Corasick, 1975); small and capital letters of ASCII are the same.</summary>
public sealed class LiteralFinder
{
    /// <summary>The column of each character; 0 is every character that no literal holds.</summary>
    private readonly ushort[] columns = new ushort[char.MaxValue + 1];

    /// <summary>By row and column where it goes on: twice the begin of that row, and one more where a literal ends there.</summary>
    private readonly int[] next;
    private readonly int[][] ends;
    private readonly int width;

    /// <summary>Builds the automaton; an empty literal is never found, a literal that is there twice is found as both.</summary>
    public LiteralFinder(IReadOnlyList<string> literals)
    {
        width = 1;
        foreach (var c in literals.SelectMany(l => l).Select(Small))
            if (columns[c] == 0)
                columns[c] = columns[Capital(c)] = (ushort)width++;
        var children = new List<Dictionary<int, int>> { new() };
        var own = new List<List<int>> { new() };
        for (var i = 0; i < literals.Count; i++)
        {
            var state = 0;
            foreach (var c in literals[i])
            {
                if (!children[state].TryGetValue(columns[c], out var child))
                {
                    child = children.Count;
                    children[state].Add(columns[c], child);
                    children.Add([]);
                    own.Add([]);
                }
                state = child;
            }
            if (state != 0)
                own[state].Add(i);
        }
        next = new int[children.Count * width];
        ends = new int[children.Count][];
        ends[0] = [];
        // By breadth: what a state does not know, the longest other beginning that it ends with knows.
        var fallback = new int[children.Count];
        var queue = new Queue<int>([0]);
        while (queue.TryDequeue(out var state))
            for (var column = 1; column < width; column++)
            {
                var other = state == 0 ? 0 : next[(fallback[state] >> 1) + column];
                if (!children[state].TryGetValue(column, out var child))
                {
                    next[state * width + column] = other;
                    continue;
                }
                fallback[child] = other;
                ends[child] = [.. own[child], .. ends[(other >> 1) / width]];
                next[state * width + column] = (child * width << 1) + (ends[child].Length > 0 ? 1 : 0);
                queue.Enqueue(child);
            }
    }

    private static char Small(char c) => char.IsAsciiLetterUpper(c) ? (char)(c | 0x20) : c;

    private static char Capital(char c) => char.IsAsciiLetterLower(c) ? (char)(c & ~0x20) : c;

    /// <summary>The places in the list of all literals that stand in <paramref name="text"/>, each once and in order.</summary>
    public IReadOnlyList<int> In(ReadOnlySpan<char> text)
    {
        var found = new List<int>();
        In(text, found, null);
        return found;
    }

    /// <summary>The same into a list that is emptied before, so that none is made for each text.</summary>
    /// <param name="passOver">By literal: whether it is not looked for; null for none.</param>
    public void In(ReadOnlySpan<char> text, List<int> found, bool[]? passOver)
    {
        found.Clear();
        var state = 0;
        foreach (var c in text)
        {
            state = next[(state >> 1) + columns[c]];
            if ((state & 1) == 0)
                continue;
            foreach (var i in ends[(state >> 1) / width])
                if (passOver?[i] != true && !found.Contains(i))
                    found.Add(i);
        }
        if (found.Count > 1)
            found.Sort();
    }
}
