using Buttonhook.App.Keeping;
using Buttonhook.Core;
using Buttonhook.Core.Keeping;

namespace Buttonhook.App.Endpoints;

/// <summary>Where it is moved to.</summary>
/// <param name="Device">The disk, as the running system names it.</param>
/// <param name="Confirm">Its size in whole GB, as a person typed it.</param>
public sealed record MoveBegin(MoveTarget Target, string? Device = null, string? Confirm = null);

/// <summary>Move and copies.</summary>
public static class MoveEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapMoving(this RouteGroupBuilder api)
    {
        api.MapGet("/boards/{id}/move", (string id, Moves moves) => After(id, moves, () => null)).Produces<MoveView>();
        api.MapPost(
                "/boards/{id}/move",
                (string id, MoveBegin input, Moves moves) =>
                    After(id, moves, () => moves.Begin(id, input.Target, input.Device, input.Confirm))
            )
            .Produces<MoveView>();
        api.MapDelete("/boards/{id}/move", (string id, Moves moves) => After(id, moves, () => moves.Forget(id))).Produces<MoveView>();
        api.MapPost("/boards/{id}/copies", (string id, CopyInput input, Moves moves) => After(id, moves, () => moves.AddCopy(id, input)))
            .Produces<MoveView>();
    }

    /// <summary>Does something with the move of a board, and shows it as it stands then.</summary>
    private static IResult After(string id, Moves moves, Func<Problem?> act) =>
        moves.Of(id) is null ? Problems.Missing("This board")
        : act() is { } problem ? problem.Answer()
        : Results.Ok(moves.Of(id));
}
