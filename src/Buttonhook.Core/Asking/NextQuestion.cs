using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Asking;

/// <summary>The question that the board is asked next.</summary>
/// <param name="Question">The question.</param>
/// <param name="Way">How this listener answers it.</param>
/// <param name="Command">What is typed, but for the marks around it.</param>
/// <param name="Asks">The question in words.</param>
/// <param name="Why">Why this one.</param>
public sealed record NextQuestion(Question Question, Way Way, string Command, string Asks, string Why)
{
    /// <summary>A cause stands from this share on.</summary>
    private const double Stood = 0.95;

    /// <summary>A question that is expected to tell less than this (in bits) is not asked.</summary>
    private const double LeastBits = 0.01;

    /// <summary>Whether a cause stands.</summary>
    public static bool Stands(Diagnosis diagnosis) => diagnosis.Causes[0] is { Probability: >= Stood, Id: not RuleBook.SomethingElse };

    /// <summary>What a round would begin with at a listener; null when nothing can be asked there, and when what was answered made a cause stand.</summary>
    public static NextQuestion? First(RuleBook book, AskContext context, Listener listener) =>
        !listener.TakesCommands || Stands(context.Diagnosis) && context.Told.Count > 0
            ? null
            : Of(book, context.Diagnosis, context.Told, context.Facts, listener, new HashSet<Way>(), first: true);

    /// <summary>The question that is expected to tell most a second; when nothing explains the log, the one that is quickest. Null when nothing more is learnt.</summary>
    /// <param name="told">By question: what was answered already.</param>
    /// <param name="facts">What commands and readings need.</param>
    /// <param name="tried">Ways that were tried in this round.</param>
    /// <param name="first">Whether it is the first of a round: what is all but certain is confirmed by its own question then.</param>
    public static NextQuestion? Of(
        RuleBook book,
        Diagnosis diagnosis,
        IReadOnlyDictionary<string, string> told,
        IReadOnlyDictionary<string, string> facts,
        Listener listener,
        IReadOnlySet<Way> tried,
        bool first
    )
    {
        var causes = diagnosis.Causes;
        var open = new List<(Question Question, Way Way, string Command)>();
        foreach (var question in book.Questions.Where(q => !told.ContainsKey(q.Id)))
            if (WayOf(question, facts, listener.Kind, tried) is var (way, command))
                open.Add((question, way, command));
        NextQuestion Asked((Question Question, Way Way, string Command) one, string why) =>
            new(one.Question, one.Way, one.Command, Template.Fill(one.Question.Asks, facts), why);
        if (first && Stands(diagnosis) && open.Find(o => o.Question.Of?.Contains(causes[0].Id) == true) is { Question: not null } own)
            return Asked(own, $"It confirms or clears “{causes[0].Name}”.");
        var best = open.Select(o => (One: o, Bits: Information.Expected(causes, o.Question)))
            .Where(o => o.Bits >= LeastBits)
            .OrderByDescending(o => o.Bits / o.One.Way.Seconds)
            .FirstOrDefault();
        if (best.One.Question is not null)
            return Asked(best.One, WhyOf(best.One.Question, causes));
        // A log that no rule explains: what anybody would ask first.
        var blind = causes[0].Id == RuleBook.SomethingElse || causes.Count == 1;
        return blind && open.OrderBy(o => o.Way.Seconds).FirstOrDefault() is { Question: not null } quickest
            ? Asked(quickest, "Nothing explains this log yet: this is quickly known.")
            : null;
    }

    private static string WhyOf(Question question, IReadOnlyList<RankedCause> causes)
    {
        var moves = question.Moves.ToHashSet();
        var named = causes.Where(c => moves.Contains(c.Id)).Take(2).Select(c => $"“{c.Name}”").ToList();
        return named.Count == 0 ? "It tells most for its time." : $"It tells about {string.Join(" and ", named)}.";
    }

    private static (Way Way, string Command)? WayOf(
        Question question,
        IReadOnlyDictionary<string, string> facts,
        ListenerKind at,
        IReadOnlySet<Way> tried
    )
    {
        foreach (var way in question.Ways ?? [])
            if (
                way.At.Contains(at)
                && !tried.Contains(way)
                && (way.Needs is null || facts.ContainsKey(way.Needs))
                && SafeCommand.Fill(way.Type, facts, at) is { } command
            )
                return (way, command);
        return null;
    }
}
