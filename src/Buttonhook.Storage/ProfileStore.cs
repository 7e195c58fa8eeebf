using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Keeping;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage;

/// <summary>Cards that people added to those that ship, and what inspections found.</summary>
public sealed class ProfileStore(Database database)
{
    private sealed record Row(string Kind, string Card);

    /// <summary>All added cards.</summary>
    public ProfilePack All()
    {
        using var connection = database.Connect();
        var rows = connection
            .Query<Row>("SELECT kind AS Kind, card AS Card FROM cards WHERE removed_at IS NULL ORDER BY added_at, id")
            .ToList();
        IReadOnlyList<T> Of<T>(string kind) =>
            [.. rows.Where(r => r.Kind == kind).Select(r => JsonSerializer.Deserialize<T>(r.Card, DataFile.Json)!)];
        return new(Of<BoardProfile>("board"), Of<ImageProfile>("image"), Of<RevisionScheme>("code"), Of<Experience>("experience"));
    }

    /// <summary>Adds cards in one transaction; a card with the id of one that is there takes its place.</summary>
    public void Add(ProfilePack pack, DateTimeOffset at)
    {
        using var unit = database.Begin();
        foreach (var board in pack.Boards)
            Put("board", board.Id, board, at);
        foreach (var image in pack.Images)
            Put("image", image.Id, image, at);
        foreach (var code in pack.Codes)
            Put("code", code.Id, code, at);
        foreach (var experience in pack.Experiences)
            Put("experience", experience.Id, experience, at);
        unit.Commit();
    }

    private void Put<T>(string kind, string id, T card, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Put(
            "cards",
            "kind, id",
            new
            {
                kind,
                id,
                card = Rows.Json(card),
                added_at = Rows.At(at),
            },
            ["card", "removed_at"]
        );
    }

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
