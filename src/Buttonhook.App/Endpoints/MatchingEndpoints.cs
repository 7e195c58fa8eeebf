using Buttonhook.App.Boards;
using Buttonhook.App.Consoles;
using Buttonhook.App.Matching;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Images;
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
    IReadOnlyList<NearBoots> Near,
    bool Chosen
);

/// <summary>The wires and the supply for a board.</summary>
/// <param name="Speed">The rate that the adapter reaches; null when none is chosen.</param>
/// <param name="LogBytes">What the newest boot printed; null when there is none.</param>
public sealed record Connection(
    Wiring? Wiring,
    ConsoleSpeed? Speed,
    long? LogBytes,
    SupplyVerdict Supply,
    IReadOnlyList<PowerStep> BeforePower
);

/// <summary>Match and Connect.</summary>
public static class MatchingEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapMatching(this RouteGroupBuilder api)
    {
        api.MapGet("/boards/{id}/matches", Matches).Produces<IReadOnlyList<MatchRow>>();
        api.MapPut("/boards/{id}/image", Choose).Produces<BoardView>();
        api.MapGet("/boards/{id}/connection", Connect).Produces<Connection>();
    }

    private static readonly Dictionary<string, StorageLayout> Layouts = Enum.GetValues<StorageLayout>()
        .ToDictionary(s => System.Text.Json.JsonNamingPolicy.KebabCaseLower.ConvertName(s.ToString()));

    private static IResult Matches(string id, bool? screen, bool? longTerm, string? layout, BoardStore boards, BoardMatches matches) =>
        boards.Find(id) is not { } bench ? Problems.Missing("This board")
        : !Layouts.TryGetValue(layout ?? "one-card", out var way)
            ? new Problem(
                $"A system lies on its media as {string.Join(", ", Layouts.Keys)}.",
                $"{layout} is none of them.",
                "Choose one of them."
            ).Answer()
        : Results.Ok(
            matches
                .Of(bench.Board, new(screen ?? bench.Board.Connected.Screen, longTerm ?? true, way))
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
                    m.Record.Near,
                    m.Image.Id == bench.Board.ImageId
                ))
                .ToList()
        );

    private static async Task<IResult> Choose(
        string id,
        ImageChoice choice,
        BoardStore boards,
        BoardViews views,
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

    private static IResult Connect(string id, BoardStore boards, BootStore boots, Catalogue catalogue, Standings standings)
    {
        if (boards.Find(id) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return Problems.Missing("This board");
        var adapter = catalogue.Adapter(bench.Board.Connected.AdapterId);
        var newest = boots.Of(id).FirstOrDefault();
        var proof = standings.ProofOf(bench);
        return Results.Ok(
            new Connection(
                adapter is null ? null : ConsoleWires.Check(adapter, model.Console),
                adapter is null || model.Console.Speed is not { } speed ? null : ConsoleSpeed.Of(adapter, speed),
                newest is null ? null : boots.LogBytes(newest.Id),
                SupplyCheck.Check(bench.Board.Connected, model.Power, catalogue, proof.Sag),
                BeforePower.List(bench.Board, model, catalogue.Image(bench.Board.ImageId), catalogue, proof.OnCard, proof.Sag)
            )
        );
    }
}
