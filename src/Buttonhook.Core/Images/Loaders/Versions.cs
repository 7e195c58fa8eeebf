namespace Buttonhook.Core.Images.Loaders;

/// <summary>Compares version texts as boot menus order them (UAPI version format specification, in short: runs of digits by their number, others by their letters, "~" before the end).</summary>
public static class Versions
{
    /// <summary>Below 0 when the first is older, above 0 when it is newer, 0 when they are the same.</summary>
    public static int Compare(string a, string b)
    {
        int i = 0,
            j = 0;
        while (true)
        {
            while (i < a.Length && !Counts(a[i]))
                i++;
            while (j < b.Length && !Counts(b[j]))
                j++;
            foreach (var special in "~-^.")
            {
                var (first, second) = (i < a.Length && a[i] == special, j < b.Length && b[j] == special);
                if (first && second)
                {
                    i++;
                    j++;
                    goto next;
                }
                if (first || second)
                {
                    // "~" comes before the end of a version; the others come after it, but before what counts on.
                    var ends = first ? j >= b.Length : i >= a.Length;
                    var older = special == '~' || !ends ? -1 : 1;
                    return first ? older : -older;
                }
            }
            if (i >= a.Length || j >= b.Length)
                return (i < a.Length ? 1 : 0) - (j < b.Length ? 1 : 0);
            var digits = char.IsAsciiDigit(a[i]) || char.IsAsciiDigit(b[j]);
            var left = Run(a, ref i, digits);
            var right = Run(b, ref j, digits);
            var by = digits ? Numbers(left, right) : string.CompareOrdinal(left, right);
            if (by != 0)
                return by;
            next:
            ;
        }
    }

    private static bool Counts(char c) => char.IsAsciiLetterOrDigit(c) || c is '~' or '-' or '^' or '.';

    private static string Run(string text, ref int at, bool digits)
    {
        var from = at;
        while (at < text.Length && (digits ? char.IsAsciiDigit(text[at]) : char.IsAsciiLetter(text[at])))
            at++;
        return text[from..at];
    }

    private static int Numbers(string a, string b)
    {
        a = a.TrimStart('0');
        b = b.TrimStart('0');
        return a.Length != b.Length ? a.Length - b.Length : string.CompareOrdinal(a, b);
    }
}
