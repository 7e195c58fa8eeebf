using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>A cause that a person corrected after a boot.</summary>
/// <param name="Text">What was really changed, in the person's own words; null on a simulated board, where the fault itself is taken out.</param>
/// <param name="Edit">The line of a file that was changed, or null.</param>
public sealed record Correction(string BootId, string CauseId, string? Text = null, ChangedLine? Edit = null);

/// <summary>What a person found by the check of a cause; null takes it back.</summary>
public sealed record AnswerInput(CheckAnswer? Answer);

/// <summary>The very edit that mends a cause, as a dry boot found it.</summary>
/// <param name="Where">What was looked into: the card that was written here, or the image file.</param>
public sealed record Mend(string CauseId, string Where, FileEdit Edit);

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
                (string id, Captures captures, BootStore boots) =>
                    captures.With(id, r => r.Diagnosis) is { } diagnosis
                        ? Results.Ok(diagnosis.Answered(boots.Answers(id)))
                        : Problems.Missing("This boot")
            )
            .Produces<Diagnosis>();
        api.MapPut("/boots/{id}/answers/{cause}", Answer).Produces<Diagnosis>();
        api.MapGet("/boards/{id}/mends", Mends).Produces<IReadOnlyList<Mend>>();
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

    private static IResult Answer(string id, string cause, AnswerInput input, Captures captures, BootStore boots, TimeProvider clock)
    {
        if (captures.With(id, r => r.Diagnosis) is not { } diagnosis)
            return Problems.Missing("This boot");
        if (diagnosis.Causes.All(c => c.Id != cause))
            return new Problem(
                "An answer belongs to a cause of this boot.",
                $"{cause} is not one.",
                "Answer the check of a cause on the page."
            ).Answer();
        boots.Answer(id, cause, input.Answer, clock.GetUtcNow());
        return Results.Ok(diagnosis.Answered(boots.Answers(id)));
    }

    private static IResult Mends(string id, BoardStore boards, BenchViews views) =>
        boards.Find(id) is { } bench ? Results.Ok(views.Mends(bench)) : Problems.Missing("This board");

    private static IResult Correct(
        string id,
        Correction correction,
        BoardStore boards,
        Captures captures,
        BenchViews views,
        TimeProvider clock
    )
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        var cause = captures.With(correction.BootId, r => r.Diagnosis.Causes.FirstOrDefault(c => c.Id == correction.CauseId) ?? Nothing);
        if (cause is null || cause == Nothing)
            return new Problem(
                "A correction belongs to a cause of this boot.",
                $"{correction.CauseId} is not one.",
                "Choose one of the causes on the page."
            ).Answer();
        if (cause.Correction is not { } canned)
            return new Problem(
                "This cause should have something to correct.",
                $"{cause.Name} has not.",
                "Follow its advice; nothing needs to be recorded."
            ).Answer();
        var told = correction.Text?.Trim() is { Length: > 0 } words ? words : null;
        if (told is null && correction.Edit is { } line)
            told =
                $"{line.Path}{(line.Line > 0 ? $", line {line.Line}" : "")}: {(line.Before is null ? "added" : $"“{line.Before}” became")} {(line.After is null ? "nothing" : $"“{line.After}”")}.";
        // Of a real board only the person knows what was changed; in a simulated one the fault itself is taken out.
        told ??= bench.Board.Simulated ? canned : null;
        if (told is null || told.Length > 500)
            return new Problem(
                "A correction says what was really changed, in 1 to 500 letters.",
                told is null ? "Nothing was said." : $"This has {told.Length}.",
                "Say which file, line, cable or setting you changed, and to what."
            ).Answer();
        boards.AddChange(id, cause.Id, told, clock.GetUtcNow(), correction.Edit);
        return Results.Ok(views.Board(id));
    }

    private static readonly RankedCause Nothing = new("", "", 0, [], [], "", 0, "", null, null);
}
