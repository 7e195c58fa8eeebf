using Buttonhook.App.Boards;
using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>What a person brings: a path on this computer, or text; one of the two.</summary>
public sealed record ImportInput(string? Path, string? Text);

/// <summary>A board that a device tree is for.</summary>
/// <param name="Source">The tree: what is chosen by.</param>
/// <param name="File">The name of its file.</param>
/// <param name="Fit">How well it fits what was typed, 0 to 1.</param>
public sealed record TreeRow(string Source, string File, string? Model, string? Compatible, double Fit);

/// <summary>The board that goes onto the bench.</summary>
/// <param name="Tree">The source of its device tree; null when there is none or none is chosen.</param>
/// <param name="Mark">What is printed on it, when the person says so besides; or null.</param>
/// <param name="Candidate">A board whose card is here already; null makes a card of its own.</param>
/// <param name="Simulated">Whether it is a simulated twin, to rehearse with.</param>
/// <param name="Overlays">The sources of overlays that are laid over its device tree, in this order.</param>
/// <param name="With">Ids of what else came in for it: its image, its log, its print.</param>
public sealed record ImportedBoard(
    string Nickname,
    string? Tree,
    string? Mark,
    BoardChoice? Candidate,
    bool Simulated = false,
    IReadOnlyList<string>? Overlays = null,
    IReadOnlyList<string>? With = null
);

/// <summary>An overlay that came in: what is chosen by, and the name of its file.</summary>
public sealed record OverlayRow(string Source, string File);

/// <summary>A model and a revision of the catalogue.</summary>
public sealed record BoardChoice(string ModelId, string RevisionId);

/// <summary>What lies in front of a person, taken from there to a board on the bench.</summary>
public static class ImportEndpoints
{
    private const int MostTrees = 40;

    /// <summary>Adds the routes.</summary>
    public static void MapImports(this RouteGroupBuilder api)
    {
        api.MapPost("/imports", Take).Produces<Import>();
        api.MapGet("/imports/{id}", (string id, Imports imports) => imports.Find(id) is { } one ? Results.Ok(one) : Gone())
            .Produces<Import>();
        api.MapDelete("/imports/{id}", (string id, Imports imports) => imports.Forget(id) ? Results.NoContent() : Gone());
        api.MapGet("/imports/{id}/trees", Trees).Produces<IReadOnlyList<TreeRow>>();
        api.MapGet(
                "/imports/{id}/overlays",
                (string id, Imports imports) =>
                    imports.Found(id) is { } run
                        ? Results.Ok(run.Overlays.Select(o => new OverlayRow(o.Source, Images.FoundTree.FileOf(o.Source))).ToList())
                        : Gone()
            )
            .Produces<IReadOnlyList<OverlayRow>>();
        api.MapGet("/imports/{id}/draft", Draft).Produces<ProfileDraft>();
        api.MapPost("/imports/{id}/board", Put).Produces<BoardView>();
    }

    private static IResult Gone() =>
        new Problem("What came in should still be remembered.", "It is not: only the newest twenty are.", "Bring it again.").Answer(
            StatusCodes.Status404NotFound
        );

    private static IResult Take(ImportInput input, Imports imports, NamedPaths paths, HttpContext context)
    {
        if (string.IsNullOrWhiteSpace(input.Path) == string.IsNullOrWhiteSpace(input.Text))
            return new Problem(
                "One thing is brought at a time: a path, or text.",
                string.IsNullOrWhiteSpace(input.Path) ? "There is none." : "There are both.",
                "Drop a file, paste a text, or type what is printed on the board."
            ).Answer();
        if (input.Text is { Length: > 64 << 20 })
            return new Problem("A pasted text may have 64 MiB.", "This has more.", "Save it as a file and bring that.").Answer();
        if (input.Path is { } path && !Path.IsPathRooted(path))
            return new Problem(
                "A file is named by its whole path on this computer.",
                $"{path} is not one.",
                "Begin with a slash, such as /home/you/image.img.xz."
            ).Answer();
        if (input.Path is { Length: > 0 } named && paths.Against(context, named) is { } foreign)
            return foreign.Answer(StatusCodes.Status403Forbidden);
        var id = string.IsNullOrWhiteSpace(input.Path) ? imports.TakeText(input.Text!) : imports.Take(input.Path);
        return Results.Ok(imports.Find(id));
    }

