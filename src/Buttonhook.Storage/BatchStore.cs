using System.Globalization;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>The same settings for several boards.</summary>
/// <param name="SourceBoardId">The board whose record they are.</param>
/// <param name="BoardIds">In order; some may be gone from the bench.</param>
public sealed record Batch(
    string Id,
    string Name,
    string SourceBoardId,
    int SourceVersion,
    IReadOnlyList<string> BoardIds,
    DateTimeOffset MadeAt
);

/// <summary>Batches of boards.</summary>
public sealed class BatchStore(Database database)
{
    private sealed record Row(string Id, string Name, string SourceBoardId, long SourceVersion, string MadeAt);

    private const string Columns =
        "id AS Id, name AS Name, source_board_id AS SourceBoardId, source_version AS SourceVersion, made_at AS MadeAt";

    /// <summary>All, newest first.</summary>
    public IReadOnlyList<Batch> All()
    {
        using var connection = database.Connect();
        return [.. connection.Query<Row>($"SELECT {Columns} FROM batches ORDER BY made_at DESC").Select(r => Read(connection, r))];
    }

    /// <summary>One, or null.</summary>
    public Batch? Find(string id)
    {
        using var connection = database.Connect();
        return connection.QuerySingleOrDefault<Row>($"SELECT {Columns} FROM batches WHERE id = @id", new { id }) is { } row
            ? Read(connection, row)
            : null;
    }

    private static Batch Read(System.Data.IDbConnection connection, Row r) =>
        new(
            r.Id,
            r.Name,
            r.SourceBoardId,
            (int)r.SourceVersion,
            [.. connection.Query<string>("SELECT board_id FROM batch_boards WHERE batch_id = @Id ORDER BY position", new { r.Id })],
            DateTimeOffset.Parse(r.MadeAt, CultureInfo.InvariantCulture)
        );

    /// <summary>Stores a new one.</summary>
    public void Add(Batch batch)
    {
        using var unit = database.Begin();
        using var connection = database.Connect();
        connection.Execute(
            "INSERT INTO batches (id, name, source_board_id, source_version, made_at) VALUES (@Id, @Name, @SourceBoardId, @SourceVersion, @at)",
            new
            {
                batch.Id,
                batch.Name,
                batch.SourceBoardId,
                batch.SourceVersion,
                at = Rows.At(batch.MadeAt),
            }
        );
        connection.Execute(
            "INSERT INTO batch_boards (batch_id, position, board_id) VALUES (@Id, @position, @board)",
            batch.BoardIds.Select(
                (board, position) =>
                    new
                    {
                        batch.Id,
                        position,
                        board,
                    }
            )
        );
        unit.Commit();
    }
}
