using System.Globalization;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage;

/// <summary>One change of a board card.</summary>
/// <param name="Undone">Whether it was taken back.</param>
public sealed record CardEdit(long Id, string CardId, DateTimeOffset MadeAt, string Says, bool Undone);

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
        return new(Of<BoardModel>("board"), Of<ImageCard>("image"), Of<RevisionScheme>("code"));
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
        transaction.Commit();
    }

    private static void Put<T>(SqliteTransaction transaction, string kind, string id, T card, DateTimeOffset at) =>
        transaction.Connection!.Execute(
            """
            INSERT INTO cards (kind, id, card, added_at) VALUES (@kind, @id, @card, @at)
            ON CONFLICT (kind, id) DO UPDATE SET card = excluded.card, removed_at = NULL
            """,
            new
            {
                kind,
                id,
                card = JsonSerializer.Serialize(card, DataFile.Json),
                at = at.ToString("O", CultureInfo.InvariantCulture),
            },
            transaction
        );

    /// <summary>Changes a board card and remembers how it was.</summary>
    public void Change(BoardModel before, BoardModel after, string says, DateTimeOffset at)
    {
        using var connection = database.Connect();
        using var transaction = connection.BeginTransaction();
        Put(transaction, "board", after.Id, after, at);
        connection.Execute(
            "INSERT INTO card_changes (card_id, made_at, says, before, after) VALUES (@Id, @at, @says, @before, @after)",
            new
            {
                after.Id,
                at = at.ToString("O", CultureInfo.InvariantCulture),
                says,
                before = JsonSerializer.Serialize(before, DataFile.Json),
                after = JsonSerializer.Serialize(after, DataFile.Json),
            },
            transaction
        );
        transaction.Commit();
    }

    /// <summary>The newest changes of board cards, the newest first.</summary>
    /// <param name="cardId">Of one card alone, or null for all.</param>
    public IReadOnlyList<CardEdit> Changes(string? cardId, int most)
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<(long Id, string CardId, string MadeAt, string Says, long Undone)>(
                    "SELECT id, card_id, made_at, says, undone_at IS NOT NULL FROM card_changes WHERE @cardId IS NULL OR card_id = @cardId ORDER BY id DESC LIMIT @most",
                    new { cardId, most }
                )
                .Select(r => new CardEdit(
                    r.Id,
                    r.CardId,
                    DateTimeOffset.Parse(r.MadeAt, CultureInfo.InvariantCulture),
                    r.Says,
                    r.Undone != 0
                )),
        ];
    }

    /// <summary>The card before and after a change that was not undone; null when there is none.</summary>
    public (BoardModel Before, BoardModel After)? Change(long id)
    {
        using var connection = database.Connect();
        var row = connection.QuerySingleOrDefault<(string Before, string After)?>(
            "SELECT before, after FROM card_changes WHERE id = @id AND undone_at IS NULL",
            new { id }
        );
        return row is { } r
            ? (
                JsonSerializer.Deserialize<BoardModel>(r.Before, DataFile.Json)!,
                JsonSerializer.Deserialize<BoardModel>(r.After, DataFile.Json)!
            )
            : null;
    }

    /// <summary>Takes a change back: the card is as it was before.</summary>
    public void Undo(long id, BoardModel before, DateTimeOffset at)
    {
        using var connection = database.Connect();
        using var transaction = connection.BeginTransaction();
        Put(transaction, "board", before.Id, before, at);
        connection.Execute(
            "UPDATE card_changes SET undone_at = @at WHERE id = @id",
            new { id, at = at.ToString("O", CultureInfo.InvariantCulture) },
            transaction
        );
        transaction.Commit();
    }

    /// <summary>Keeps what an inspection found in the file of an image.</summary>
    public void Keep(string imageId, Inspection found, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Execute(
            """
            INSERT INTO inspections (image_id, inspection, made_at) VALUES (@imageId, @found, @at)
            ON CONFLICT (image_id) DO UPDATE SET inspection = excluded.inspection, made_at = excluded.made_at
            """,
            new
            {
                imageId,
                found = JsonSerializer.Serialize(found, DataFile.Json),
                at = at.ToString("O", CultureInfo.InvariantCulture),
            }
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