    private static IResult Trees(string id, Imports imports, string? words)
    {
        if (imports.Found(id) is not { } run)
            return Gone();
        return Results.Ok(
            run.Search.Find(words ?? "", MostTrees)
                .Select(f => new TreeRow(
                    f.Tree.Source,
                    Images.FoundTree.FileOf(f.Tree.Source),
                    f.Tree.Model,
                    f.Tree.Compatible.Count > 0 ? f.Tree.Compatible[0] : null,
                    Math.Round(f.Fit, 2)
                ))
                .ToList()
        );
    }

    /// <summary>What would stand on the board's card: what was read from where, and what nothing tells.</summary>
    private static IResult Draft(string id, Imports imports, KnowledgeFiles knowledge, string? tree, string[]? overlay)
    {
        if (imports.Found(id) is not { } run)
            return Gone();
        var chosen = TreeOf(run, tree, overlay);
        if (chosen.Problem is { } wrong)
            return wrong.Answer();
        var found = chosen.Tree;
        var draft = DraftOf(run, null, found, knowledge);
        return draft.Value is { } card ? Results.Ok(card) : draft.Problem!.Answer();
    }

    /// <summary>The chosen tree with the chosen overlays laid over it; neither tree nor problem when none is chosen.</summary>
    private static (Images.FoundTree? Tree, Problem? Problem) TreeOf(Imports.Run run, string? tree, IReadOnlyList<string>? overlays)
    {
        if (tree is null)
            return (null, null);
        var over = (overlays ?? []).Select(o => run.Overlays.FirstOrDefault(r => r.Source == o)).ToList();
        if (!run.Blobs.TryGetValue(tree, out var found) || over.Contains(null))
            return (
                null,
                new Problem(
                    "The device tree should be one of those that came in.",
                    $"{tree} is not, or an overlay is not.",
                    "Choose one of the list."
                )
            );
        var laid = Images.TreeSources.With(found, [.. over.OfType<Images.FoundTree>()]);
        return (laid.Value, laid.Problem);
    }

    private static Answer<ProfileDraft> DraftOf(Imports.Run run, string? mark, Images.FoundTree? tree, KnowledgeFiles knowledge) =>
        ProfileDraft.From(
            new(
                run.Kind == ImportKind.Mark ? run.Text!.Trim() : mark,
                null,
                run.Kind is ImportKind.Log or ImportKind.System ? run.Text : null,
                tree?.Blob,
                []
            ),
            knowledge.Rules,
            tree is null ? "device tree" : Path.GetFileName(tree.Source[(tree.Source.LastIndexOf(':') + 1)..]),
            run.Kind == ImportKind.Log
        );

    /// <summary>Puts the board onto the bench: its card, the image that it came with, and the log that it came with.</summary>
    private static IResult Put(
        string id,
        ImportedBoard chosen,
        Imports imports,
        KnowledgeFiles knowledge,
        Profiles profiles,
        ProfileStore store,
        BoardStore boards,
        Captures captures,
        IServiceProvider services,
        Database database,
        TimeProvider clock
    )
    {
        if (imports.Found(id) is not { } run)
            return Gone();
        if (string.IsNullOrWhiteSpace(chosen.Nickname) || chosen.Nickname.Length > 40)
            return new Problem("A board should have a nickname of 1 to 40 letters.", "This has none, or more.", "Give it one.").Answer();
        var besides = (chosen.With ?? []).Where(w => w != id).Select(imports.Found).ToList();
        if (besides.Contains(null))
            return Gone();
        IReadOnlyList<Imports.Run> all = [run, .. besides.OfType<Imports.Run>()];
        // The print that lies beside a tree, a log or an image tells the board too.
        if (string.IsNullOrWhiteSpace(chosen.Mark) && run.Kind != ImportKind.Mark)
            chosen = chosen with { Mark = all.FirstOrDefault(r => r.Kind == ImportKind.Mark)?.Text?.Trim() };
        var (tree, unlaid) = TreeOf(run, chosen.Tree, chosen.Overlays);
        if (unlaid is not null)
            return unlaid.Answer();
        using var unit = database.Begin();
        var card = CardOf(run, chosen, tree, knowledge, profiles);
        if (card.Value is not { } made)
            return card.Problem!.Answer();
        var (model, revision) = made;
        var withImage = all.FirstOrDefault(r => r.Kind == ImportKind.Image) ?? run;
        var image = ImageOf(withImage);
        if (image.Problem is { } unfit)
            return unfit.Answer();
        if (image.Value is { } shelved)
        {
            if (profiles.Add(ProfilePack.Empty with { Images = [shelved] }).Problem is { } refused)
                return refused.Answer();
            store.Keep(shelved.Id, withImage.Inspection!, clock.GetUtcNow());
        }
        var board = new Board(
            Guid.NewGuid().ToString("N"),
            chosen.Nickname.Trim(),
            model.Id,
            revision,
            MemoryOf(model, run, chosen.Mark),
            new(null, false, false, null, null, null, []),
            [.. ToldBy(run, chosen, tree)],
            null,
            [],
            chosen.Simulated
        );
        if (boards.Save(board, null).Problem is { } problem)
            return problem.Answer(StatusCodes.Status409Conflict);
        if (image.Value is { } taken)
            boards.ChooseImage(board.Id, taken.Id);
        ImportedLog[] logs =
        [
            .. all.Where(r => r.Kind == ImportKind.Log).Select(r => new ImportedLog(NameOf(r), [new StoredPiece(-1, r.Bytes)], null, null)),
        ];
        if (logs.Length > 0 && captures.Store(boards.Find(board.Id)!, logs).Problem is { } unread)
            return unread.Answer();
        unit.Commit();
        // The catalogue has grown: what is shown is made with the new card.
        return Results.Ok(services.GetRequiredService<BoardViews>().Board(board.Id));
    }

