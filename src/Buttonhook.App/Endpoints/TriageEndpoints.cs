using Buttonhook.App.Diagnosing;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App.Endpoints;

/// <summary>What a person saw of a board that says nothing: the answer to each question, by its name.</summary>
/// <param name="BoardId">Which board; null when that is not told.</param>
public sealed record TriageInput(Dictionary<string, string> Answers, string? BoardId = null);

/// <summary>A cause in a triage.</summary>
public sealed record TriageRow(string Id, string Name, double Probability, string? Fix, string? Caution);

/// <summary>An answer that can be given, and the cause that would then lead.</summary>
public sealed record TriageChoice(string Id, string Says, string Then, double Probability);

/// <summary>The question that tells most for its time and risk.</summary>
public sealed record TriageAsked(string Id, string Ask, int Minutes, string? Caution, IReadOnlyList<TriageChoice> Answers);

/// <summary>A question that was answered.</summary>
public sealed record TriageSaid(string Id, string Ask, string Says);

/// <summary>Where a board stands that says nothing.</summary>
/// <param name="Known">What is known of this board already and was counted, as sentences.</param>
/// <param name="Lights">The lights of this board and what they mean.</param>
public sealed record TriageView(
    IReadOnlyList<TriageRow> Causes,
    TriageAsked? Next,
    IReadOnlyList<TriageSaid> Said,
    IReadOnlyList<string> Known,
    IReadOnlyList<string> Lights
);

/// <summary>The triage of a board without a log.</summary>
public static class TriageEndpoints
{
    private const int MostShown = 5;

    /// <summary>Adds the routes.</summary>
    public static void MapTriage(this RouteGroupBuilder api) => api.MapPost("/triage", Ask).Produces<TriageView>();

    private static IResult Ask(TriageInput input, KnowledgeFiles knowledge, RuleBooks books, BeforeLog before)
    {
        var known = input.BoardId is { } board ? before.PriorsOf(board) : [];
        var triaged = knowledge.Triage.After(
            input.Answers,
            known.GroupBy(k => k.CauseId).ToDictionary(g => g.Key, g => Math.Exp(g.Sum(k => k.Odds)))
        );
        string Name(string id) => books.Current.Book.Cause(id)?.Name ?? "Something else";
        return Results.Ok(
            new TriageView(
                [
                    .. triaged
                        .Causes.Take(MostShown)
                        .Select(c => (Of: c, Cause: books.Current.Book.Cause(c.Id)))
                        .Select(c => new TriageRow(
                            c.Of.Id,
                            Name(c.Of.Id),
                            c.Of.Probability,
                            c.Cause is null ? null : Template.Plain(c.Cause.Fix),
                            c.Cause?.Caution
                        )),
                ],
                triaged.Next is { } next
                    ? new(
                        next.Question.Id,
                        next.Question.Ask,
                        next.Question.Minutes,
                        next.Question.Caution,
                        [
                            .. next.Question.Answers.Select(a => new TriageChoice(
                                a.Id,
                                a.Says,
                                Name(next.Then[a.Id].Id),
                                next.Then[a.Id].Probability
                            )),
                        ]
                    )
                    : null,
                [
                    .. knowledge
                        .Triage.Questions.Where(q => input.Answers.ContainsKey(q.Id))
                        .Select(q => new TriageSaid(q.Id, q.Ask, q.Answers.FirstOrDefault(a => a.Id == input.Answers[q.Id])?.Says ?? "?")),
                ],
                [.. known.Select(k => k.Says)],
                input.BoardId is { } of ? before.LightsOf(of) : []
            )
        );
    }
}
