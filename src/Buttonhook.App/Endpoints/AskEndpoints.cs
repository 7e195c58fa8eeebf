using Buttonhook.App.Asking;

namespace Buttonhook.App.Endpoints;

/// <summary>Asking the board.</summary>
public static class AskEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapAsking(this RouteGroupBuilder api)
    {
        api.MapGet(
                "/boots/{id}/asked",
                (string id, Rounds rounds) => rounds.Of(id) is { } asked ? Results.Ok(asked) : Problems.Missing("This boot")
            )
            .Produces<AskedView>();
        api.MapPost(
                "/boots/{id}/asked",
                (string id, Rounds rounds) =>
                    rounds.Begin(id) is { } problem ? problem.Answer(StatusCodes.Status409Conflict) : Results.Ok(rounds.Of(id))
            )
            .Produces<AskedView>();
    }
}
