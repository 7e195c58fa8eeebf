using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Practising;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>Rounds of practice.</summary>
public sealed class PracticeStore(Database database)
{
    /// <summary>All rounds, newest first.</summary>
    public IReadOnlyList<PracticeRound> All()
    {
        using var connection = database.Connect();
        return [.. connection.Query<string>("SELECT round FROM practice_rounds ORDER BY started_at DESC, id").Select(Read)];
    }

    /// <summary>One round, or null.</summary>
    public PracticeRound? Find(string id)
    {
        using var connection = database.Connect();
        return connection.QuerySingleOrDefault<string>("SELECT round FROM practice_rounds WHERE id = @id", new { id }) is { } round
            ? Read(round)
            : null;
    }

    private static PracticeRound Read(string json) => JsonSerializer.Deserialize<PracticeRound>(json, DataFile.Json)!;

    /// <summary>Stores a round as it stands.</summary>
    public void Keep(PracticeRound round)
    {
        using var connection = database.Connect();
        connection.Put(
            "practice_rounds",
            "id",
            new
            {
                id = round.Id,
                round = Rows.Json(round),
                started_at = Rows.At(round.StartedAt),
                ended_at = round.EndedAt is { } at ? Rows.At(at) : null,
            },
            ["round", "ended_at"]
        );
    }
}
