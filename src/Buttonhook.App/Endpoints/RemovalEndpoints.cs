using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>Removing things and taking them back.</summary>
public static class RemovalEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapRemovals(this RouteGroupBuilder api)
    {
        api.MapGet("/removed", (RemovalStore removals) => removals.All());
        api.MapDelete("/boards/{id}", Of("board"));
        api.MapDelete("/logs/{id}", Of("log"));
        api.MapDelete("/corrections/{id}", Of("correction"));
        api.MapDelete("/recipes/{id}", Of("recipe"));
        api.MapDelete("/cards/board/{id}", Of("board-card"));
        api.MapDelete("/cards/image/{id}", Of("image-card"));
        api.MapDelete("/cards/code/{id}", Of("code-card"));
        api.MapPost(
            "/removed/{kind}/{id}/restore",
            (string kind, string id, RemovalStore removals, Cards cards) =>
            {
                var problem = removals.Restore(kind, id);
                cards.Changed();
                return problem is null ? Results.NoContent() : problem.Answer(StatusCodes.Status409Conflict);
            }
        );
    }

    private static Delegate Of(string kind) =>
        (
            string id,
            RemovalStore removals,
            BoardStore boards,
            Captures captures,
            Preparing.CardWriter writer,
            Cards cards,
            TimeProvider clock
        ) => Remove(new(kind, id), removals, boards, captures, writer, cards, clock);

    /// <summary>What is to be removed: its kind (board, log, correction, board-card, image-card, code-card, recipe) and id.</summary>
    private sealed record Removal(string Kind, string Id);

    /// <summary>Removes a thing unless something stands on it.</summary>
    private static async Task<IResult> Remove(
        Removal what,
        RemovalStore removals,
        BoardStore boards,
        Captures captures,
        Preparing.CardWriter writer,
        Cards cards,
        TimeProvider clock
    )
    {
        if (Against(what, boards, captures, writer) is { } against)
            return against.Answer(StatusCodes.Status409Conflict);
        if (what.Kind == "board")
            await captures.EndOn(what.Id);
        if (!removals.Remove(what.Kind, what.Id, clock.GetUtcNow()))
            return Problems.Missing("What is to be removed");
        cards.Changed();
        return Results.NoContent();
    }

    private static Problem? Against(Removal what, BoardStore boards, Captures captures, Preparing.CardWriter writer) =>
        what.Kind switch
        {
            "board-card" when boards.All().FirstOrDefault(b => b.Board.ModelId == what.Id) is { } used => new(
                "A board card can go when no board on the bench uses it.",
                $"{used.Board.Nickname} does.",
                "Take that board off the bench first."
            ),
            "image-card" when boards.All().FirstOrDefault(b => b.Board.ImageId == what.Id) is { } used => new(
                "An image can go when no board on the bench has it chosen.",
                $"{used.Board.Nickname} has.",
                "Choose another image for that board first."
            ),
            "log" when captures.Running(what.Id)?.Live == true => new(
                "A log can go when its capture has ended.",
                "This one still arrives.",
                "End the capture first."
            ),
            "board" when writer.Of(what.Id)?.Running == true => new(
                "A board can leave the bench when no card is being written for it.",
                "One is.",
                "Wait for it, or stop it."
            ),
            _ => null,
        };
}
