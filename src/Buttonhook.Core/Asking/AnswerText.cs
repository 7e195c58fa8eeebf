using System.Text.RegularExpressions;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Asking;

/// <summary>What a board answered to a command, out of all that arrived.</summary>
public static partial class AnswerText
{
    private const int MostLines = 400,
        LongestLine = 400;

    /// <summary>An expression with its places filled, each as the text itself; null when a fact is missing. Without facts every place stands for a letter, to be checked.</summary>
    public static string? Filled(string expression, IReadOnlyDictionary<string, string>? facts)
    {
        var whole = true;
        var text = Place()
            .Replace(
                expression,
                m =>
                {
                    if (facts is null)
                        return "x";
                    var value = facts.GetValueOrDefault(m.Groups[1].Value, "");
                    whole &= value.Length > 0;
                    return Regex.Escape(value);
                }
            );
        return whole ? text : null;
    }

    /// <summary>The lines of an answer without what the kernel printed in between; of a long one the first 400.</summary>
    /// <param name="log">Whether the answer itself is made of the kernel's lines.</param>
    public static IReadOnlyList<string> Lines(string text, bool log) =>
        [
            .. text.Split('\n')
                .Select(l => l.TrimEnd('\r', ' '))
                .Where(l => l.Length > 0 && (log || !KernelLine().IsMatch(l)))
                .Take(MostLines)
                .Select(l => l.Length > LongestLine ? l[..LongestLine] : l),
        ];

    /// <summary>Whether the listener says that it has no such command.</summary>
    /// <param name="command">What was typed.</param>
    public static bool IsMissing(IReadOnlyList<string> lines, string command)
    {
        var word = command.Split(' ')[0];
        return lines.Take(3).Any(l => l.Contains(word, StringComparison.Ordinal) && NoSuchCommand().IsMatch(l));
    }

    /// <summary>What an answer means: the result, the line that says so, and the facts that it teaches; null when nothing can be read from it.</summary>
    public static (string Result, string? Line, IReadOnlyDictionary<string, string> Learnt)? Read(
        Way way,
        IReadOnlyList<string> lines,
        IReadOnlyDictionary<string, string> facts
    )
    {
        if (way.Needs is { } needed && !facts.ContainsKey(needed))
            return null;
        foreach (var reads in way.Reads)
        {
            if (reads.Needs is { } fact && !facts.ContainsKey(fact) || Filled(reads.Find, facts) is not { } expression)
                continue;
            var find = LineScanner.Expression(expression);
            foreach (var line in lines)
                if (find.Match(line) is { Success: true } match)
                {
                    var learnt = new Dictionary<string, string>();
                    Take(match, learnt);
                    if (reads.Takes is { } takes && Filled(takes, facts) is { } second)
                        Take(LineScanner.Expression(second).Match(line), learnt);
                    return (reads.Result, line, learnt);
                }
        }
        // What another fact would have told is not told by its absence.
        return
            way.Otherwise is { } otherwise
            && way.Reads.All(r => r.Needs is null || facts.ContainsKey(r.Needs))
            && way.Reads.Any(r => Filled(r.Find, facts) is not null)
            ? (otherwise, null, new Dictionary<string, string>())
            : null;
    }

    private static void Take(Match match, Dictionary<string, string> learnt)
    {
        if (match.Success)
            foreach (Group group in match.Groups)
                if (group.Success && !char.IsAsciiDigit(group.Name[0]))
                    learnt[group.Name] = group.Value;
    }

    [GeneratedRegex(@"\{([a-z]+)\}")]
    private static partial Regex Place();

    [GeneratedRegex(@"^\[\s*\d+\.\d{6}\](?:\[[^\]]*\])? ")]
    private static partial Regex KernelLine();

    [GeneratedRegex(@"(?i)not found|unknown command|can.t find command|is not recogni[sz]ed|no such command|command not|applet not")]
    private static partial Regex NoSuchCommand();
}
