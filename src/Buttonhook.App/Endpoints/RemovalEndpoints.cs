using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>Removes a thing unless something stands on it.</summary>
public sealed class Removals(
    RemovalStore store,
    BoardStore boards,
    Captures captures,
    Preparing.CardWriter writer,
    Profiles profiles,
    TimeProvider clock
)
{
    /// <summary>Removes a thing of a kind (as in <see cref="RemovedThing"/>), so that it can be taken back; what stands against it is answered.</summary>
    public async Task<IResult> Remove(string kind, string id)
    {
        if (Against(kind, id) is { } against)
            return against.Answer(StatusCodes.Status409Conflict);
        if (kind == "board")
            await captures.EndOn(id);
        if (!store.Remove(kind, id, clock.GetUtcNow()))
            return Problems.Missing("What is to be removed");
        profiles.Changed();
        return Results.NoContent();
    }

    /// <summary>What stands against removing a thing, or null.</summary>
    /// <param name="leaving">Boards that leave the bench together with it.</param>
    public Problem? Against(string kind, string id, IReadOnlyCollection<string>? leaving = null)
    {
        IEnumerable<BenchBoard> Staying() => boards.All().Where(b => leaving?.Contains(b.Board.Id) != true);
        return kind switch
        {
            "board-card" when Staying().FirstOrDefault(b => b.Board.ModelId == id) is { } used => new(
                "A board profile can go when no board on the bench uses it.",
                $"{used.Board.Nickname} does.",
                "Remove that board from the bench first."
            ),
            "image-card" when Staying().FirstOrDefault(b => b.Board.ImageId == id) is { } used => new(
                "An image can go when no board on the bench has it chosen.",
                $"{used.Board.Nickname} has.",
                "Choose another image for that board first."
            ),
            "supply" or "part" or "adapter" when Staying().FirstOrDefault(b => Uses(b.Board.Connected, id)) is { } used => new(
                "A part can go when no board on the bench is connected to it.",
                $"{used.Board.Nickname} is.",
                "Change what is connected to that board first."
            ),
            "log" when captures.Running(id)?.Live == true => new(
                "A log can go when its capture has ended.",
                "This one still arrives.",
                "End the capture first."
            ),
            "board" when writer.Of(id)?.Running == true => new(
                "A board can leave the bench when no card is being written for it.",
                "One is.",
                "Wait for it, or stop it."
            ),
            _ => null,
        };
    }

    private static bool Uses(Connected connected, string id) =>
        connected.SupplyId == id || connected.AdapterId == id || connected.Parts?.Contains(id) == true;
}

/// <summary>Removing things and taking them back.</summary>
public static class RemovalEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapRemovals(this RouteGroupBuilder api)
    {
        api.MapGet("/removed", (RemovalStore removals) => removals.All());
        foreach (
            var (path, kind) in new[]
            {
                ("boards", "board"),
                ("logs", "log"),
                ("corrections", "correction"),
                ("recipes", "recipe"),
                ("profiles/board", "board-card"),
                ("profiles/image", "image-card"),
                ("profiles/code", "code-card"),
                ("profiles/experience", "experience-card"),
                ("photos", "photo"),
                ("parts/supply", "supply"),
                ("parts/part", "part"),
                ("parts/adapter", "adapter"),
            }
        )
            api.MapDelete($"/{path}/{{id}}", (string id, Removals removals) => removals.Remove(kind, id));
        api.MapPost(
            "/removed/{kind}/{id}/restore",
            (string kind, string id, RemovalStore removals, Profiles profiles) =>
            {
                var problem = removals.Restore(kind, id);
                profiles.Changed();
                return problem is null ? Results.NoContent() : problem.Answer(StatusCodes.Status409Conflict);
            }
        );
    }
}
