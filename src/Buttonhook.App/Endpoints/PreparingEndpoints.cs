using System.IO.Compression;
using System.Text;
using Buttonhook.App.Boards;
using Buttonhook.App.Preparing;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;
using Buttonhook.Hardware.Cards;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>What a person says: whether the card in a board was written elsewhere.</summary>
public sealed record WrittenElsewhere(bool Yes);

/// <summary>A simulated slot as a person sets it.</summary>
public sealed record SlotInput(string Name, SimulatedCardSetup Setup);

/// <summary>A file that comes back from a person's own editor, in Base64.</summary>
/// <param name="BoardId">The board that it is for, or null.</param>
public sealed record EditedFile(string Name, string Content, string? BoardId = null);

/// <summary>What was found in it, its right name when an editor hid an ending, and the clean text.</summary>
public sealed record CheckedEdit(string? RightName, IReadOnlyList<FileTrap> Traps, string Clean);

/// <summary>Prepare: the card, the first-boot files, recipes, and writing.</summary>
public static class PreparingEndpoints
{
    private static readonly string[] KnownNames =
    [
        "config.txt",
        "cmdline.txt",
        "extlinux.conf",
        "grub.cfg",
        "user-data",
        "network-config",
        "meta-data",
        "firstboot.sh",
        "firstboot",
        "ssh",
    ];

    /// <summary>Adds the routes.</summary>
    public static void MapPreparing(this RouteGroupBuilder api)
    {
        api.MapGet(
                "/boards/{id}/preparation",
                (string id, long? recoveryMiB, PreparationViews views) =>
                    views.Of(id, recoveryMiB) is { } view ? Results.Ok(view) : Problems.Missing("This board")
            )
            .Produces<Preparation>();
        api.MapGet("/boards/{id}/first-boot.zip", Zip);
        api.MapPost("/boards/{id}/card", Write).Produces<CardWrite>();
        api.MapGet(
                "/boards/{id}/card",
                (string id, CardWriter writer) =>
                    writer.Of(id) is { } write ? Results.Ok(write) : Problems.Missing("A card that is written")
            )
            .Produces<CardWrite>();
        api.MapDelete(
            "/boards/{id}/card",
            (string id, CardWriter writer) => writer.Cancel(id) ? Results.NoContent() : Problems.Missing("A card that is being written")
        );
        api.MapPut(
                "/boards/{id}/written-elsewhere",
                (string id, WrittenElsewhere told, BoardStore boards, CardWriter writer, BoardViews views) =>
                {
                    if (boards.Find(id) is not { } bench)
                        return Problems.Missing("This board");
                    if (bench.Board.ImageId is null)
                        return new Problem("An image should be chosen first.", "None is.", "Take one on the Match page.").Answer();
                    if (writer.Of(id) is { Running: true })
                        return new Problem(
                            "A card that is being written here is not written elsewhere.",
                            "One is being written.",
                            "Wait for it, or stop it."
                        ).Answer(StatusCodes.Status409Conflict);
                    boards.TellWritten(id, told.Yes);
                    return Results.Ok(views.Board(id));
                }
            )
            .Produces<BoardView>();
        api.MapPut(
            "/slots/{id}",
            (string id, SlotInput input, CardSlots slots, CardWriter writer) =>
                writer.IsWritingIn(id)
                    ? new Problem(
                        "The card of a slot can be changed while nothing is written to it.",
                        "It is being written.",
                        "Wait for it, or stop it."
                    ).Answer(StatusCodes.Status409Conflict)
                : slots.Change(id, input.Name, input.Setup) is { } problem ? problem.Answer()
                : Results.NoContent()
        );
        api.MapPost("/edited-files", Check).Produces<CheckedEdit>();
        api.MapPost("/recipes", AddRecipe).Produces<Recipe>();
        api.MapGet(
            "/recipes/{id}/export",
            (string id, Preparations preparations) =>
                preparations.Recipes().FirstOrDefault(r => r.Id == id) is { } recipe
                    ? Results.File(Encoding.UTF8.GetBytes(DataFile.Write(recipe)), "application/yaml", $"{id}.yaml")
                    : Problems.Missing("This recipe")
        );
    }

    /// <summary>The first-boot files as a zip; password hash and wireless key are in it only when they are asked for.</summary>
    private static IResult Zip(string id, bool? secrets, BoardStore boards, PreparationViews views)
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        var (plan, problem) = views.Plan(bench, secrets == true);
        if (plan?.Rendered is not { Files.Count: > 0 } rendered)
            return (problem ?? new("There should be files to take.", "Nothing changes on this image.", "Set something first.")).Answer();
        using var into = new MemoryStream();
        using (var zip = new ZipArchive(into, ZipArchiveMode.Create, true))
            foreach (var file in rendered.Files)
            {
                var entry = zip.CreateEntry($"{(file.Place == FilePlace.Boot ? "boot" : "root")}{file.Path}");
                entry.ExternalAttributes = (Convert.ToInt32(file.Mode, 8) | 0x8000) << 16;
                using var stream = entry.Open();
                stream.Write(Encoding.UTF8.GetBytes(file.After));
            }
        return Results.File(into.ToArray(), "application/zip", $"{bench.Board.Nickname.ToLowerInvariant()}-first-boot.zip");
    }

    private static async Task<IResult> Write(string id, CardOrder order, CardWriter writer, Consoles.Captures captures)
    {
        if (writer.Against(id, order) is { } against)
            return against.Answer(StatusCodes.Status409Conflict);
        if (captures.RunningOn(id) is { Live: true, Ending: false } capture)
        {
            if (!order.EndCapture)
                return new Problem(
                    "A card is written while its board is not being captured.",
                    $"Boot {capture.Boot.Number} of this board is being captured.",
                    "End the capture first, or tick that it may be ended: what was captured so far is kept."
                ).Answer(StatusCodes.Status409Conflict);
            await captures.EndOn(id);
        }
        var started = writer.Start(id, order);
        return started.Value is { } write ? Results.Ok(write) : started.Problem!.Answer(StatusCodes.Status409Conflict);
    }

    private static IResult Check(EditedFile input, PreparationViews views, BoardStore boards, Catalogue catalogue)
    {
        var bytes = new byte[input.Content.Length];
        if (!Convert.TryFromBase64String(input.Content, bytes, out var length))
            return new Problem("A file is sent in Base64.", "This is not.", "Choose the file again.").Answer();
        var console = input.BoardId is { } id && boards.Find(id) is { } bench ? catalogue.Model(bench.Board.ModelId)?.Console : null;
        var name = FileTraps.HiddenEnding(input.Name, KnownNames);
        var right = name ?? Path.GetFileName(input.Name);
        var found = FileTraps.Check(bytes.AsSpan(0, length), ImageTexts.IsCommandLine(right), !ImageTexts.IsCommandLine(right), console);
        return Results.Ok(
            new CheckedEdit(
                name,
                [.. found.Traps, .. views.Against(right, found.Clean).Select(t => new FileTrap(0, t, false))],
                found.Clean
            )
        );
    }

    private static IResult AddRecipe(ProfileFileInput input, PreparationStore store, KnowledgeFiles knowledge)
    {
        var read = DataFile.Read<Recipe>(input.Name, input.Yaml, knowledge.RecipeSchema);
        if (read.Value is not { } recipe)
            return read.Problem!.Answer();
        store.AddRecipe(recipe);
        return Results.Ok(recipe);
    }
}
