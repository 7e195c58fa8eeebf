using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Preparing;

/// <summary>What will be on a card before the first boot: the settings and recipes of the board, rendered for its image.</summary>
/// <param name="Known">All recipes.</param>
/// <param name="Recipes">Those that are chosen for the board.</param>
public sealed record PreparationPlan(
    FirstBoot Set,
    IReadOnlyList<Recipe> Known,
    IReadOnlyList<Recipe> Recipes,
    IReadOnlyList<FieldProblem> Problems,
    BootTexts? Texts,
    RenderedFiles? Rendered
);

/// <summary>Renders what is wanted for a board and its image; the fixes that the dry boot names come first.</summary>
public sealed class Preparations(PreparationStore store, KnowledgeFiles knowledge, Profiles profiles)
{
    /// <summary>What stands in the place of a wireless key that is left out.</summary>
    private const string KeyLeftOut = "the key is left out: put it here";

    /// <summary>All recipes: those that ship and those that were added.</summary>
    public IReadOnlyList<Recipe> Recipes()
    {
        var added = store.Recipes();
        return [.. knowledge.Recipes.Where(r => added.All(a => a.Id != r.Id)), .. added];
    }

    /// <summary>The plan for a board with a look at its image.</summary>
    /// <param name="secrets">Whether password hash and wireless key are in the files; without them words stand in the place of the key, and the user has no password.</param>
    public PreparationPlan Plan(Board board, ImageProfile image, ImageLook? look, bool secrets = true)
    {
        var (set, chosen, _) = store.Of(board.Id);
        if (!secrets)
            set = set with { PasswordHash = null, Wireless = set.Wireless is { } radio ? radio with { Key = KeyLeftOut } : null };
        return Plan(board, image, look, set, chosen);
    }

    /// <summary>The plan for a board with settings that need not be stored.</summary>
    /// <param name="chosen">Ids of recipes.</param>
    public PreparationPlan Plan(Board board, ImageProfile image, ImageLook? look, FirstBoot set, IReadOnlyList<string> chosen)
    {
        var known = Recipes();
        var recipes = known.Where(r => chosen.Contains(r.Id)).ToList();
        var problems = FirstBootCheck.Of(set, store.HostNames(board.Id), knowledge.Names, store.Addresses(board.Id)).ToList();
        problems.AddRange(
            recipes.Select(r => r.Against(board.ModelId, image)).OfType<string>().Select(t => new FieldProblem("recipes", t))
        );
        if (look?.Texts is not { } texts || profiles.Catalogue.Model(board.ModelId) is not { } model)
            return new(set, known, recipes, problems, look?.Texts, null);
        var mended = Mended(texts, look.Dry);
        var rendered = FirstBootFiles.Render(set, recipes, texts.Texts with { Boot = mended }, model.Console);
        var files = rendered.Files.Select(f => f with { Before = texts.Texts.Boot.GetValueOrDefault(f.Path, f.Before!) }).ToList();
        files.AddRange(
            mended
                .Where(m => texts.Texts.Boot.GetValueOrDefault(m.Key) != m.Value && files.All(f => f.Path != m.Key))
                .Select(m => new RenderedFile(FilePlace.Boot, m.Key, texts.Texts.Boot.GetValueOrDefault(m.Key), m.Value, "0644"))
        );
        files.AddRange(look.RootFixes.Where(f => files.All(o => o.Path != f.Path)));
        if (files.Any(f => f.Place == FilePlace.Root) && texts.RootRefuses is { } unwritable)
            problems.Add(new(OnRoot, unwritable));
        return new(set, known, recipes, problems, texts, rendered with { Files = files });
    }

    /// <summary>The field of the problem that files cannot be written to the root.</summary>
    public const string OnRoot = "root";

    /// <summary>The texts with the edits made that the dry boot names for files of the boot partition.</summary>
    private static Dictionary<string, string> Mended(BootTexts texts, DryBoot? dry)
    {
        var mended = texts.Texts.Boot.ToDictionary(StringComparer.OrdinalIgnoreCase);
        foreach (var edit in dry?.Broken.Select(c => c.Edit).OfType<FileEdit>() ?? [])
            if (
                edit.Partition == texts.BootPartition.Number
                && mended.TryGetValue(edit.Path, out var text)
                && edit.Apply(text) is { } better
            )
                mended[edit.Path] = better;
        return mended;
    }
}
