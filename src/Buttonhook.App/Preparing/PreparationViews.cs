using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Preparing;

/// <summary>A recipe as it stands for a board.</summary>
/// <param name="Against">Why it should not be used here, or null.</param>
/// <param name="Proven">Whether it was proven with this release.</param>
/// <param name="LeftOut">What of it this image has no place for; null when all can be applied, or when the image was not looked into yet.</param>
/// <param name="Added">Whether a person added it.</param>
public sealed record RecipeChoice(Recipe Recipe, bool Chosen, string? Against, bool Proven, string? LeftOut, bool Added);

/// <summary>A file as it will be written, with what changed.</summary>
/// <param name="Findings">What its reader would stumble over.</param>
/// <param name="DevConsole">The port that its last console= makes /dev/console, or null.</param>
public sealed record FileView(
    FilePlace Place,
    string Path,
    bool IsNew,
    IReadOnlyList<TextPiece> Pieces,
    IReadOnlyList<string> Findings,
    string? DevConsole
);

/// <summary>An image that can be put beside another one on a card.</summary>
public sealed record BesideChoice(string Id, string Title, long Bytes);

/// <summary>Everything about the card of a board.</summary>
/// <param name="Beside">Images for the same processor, which a menu could start as well.</param>
/// <param name="Set">What is set, without password and wireless key.</param>
/// <param name="Version">Which version of the settings this is; what is set is saved with it.</param>
/// <param name="StandIn">Whether the image is a stand-in of the demo, which goes into simulated slots only.</param>
/// <param name="Looking">Whether the image is still looked into.</param>
/// <param name="Before">The boot of the image as it was downloaded, played on this board; null while it is looked into.</param>
public sealed record Preparation(
    CardPlan? Card,
    CardTimes? Times,
    IReadOnlyList<LayoutPlan> Layouts,
    IReadOnlyList<BesideChoice> Beside,
    string? Kind,
    FirstBoot Set,
    int Version,
    bool HasPassword,
    bool HasWirelessKey,
    IReadOnlyList<RecipeChoice> Recipes,
    IReadOnlyList<FieldProblem> Problems,
    LoaderConfig? Loader,
    bool? CloudInit,
    IReadOnlyList<FileView> Files,
    IReadOnlyList<string> Notes,
    bool StandIn,
    bool Looking,
    Problem? LookProblem,
    DryBoot? Before,
    IReadOnlyList<CardSlot> Slots,
    CardWrite? Write
);

/// <summary>The first-boot files as what is typed would make them.</summary>
public sealed record FirstBootPreview(IReadOnlyList<FileView> Files, IReadOnlyList<string> Notes, IReadOnlyList<FieldProblem> Problems);

