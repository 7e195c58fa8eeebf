using Buttonhook.App.Keeping;
using Buttonhook.Core;

namespace Buttonhook.App.Endpoints;

/// <summary>What is looked at or mended, by its id.</summary>
public sealed record PracticeOf(string Id);

/// <summary>Practice: a simulated board with a hidden fault.</summary>
public static class PracticeEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapPractice(this RouteGroupBuilder api)
    {
        api.MapGet("/practice", (Practices practices) => practices.All()).Produces<PracticeView>();
        api.MapPost("/practice", (PracticeBegin input, Practices practices) => Answered(practices.Begin(input)))
            .Produces<PracticeRoundView>();
        api.MapGet(
                "/practice/{id}",
                (string id, Practices practices) => practices.Of(id) is { } view ? Results.Ok(view) : Problems.Missing("This round")
            )
            .Produces<PracticeRoundView>();
        api.MapPost("/practice/{id}/look", (string id, PracticeOf input, Practices practices) => Answered(practices.Look(id, input.Id)))
            .Produces<PracticeRoundView>();
        api.MapPost("/practice/{id}/boot", (string id, Practices practices) => Answered(practices.Boot(id))).Produces<PracticeRoundView>();
        api.MapPost("/practice/{id}/mend", (string id, PracticeOf input, Practices practices) => Answered(practices.Mend(id, input.Id)))
            .Produces<PracticeRoundView>();
        api.MapPost("/practice/{id}/end", (string id, Practices practices) => Answered(practices.GiveUp(id))).Produces<PracticeRoundView>();
    }

    private static IResult Answered(Answer<PracticeRoundView> answer) =>
        answer.Value is { } view ? Results.Ok(view) : answer.Problem!.Answer();
}
