using System.Globalization;
using Buttonhook.Core;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage;

/// <summary>Something that was removed and can be taken back.</summary>
/// <param name="Kind">board, log, correction, board-card, image-card, code-card, experience-card, recipe, photo, supply, part or adapter.</param>
/// <param name="Name">What a person knows it by.</param>
public sealed record RemovedThing(string Kind, string Id, string Name, DateTimeOffset RemovedAt);

/// <summary>Removes things so that they can be taken back: nothing that a person made is deleted.</summary>
public sealed class RemovalStore(Database database)
{
    // Computed columns have no declared type in SQLite, so they are set by name and not through a constructor.
    private sealed class Row
    {
        public string Kind { get; init; } = "";
        public string Id { get; init; } = "";
        public string? Name { get; init; }
        public string RemovedAt { get; init; } = "";
    }

    /// <summary>Everything that was removed, newest first, at most forty.</summary>
    public IReadOnlyList<RemovedThing> All()
    {
        using var connection = database.Connect();
        var each = Things.Kinds.Select(t =>
            $"SELECT '{t.Key}' AS Kind, {t.Value.Key} AS Id, {t.Value.Name} AS Name, removed_at AS RemovedAt FROM {t.Value.Table} WHERE removed_at IS NOT NULL AND {t.Value.Key} IS NOT NULL"
        );
        return
        [
            .. connection
                .Query<Row>($"SELECT * FROM ({string.Join(" UNION ALL ", each)}) ORDER BY RemovedAt DESC LIMIT 40")
                .Select(r => new RemovedThing(
                    r.Kind,
                    r.Id,
                    r.Name ?? r.Id,
                    DateTimeOffset.Parse(r.RemovedAt, CultureInfo.InvariantCulture)
                )),
        ];
    }

    /// <summary>Removes a thing; false when it is not there, or of no kind that can be removed.</summary>
    public bool Remove(string kind, string id, DateTimeOffset at)
    {
        if (!Things.Kinds.TryGetValue(kind, out var thing))
            return false;
        using var connection = database.Connect();
        return connection.Execute(
                $"UPDATE {thing.Table} SET removed_at = @at WHERE {thing.Key} = @id AND removed_at IS NULL",
                new { id, at = Rows.At(at) }
            ) > 0;
    }

    /// <summary>Takes a thing back; a problem when it is not among the removed, or when its place was taken meanwhile.</summary>
    public Problem? Restore(string kind, string id)
    {
        using var connection = database.Connect();
        try
        {
            var done = !Things.Kinds.TryGetValue(kind, out var thing)
                ? 0
                : connection.Execute(
                    $"UPDATE {thing.Table} SET removed_at = NULL WHERE {thing.Key} = @id AND removed_at IS NOT NULL",
                    new { id }
                );
            return done > 0
                ? null
                : new("What is taken back should be among what was removed.", "It is not there.", "Look at the list again.");
        }
        catch (SqliteException e) when (e.SqliteErrorCode == 19)
        {
            return NameTaken;
        }
    }

    /// <summary>What stands against taking a board back whose name another one took.</summary>
    internal static Problem NameTaken { get; } =
        new(
            "Every board on the bench should have its own nickname.",
            "Another board took this one meanwhile.",
            "Give that one another name, then take this one back."
        );
}
