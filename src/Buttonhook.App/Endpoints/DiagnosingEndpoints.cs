using Buttonhook.App.Boards;
using Buttonhook.App.Consoles;
using Buttonhook.App.Diagnosing;
using Buttonhook.App.Matching;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>A cause that a person corrected after a boot.</summary>
/// <param name="Text">What was really changed, in the person's own words; null on a simulated board, where the fault itself is taken out.</param>
/// <param name="Edit">The line of a file that was changed, or null.</param>
public sealed record Correction(string BootId, string CauseId, string? Text = null, ChangedLine? Edit = null);

/// <summary>What a person answers to a question, the id of a result or "unseen"; null takes the answer back.</summary>
public sealed record AnswerInput(string? Result);

/// <summary>What a person says of the end of a log that came as a file.</summary>
/// <param name="StoodStill">Whether the board stood still there; false when only the capture ended, null when nobody knows.</param>
public sealed record EndInput(bool? StoodStill);

/// <summary>The good boot that is nearest to a boot, and where they part.</summary>
/// <param name="BootId">The good one; null for one of the lab.</param>
/// <param name="Of">What both have in common ("this board and image"), or which system of the lab it is.</param>
public sealed record BesideGood(string? BootId, string? BoardId, int? Number, string Of, Compared Compared);

/// <summary>Diagnose.</summary>
public static class DiagnosingEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapDiagnosing(this RouteGroupBuilder api)
    {
        api.MapGet(
                "/boots/{id}/diagnosis",
                (string id, Judgements judgements) =>
                    judgements.Of(id) is { } diagnosis ? Results.Ok(diagnosis) : Problems.Missing("This boot")
            )
            .Produces<Diagnosis>();
        api.MapPut("/boots/{id}/answers/{question}", Answer).Produces<Diagnosis>();
        api.MapPut("/boots/{id}/end-of-log", TellEnd).Produces<Diagnosis>();
        api.MapGet("/boards/{id}/mends", Mends).Produces<IReadOnlyList<Mend>>();
        api.MapPost("/boards/{id}/corrections", Correct).Produces<BoardView>();
        api.MapGet("/boots/{id}/good", Good).Produces<BesideGood>().Produces(StatusCodes.Status204NoContent);
    }

    /// <summary>The nearest good boot with the comparison; no content where there is none.</summary>
    private static IResult Good(string id, BootStore boots, Captures captures, GoodBootsLike alike, KnowledgeFiles knowledge)
    {
        if (boots.Find(id) is not { } boot)
            return Problems.Missing("This boot");
        var (good, of) = alike.To(boot, timed: false);
        // A board that only has the same processor is further away than a boot of the lab whose lines are the same.
        if (
            (good.Count == 0 || of is null or BootStore.OfTheKind)
            && captures.With(id, LogComparison.LinesOf) is { } lines
            && knowledge.GoodBoots.Nearest(lines) is { } nearest
        )
            return Results.Ok(new BesideGood(null, null, null, nearest.System, LogComparison.Of(lines, nearest.Lines, [])));
        if (good.Count == 0 || of is null)
            return Results.NoContent();
        // One after the other, so that no two logs are held at once.
        var mine = captures.With(id, r => new Sides(LogComparison.LinesOf(r), r.Reading));
        var other = captures.With(good[0].Id, r => new Sides(LogComparison.LinesOf(r), r.Reading));
        return mine is null || other is null
            ? Results.NoContent()
            : Results.Ok(
                new BesideGood(
                    good[0].Id,
                    good[0].BoardId,
                    good[0].Number,
                    of,
                    LogComparison.Of(mine.Lines, other.Lines, LogComparison.Slower(mine.Reading, other.Reading))
                )
            );
    }

    private sealed record Sides(IReadOnlyList<(int Line, long Shape, string Text)> Lines, BootReading Reading);

    private static IResult Answer(
        string id,
        string question,
        AnswerInput input,
        BootStore boots,
        Captures captures,
        Judgements judgements,
        TimeProvider clock
    )
    {
        if (boots.Find(id) is null)
            return Problems.Missing("This boot");
        if (captures.Book.Question(question) is not { } asked)
            return new Problem(
                "An answer belongs to a question of the rule book.",
                $"{question} is not one.",
                "Answer the question on the page."
            ).Answer();
        if (input.Result is { } result and not Question.Unseen && asked.Result(result) is null)
            return new Problem(
                $"An answer to {question} is one of its results.",
                $"{result} is not one.",
                $"There are {string.Join(", ", asked.Results.Select(r => r.Id))} and {Question.Unseen}."
            ).Answer();
        boots.Tell(id, question, input.Result, null, clock.GetUtcNow());
        return Results.Ok(judgements.Of(id));
    }

    private static IResult TellEnd(string id, EndInput input, BootStore boots, Captures captures, Judgements judgements)
    {
        if (boots.Find(id) is null)
            return Problems.Missing("This boot");
        var end = input.StoodStill switch
        {
            true => CaptureEnd.StoodStill,
            false => CaptureEnd.CaptureOver,
            null => CaptureEnd.Unknown,
        };
        if (!boots.TellEnd(id, end))
            return new Problem(
                "A log that came as a file does not say how it ended; this one was captured here.",
                "How long its console was listened to is known.",
                "Nothing needs to be said."
            ).Answer();
        captures.ReadAgain(id);
        return Results.Ok(judgements.Of(id));
    }

    private static IResult Mends(string id, BoardStore boards, BoardMatches matches) =>
        boards.Find(id) is { } bench ? Results.Ok(matches.Mends(bench)) : Problems.Missing("This board");

    private static IResult Correct(
        string id,
        Correction correction,
        BoardStore boards,
        BoardViews views,
        Judgements judgements,
        BootStore boots,
        Captures captures,
        TimeProvider clock
    )
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        var cause = judgements.Of(correction.BootId)?.Causes.FirstOrDefault(c => c.Id == correction.CauseId);
        // With what was tried the board may have come up, and its log shows no cause any more.
        var known =
            cause is null && boots.Trials(correction.BootId).Any(t => t.Cause == correction.CauseId)
                ? captures.Book.Cause(correction.CauseId)
                : null;
        var (name, canned) = (cause?.Name ?? known?.Name, cause?.Correction ?? known?.Correction);
        if (name is null)
            return new Problem(
                "A correction belongs to a cause of this boot.",
                $"{correction.CauseId} is not one.",
                "Choose one of the causes on the page."
            ).Answer();
        if (canned is null)
            return new Problem(
                "This cause should have something to correct.",
                $"{name} has not.",
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
        boards.AddChange(id, correction.CauseId, told, clock.GetUtcNow(), correction.Edit);
        return Results.Ok(views.Board(id));
    }
}
