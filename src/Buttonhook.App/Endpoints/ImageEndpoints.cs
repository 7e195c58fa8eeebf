using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;
using Microsoft.AspNetCore.Http.Features;

namespace Buttonhook.App.Endpoints;

/// <summary>An image file on this computer, and the board of the bench to dry-boot it on (null for none), and the published checksum (null or empty for none).</summary>
public sealed record InspectionInput(string Path, string? BoardId, string? Sum);

/// <summary>The id of an inspection that was started.</summary>
public sealed record InspectionStarted(string Id);

/// <summary>A file that a browser wants to send.</summary>
/// <param name="Stamp">When it was last changed, in milliseconds since 1970.</param>
public sealed record UploadInput(string Name, long TotalBytes, long Stamp);

/// <summary>A folder of this computer, by its whole path.</summary>
public sealed record FolderInput(string Path);

/// <summary>The image shelf: looking into image files, uploads, and cards made from what was found.</summary>
public static class ImageEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapImages(this RouteGroupBuilder api)
    {
        api.MapPost("/inspections", Start).Produces<InspectionStarted>();
        api.MapGet(
                "/inspections/{id}",
                (string id, Inspections inspections) =>
                    inspections.Find(id) is { } state ? Results.Ok(state) : Problems.Missing("This inspection")
            )
            .Produces<InspectionState>();
        api.MapDelete(
            "/inspections/{id}",
            (string id, Inspections inspections) => inspections.Stop(id) ? Results.NoContent() : Problems.Missing("This inspection")
        );
        api.MapPost(
                "/inspections/{id}/mended",
                (string id, Inspections inspections) =>
                    inspections.Mend(id) is { } copy
                        ? Results.Ok(new InspectionStarted(copy))
                        : Problems.Missing("The dry boot of this inspection")
            )
            .Produces<InspectionStarted>();
        api.MapPost("/inspections/{id}/card", Shelve).Produces<ImageProfile>();
        api.MapGet(
                "/images/{id}/inspection",
                (string id, ProfileStore profiles) =>
                    profiles.Found(id) is { } found ? Results.Ok(found) : Problems.Missing("An inspection of this image")
            )
            .Produces<Inspection>();
        api.MapGet("/downloads", (Downloads downloads) => downloads.Look());
        api.MapPost(
                "/downloads",
                (FolderInput folder, Downloads downloads, NamedPaths paths, HttpContext context) =>
                    paths.OnlyHere(context, "A folder is put in view") is { } here ? here.Answer(StatusCodes.Status403Forbidden)
                    : downloads.Watch(folder.Path.Trim()) is { } problem ? problem.Answer()
                    : Results.Ok(downloads.Look())
            )
            .Produces<DownloadsView>();
        api.MapDelete(
            "/downloads",
            (string path, FolderStore folders) => folders.Remove(path) ? Results.NoContent() : Problems.Missing("This folder")
        );
        api.MapPost(
                "/uploads",
                (UploadInput input, Uploads uploads) =>
                {
                    var begun = uploads.Begin(input.Name, input.TotalBytes, input.Stamp);
                    return begun.Value is { } state ? Results.Ok(state) : begun.Problem!.Answer();
                }
            )
            .Produces<UploadState>();
        api.MapPut("/uploads/{id}", Receive).Accepts<Stream>("application/octet-stream").Produces<UploadState>();
        api.MapDelete(
            "/uploads/{id}",
            (string id, Uploads uploads) => uploads.Cancel(id) ? Results.NoContent() : Problems.Missing("This upload")
        );
    }

    private static IResult Start(
        InspectionInput input,
        BoardStore boards,
        Catalogue catalogue,
        Inspections inspections,
        NamedPaths paths,
        HttpContext context
    )
    {
        if (!Path.IsPathRooted(input.Path))
            return new Problem(
                "An image is named by its whole path on this computer.",
                $"{input.Path} is not one.",
                "Begin with a slash, such as /home/you/image.img.xz."
            ).Answer();
        var against = paths.Against(context, input.Path);
        if (Checksum.NamesFile(input.Sum))
            against ??= paths.Against(context, input.Sum!.Trim());
        if (against is { } foreign)
            return foreign.Answer(StatusCodes.Status403Forbidden);
        DryBoard? board = null;
        if (input.BoardId is { } id)
        {
            if (boards.Find(id) is not { } bench)
                return Problems.Missing("This board");
            var found = DryBoards.Of(bench.Board, catalogue);
            if (found.Value is null)
                return found.Problem!.Answer();
            board = found.Value;
        }
        return Results.Ok(
            new InspectionStarted(inspections.Start(input.Path, board, string.IsNullOrWhiteSpace(input.Sum) ? null : input.Sum))
        );
    }

    /// <summary>Puts an inspected image on the shelf.</summary>
    private static IResult Shelve(
        string id,
        Inspections inspections,
        Profiles profiles,
        ProfileStore store,
        Database database,
        TimeProvider clock
    )
    {
        if (inspections.Find(id) is not { Inspection: { } found } state)
            return Problems.Missing("This inspection");
        var made = ImageProfiles.From(found, state.Path);
        if (made.Value is not { } card)
            return made.Problem!.Answer();
        using var unit = database.Begin();
        var added = profiles.Add(ProfilePack.Empty with { Images = [card] });
        if (added.Problem is { } problem)
            return problem.Answer();
        store.Keep(card.Id, found, clock.GetUtcNow());
        unit.Commit();
        return Results.Ok(card);
    }

    private static async Task<IResult> Receive(string id, long from, HttpContext context, Uploads uploads, CancellationToken token)
    {
        if (context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
            limit.MaxRequestBodySize = Uploads.Largest;
        var state = await uploads.Append(id, from, context.Request.Body, token);
        return state is not { } answer ? Problems.Missing("This upload")
            : answer.Value is { } good ? Results.Ok(good)
            : answer.Problem!.Answer(StatusCodes.Status409Conflict);
    }
}
