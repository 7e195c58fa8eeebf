using Buttonhook.App.Asking;

namespace Buttonhook.App.Endpoints;

/// <summary>The trial that is to be typed.</summary>
public sealed record TrialInput(string TrialId);

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
        api.MapPost(
                "/boots/{id}/tried",
                (string id, TrialInput input, Rounds rounds) =>
                    rounds.Try(id, input.TrialId) is { } problem ? problem.Answer(StatusCodes.Status409Conflict) : Results.Ok(rounds.Of(id))
            )
            .Produces<AskedView>();
    }
}
