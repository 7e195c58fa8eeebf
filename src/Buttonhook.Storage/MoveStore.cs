using System.Globalization;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Keeping;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>The move of a board's system to another medium.</summary>
/// <param name="MountedBefore">The device that its root was mounted from before; null when no log said it.</param>
/// <param name="Device">The disk that was chosen and confirmed; null for a move of before that was asked.</param>
/// <param name="Look">What the system showed of its disks then.</param>
public sealed record Move(
    string BoardId,
    MoveTarget Target,
    string? MountedBefore,
    DateTimeOffset BegunAt,
    string? Device = null,
    DiskLook? Look = null
);

/// <summary>A copy of a card or drive as an image file.</summary>
/// <param name="Place">Where it lies, in a person's words.</param>
/// <param name="Sha256">64 small hexadecimal digits, or null.</param>
public sealed record ImageCopy(long Id, string Place, string? Sha256, long? Bytes, DateTimeOffset MadeAt);

/// <summary>What is done with a proven system: the tasks of its first login, its move, and its copies.</summary>
public sealed class MoveStore(Database database)
{
    private sealed record MoveRow(string BoardId, string Target, string? MountedBefore, string BegunAt, string? Device, string? Look);

    private sealed record CopyRow(long Id, string Place, string? Sha256, long? Bytes, string MadeAt);

    /// <summary>The move of a board, or null.</summary>
    public Move? Of(string boardId)
    {
        using var connection = database.Connect();
        var row = connection.QuerySingleOrDefault<MoveRow>(
            "SELECT board_id AS BoardId, target AS Target, mounted_before AS MountedBefore, begun_at AS BegunAt, device AS Device, look AS Look FROM moves WHERE board_id = @boardId",
            new { boardId }
        );
        return row is null
            ? null
            : new(
                row.BoardId,
                Enum.Parse<MoveTarget>(row.Target),
                row.MountedBefore,
                At(row.BegunAt),
                row.Device,
                row.Look is null ? null : JsonSerializer.Deserialize<DiskLook>(row.Look, DataFile.Json)
            );
    }

    /// <summary>Notes that a move was begun; an earlier one of the board is forgotten.</summary>
    public void Begin(Move move)
    {
        using var connection = database.Connect();
        connection.Put(
            "moves",
            "board_id",
            new
            {
                board_id = move.BoardId,
                target = move.Target.ToString(),
                mounted_before = move.MountedBefore,
                begun_at = Rows.At(move.BegunAt),
                device = move.Device,
                look = move.Look is null ? null : Rows.Json(move.Look),
            },
            ["target", "mounted_before", "begun_at", "device", "look"]
        );
    }

    /// <summary>Forgets the move of a board: it stays on its card.</summary>
    public void Forget(string boardId)
    {
        using var connection = database.Connect();
        connection.Execute("DELETE FROM moves WHERE board_id = @boardId", new { boardId });
    }

    /// <summary>Tasks of the first login that a person says were done on a card of a board.</summary>
    public IReadOnlySet<string> Told(string boardId, int cardNumber)
    {
        using var connection = database.Connect();
        return connection
            .Query<string>(
                "SELECT task FROM login_tasks WHERE board_id = @boardId AND card_number = @cardNumber",
                new { boardId, cardNumber }
            )
            .ToHashSet();
    }

    /// <summary>Notes that a person says that a task was done, or takes that back.</summary>
    public void Tell(string boardId, int cardNumber, string task, bool done, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Execute(
            done
                ? "INSERT INTO login_tasks (board_id, card_number, task, told_at) VALUES (@boardId, @cardNumber, @task, @at) ON CONFLICT DO NOTHING"
                : "DELETE FROM login_tasks WHERE board_id = @boardId AND card_number = @cardNumber AND task = @task",
            new
            {
                boardId,
                cardNumber,
                task,
                at = Rows.At(at),
            }
        );
    }

    /// <summary>The copies of a board's medium, newest first.</summary>
    public IReadOnlyList<ImageCopy> Copies(string boardId)
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<CopyRow>(
                    "SELECT id AS Id, place AS Place, sha256 AS Sha256, bytes AS Bytes, made_at AS MadeAt FROM image_copies WHERE board_id = @boardId ORDER BY id DESC",
                    new { boardId }
                )
                .Select(r => new ImageCopy(r.Id, r.Place, r.Sha256, r.Bytes, At(r.MadeAt))),
        ];
    }

    /// <summary>Notes a copy.</summary>
    public void AddCopy(string boardId, string place, string? sha256, long? bytes, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Execute(
            "INSERT INTO image_copies (board_id, place, sha256, bytes, made_at) VALUES (@boardId, @place, @sha256, @bytes, @at)",
            new
            {
                boardId,
                place,
                sha256,
                bytes,
                at = Rows.At(at),
            }
        );
    }

    private static DateTimeOffset At(string text) => DateTimeOffset.Parse(text, CultureInfo.InvariantCulture);
}
