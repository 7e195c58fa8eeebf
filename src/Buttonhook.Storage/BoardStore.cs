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
/// <param name="ToldWritten">Whether a person says that this card was written elsewhere.</param>
/// <param name="Changes">What was changed on this card, in order.</param>
/// <param name="Version">Counts the changes of the board, from 1.</param>
public sealed record BenchBoard(
    Board Board,
    int CardNumber,
    string? FaultId,
    IReadOnlyList<string> Corrected,
    DateTimeOffset? ChangedAt,
    bool ToldWritten,
    IReadOnlyList<ProfileChange> Changes,
    int Version
);

/// <summary>One change on the card or bench of a board.</summary>
/// <param name="Id">For taking it back.</param>
/// <param name="Edit">What was really changed in a file of the card, or null when only words tell of it.</param>
public sealed record ProfileChange(long Id, string CauseId, string Text, DateTimeOffset MadeAt, ChangedLine? Edit);

/// <summary>A line of a file that was changed on a card: its place, and the line before and after (null: it was not there).</summary>
public sealed record ChangedLine(string Path, int Line, string? Before, string? After);

/// <summary>The boards on the bench.</summary>
public sealed class BoardStore(Database database)
{
    private sealed record Row(
        string Id,
        string Nickname,
        string ModelId,
        string RevisionId,
        long? MemoryMib,
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
        string Parts,
        long? ToldProfile,
        long Version
    );

    /// <summary>SQLITE_CONSTRAINT_UNIQUE.</summary>
    private const int NotUnique = 2067;

    private const string Columns = """
        id AS Id, nickname AS Nickname, model_id AS ModelId, revision_id AS RevisionId, memory_mib AS MemoryMib, card_gb AS CardGb,
        screen AS Screen, network AS Network, supply_id AS SupplyId, adapter_id AS AdapterId, told_by AS ToldBy, image_id AS ImageId,
        card_number AS CardNumber, simulated AS Simulated, fault_id AS FaultId, cable_id AS CableId, parts AS Parts, told_card AS ToldProfile,
        version AS Version
        """;

