using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>A cause that a person corrected after a boot.</summary>
public sealed record Correction(string BootId, string CauseId);

/// <summary>A cause as the rule book page lists it.</summary>
public sealed record RuleRow(
    string Id,
    string Name,
    Core.Consoles.Stage Stage,
    string LooksLike,
    string Check,
    string Fix,
    int Observations
);

/// <summary>Diagnose.</summary>
public static class DiagnosingEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapDiagnosing(this RouteGroupBuilder api)
    {
        api.MapGet(
                "/boots/{id}/diagnosis",
                (string id, Captures captures) =>
                    captures.With(id, r => r.Diagnose().Diagnosis) is { } diagnosis ? Results.Ok(diagnosis) : Problems.Missing("This boot")
            )
            .Produces<Diagnosis>();
        api.MapPost("/boards/{id}/corrections", Correct).Produces<BoardView>();
        api.MapGet(
            "/rules",
            (RuleBookIndex rules) =>
                rules
                    .Book.Causes.Select(c => new RuleRow(
                        c.Id,
                        c.Name,
                        c.Stage,
                        c.LooksLike,
                        Template.Plain(c.Check.What),
                        Template.Plain(c.Fix),
                        c.Evidence?.Count ?? 0
                    ))
                    .ToList()
        );
    }

    private static IResult Correct(
        string id,
        Correction correction,
        BoardStore boards,
        Captures captures,
        BenchViews views,
        TimeProvider clock
    )
    {
        if (boards.Find(id) is null)
            return Problems.Missing("This board");
        var cause = captures.With(
            correction.BootId,
            r => r.Diagnose().Diagnosis.Causes.FirstOrDefault(c => c.Id == correction.CauseId) ?? Nothing
        );
        if (cause is null || cause == Nothing)
            return new Problem(
                "A correction belongs to a cause of this boot.",
                $"{correction.CauseId} is not one.",
                "Choose one of the causes on the page."
            ).Answer();
        if (cause.Correction is not { } text)
            return new Problem(
                "This cause should have something to correct.",
                $"{cause.Name} has not.",
                "Follow its advice; nothing needs to be recorded."
            ).Answer();
        boards.AddChange(id, cause.Id, text, clock.GetUtcNow());
        return Results.Ok(views.Board(id));
    }

    private static readonly RankedCause Nothing = new("", "", 0, [], [], "", 0, "", null, null);
}
