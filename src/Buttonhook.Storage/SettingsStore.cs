using System.Globalization;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Keeping;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>One saved version of a board's working settings, and the boot that they come from.</summary>
public sealed record KeptSettings(string BoardId, int Version, string BootId, WorkingSettings Settings, DateTimeOffset SavedAt);

/// <summary>Versions of working settings; a version is never changed.</summary>
public sealed class SettingsStore(Database database)
{
    private sealed record Row(string BoardId, long Version, string BootId, string Settings, string SavedAt);

    private const string Columns = "board_id AS BoardId, version AS Version, boot_id AS BootId, settings AS Settings, saved_at AS SavedAt";

    /// <summary>Saves a new version.</summary>
    public KeptSettings Keep(string boardId, string bootId, WorkingSettings settings, DateTimeOffset at)
    {
        using var connection = database.Connect();
        var version = connection.ExecuteScalar<long>(
            """
            INSERT INTO settings (board_id, version, boot_id, settings, saved_at)
            VALUES (@boardId, (SELECT COALESCE(MAX(version), 0) + 1 FROM settings WHERE board_id = @boardId), @bootId, @json, @at)
            RETURNING version
            """,
            new
            {
                boardId,
                bootId,
                json = Rows.Json(settings),
                at = Rows.At(at),
            }
        );
        return new(boardId, (int)version, bootId, settings, at);
    }

    /// <summary>All versions of a board, newest first.</summary>
    public IReadOnlyList<KeptSettings> Of(string boardId)
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<Row>($"SELECT {Columns} FROM settings WHERE board_id = @boardId ORDER BY version DESC", new { boardId })
                .Select(r => new KeptSettings(
                    r.BoardId,
                    (int)r.Version,
                    r.BootId,
                    JsonSerializer.Deserialize<WorkingSettings>(r.Settings, DataFile.Json)!,
                    DateTimeOffset.Parse(r.SavedAt, CultureInfo.InvariantCulture)
                )),
        ];
    }
}
