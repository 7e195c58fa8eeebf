using Buttonhook.App.Boards;
using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>What was changed in one go, to be taken back.</summary>
/// <param name="BoardId">The board that it changed, when it is one that stands on the bench.</param>
/// <param name="Undone">Whether it was taken back.</param>
public sealed record EditView(long Id, DateTimeOffset MadeAt, string Says, bool Undone, string? BoardId);

/// <summary>The last changes, and taking them back.</summary>
public static class EditEndpoints
{
    private const int Listed = 40;

    /// <summary>Adds the routes.</summary>
    public static void MapEdits(this RouteGroupBuilder api)
    {
        api.MapGet("/edits", List).Produces<IReadOnlyList<EditView>>();
        api.MapPost("/edits/{id}/undo", Undo).Produces(StatusCodes.Status204NoContent);
    }

    /// <summary>The last forty; of one board and its card alone when it is named, also of one that was removed from the bench.</summary>
    private static IResult List(string? board, EditStore edits, BoardStore boards, Catalogue catalogue)
    {
        var words = new EditWords(catalogue, boards, edits);
        var there = boards.All().Select(b => b.Board.Id).ToHashSet();
        return Results.Ok(
            edits
                .Newest(Listed, board, board is null ? null : boards.Find(board)?.Board.ModelId)
                .Select(e => new EditView(
                    e.Id,
                    e.MadeAt,
                    words.Of(e),
                    e.Undone,
                    e.Rows.Select(r => r.BoardId).FirstOrDefault(b => b is not null && there.Contains(b))
                ))
                .ToList()
        );
    }

    private static async Task<IResult> Undo(
        long id,
        EditStore edits,
        Removals removals,
        Profiles profiles,
        Captures captures,
        TimeProvider clock
    )
    {
        if (edits.Find(id) is not { } edit)
            return Problems.Missing("This change");
        var came = edit.Rows.Where(r => r.Kind == "board" && r.Before is null).Select(r => r.Key).ToList();
        foreach (var row in edit.Rows)
        {
            // What the change put there would be removed: the same stands against it as against any removal.
            if ((row.Before is null ? removals.Against(row.Kind, row.Key, came) : Lacking(row, profiles.Catalogue)) is { } against)
                return against.Answer(StatusCodes.Status409Conflict);
        }
        foreach (var row in edit.Rows.Where(r => r.Kind == "board"))
            if (row.Before is null || (string?)row.Before["image_id"] != (string?)row.After["image_id"])
                await captures.EndOn(row.Key);
        var problem = edits.Undo(id, clock.GetUtcNow());
        profiles.Changed();
        return problem is null ? Results.NoContent() : problem.Answer(StatusCodes.Status409Conflict);
    }

    /// <summary>What a board needs of the catalogue to be as it was.</summary>
    private static Problem? Lacking(EditRow row, Catalogue catalogue) =>
        row.Kind != "board" ? null
        : catalogue.Model((string)row.Before!["model_id"]!)?.Revision((string)row.Before["revision_id"]!) is null
            ? new("The board profile that the board had should be there.", "It was removed since.", "Take that back first.")
        : (string?)row.Before["image_id"] is { } image && catalogue.Image(image) is null
            ? new("The image that was chosen should be on the shelf.", "It was removed since.", "Take that back first.")
        : null;
}
