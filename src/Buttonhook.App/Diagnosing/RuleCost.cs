using System.Diagnostics;
using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App.Diagnosing;

/// <summary>What an expression that a person wrote costs: it is run over a megabyte of long lines before it is taken, since it will be run over every log.</summary>
public static class RuleCost
{
    private const int Letters = 1 << 20;

    /// <summary>Longer lines are not read whole by the rule book.</summary>
    private const int LineLength = 2000;
    private static readonly TimeSpan Most = TimeSpan.FromSeconds(1);

    /// <summary>The problem with a rule that costs more than a second over a megabyte; null for any other.</summary>
    public static Problem? Against(OwnRule rule) =>
        new[] { rule.Regex, rule.Not }
            .OfType<string>()
            .Distinct()
            .Where(CostsTooMuch)
            .Select(e => new Problem(
                "A rule reads a megabyte of long lines within a second.",
                $"“{(e.Length > 60 ? e[..60] + " …" : e)}” takes longer, so one long log would hold up everything.",
                "Use fewer repetitions inside one another (such as .{0,200} twice), or words in place of them."
            ))
            .FirstOrDefault();

    /// <summary>How long it is waited for an answer: a single step of such an expression may take many seconds, and looks at no clock meanwhile.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(8);

    private static bool CostsTooMuch(string expression)
    {
        var costs = TimeSpan.MaxValue;
        var trial = new Thread(() => costs = Costs(expression)) { IsBackground = true, Priority = ThreadPriority.BelowNormal };
        trial.Start();
        return !trial.Join(Patience) || costs > Most;
    }

    /// <summary>The least time of three over the text that is hardest for it; a busy machine is no slow expression.</summary>
    private static TimeSpan Costs(string expression)
    {
        // The same expression as the rule book makes of it, but one that gives up: a single line may take minutes.
        var regex = new Regex(expression, LineScanner.Expression(expression).Options, Most);
        return Texts(expression)
            .Max(text =>
            {
                var least = TimeSpan.MaxValue;
                for (var n = 0; n < 3 && least > Most; n++)
                {
                    var clock = Stopwatch.StartNew();
                    try
                    {
                        foreach (var line in text.TakeWhile(_ => clock.Elapsed < 2 * Most))
                            _ = regex.IsMatch(line);
                    }
                    catch (RegexMatchTimeoutException)
                    {
                        // That is longer than may be.
                    }
                    least = clock.Elapsed < least ? clock.Elapsed : least;
                }
                return least;
            });
    }

    /// <summary>Lines of the expression's own letters, which it can nearly match, beside plain ones; the same each time.</summary>
    private static IEnumerable<IReadOnlyList<string>> Texts(string expression)
    {
        var own = string.Concat(Regex.Replace(expression, @"\\.|[^\p{L}\p{N} ]", " ").Where(c => c != ' ').Distinct());
        var random = new Random(17);
        string Mixed(string letters, int count)
        {
            var line = new StringBuilder(count);
            while (line.Length < count)
                line.Append(letters[random.Next(letters.Length)]);
            return line.ToString();
        }
        var lines = Letters / LineLength;
        yield return [.. Enumerable.Range(0, lines).Select(_ => Mixed("abcdefghijklmnopqrstuvwxyz0123456789 .:-_/[]()", LineLength))];
        if (own.Length > 0)
            yield return [.. Enumerable.Range(0, lines).Select(_ => Mixed(own + " ", LineLength))];
        yield return [.. Enumerable.Range(0, lines).Select(n => new string(own.Length > 0 ? own[n % own.Length] : 'a', LineLength))];
    }
}
