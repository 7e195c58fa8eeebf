using System.Globalization;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage;

/// <summary>A board with what only the bench knows: which card it carries, what was corrected on it, and the fault that a simulated one hides.</summary>
/// <param name="CardNumber">Counts the cards that were written for this board, from 1.</param>
/// <param name="Corrected">Ids of the causes corrected on this card.</param>
/// <param name="ChangedAt">When the newest correction on this card was made, or null.</param>
public sealed record BenchBoard(Board Board, int CardNumber, string? FaultId, IReadOnlyList<string> Corrected, DateTimeOffset? ChangedAt);

/// <summary>The boards on the bench.</summary>
public sealed class BoardStore(Database database)
{
    private sealed record Row(
        string Id,
        string Nickname,
        string ModelId,
        string RevisionId,
        long MemoryMib,
        long? CardGb,
        long Screen,
        long Network,
        string? SupplyId,
        string? AdapterId,
        string ToldBy,
        string? ImageId,
        long CardNumber,
        long Simulated,
        string? FaultId,
        string? CableId,
        string Parts
    );

    private const string Columns = """
        id AS Id, nickname AS Nickname, model_id AS ModelId, revision_id AS RevisionId, memory_mib AS MemoryMib, card_gb AS CardGb,
        screen AS Screen, network AS Network, supply_id AS SupplyId, adapter_id AS AdapterId, told_by AS ToldBy, image_id AS ImageId,
        card_number AS CardNumber, simulated AS Simulated, fault_id AS FaultId, cable_id AS CableId, parts AS Parts
        """;

    /// <summary>All boards in the order of the bench.</summary>
    public IReadOnlyList<BenchBoard> All()
    {
        using var connection = database.Connect();
        return [.. connection.Query<Row>($"SELECT {Columns} FROM boards ORDER BY position").Select(r => Read(r, connection))];
    }

    /// <summary>One board, or null.</summary>
    public BenchBoard? Find(string id)
    {
        using var connection = database.Connect();
        return connection.QuerySingleOrDefault<Row>($"SELECT {Columns} FROM boards WHERE id = @id", new { id }) is { } row
            ? Read(row, connection)
            : null;
    }

    private static BenchBoard Read(Row r, SqliteConnection connection)
    {
        var changes = connection
            .Query<(string CauseId, string Text, string MadeAt)>(
                "SELECT cause_id, text, made_at FROM changes WHERE board_id = @Id AND card_number = @CardNumber ORDER BY id",
                new { r.Id, r.CardNumber }
            )
            .ToList();
        var board = new Board(
            r.Id,
            r.Nickname,
            r.ModelId,
            r.RevisionId,
            (int)r.MemoryMib,
            new(
                (int?)r.CardGb,
                r.Screen != 0,
                r.Network != 0,
                r.SupplyId,
                r.AdapterId,
                r.CableId,
                JsonSerializer.Deserialize<string[]>(r.Parts) ?? []
            ),
            JsonSerializer.Deserialize<string[]>(r.ToldBy) ?? [],
            r.ImageId,
            [.. changes.Select(c => c.Text)],
            r.Simulated != 0
        );
        DateTimeOffset? changedAt = changes.Count == 0 ? null : DateTimeOffset.Parse(changes[^1].MadeAt, CultureInfo.InvariantCulture);
        return new(board, (int)r.CardNumber, r.FaultId, [.. changes.Select(c => c.CauseId)], changedAt);
    }

    /// <summary>Puts a new board at the end of the bench, or saves what changed of one; a nickname that another board has is a problem.</summary>
    public Answer<BenchBoard> Save(Board board, string? faultId)
    {
        using var connection = database.Connect();
        try
        {
            connection.Execute(
                """
                INSERT INTO boards (id, nickname, model_id, revision_id, memory_mib, card_gb, screen, network, supply_id, adapter_id, told_by, image_id, simulated, fault_id, cable_id, parts, position)
                VALUES (@Id, @Nickname, @ModelId, @RevisionId, @MemoryMiB, @CardGb, @Screen, @Network, @SupplyId, @AdapterId, @toldBy, @ImageId, @Simulated, @faultId, @CableId, @parts,
                        (SELECT COALESCE(MAX(position), 0) + 1 FROM boards))
                ON CONFLICT (id) DO UPDATE SET nickname = excluded.nickname, model_id = excluded.model_id, revision_id = excluded.revision_id,
                  memory_mib = excluded.memory_mib, card_gb = excluded.card_gb, screen = excluded.screen, network = excluded.network,
                  supply_id = excluded.supply_id, adapter_id = excluded.adapter_id, told_by = excluded.told_by, fault_id = excluded.fault_id,
                  cable_id = excluded.cable_id, parts = excluded.parts
                """,
                new
                {
                    board.Id,
                    board.Nickname,
                    board.ModelId,
                    board.RevisionId,
                    board.MemoryMiB,
                    board.Connected.CardGb,
                    board.Connected.Screen,
                    board.Connected.Network,
                    board.Connected.SupplyId,
                    board.Connected.AdapterId,
                    toldBy = JsonSerializer.Serialize(board.ToldBy),
                    board.ImageId,
                    board.Simulated,
                    board.Connected.CableId,
                    parts = JsonSerializer.Serialize(board.Connected.Parts ?? []),
                    faultId,
                }
            );
        }
        catch (SqliteException e) when (e.SqliteErrorCode == 19)
        {
            return new Problem(
                "Every board on the bench should have its own nickname.",
                $"{board.Nickname} is taken.",
                "Choose another one."
            );
        }
        return Find(board.Id)!;
    }

    /// <summary>Notes that a card with this image (null: an empty card) was put into the board: a new card, nothing corrected on it yet.</summary>
    public void ChooseImage(string boardId, string? imageId)
    {
        using var connection = database.Connect();
        connection.Execute(
            "UPDATE boards SET image_id = @imageId, card_number = card_number + 1 WHERE id = @boardId",
            new { boardId, imageId }
        );
    }

    /// <summary>Notes one correction on the card or bench of a board.</summary>
    public void AddChange(string boardId, string causeId, string text, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Execute(
            """
            INSERT INTO changes (board_id, card_number, cause_id, text, made_at)
            SELECT id, card_number, @causeId, @text, @at FROM boards WHERE id = @boardId
            """,
            new
            {
                boardId,
                causeId,
                text,
                at = at.ToString("O"),
            }
        );
    }

    /// <summary>Takes a board off the bench with all its boots and settings.</summary>
    public void Remove(string boardId)
    {
        using var connection = database.Connect();
        connection.Execute("DELETE FROM boards WHERE id = @boardId", new { boardId });
    }
}
