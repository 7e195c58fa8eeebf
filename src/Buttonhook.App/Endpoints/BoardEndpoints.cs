using Buttonhook.App.Boards;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Images;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>What a person says when a board is put on the bench, or corrected there.</summary>
/// <param name="FaultId">The fault that a simulated board hides; null for none.</param>
/// <param name="Version">Of a board on the bench, which version of it was changed; a later one is not overwritten. Null takes any.</param>
public sealed record BoardInput(
    string Nickname,
    string ModelId,
    string RevisionId,
    int? MemoryMiB,
    Connected Connected,
    IReadOnlyList<string> ToldBy,
    bool Simulated,
    string? FaultId,
    int? Version = null
);

/// <summary>What a person has of an unknown board.</summary>
/// <param name="Tree">A device tree blob in Base64, or null.</param>
public sealed record CluesInput(string? Mark, string? Code, string? Text, string? Tree, IReadOnlyList<Seen>? Seen)
{
    /// <summary>The clues with the device tree in bytes.</summary>
    public Answer<BoardClues> Clues()
    {
        byte[]? tree = null;
        if (Tree is { Length: > 0 } text)
        {
            tree = new byte[text.Length];
            if (!Convert.TryFromBase64String(text, tree, out var length))
                return new Problem("A device tree is sent in Base64.", "This is not.", "Choose the file again.");
            tree = tree[..length];
        }
        return new BoardClues(Mark, Code, Text, tree, Seen ?? []);
    }
}

/// <summary>Bench and Identify.</summary>
public static class BoardEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapBoards(this RouteGroupBuilder api)
    {
        api.MapGet("/bench", async (Shared<IReadOnlyList<BoardSummary>> bench) => await bench.Ask())
            .Produces<IReadOnlyList<BoardSummary>>();
        api.MapGet("/catalogue", (Catalogue catalogue) => catalogue);
        api.MapPost("/identification", Identify).Produces<Identified>();
        api.MapGet(
            "/faults",
            () => SimulatedFaults.All.Append(SimulatedFaults.Unsteady).Select(f => new FaultChoice(f.Id, f.Name)).ToList()
        );
        api.MapGet(
                "/boards/{id}",
                (string id, BoardViews views) => views.Board(id) is { } view ? Results.Ok(view) : Problems.Missing("This board")
            )
            .Produces<BoardView>();
        api.MapPost(
                "/boards",
                (BoardInput input, BoardStore boards, BoardViews views, Catalogue catalogue, EditStore edits) =>
                    Save(Guid.NewGuid().ToString("N"), input, null, boards, views, catalogue, edits)
            )
            .Produces<BoardView>();
        api.MapPut(
                "/boards/{id}",
                (string id, BoardInput input, BoardStore boards, BoardViews views, Catalogue catalogue, EditStore edits) =>
                    boards.Find(id) is { } bench
                        ? Save(id, input, bench.Board, boards, views, catalogue, edits)
                        : Problems.Missing("This board")
            )
            .Produces<BoardView>();
    }

    private static IResult Identify(CluesInput input, Catalogue catalogue, RuleBookIndex rules)
    {
        var clues = input.Clues();
        if (clues.Value is not { } given)
            return clues.Problem!.Answer();
        var told = Identification.Tell(given, catalogue, rules);
        return told.Value is { } identified ? Results.Ok(identified) : told.Problem!.Answer();
    }

    private static IResult Save(
        string id,
        BoardInput input,
        Board? before,
        BoardStore boards,
        BoardViews views,
        Catalogue catalogue,
        EditStore edits
    )
    {
        if (Mistake(input, catalogue) is { } mistake)
            return mistake.Answer();
        var board = new Board(
            id,
            input.Nickname.Trim(),
            input.ModelId,
            input.RevisionId,
            input.MemoryMiB,
            input.Connected,
            input.ToldBy,
            before?.ImageId,
            before?.Changes ?? [],
            before?.Simulated ?? input.Simulated
        );
        var overtaken = false;
        Problem Overtaken()
        {
            overtaken = true;
            var words = new Boards.EditWords(catalogue, boards, edits);
            var others = edits.Since(id, input.Version!.Value).Select(words.Of).ToList();
            return new(
                $"{before!.Nickname} should be as it was when you began to change it.",
                others.Count > 0
                    ? $"It was changed elsewhere meanwhile. {string.Join(" ", others)}"
                    : "It was changed elsewhere meanwhile.",
                "Nothing was overwritten. Save again to set it as it stands in this form."
            );
        }
        return boards.Save(board, board.Simulated ? input.FaultId : null, input.Version, Overtaken).Problem is { } problem
            ? problem.Answer(overtaken ? StatusCodes.Status412PreconditionFailed : StatusCodes.Status409Conflict)
            : Results.Ok(views.Board(id));
    }

    private static Problem? Mistake(BoardInput input, Catalogue catalogue)
    {
        if (string.IsNullOrWhiteSpace(input.Nickname) || input.Nickname.Length > 40)
            return new(
                "A board should have a nickname of 1 to 40 letters.",
                input.Nickname.Length > 40 ? $"This one has {input.Nickname.Length}." : "There is none.",
                "Give it one that fits on a label."
            );
        if (catalogue.Model(input.ModelId) is not { } model)
            return new("The model should be in the catalogue.", $"{input.ModelId} is not.", "Choose one from the list.");
        if (model.Revision(input.RevisionId) is null)
            return new(
                $"{model.Name} has the revisions {string.Join(", ", model.Revisions.Select(r => r.Id))}.",
                $"{input.RevisionId} is not one of them.",
                "Look at the mark on the board."
            );
        if (input.MemoryMiB is < 1 or > 1 << 22)
            return new(
                "Memory is between 1 MiB and 4 TiB.",
                $"{input.MemoryMiB} MiB is not.",
                "Read it off the board, or leave it unknown."
            );
        if (input.MemoryMiB is { } memory && model.MemoryMiB.Count > 0 && !model.MemoryMiB.Contains(memory))
            return new(
                $"{model.Name} is sold with {string.Join(" or ", model.MemoryMiB.Select(Sizes.Memory))}.",
                $"{Sizes.Memory(memory)} is not one of them.",
                "Choose the memory that is printed on it."
            );
        if (input.Connected.CardGb is < 1 or > 2048)
            return new("A card has 1 to 2048 GB.", $"{input.Connected.CardGb} GB is not.", "Read the label of the card.");
        if (input.Connected.SupplyId is { } supply && catalogue.Supply(supply) is null)
            return new("The supply should be in the catalogue.", $"{supply} is not.", "Choose one from the list.");
        if (input.Connected.AdapterId is { } adapter && catalogue.Adapter(adapter) is null)
            return new("The console adapter should be in the catalogue.", $"{adapter} is not.", "Choose one from the list.");
        if (input.Connected.CableId is { } cable && catalogue.Cables.All(c => c.Id != cable))
            return new("The supply cable should be in the catalogue.", $"{cable} is not.", "Choose one from the list.");
        if (input.Connected.Parts?.FirstOrDefault(p => catalogue.Parts.All(c => c.Id != p)) is { } part)
            return new("A part should be in the catalogue.", $"{part} is not.", "Choose one from the list.");
        if (input.FaultId is { } fault && SimulatedFaults.Find(fault) is null)
            return new("The fault should be one that a simulated board can carry.", $"{fault} is not.", "Choose one from the list.");
        return null;
    }
}
