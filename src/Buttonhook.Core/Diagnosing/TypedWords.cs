using System.Text.RegularExpressions;

namespace Buttonhook.Core.Diagnosing;

/// <summary>What a person typed is no evidence, and neither is what a command that only shows text answers: the board says nothing of itself there.</summary>
internal static partial class TypedWords
{
    /// <summary>An answer is not longer than this, for the search of the command that it belongs to.</summary>
    private const int LongestAnswer = 300;

    /// <summary>The hits without those in what was typed at a shell or a loader's prompt, and in texts that were shown there.</summary>
    public static List<Hit> Without(List<Hit> hits, IReadOnlyList<MarkHit> marks, Func<int, string> textOf)
    {
        var first = marks.FirstOrDefault(m => m.Mark.Name is "shell" or "logged-in" or "login" or "loader-prompt" or "rescue-shell")?.Line;
        if (first is not { } from || hits.Count == 0)
            return hits;
        var at = new Dictionary<int, bool>();
        return hits.FindAll(h =>
            h.Line < from || !(at.TryGetValue(h.Line, out var typed) ? typed : at[h.Line] = IsTyped(h.Line, from, textOf))
        );
    }

    private static bool IsTyped(int line, int from, Func<int, string> textOf)
    {
        for (var before = line; before >= from && before > line - LongestAnswer; before--)
        {
            if (Prompted().Match(textOf(before)) is not { Success: true } typed)
                continue;
            var command = typed.Groups["command"].Value;
            return before == line
                || Shows().IsMatch(command)
                || textOf(line).Trim() is { Length: > 0 } said && command.Contains(said, StringComparison.Ordinal);
        }
        return false;
    }

    [GeneratedRegex(
        @"^(?:\S{0,2}[a-z_][\w-]*@[\w.-]+[: ]\S* ?[$#]|\[\S+@\S+ \S+\][$#]|[~/]\S* [$#]|[$#]|=>|\(initramfs\)|[\w-]{2,20}[>#]) (?<command>\S.*)$"
    )]
    private static partial Regex Prompted();

    [GeneratedRegex(
        @"^(sudo )?(cat|less|more|head|tail|grep|zcat|zgrep|man|history|vi|nano|sed|awk|strings|printenv|print|help|ls)\b|\| *(grep|less|head|tail)\b"
    )]
    private static partial Regex Shows();
}
