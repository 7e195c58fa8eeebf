using System.Globalization;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage;

/// <summary>Cards that people added to those that ship, and what inspections found.</summary>
public sealed class CardStore(Database database)
{
    private sealed record Row(string Kind, string Card);

    /// <summary>All added cards.</summary>
    public CardPack All()
    {
        using var connection = database.Connect();
        var rows = connection
            .Query<Row>("SELECT kind AS Kind, card AS Card FROM cards WHERE removed_at IS NULL ORDER BY added_at, id")
            .ToList();
        IReadOnlyList<T> Of<T>(string kind) =>
            [.. rows.Where(r => r.Kind == kind).Select(r => JsonSerializer.Deserialize<T>(r.Card, DataFile.Json)!)];
        return new(Of<BoardModel>("board"), Of<ImageCard>("image"), Of<RevisionScheme>("code"), Of<Experience>("experience"));
    }

    /// <summary>Adds cards in one transaction; a card with the id of one that is there takes its place.</summary>
    public void Add(CardPack pack, DateTimeOffset at)
    {
        using var connection = database.Connect();
        using var transaction = connection.BeginTransaction();
        foreach (var board in pack.Boards)
            Put(transaction, "board", board.Id, board, at);
        foreach (var image in pack.Images)
            Put(transaction, "image", image.Id, image, at);
        foreach (var code in pack.Codes)
            Put(transaction, "code", code.Id, code, at);
        foreach (var experience in pack.Experiences)
            Put(transaction, "experience", experience.Id, experience, at);
        transaction.Commit();
    }

    private static void Put<T>(SqliteTransaction transaction, string kind, string id, T card, DateTimeOffset at) =>
        transaction.Connection!.Put(
            "cards",
            "kind, id",
            new
            {
                kind,
                id,
                card = Rows.Json(card),
                added_at = Rows.At(at),
            },
            ["card", "removed_at"],
            transaction
        );

    /// <summary>Keeps what an inspection found in the file of an image.</summary>
    public void Keep(string imageId, Inspection found, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Put(
            "inspections",
            "image_id",
            new
            {
                image_id = imageId,
                inspection = Rows.Json(found),
                made_at = Rows.At(at),
            },
            ["inspection", "made_at"]
        );
    }

    /// <summary>What the last inspection found in the file of an image, or null.</summary>
    public Inspection? Found(string imageId)
    {
        using var connection = database.Connect();
        return connection.ExecuteScalar<string>("SELECT inspection FROM inspections WHERE image_id = @imageId", new { imageId }) is { } json
            ? JsonSerializer.Deserialize<Inspection>(json, DataFile.Json)
            : null;
    }
}