    /// <summary>All boards in the order of the bench.</summary>
    public IReadOnlyList<BenchBoard> All()
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<Row>($"SELECT {Columns} FROM boards WHERE removed_at IS NULL ORDER BY position")
                .Select(r => Read(r, connection)),
        ];
    }

    /// <summary>One board, or null.</summary>
    public BenchBoard? Find(string id)
    {
        using var connection = database.Connect();
        return
            connection.QuerySingleOrDefault<Row>($"SELECT {Columns} FROM boards WHERE id = @id AND removed_at IS NULL", new { id })
                is { } row
            ? Read(row, connection)
            : null;
    }

    private static BenchBoard Read(Row r, SqliteConnection connection)
    {
        var changes = connection
            .Query<(long Id, string CauseId, string Text, string MadeAt, string? Edit)>(
                "SELECT id, cause_id, text, made_at, edit FROM changes WHERE board_id = @Id AND card_number = @CardNumber AND removed_at IS NULL ORDER BY id",
                new { r.Id, r.CardNumber }
            )
            .Select(c => new ProfileChange(
                c.Id,
                c.CauseId,
                c.Text,
                DateTimeOffset.Parse(c.MadeAt, CultureInfo.InvariantCulture),
                c.Edit is null ? null : JsonSerializer.Deserialize<ChangedLine>(c.Edit, DataFile.Json)
            ))
            .ToList();
        var board = new Board(
            r.Id,
            r.Nickname,
            r.ModelId,
            r.RevisionId,
            (int?)r.MemoryMib,
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
        return new(
            board,
            (int)r.CardNumber,
            r.FaultId,
            [.. changes.Select(c => c.CauseId)],
            changes.Count == 0 ? null : changes[^1].MadeAt,
            r.ToldProfile == r.CardNumber,
            changes,
            (int)r.Version
        );
    }

    /// <summary>Puts a new board at the end of the bench, or saves what changed of one; a nickname that another board has is a problem.</summary>
    /// <param name="version">The version that it was changed from; null takes any.</param>
    /// <param name="changed">What to answer, and save nothing, when the board has another version meanwhile.</param>
    public Answer<BenchBoard> Save(Board board, string? faultId, int? version = null, Func<Problem>? changed = null)
    {
        using var connection = database.Connect();
        try
        {
            var saved = connection.Execute(
                """
                INSERT INTO boards (id, nickname, model_id, revision_id, memory_mib, card_gb, screen, network, supply_id, adapter_id, told_by, image_id, simulated, fault_id, cable_id, parts, position)
                VALUES (@Id, @Nickname, @ModelId, @RevisionId, @MemoryMiB, @CardGb, @Screen, @Network, @SupplyId, @AdapterId, @toldBy, @ImageId, @Simulated, @faultId, @CableId, @parts,
                        (SELECT COALESCE(MAX(position), 0) + 1 FROM boards))
                ON CONFLICT (id) DO UPDATE SET nickname = excluded.nickname, model_id = excluded.model_id, revision_id = excluded.revision_id,
                  memory_mib = excluded.memory_mib, card_gb = excluded.card_gb, screen = excluded.screen, network = excluded.network,
                  supply_id = excluded.supply_id, adapter_id = excluded.adapter_id, told_by = excluded.told_by, fault_id = excluded.fault_id,
                  cable_id = excluded.cable_id, parts = excluded.parts
                  WHERE @version IS NULL OR boards.version = @version
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
                    version,
                }
            );
            if (saved == 0 && changed is not null)
                return changed();
        }
        catch (SqliteException e) when (e.SqliteExtendedErrorCode == NotUnique)
        {
            return new Problem(
                "Every board on the bench should have its own nickname.",
                $"{board.Nickname} is taken.",
                "Choose another one."
            );
        }
        return Find(board.Id)!;
    }

    /// <summary>Notes that a card with this image (null: an empty card) was put into the board: a new card, nothing corrected on it yet. Its number was no card's of this board before, also when a choice was taken back.</summary>
    public void ChooseImage(string boardId, string? imageId)
    {
        using var connection = database.Connect();
        connection.Execute(
            """
            UPDATE boards SET image_id = @imageId, card_number = 1 + MAX(
              card_number,
              (SELECT COALESCE(MAX(card_number), 0) FROM boots WHERE board_id = @boardId),
              (SELECT COALESCE(MAX(card_number), 0) FROM changes WHERE board_id = @boardId))
            WHERE id = @boardId
            """,
            new { boardId, imageId }
        );
    }

    /// <summary>Notes how large the card in a board is, where nobody said it.</summary>
    /// <param name="labelGb">As its label would say, in GB.</param>
    public void NoteCard(string boardId, int labelGb)
    {
        using var connection = database.Connect();
        connection.Execute("UPDATE boards SET card_gb = @labelGb WHERE id = @boardId AND card_gb IS NULL", new { boardId, labelGb });
    }

    /// <summary>Notes that a person says that the card in a board was written elsewhere, or takes that back.</summary>
    public void TellWritten(string boardId, bool written)
    {
        using var connection = database.Connect();
        connection.Execute(
            "UPDATE boards SET told_card = CASE WHEN @written THEN card_number END WHERE id = @boardId",
            new { boardId, written }
        );
    }

    /// <summary>Notes one correction on the card or bench of a board.</summary>
    public void AddChange(string boardId, string causeId, string text, DateTimeOffset at, ChangedLine? edit = null)
    {
        using var connection = database.Connect();
        connection.Execute(
            """
            INSERT INTO changes (board_id, card_number, cause_id, text, made_at, edit)
            SELECT id, card_number, @causeId, @text, @at, @edit FROM boards WHERE id = @boardId
            """,
            new
            {
                boardId,
                causeId,
                text,
                at = at.ToString("O"),
                edit = edit is null ? null : Rows.Json(edit),
            }
        );
    }
}
