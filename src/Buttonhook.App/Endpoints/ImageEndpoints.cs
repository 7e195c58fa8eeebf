using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>An image file on this computer, and the board of the bench to dry-boot it on (null for none).</summary>
public sealed record InspectionInput(string Path, string? BoardId);

/// <summary>The image shelf: looking into image files.</summary>
public static class ImageEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapImages(this RouteGroupBuilder api) => api.MapPost("/inspections", Inspect).Produces<Inspection>();

    /// <summary>Inspects; ends when the page goes away.</summary>
    private static async Task<IResult> Inspect(InspectionInput input, BoardStore boards, Catalogue catalogue, CancellationToken token)
    {
        if (!Path.IsPathRooted(input.Path))
            return new Problem(
                "An image is named by its whole path on this computer.",
                $"{input.Path} is not one.",
                "Begin with a slash, such as /home/you/image.img.xz."
            ).Answer();
        DryBoard? board = null;
        if (input.BoardId is { } id)
        {
            if (boards.Find(id) is not { } bench)
                return Problems.Missing("This board");
            var found = DryBoards.Find($"{bench.Board.ModelId}@{bench.Board.RevisionId}", catalogue);
            if (found.Value is not { } dry)
                return found.Problem!.Answer();
            board = dry with { MemoryMiB = bench.Board.MemoryMiB };
        }
        var inspected = await Task.Run(() => ImageFiles.Inspect(input.Path, board, hash: false, token), token);
        return inspected.Value is { } inspection ? Results.Ok(inspection) : inspected.Problem!.Answer();
    }
}
