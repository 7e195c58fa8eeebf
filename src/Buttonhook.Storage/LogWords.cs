using System.Text;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>Which logs are searched; null for any.</summary>
public sealed record LogFilter(
    string? BoardId = null,
    string? ModelId = null,
    string? RevisionId = null,
    string? ImageId = null,
    string? Outcome = null,
    string? Stage = null,
    string? Cause = null
);

/// <summary>A stretch of a log in which words may stand together in a line.</summary>
/// <param name="Id">Grows from log to log, in the order in which they were taken up.</param>
public readonly record struct Stretch(long Id, string BootId, int FirstLine, int Lines);

/// <summary>The words of all logs (SQLite FTS5, without their text): where to look, not what is there.</summary>
public sealed class LogWords(Database database)
{
    /// <summary>How many lines are one stretch: as many are read to find a word that stands in one of them.</summary>
    public const int StretchLines = 64;

    /// <summary>Boots that ended and whose words are not here yet, newest first.</summary>
    public IReadOnlyList<string> Missing()
    {
        using var connection = database.Connect();
        return
        [
            .. connection.Query<string>(
                """
                SELECT id FROM boots WHERE ended_at IS NOT NULL AND removed_at IS NULL AND summary_version <> 0
                  AND NOT EXISTS (SELECT 1 FROM log_stretches WHERE boot_id = boots.id) ORDER BY started_at DESC
                """
            ),
        ];
    }

    /// <summary>Takes the words of a log up, in one transaction; those of it that were here before go.</summary>
    /// <param name="stretches">The texts of stretches of <see cref="StretchLines"/> lines each, in order.</param>
    public void Put(string bootId, IEnumerable<string> stretches, CancellationToken stop = default)
    {
        using var unit = database.Begin();
        using var connection = database.Connect();
        connection.Execute("DELETE FROM log_stretches WHERE boot_id = @bootId", new { bootId });
        var line = 1;
        foreach (var text in stretches)
        {
            stop.ThrowIfCancellationRequested();
            var id = connection.ExecuteScalar<long?>(
                "INSERT INTO log_stretches (boot_id, first_line, lines) SELECT id, @line, @StretchLines FROM boots WHERE id = @bootId RETURNING id",
                new
                {
                    bootId,
                    line,
                    StretchLines,
                }
            );
            if (id is null)
                return;
            connection.Execute("INSERT INTO log_words (rowid, text) VALUES (@id, @text)", new { id, text });
            line += StretchLines;
        }
        unit.Commit();
    }

    /// <summary>The stretches that hold all words, newest log first.</summary>
    /// <param name="below">Only stretches with a smaller id.</param>
    /// <param name="beginnings">Whether each word may also be the beginning of a longer one, which takes longer to find out.</param>
    public IEnumerable<Stretch> Find(string words, LogFilter filter, bool beginnings, long below = long.MaxValue)
    {
        var terms = Terms(words);
        if (terms.Count == 0)
            yield break;
        using var connection = database.Connect();
        var query = string.Join(" AND ", terms.Select(t => beginnings ? $"\"{t}\"*" : $"\"{t}\""));
        using var reader = connection.ExecuteReader(
            """
            SELECT s.id, s.boot_id, s.first_line, s.lines FROM log_words JOIN log_stretches AS s ON s.id = log_words.rowid JOIN boots AS b ON b.id = s.boot_id
            WHERE log_words MATCH @query AND log_words.rowid < @below AND b.removed_at IS NULL AND b.board_id IN (SELECT id FROM boards WHERE removed_at IS NULL)
              AND (@BoardId IS NULL OR b.board_id = @BoardId) AND (@ModelId IS NULL OR b.model_id = @ModelId)
              AND (@RevisionId IS NULL OR b.revision_id = @RevisionId) AND (@ImageId IS NULL OR b.image_id = @ImageId)
              AND (@Outcome IS NULL OR b.outcome = @Outcome) AND (@Stage IS NULL OR b.last_stage = @Stage)
              AND (@Cause IS NULL OR b.top_cause = @Cause)
            ORDER BY log_words.rowid DESC
            """,
            new
            {
                query,
                below,
                filter.BoardId,
                filter.ModelId,
                filter.RevisionId,
                filter.ImageId,
                filter.Outcome,
                filter.Stage,
                filter.Cause,
            }
        );
        while (reader.Read())
            yield return new(reader.GetInt64(0), reader.GetString(1), reader.GetInt32(2), reader.GetInt32(3));
    }

    /// <summary>The smallest id among the stretches of a log.</summary>
    public long FirstOf(string bootId)
    {
        using var connection = database.Connect();
        return connection.ExecuteScalar<long?>("SELECT MIN(id) FROM log_stretches WHERE boot_id = @bootId", new { bootId }) ?? 0;
    }

    /// <summary>The words as the index cuts them: runs of letters and digits.</summary>
    public static IReadOnlyList<string> Terms(string words)
    {
        var terms = new List<string>();
        var term = new StringBuilder();
        foreach (var rune in words.EnumerateRunes())
            if (Rune.IsLetterOrDigit(rune))
                term.Append(rune.ToString());
            else if (term.Length > 0)
            {
                terms.Add(term.ToString());
                term.Clear();
            }
        if (term.Length > 0)
            terms.Add(term.ToString());
        return terms;
    }
}
