using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Matching;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>The image that was chosen.</summary>
public sealed record ImageChoice(string ImageId);

/// <summary>One image of a match with the numbers that the page shows.</summary>
public sealed record MatchRow(
    string ImageId,
    string Title,
    string Kernel,
    int? LongTermUntil,
    Verdict Verdict,
    IReadOnlyList<Reason> Reasons,
    int Successes,
    int Tries,
    double LowerEnd,
    int? FastestSeconds,
    int? SlowestSeconds,
    bool Chosen
);

/// <summary>The card, the wires and the supply for a board with its chosen image.</summary>
public sealed record Preparation(CardPlan? Card, string? CommandLine, Wiring? Wiring, SupplyVerdict Supply);

/// <summary>Match, Prepare and Connect.</summary>
public static class MatchingEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapMatching(this RouteGroupBuilder api)
    {
        api.MapGet("/boards/{id}/matches", Matches).Produces<IReadOnlyList<MatchRow>>();
        api.MapPut("/boards/{id}/image", Choose).Produces<BoardView>();
        api.MapGet("/boards/{id}/preparation", Prepare).Produces<Preparation>();
    }

    private static IResult Matches(string id, BoardStore boards, BenchViews views) =>
        boards.Find(id) is not { } bench
            ? Problems.Missing("This board")
            : Results.Ok(
                views
                    .MatchesOf(bench.Board)
                    .Select(m => new MatchRow(
                        m.Image.Id,
                        m.Image.Title,
                        m.Image.Kernel,
                        m.Image.LongTermUntil,
                        m.Verdict,
                        m.Reasons,
                        m.Record.Successes,
                        m.Record.Tries,
                        m.Record.LowerEnd,
                        m.Record.FastestSeconds,
                        m.Record.SlowestSeconds,
                        m.Image.Id == bench.Board.ImageId
                    ))
                    .ToList()
            );

    private static async Task<IResult> Choose(
        string id,
        ImageChoice choice,
        BoardStore boards,
        BenchViews views,
        Catalogue catalogue,
        Captures captures
    )
    {
        if (boards.Find(id) is null)
            return Problems.Missing("This board");
        if (catalogue.Image(choice.ImageId) is null)
            return new Problem("The image should be on the shelf.", $"{choice.ImageId} is not.", "Choose one from the list.").Answer();
        await captures.EndOn(id);
        boards.ChooseImage(id, choice.ImageId);
        return Results.Ok(views.Board(id));
    }

    private static IResult Prepare(string id, BoardStore boards, Catalogue catalogue)
    {
        if (boards.Find(id) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return Problems.Missing("This board");
        var connected = bench.Board.Connected;
        var image = catalogue.Image(bench.Board.ImageId);
        return Results.Ok(
            new Preparation(
                image is not null && connected.CardGb is { } card ? CardPlan.For(image, card) : null,
                image is null ? null : $"root=PARTUUID={image.RootPartUuid} ro rootwait {KernelArguments.Console(model.Console)}",
                catalogue.Adapter(connected.AdapterId) is { } adapter ? ConsoleWires.Check(adapter, model.Console) : null,
                SupplyCheck.Check(catalogue.Supply(connected.SupplyId), model.Power)
            )
        );
    }
}
