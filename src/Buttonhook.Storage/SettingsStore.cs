using System.Globalization;
using Buttonhook.Core.Keeping;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>One saved version of a board's working settings.</summary>
/// <param name="BootId">The boot that they come from; null when they came from elsewhere.</param>
/// <param name="CameFrom">Where they came from in words; null for a boot of this bench.</param>
public sealed record KeptSettings(
    string BoardId,
    int Version,
    string? BootId,
    WorkingSettings Settings,
    DateTimeOffset SavedAt,
    string? CameFrom
);

/// <summary>Versions of working settings; a version is never changed.</summary>
public sealed class SettingsStore(Database database)
{
    private sealed record Row(string BoardId, long Version, string? BootId, string Settings, string SavedAt, string? CameFrom);

    private const string Columns =
        "board_id AS BoardId, version AS Version, boot_id AS BootId, settings AS Settings, saved_at AS SavedAt, came_from AS CameFrom";

    /// <summary>Saves a new version; null, and nothing saved, when another one was saved meanwhile.</summary>
    /// <param name="after">The version that was newest when this one was begun; null to save whatever came between.</param>
    public KeptSettings? Keep(
        string boardId,
        string? bootId,
        WorkingSettings settings,
        DateTimeOffset at,
        string? cameFrom = null,
        int? after = null
    )
    {
        using var connection = database.Connect();
        var version = connection.ExecuteScalar<long?>(
            """
            INSERT INTO settings (board_id, version, boot_id, settings, saved_at, came_from)
            SELECT @boardId, COALESCE(MAX(version), 0) + 1, @bootId, @json, @at, @cameFrom FROM settings WHERE board_id = @boardId
            HAVING @after IS NULL OR COALESCE(MAX(version), 0) = @after
            RETURNING version
            """,
            new
            {
                boardId,
                bootId,
                cameFrom,
                after,
                json = Rows.Json(settings),
                at = Rows.At(at),
            }
        );
        return version is { } kept ? new(boardId, (int)kept, bootId, settings, at, cameFrom) : null;
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
                    SettingsReader.Stored(r.Settings),
                    DateTimeOffset.Parse(r.SavedAt, CultureInfo.InvariantCulture),
                    r.CameFrom
                )),
        ];
    }
}
