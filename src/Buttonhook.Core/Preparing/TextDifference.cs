namespace Buttonhook.Core.Preparing;

/// <summary>What became of a piece of text.</summary>
public enum Change
{
    /// <summary>It stayed.</summary>
    Same,

    /// <summary>It was taken out.</summary>
    Removed,

    /// <summary>It came in.</summary>
    Added,
}

/// <summary>A piece of text and what became of it.</summary>
public sealed record TextPiece(Change Change, string Text);

/// <summary>Two texts compared character by character (E. W. Myers, An O(ND) difference algorithm, 1986); texts that differ in more than 4000 characters are shown as taken out and put in whole.</summary>
public static class TextDifference
{
    private const int MostChanges = 4000;

    /// <summary>The pieces in order: what stayed and what was taken out make up <paramref name="before"/>, what stayed and what came in make up <paramref name="after"/>.</summary>
    public static IReadOnlyList<TextPiece> Of(string before, string after)
    {
        var head = before.AsSpan().CommonPrefixLength(after);
        int a = before.Length,
            b = after.Length;
        while (a > head && b > head && before[a - 1] == after[b - 1])
            (a, b) = (a - 1, b - 1);
        var list = new List<TextPiece>();
        Add(list, Change.Same, before[..head]);
        var (x, y) = (before[head..a], after[head..b]);
        if (Characters(x, y) is { } steps)
            foreach (var (change, c) in steps)
                Add(list, change, c.ToString());
        else
        {
            Add(list, Change.Removed, x);
            Add(list, Change.Added, y);
        }
        Add(list, Change.Same, before[a..]);
        return list;
    }

    private static void Add(List<TextPiece> list, Change change, string text)
    {
        if (text.Length == 0)
            return;
        if (list.Count > 0 && list[^1].Change == change)
            list[^1] = new(change, list[^1].Text + text);
        else
            list.Add(new(change, text));
    }

    private static List<(Change, char)>? Characters(string a, string b)
    {
        var most = Math.Min(a.Length + b.Length, MostChanges);
        var furthest = new int[2 * most + 3];
        var offset = most + 1;
        // What was reached before each number of changes, diagonals -d to d.
        var trace = new List<int[]>();
        for (var d = 0; d <= most; d++)
        {
            trace.Add(furthest[(offset - d)..(offset + d + 1)]);
            for (var k = -d; k <= d; k += 2)
            {
                var x = Down(furthest, offset, k, d) ? furthest[offset + k + 1] : furthest[offset + k - 1] + 1;
                if (d == 0)
                    x = 0;
                while (x < a.Length && x - k < b.Length && a[x] == b[x - k])
                    x++;
                furthest[offset + k] = x;
                if (x >= a.Length && x - k >= b.Length)
                    return Back(a, b, trace, d);
            }
        }
        return null;
    }

    private static bool Down(int[] furthest, int offset, int k, int d) =>
        k == -d || (k != d && furthest[offset + k - 1] < furthest[offset + k + 1]);

    private static List<(Change, char)> Back(string a, string b, List<int[]> trace, int d)
    {
        var steps = new List<(Change, char)>();
        int x = a.Length,
            y = b.Length;
        void Same(int toX, int toY)
        {
            while (x > toX && y > toY)
            {
                steps.Add((Change.Same, a[--x]));
                y--;
            }
        }
        for (; d > 0; d--)
        {
            var k = x - y;
            var down = Down(trace[d], d, k, d);
            var from = down ? k + 1 : k - 1;
            var px = trace[d][from + d];
            Same(px, px - from);
            if (down)
                steps.Add((Change.Added, b[--y]));
            else
                steps.Add((Change.Removed, a[--x]));
        }
        Same(0, 0);
        steps.Reverse();
        return steps;
    }
}