/// <summary>What the page shows of Prepare.</summary>
public sealed class PreparationViews(
    BoardStore boards,
    Catalogue catalogue,
    StandInImages files,
    ImageLooks looks,
    Preparations preparations,
    PreparationStore store,
    CardSlots slots,
    CardWriter writer,
    KnowledgeFiles knowledge
)
{
    /// <summary>Everything about the card of a board; null when the board is not there.</summary>
    /// <param name="recoveryMiB">What a recovery partition should take.</param>
    public Preparation? Of(string id, long? recoveryMiB)
    {
        if (boards.Find(id) is not { } bench)
            return null;
        var image = catalogue.Image(bench.Board.ImageId);
        var (look, looking, problem) = Look(bench.Board, image);
        var plan = image is null ? null : preparations.Plan(bench.Board, image, look);
        var stored = store.Of(id);
        var own = store.Recipes().Select(r => r.Id).ToHashSet();
        var set = plan?.Set ?? stored.Set;
        return new Preparation(
            image is not null && bench.Board.Connected.CardGb is { } card ? CardPlan.For(image, card, catalogue.CardBand) : null,
            image is null ? null : CardTimes.For(image, store.Speeds(real: !bench.Board.Simulated)),
            image is not null && catalogue.Model(bench.Board.ModelId) is { } model
                ? LayoutPlan.All(image, bench.Board, model, Sizes.MiB * Math.Clamp(recoveryMiB ?? 0, 0, 1 << 20), catalogue.CardBand)
                : [],
            image is null ? [] : [.. BesideOf(image)],
            image?.Kind,
            set with
            {
                PasswordHash = null,
                Wireless = set.Wireless is { } radio ? radio with { Key = "" } : null,
            },
            stored.Version,
            set.PasswordHash is not null,
            set.Wireless is not null,
            image is null || plan is null
                ? []
                :
                [
                    .. plan.Known.Select(r => new RecipeChoice(
                        r,
                        plan.Recipes.Contains(r),
                        r.Against(bench.Board.ModelId, image),
                        r.Proven(image),
                        plan.Texts is { } texts ? FirstBootFiles.LeftOut(r, texts.Texts) : null,
                        own.Contains(r.Id)
                    )),
                ],
            plan?.Problems ?? [],
            plan?.Rendered?.Loader,
            plan?.Rendered?.CloudInit,
            Files(plan, set),
            plan?.Rendered?.Notes ?? [],
            image is not null && files.IsStandIn(image),
            looking,
            look?.Problem ?? problem,
            look?.Dry,
            slots.All(image),
            writer.Of(id)
        );
    }

    private IEnumerable<BesideChoice> BesideOf(ImageProfile image) =>
        catalogue
            .Images.Where(i =>
                i.Id != image.Id
                && i.Kind != "installer"
                && i.InstructionSet == image.InstructionSet
                && (i.Path is { } path ? File.Exists(path) : files.IsStandIn(i))
            )
            .Select(i => new BesideChoice(i.Id, files.TitleOf(i), i.ExpandedBytes));

    /// <summary>The plan for a board with its chosen image, as far as the image was looked into, and what stands in the way.</summary>
    public (PreparationPlan? Plan, Problem? Problem) Plan(BenchBoard bench, bool secrets)
    {
        if (catalogue.Image(bench.Board.ImageId) is not { } image)
            return (null, null);
        var (look, _, problem) = Look(bench.Board, image);
        return (preparations.Plan(bench.Board, image, look, secrets), look?.Problem ?? problem);
    }

    /// <summary>The files for settings that need not be stored; without any when no image is chosen or while it is looked into.</summary>
    /// <param name="chosen">Ids of recipes.</param>
    public FirstBootPreview Preview(BenchBoard bench, FirstBoot set, IReadOnlyList<string> chosen)
    {
        if (catalogue.Image(bench.Board.ImageId) is not { } image)
            return new([], [], []);
        var plan = preparations.Plan(bench.Board, image, Look(bench.Board, image).Look, set, chosen);
        return new(Files(plan, set), plan.Rendered?.Notes ?? [], plan.Problems);
    }

    private List<FileView> Files(PreparationPlan? plan, FirstBoot set) =>
        [.. plan?.Rendered?.Files.Select(f => Shown(f with { After = WithoutSecrets(f.After, set) })) ?? []];

    /// <summary>What the image holds, whether it is still looked into, and why its boot is not played or it cannot be looked into.</summary>
    private (ImageLook? Look, bool Looking, Problem? Problem) Look(Board board, ImageProfile? image)
    {
        if (image is null || image.Kind == "installer")
            return (null, false, null);
        var path = files.FileOf(image, catalogue);
        if (path.Value is null)
            return (null, false, path.Problem);
        var dry = DryBoards.Of(board, catalogue);
        var look = looks.Now(path.Value, dry.Value);
        return (look, look is null, dry.Problem);
    }

    /// <summary>The password hash and the wireless key go onto the card and into a zip that asks for them, and nowhere else.</summary>
    public static string WithoutSecrets(string text, FirstBoot set)
    {
        if (set.PasswordHash is { Length: > 0 } hash)
            text = text.Replace(hash, "$6$… (kept, not shown)", StringComparison.Ordinal);
        return set.Wireless is { Key.Length: > 0 } radio ? text.Replace(radio.Key, "… (kept, not shown)", StringComparison.Ordinal) : text;
    }

    private FileView Shown(RenderedFile file)
    {
        var findings = ImageTexts.IsCommandLine(file.Path) ? new KernelCommandLine(file.After.TrimEnd('\n')).Findings() : [];
        var ports = file.After.Split([' ', '\t', '\n', '"']).Where(w => w.StartsWith("console=", StringComparison.Ordinal)).ToList();
        return new(
            file.Place,
            file.Path,
            file.Before is null,
            TextDifference.Of(file.Before ?? "", file.After),
            [.. findings, .. Against(file.Path, file.After)],
            ports.Count == 0 ? null : ports[^1]["console=".Length..].Split(',')[0]
        );
    }

    /// <summary>What the published rules of a file say against its text.</summary>
    public IEnumerable<string> Against(string path, string text) =>
        knowledge.FileSchemas.TryGetValue(Path.GetFileName(path), out var schema)
        && DataFile.Read<System.Text.Json.Nodes.JsonObject>(path, text, schema).Problem is { } problem
            ? [problem.Came]
            : [];
}
