using System.IO.Compression;
using System.Text;
using Buttonhook.App.Images;
using Buttonhook.App.Preparing;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;
using Buttonhook.Hardware.Cards;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>A wireless network as a person gives it.</summary>
/// <param name="Password">Null keeps the key that is stored.</param>
public sealed record WirelessInput(string Name, string? Password, string Country);

/// <summary>What a person sets before the first boot.</summary>
/// <param name="Password">Null keeps the one that is stored, empty takes it away.</param>
/// <param name="Recipes">Ids of recipes.</param>
/// <param name="Version">The version that this was made from; when another one is stored meanwhile, nothing is stored. Null overwrites whatever is there.</param>
public sealed record FirstBootInput(
    string? HostName,
    string? User,
    string? Password,
    IReadOnlyList<string> Keys,
    bool RemoteLogin,
    WirelessInput? Wireless,
    string? Locale,
    string? TimeZone,
    string? Keyboard,
    FixedAddress? Address,
    bool UsbNetwork,
    string? VideoMode,
    bool ConsoleOn,
    IReadOnlyList<string> Overlays,
    IReadOnlyList<string> Lines,
    IReadOnlyList<string> Packages,
    IReadOnlyList<string> Commands,
    IReadOnlyList<string> Recipes,
    int? Version = null
);

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
        api.MapPut("/boards/{id}/first-boot", Set).Produces<Preparation>();
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
                (string id, WrittenElsewhere told, BoardStore boards, CardWriter writer, BenchViews views) =>
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

    private static IResult Set(
        string id,
        FirstBootInput input,
        BoardStore boards,
        PreparationStore store,
        PreparationViews views,
        KnowledgeFiles knowledge
    )
    {
        if (boards.Find(id) is null)
            return Problems.Missing("This board");
        var (old, _, now) = store.Of(id);
        WirelessNetwork? wireless = null;
        if (input.Wireless is { } radio)
        {
            if (radio.Password is null && old.Wireless is { } kept && kept.Name == radio.Name)
                wireless = kept with { Country = radio.Country };
            else
            {
                var key = Passwords.WirelessKey(radio.Name, radio.Password ?? "");
                if (key.Value is null)
                    return key.Problem!.Answer();
                wireless = new(radio.Name, key.Value, radio.Country);
            }
        }
        static string? Text(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
        static List<string> Texts(IReadOnlyList<string> texts) => [.. texts.Select(t => t.Trim()).Where(t => t.Length > 0)];
        // A password stands and falls with its user.
        var hash =
            string.IsNullOrWhiteSpace(input.User) ? null
            : input.Password is null ? old.PasswordHash
            : input.Password.Length == 0 ? null
            : Passwords.Crypt(input.Password);
        var set = new FirstBoot(
            Text(input.HostName),
            Text(input.User),
            hash,
            Texts(input.Keys),
            input.RemoteLogin,
            wireless,
            Text(input.Locale),
            Text(input.TimeZone),
            Text(input.Keyboard),
            input.Address,
            input.UsbNetwork,
            Text(input.VideoMode),
            input.ConsoleOn,
            Texts(input.Overlays),
            Texts(input.Lines),
            Texts(input.Packages),
            Texts(input.Commands)
        );
        if (FirstBootCheck.Of(set, store.HostNames(id), knowledge.Names) is [var wrong, ..])
            return new Problem(
                "What is set before the first boot should be right.",
                wrong.Text,
                "Correct it; nothing was changed."
            ).Answer();
        return store.Set(id, set, [.. input.Recipes.Distinct()], input.Version ?? now)
            ? Results.Ok(views.Of(id, null))
            : new Problem(
                "What is set should be made from what stands there now.",
                "It was changed elsewhere meanwhile, in another window perhaps.",
                "Look at what changed, and set it again; nothing was overwritten."
            ).Answer(StatusCodes.Status412PreconditionFailed);
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
        await captures.EndOn(id);
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

    private static IResult AddRecipe(CardFileInput input, PreparationStore store, KnowledgeFiles knowledge)
    {
        var read = DataFile.Read<Recipe>(input.Name, input.Yaml, knowledge.RecipeSchema);
        if (read.Value is not { } recipe)
            return read.Problem!.Answer();
        store.AddRecipe(recipe);
        return Results.Ok(recipe);
    }
}
