using System.Globalization;
using System.Text;
using Buttonhook.App.Keeping;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>A batch that is begun from a kept version.</summary>
public sealed record BatchInput(string Name, string BoardId, int Version, IReadOnlyList<BatchBoard> Boards);

/// <summary>A batch in the list.</summary>
public sealed record BatchRow(string Id, string Name, DateTimeOffset MadeAt, int Boards);

/// <summary>The same settings for the next boards.</summary>
public static class BatchEndpoints
{
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
        Database database,
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
        if (
            BatchNames.Against(
                input.Name,
                input.Boards,
                boards.All().Select(b => b.Board.Nickname),
                preparations.HostNames(""),
                knowledge.Names
            ) is
            { } problem
        )
            return problem.Answer();
        using var unit = database.Begin();
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
        unit.Commit();
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
