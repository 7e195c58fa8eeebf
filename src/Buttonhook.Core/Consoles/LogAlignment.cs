namespace Buttonhook.Core.Consoles;

/// <summary>A run of lines of two logs beside each other; lines are counted from 1, a count of 0 means that this log has nothing there.</summary>
/// <param name="Same">Whether the lines have the same shapes, one by one.</param>
public sealed record AlignedRun(bool Same, int LeftFrom, int LeftCount, int RightFrom, int RightCount);

/// <summary>
/// Two logs line by line, by the shapes of the lines: times, numbers and addresses aside. Lines whose shape stands once in both are the
/// posts (patience difference: the longest run of them that has one order in both), and equal lines around them are joined to them.
/// </summary>
public static class LogAlignment
{
    /// <summary>Beyond so many lines of one log the rest is not compared.</summary>
    public const int MostLines = 50_000;

    /// <summary>Compares two logs.</summary>
    public static IReadOnlyList<AlignedRun> Of(ConsoleLog left, ConsoleLog right) => Of(Shapes(left), Shapes(right));

    /// <summary>The shapes of the lines of a log, up to <see cref="MostLines"/>.</summary>
    public static long[] Shapes(ConsoleLog log) =>
        [.. Enumerable.Range(1, Math.Min(log.LineCount, MostLines)).Select(n => LineShape.Number(log.Text(n)))];

    /// <summary>Compares two rows of shapes.</summary>
    public static IReadOnlyList<AlignedRun> Of(IReadOnlyList<long> left, IReadOnlyList<long> right)
    {
        var pairs = new List<(int Left, int Right)>();
        Match(left, 0, left.Count, right, 0, right.Count, pairs, 0);
        var runs = new List<AlignedRun>();
        int atLeft = 0,
            atRight = 0;
        foreach (var (l, r) in pairs.Append((left.Count, right.Count)))
        {
            if (l > atLeft || r > atRight)
                runs.Add(new(false, atLeft + 1, l - atLeft, atRight + 1, r - atRight));
            if (l < left.Count)
            {
                if (runs is [.., { Same: true } last] && l == atLeft && r == atRight)
                    runs[^1] = last with { LeftCount = last.LeftCount + 1, RightCount = last.RightCount + 1 };
                else
                    runs.Add(new(true, l + 1, 1, r + 1, 1));
            }
            (atLeft, atRight) = (l + 1, r + 1);
        }
        return runs;
    }

    private const int Deepest = 64;

    private static void Match(
        IReadOnlyList<long> left,
        int l0,
        int l1,
        IReadOnlyList<long> right,
        int r0,
        int r1,
        List<(int, int)> pairs,
        int depth
    )
    {
        while (l0 < l1 && r0 < r1 && left[l0] == right[r0])
            pairs.Add((l0++, r0++));
        var tail = new List<(int, int)>();
        while (l0 < l1 && r0 < r1 && left[l1 - 1] == right[r1 - 1])
            tail.Add((--l1, --r1));
        if (l0 < l1 && r0 < r1 && depth < Deepest)
        {
            var posts = Posts(left, l0, l1, right, r0, r1);
            var (fromLeft, fromRight) = (l0, r0);
            foreach (var (l, r) in posts)
            {
                Match(left, fromLeft, l, right, fromRight, r, pairs, depth + 1);
                pairs.Add((l, r));
                (fromLeft, fromRight) = (l + 1, r + 1);
            }
            if (posts.Count > 0)
                Match(left, fromLeft, l1, right, fromRight, r1, pairs, depth + 1);
        }
        tail.Reverse();
        pairs.AddRange(tail);
    }

    /// <summary>Shapes that stand once on each side, in the longest order that both have (longest increasing subsequence).</summary>
    private static List<(int Left, int Right)> Posts(IReadOnlyList<long> left, int l0, int l1, IReadOnlyList<long> right, int r0, int r1)
    {
        static Dictionary<long, int> Once(IReadOnlyList<long> shapes, int from, int to)
        {
            var at = new Dictionary<long, int>();
            for (var i = from; i < to; i++)
                at[shapes[i]] = at.ContainsKey(shapes[i]) ? -1 : i;
            return at;
        }
        var onRight = Once(right, r0, r1);
        var both = Once(left, l0, l1)
            .Where(p => p.Key != 0 && p.Value >= 0 && onRight.GetValueOrDefault(p.Key, -1) >= 0)
            .Select(p => (Left: p.Value, Right: onRight[p.Key]))
            .OrderBy(p => p.Left)
            .ToList();
        var tops = new List<int>();
        var before = new int[both.Count];
        for (var i = 0; i < both.Count; i++)
        {
            int low = 0,
                high = tops.Count;
            while (low < high)
            {
                var middle = (low + high) / 2;
                if (both[tops[middle]].Right < both[i].Right)
                    low = middle + 1;
                else
                    high = middle;
            }
            before[i] = low > 0 ? tops[low - 1] : -1;
            if (low == tops.Count)
                tops.Add(i);
            else
                tops[low] = i;
        }
        var posts = new List<(int, int)>();
        for (var i = tops.Count > 0 ? tops[^1] : -1; i >= 0; i = before[i])
            posts.Add(both[i]);
        posts.Reverse();
        return posts;
    }
}
