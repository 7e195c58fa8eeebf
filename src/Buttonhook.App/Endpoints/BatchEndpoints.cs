using System.Globalization;
using System.Text;
using Buttonhook.App.Keeping;
using Buttonhook.App.Preparing;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>A board of a new batch.</summary>
/// <param name="Host">The host name that it gets.</param>
public sealed record BatchBoard(string Nickname, string Host);

/// <summary>A batch that is begun from a kept version.</summary>
public sealed record BatchInput(string Name, string BoardId, int Version, IReadOnlyList<BatchBoard> Boards);

/// <summary>A batch in the list.</summary>
public sealed record BatchRow(string Id, string Name, DateTimeOffset MadeAt, int Boards);

/// <summary>One board of a batch as it stands.</summary>
/// <param name="Gone">Whether it is no longer on the bench; then only its id is known.</param>
/// <param name="Host">The host name that is set for it.</param>
/// <param name="Says">The host name that it says itself, or null.</param>
/// <param name="LoginSeconds">From power to the login of its newest boot.</param>
/// <param name="Cause">The name of the cause that leads for its newest boot; null for none.</param>
/// <param name="Differs">What of its newest boot is not as the record says.</param>
public sealed record BatchBoardView(
    string BoardId,
    bool Gone,
    string Nickname,
    string? Host,
    string? Says,
    BoardSummary? Summary,
    CardState Card,
    int Boots,
    double? LoginSeconds,
    string? Cause,
    IReadOnlyList<string> Addresses,
    IReadOnlyList<string> Differs
);

/// <summary>A batch with its boards.</summary>
/// <param name="Source">The board and version that it repeats.</param>
/// <param name="Same">What is the same for every board.</param>
/// <param name="Own">What each board has for itself.</param>
public sealed record BatchView(
    string Id,
    string Name,
    DateTimeOffset MadeAt,
    string Source,
    string SourceBoardId,
    IReadOnlyList<string> Same,
    IReadOnlyList<string> Own,
    IReadOnlyList<BatchBoardView> Boards,
    IReadOnlyList<CardSlot> Slots
);

/// <summary>The same settings for the next boards.</summary>
public static class BatchEndpoints
{
    private const int MostBoards = 40;

    /// <summary>Adds the routes.</summary>
    public static void MapBatches(this RouteGroupBuilder api)
    {
        api.MapGet(
                "/batches",
                (BatchStore batches) => batches.All().Select(b => new BatchRow(b.Id, b.Name, b.MadeAt, b.BoardIds.Count)).ToList()
            )
            .Produces<IReadOnlyList<BatchRow>>();
        api.MapPost("/batches", Begin).Produces<BatchView>();
        api.MapGet(
                "/batches/{id}",
                (string id, Batches views) => views.Of(id) is { } view ? Results.Ok(view) : Problems.Missing("This batch")
            )
            .Produces<BatchView>();
        api.MapGet("/batches/{id}/boards.csv", Csv);
    }

    private static IResult Begin(
        BatchInput input,
        BoardStore boards,
        SettingsStore settings,
        BatchStore batches,
        PreparationStore preparations,
        SetAgain again,
        Batches views,
        KnowledgeFiles knowledge,
        TimeProvider clock
    )
    {
        if (
            boards.Find(input.BoardId) is not { } source
            || settings.Of(input.BoardId).FirstOrDefault(v => v.Version == input.Version) is not { } kept
        )
            return Problems.Missing("This version");
        // What would refuse one of the boards refuses them all, before any is on the bench.
        if (again.Against(kept.Settings, source.Board.ModelId) is { } against)
            return against.Answer();
        if (input.Name.Trim().Length is 0 or > 60)
            return new Problem("A batch has a name of up to 60 letters.", "This one has not.", "Name it, such as Northern hedge.").Answer();
        if (input.Boards.Count is 0 or > MostBoards)
            return new Problem($"A batch has 1 to {MostBoards} boards.", $"This one has {input.Boards.Count}.", "Begin several.").Answer();
        var names = boards.All().Select(b => b.Board.Nickname).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var hosts = preparations.HostNames("").ToHashSet(StringComparer.OrdinalIgnoreCase);
        foreach (var board in input.Boards)
        {
            if (board.Nickname.Trim().Length is 0 or > 40 || !names.Add(board.Nickname.Trim()))
                return new Problem(
                    "Every board has a nickname of its own, of up to 40 letters.",
                    $"“{board.Nickname}” is none, or is taken.",
                    "Choose another one."
                ).Answer();
            var checkedHost = FirstBootCheck.Of(FirstBoot.Usual with { HostName = board.Host }, hosts, knowledge.Names).FirstOrDefault();
            if (checkedHost is not null)
                return new Problem("Every board has a host name of its own.", checkedHost.Text, "Choose another one.").Answer();
            hosts.Add(board.Host);
        }
        var ids = new List<string>();
        foreach (var row in input.Boards)
        {
            var id = Guid.CreateVersion7(clock.GetUtcNow()).ToString("N");
            var was = source.Board;
            var saved = boards.Save(
                was with
                {
                    Id = id,
                    Nickname = row.Nickname.Trim(),
                    RevisionId = kept.Settings.Bench!.RevisionId,
                    MemoryMiB = kept.Settings.Bench.MemoryMiB,
                    // Whether this one is the same revision nobody has looked at yet.
                    ToldBy = [],
                    ImageId = null,
                },
                null
            );
            if (saved.Value is not { } bench)
                return saved.Problem!.Answer();
            var set = again.Set(bench, kept.Settings, sameBoard: false, row.Host, source.Board.Id);
            if (set.Problem is { } refused)
                return refused.Answer();
            ids.Add(id);
        }
        var batch = new Batch(
            Guid.CreateVersion7(clock.GetUtcNow()).ToString("N"),
            input.Name.Trim(),
            source.Board.Id,
            kept.Version,
            ids,
            clock.GetUtcNow()
        );
        batches.Add(batch);
        return Results.Ok(views.Of(batch.Id));
    }

    private static IResult Csv(string id, Batches views)
    {
        if (views.Of(id) is not { } view)
            return Problems.Missing("This batch");
        var text = new StringBuilder("board,host name,state,card,boots,login seconds,cause,addresses,differs\r\n");
        foreach (var b in view.Boards)
            text.AppendJoin(
                    ',',
                    new[]
                    {
                        b.Nickname,
                        b.Host ?? "",
                        b.Gone ? "gone" : b.Summary?.Word ?? "",
                        b.Card.ToString().ToLowerInvariant(),
                        b.Boots.ToString(CultureInfo.InvariantCulture),
                        b.LoginSeconds?.ToString("0.0", CultureInfo.InvariantCulture) ?? "",
                        b.Cause ?? "",
                        string.Join(' ', b.Addresses),
                        string.Join(' ', b.Differs),
                    }.Select(App.Csv.Field)
                )
                .Append("\r\n");
        return Results.File(Encoding.UTF8.GetBytes(text.ToString()), "text/csv; charset=utf-8", "batch.csv");
    }
}
