using System.Globalization;
using System.Text.Json.Nodes;
using Buttonhook.Core;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage;

/// <summary>One thing of an edit, before and after.</summary>
/// <param name="Kind">board, log, correction, board-card, image-card, code-card, experience-card, recipe, photo, supply, part or adapter.</param>
/// <param name="Before">What people change of it, as JSON; null when the edit put it there.</param>
/// <param name="After">The same, afterwards; removed_at in it tells that it was removed.</param>
public sealed record EditRow(string Kind, string Key, JsonObject? Before, JsonObject After)
{
    /// <summary>The board that it is, or belongs to; null for a thing of the shelves.</summary>
    public string? BoardId => Kind == "board" ? Key : (string?)After["board_id"];

    /// <summary>The nickname of a board, also of one that was removed; null for other things.</summary>
    public string? Nickname => (string?)After["nickname"];
}

/// <summary>What a person did in one go.</summary>
/// <param name="Says">In the words of the request; null where the rows tell it.</param>
/// <param name="Undone">Whether it was taken back.</param>
/// <param name="Undoes">The edit that this one took back, or null.</param>
public sealed record Edit(long Id, DateTimeOffset MadeAt, string? Says, bool Undone, long? Undoes, IReadOnlyList<EditRow> Rows);

/// <summary>What people changed, newest first, and the taking back of it.</summary>
public sealed class EditStore(Database database)
{
    /// <summary>Older edits are forgotten; what was removed by them can still be taken back.</summary>
    private const int Kept = 1000;

    // Columns of the database, as they lie there.
    private sealed record Head(long Id, string MadeAt, string? Says, string? UndoneAt, long? Undoes);

    private sealed record Row(long EditId, string Kind, string Key, string? Before, string After);

    /// <summary>The newest edits.</summary>
    /// <param name="boardId">Only those of this board and of what belongs to it; null for all.</param>
    /// <param name="cardId">And of this card of a board, or null.</param>
    public IReadOnlyList<Edit> Newest(int most, string? boardId = null, string? cardId = null)
    {
        using var connection = database.Connect();
        return Read(
            connection,
            """
            WHERE EXISTS (SELECT 1 FROM edit_rows AS r WHERE r.edit_id = e.id AND (@all OR r.kind || ' ' || r.key IN @things OR json_extract(r.after, '$.board_id') = @board))
            ORDER BY e.id DESC LIMIT @most
            """,
            new
            {
                most,
                all = boardId is null,
                board = boardId,
                things = new[] { $"board {boardId}", $"board-card {cardId}" },
            }
        );
    }

    /// <summary>One edit, or null.</summary>
    public Edit? Find(long id)
    {
        using var connection = database.Connect();
        return Read(connection, "WHERE e.id = @id", new { id }).SingleOrDefault();
    }

    /// <summary>What was done to a board since it had this version, oldest first.</summary>
    public IReadOnlyList<Edit> Since(string boardId, int version)
    {
        using var connection = database.Connect();
        return Read(
            connection,
            "WHERE EXISTS (SELECT 1 FROM edit_rows AS r WHERE r.edit_id = e.id AND r.kind = 'board' AND r.key = @boardId AND r.version >= @version) ORDER BY e.id",
            new { boardId, version }
        );
    }

    private static IReadOnlyList<Edit> Read(SqliteConnection connection, string which, object of)
    {
        var heads = connection
            .Query<Head>(
                $"SELECT e.id AS Id, e.made_at AS MadeAt, e.says AS Says, e.undone_at AS UndoneAt, e.undoes AS Undoes FROM edits AS e {which}",
                of
            )
            .ToList();
        var rows = connection
            .Query<Row>(
                "SELECT edit_id AS EditId, kind AS Kind, key AS Key, before AS Before, after AS After FROM edit_rows WHERE edit_id IN @ids ORDER BY id",
                new { ids = heads.Select(h => h.Id) }
            )
            .ToLookup(r => r.EditId);
        return
        [
            .. heads.Select(h => new Edit(
                h.Id,
                DateTimeOffset.Parse(h.MadeAt, CultureInfo.InvariantCulture),
                h.Says,
                h.UndoneAt is not null,
                h.Undoes,
                [.. rows[h.Id].Select(r => new EditRow(r.Kind, r.Key, r.Before is null ? null : Json(r.Before), Json(r.After)))]
            )),
        ];
    }

    private static JsonObject Json(string text) => JsonNode.Parse(text)!.AsObject();

    /// <summary>Takes an edit back: each thing is as it was before, and what it put there is removed. A problem, and nothing done, when a thing was changed again since.</summary>
    public Problem? Undo(long id, DateTimeOffset at)
    {
        using var unit = database.Begin();
        using var connection = database.Connect();
        if (
            connection
                .Query<Row>(
                    """
                    SELECT edit_id AS EditId, kind AS Kind, key AS Key, before AS Before, after AS After FROM edit_rows
                    WHERE edit_id = (SELECT id FROM edits WHERE id = @id AND undone_at IS NULL) ORDER BY id DESC
                    """,
                    new { id }
                )
                .ToList()
            is not { Count: > 0 } rows
        )
            return new("The change should still stand.", "It was taken back already.", "Reload the page.");
        try
        {
            foreach (var row in rows)
                if (Restore(row, at, connection) is { } problem)
                    return problem;
        }
        catch (SqliteException e) when (e.SqliteErrorCode == 19)
        {
            return RemovalStore.NameTaken;
        }
        connection.Execute(
            """
            UPDATE edits SET undone_at = NULL WHERE id = (SELECT undoes FROM edits WHERE id = @id);
            UPDATE edits SET undone_at = @at WHERE id = @id;
            UPDATE edits SET undoes = @id WHERE token = acting('token');
            """,
            new { id, at = Rows.At(at) }
        );
        unit.Commit();
        return null;
    }

    private static Problem? Restore(Row row, DateTimeOffset at, SqliteConnection connection)
    {
        var thing = Things.Kinds[row.Kind];
        var now = connection.ExecuteScalar<string>($"SELECT state FROM {thing.Table} WHERE {thing.Key} = @Key", new { row.Key });
        if (Changed(now, row.After))
            return new(
                "The newest change of a thing is taken back first.",
                "This one was changed again since.",
                "Take the later change back first."
            );
        var target = row.Before;
        if (target is null)
        {
            var removed = Json(row.After);
            removed["removed_at"] = Rows.At(at);
            target = removed.ToJsonString();
        }
        // A column that came with a later schema is in no edit of before: it stays as it is. What is no column is no SQL either.
        var columns = connection
            .Query<string>("SELECT name FROM pragma_table_info(@Table)", new { thing.Table })
            .Where(Json(target).ContainsKey)
            .Select(c => $"{c} = json_extract(@target, '$.{c}')");
        connection.Execute($"UPDATE {thing.Table} SET {string.Join(", ", columns)} WHERE {thing.Key} = @Key", new { row.Key, target });
        return null;
    }

    /// <summary>Whether a thing is no longer as an edit left it, in what the edit knew of it: columns that came since tell nothing.</summary>
    private static bool Changed(string? now, string after)
    {
        if (now is null)
            return true;
        var (present, then) = (Json(now), Json(after));
        return then.Any(member => !JsonNode.DeepEquals(member.Value, present[member.Key]));
    }

    /// <summary>Forgets all but the newest thousand edits.</summary>
    public void Trim()
    {
        using var connection = database.Connect();
        connection.Execute("DELETE FROM edits WHERE id <= (SELECT MAX(id) FROM edits) - @Kept", new { Kept });
    }
}