    /// <summary>The memory of the only kind there is, or of the print on this very board.</summary>
    private static int? MemoryOf(BoardProfile model, Imports.Run run, string? mark)
    {
        var print = run.Kind == ImportKind.Mark ? run.Text : mark;
        return model.MemoryMiB.Count == 1 ? model.MemoryMiB[0]
            : print is not null && BoardPrint.Read(print).MemoryMiB is { } said && model.MemoryMiB.Contains(said) ? said
            : null;
    }

    private static string NameOf(Imports.Run run) => run.Path is null ? "pasted log" : Path.GetFileName(run.Path);

    private static IEnumerable<string> ToldBy(Imports.Run run, ImportedBoard chosen, Images.FoundTree? tree)
    {
        if (tree is not null)
            yield return "tree";
        if (run.Kind == ImportKind.Mark || !string.IsNullOrWhiteSpace(chosen.Mark))
            yield return "mark";
        if (run.Kind is ImportKind.Log or ImportKind.System)
            yield return "log";
    }

    /// <summary>The card of the catalogue that was chosen, or a new one from what came in.</summary>
    private static Answer<Tuple<BoardProfile, string>> CardOf(
        Imports.Run run,
        ImportedBoard chosen,
        Images.FoundTree? tree,
        KnowledgeFiles knowledge,
        Profiles profiles
    )
    {
        if (chosen.Candidate is { } known)
            return profiles.Catalogue.Model(known.ModelId) is { } model && model.Revision(known.RevisionId) is not null
                ? Tuple.Create(model, known.RevisionId)
                : new Problem("The board should have a profile here.", $"{known.ModelId} has not.", "Choose another one, or none.");
        if (
            tree is null
            && string.IsNullOrWhiteSpace(chosen.Mark)
            && run.Kind is not (ImportKind.Mark or ImportKind.Log or ImportKind.System)
        )
            return new Problem(
                "A board is told by its device tree, its log, or what is printed on it.",
                "None of them is chosen.",
                "Choose its device tree, or type what is printed on it."
            );
        var draft = DraftOf(run, chosen.Mark, tree, knowledge);
        if (draft.Value is not { } made)
            return draft.Problem!;
        var card = made.Card;
        // Another board of the same name keeps its own card; the very same one is taken as it is.
        for (var n = 2; profiles.Catalogue.Model(card.Id) is { } other; n++)
        {
            if (
                tree is not null
                && other.Revisions is [{ Compatible: { } name } only]
                && name == card.Revisions[0].Compatible
                && IsPlain(other)
                && IsPlain(card)
            )
                return Tuple.Create(other, only.Id);
            card = card with { Id = $"{ProfileDraft.IdOf(card.Maker, card.Name)}-{n}" };
        }
        var added = profiles.Import("The profile", DataFile.Write(card));
        return added.Value is { Boards: [var stored] } ? Tuple.Create(stored, stored.Revisions[0].Id) : added.Problem!;
    }

    /// <summary>Whether no overlay was laid over the tree that a card was read from.</summary>
    private static bool IsPlain(BoardProfile card) =>
        card.Sources?.Values.All(v => !v.Contains(".dtbo", StringComparison.OrdinalIgnoreCase)) ?? true;

    /// <summary>The card of the image that came in; neither card nor problem when it was none.</summary>
    private static (ImageProfile? Value, Problem? Problem) ImageOf(Imports.Run run)
    {
        if (run is not { Kind: ImportKind.Image, Inspection: { } found, Path: { } path })
            return (null, null);
        var made = ImageProfiles.From(found, path);
        return (made.Value, made.Problem);
    }
}
