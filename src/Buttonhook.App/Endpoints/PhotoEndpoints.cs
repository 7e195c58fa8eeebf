using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>What a photo shows.</summary>
public sealed record PhotoWords(string Says);

/// <summary>A person's own look at a board: photos of its print, its lights, its wires.</summary>
public static class PhotoEndpoints
{
    private const int MostWords = 200;
    private const int MostPhotos = 40;

    /// <summary>Adds the routes.</summary>
    public static void MapPhotos(this RouteGroupBuilder api)
    {
        api.MapGet(
                "/boards/{id}/photos",
                (string id, BoardStore boards, PhotoStore photos) =>
                    boards.Find(id) is null ? Problems.Missing("This board") : Results.Ok(photos.Of(id))
            )
            .Produces<IReadOnlyList<BoardPhoto>>();
        api.MapPost("/boards/{id}/photos", Add).Accepts<Stream>("image/jpeg").Produces<IReadOnlyList<BoardPhoto>>();
        api.MapGet(
            "/photos/{id}",
            (string id, PhotoStore photos) =>
                photos.Jpeg(id) is { } jpeg ? Results.File(jpeg, "image/jpeg") : Problems.Missing("This photo")
        );
        api.MapPut("/photos/{id}", Say).Produces(StatusCodes.Status204NoContent);
    }

    private static async Task<IResult> Add(
        string id,
        string? says,
        HttpContext context,
        BoardStore boards,
        PhotoStore photos,
        TimeProvider clock,
        CancellationToken token
    )
    {
        if (boards.Find(id) is null)
            return Problems.Missing("This board");
        var words = (says ?? "").Trim();
        if (TooLong(words) is { } wrong)
            return wrong.Answer();
        if (photos.Of(id).Count >= MostPhotos)
            return new Problem($"A board has up to {MostPhotos} photos.", "It has as many.", "Remove one that tells least.").Answer();
        using var bytes = new MemoryStream();
        await context.Request.Body.CopyToAsync(bytes, token);
        var read = Photo.Read(bytes.GetBuffer().AsSpan(0, (int)bytes.Length));
        if (read.Value is not { } photo)
            return read.Problem!.Answer();
        photos.Add(id, words, photo, clock.GetUtcNow());
        return Results.Ok(photos.Of(id));
    }

    private static Problem? TooLong(string words) =>
        words.Length > MostWords
            ? new($"What a photo shows is told in up to {MostWords} letters.", $"These are {words.Length}.", "Shorten it.")
            : null;

    private static IResult Say(string id, PhotoWords words, PhotoStore photos)
    {
        var says = words.Says.Trim();
        return TooLong(says) is { } wrong ? wrong.Answer()
            : photos.Say(id, says) ? Results.NoContent()
            : Problems.Missing("This photo");
    }
}
