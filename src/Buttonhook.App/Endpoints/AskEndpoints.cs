using Buttonhook.App.Asking;
using Buttonhook.App.Consoles;
using Buttonhook.Core.Asking;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

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
        api.MapGet(
                "/boots/{id}/starts",
                (string id, BootStore boots, Captures captures) =>
                    boots.Find(id) is not null && captures.With(id, captures.StartsIn) is { } starts
                        ? Results.Ok(starts)
                        : Problems.Missing("This boot")
            )
            .Produces<Starts>();
        api.MapPost(
                "/boots/{id}/starts",
                (string id, StartsAsked asked, Rounds rounds, BootViews views) =>
                    rounds.StartAgain(id, asked) is { } problem ? problem.Answer(StatusCodes.Status409Conflict) : Results.Ok(views.Boot(id))
            )
            .Produces<BootView>();
        api.MapGet(
                "/boots/{id}/system",
                (string id, Rounds rounds) => rounds.SystemOf(id) is { } system ? Results.Ok(system) : Problems.Missing("This boot")
            )
            .Produces<SystemView>();
        api.MapPost(
                "/boots/{id}/system",
                (string id, LoginInput who, Rounds rounds, BootViews views) =>
                    rounds.ReadSystem(id, who.User, who.Password) is { } problem
                        ? problem.Answer(StatusCodes.Status409Conflict)
                        : Results.Ok(views.Boot(id))
            )
            .Produces<BootView>();
    }
}
