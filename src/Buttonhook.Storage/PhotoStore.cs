using System.Globalization;
using Buttonhook.Core.Boards;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>A photo of a board without its bytes.</summary>
/// <param name="Says">What it shows, in a person's words; may be empty.</param>
public sealed record BoardPhoto(string Id, string Says, int Width, int Height, DateTimeOffset AddedAt);

/// <summary>Photos of boards.</summary>
public sealed class PhotoStore(Database database)
{
    private sealed record Row(string Id, string Says, long Width, long Height, string AddedAt);

    /// <summary>The photos of a board, oldest first.</summary>
    public IReadOnlyList<BoardPhoto> Of(string boardId)
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<Row>(
                    "SELECT id AS Id, says AS Says, width AS Width, height AS Height, added_at AS AddedAt FROM photos WHERE board_id = @boardId AND removed_at IS NULL ORDER BY added_at",
                    new { boardId }
                )
                .Select(r => new BoardPhoto(
                    r.Id,
                    r.Says,
                    (int)r.Width,
                    (int)r.Height,
                    DateTimeOffset.Parse(r.AddedAt, CultureInfo.InvariantCulture)
                )),
        ];
    }

    /// <summary>The JPEG of a photo, or null.</summary>
    public byte[]? Jpeg(string id)
    {
        using var connection = database.Connect();
        return connection.ExecuteScalar<byte[]>("SELECT jpeg FROM photos WHERE id = @id AND removed_at IS NULL", new { id });
    }

    /// <summary>Keeps a photo of a board and gives its id.</summary>
    public string Add(string boardId, string says, Photo photo, DateTimeOffset at)
    {
        var id = Guid.NewGuid().ToString("N");
        using var connection = database.Connect();
        connection.Execute(
            "INSERT INTO photos (id, board_id, says, width, height, jpeg, added_at) VALUES (@id, @boardId, @says, @Width, @Height, @Bytes, @at)",
            new
            {
                id,
                boardId,
                says,
                photo.Width,
                photo.Height,
                photo.Bytes,
                at = Rows.At(at),
            }
        );
        return id;
    }

    /// <summary>Says what a photo shows; false when there is none.</summary>
    public bool Say(string id, string says)
    {
        using var connection = database.Connect();
        return connection.Execute("UPDATE photos SET says = @says WHERE id = @id AND removed_at IS NULL", new { id, says }) > 0;
    }
}
