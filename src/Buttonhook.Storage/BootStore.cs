using System.Globalization;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Matching;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage;

/// <summary>One boot of a board: where its bytes came from, when, and a summary of what they say.</summary>
/// <param name="Number">Counts the boots of a board from 1.</param>
/// <param name="EndedAt">Null while bytes still arrive.</param>
/// <param name="EndedWhy">Why the capture ended, in plain words.</param>
/// <param name="Outcome">Null while it is still open how it ends.</param>
/// <param name="LongestQuiet">The longest silence before the login, in milliseconds.</param>
/// <param name="EndKind">How the capture ended; null while it has not.</param>
/// <param name="EndQuiet">How long it listened behind the last byte, in milliseconds; null when that is not known.</param>
/// <param name="Summary">What its bytes say, as far as it was summed up.</param>
/// <param name="PowerAt">Milliseconds from the begin of the capture to the moment that times count from.</param>
/// <param name="Origin">What that moment is; null until the boot was read.</param>
/// <param name="Port">How its console was opened, so that the capture can go on after a stop; null where it cannot.</param>
public sealed record Boot(
    string Id,
    string BoardId,
    int Number,
    int CardNumber,
    string ModelId,
    string RevisionId,
    string? ImageId,
    string Source,
    DateTimeOffset StartedAt,
    DateTimeOffset? EndedAt,
    string? EndedWhy,
    Outcome? Outcome,
    Stage? LastStage,
    IReadOnlyList<StageReached> Stages,
    string? TopCause,
    int? LongestQuiet,
    CaptureEnd? EndKind,
    int? EndQuiet,
    int PowerAt,
    BootSummary? Summary,
    TimeOrigin? Origin,
    CapturedPort? Port
);

/// <summary>How the console of a boot was opened.</summary>
/// <param name="Source">What was asked for ("/dev/ttyUSB0", "tcp:10.20.0.9:4000").</param>
/// <param name="Adapter">What tells that the port is the same one when it is opened again; null where its name is enough.</param>
public sealed record CapturedPort(string Source, LineSettings Line, string? Adapter);

/// <summary>Boots and their bytes. Bytes are only ever appended.</summary>
public sealed partial class BootStore(Database database)
{
    private sealed record Row(
        string Id,
        string BoardId,
        long Number,
        long CardNumber,
        string ModelId,
        string RevisionId,
        string? ImageId,
        string Source,
        string StartedAt,
        string? EndedAt,
        string? EndedWhy,
        string? Outcome,
        string? LastStage,
        string Stages,
        string? TopCause,
        long? LongestQuiet,
        string? EndKind,
        long? EndQuiet,
        long PowerAt,
        string? Summary,
        string? Origin,
        string? Port
    );

    private const string Columns = """
        id AS Id, board_id AS BoardId, number AS Number, card_number AS CardNumber, model_id AS ModelId, revision_id AS RevisionId,
        image_id AS ImageId, source AS Source, started_at AS StartedAt, ended_at AS EndedAt, ended_why AS EndedWhy, outcome AS Outcome,
        last_stage AS LastStage, stages AS Stages, top_cause AS TopCause, longest_quiet AS LongestQuiet,
        end_kind AS EndKind, end_quiet AS EndQuiet, power_at AS PowerAt, summary AS Summary, origin AS Origin, port AS Port
        """;

    /// <summary>Begins a boot of a board with the card that is in it now.</summary>
    /// <param name="withPower">Whether power is applied as it begins, as that of a simulated board is.</param>
    /// <param name="port">How its console is opened, where the capture can go on after a stop.</param>
    public Boot Begin(BenchBoard bench, string source, DateTimeOffset at, bool withPower = false, CapturedPort? port = null)
    {
        using var connection = database.Connect();
        var id = Guid.CreateVersion7(at).ToString("N");
        connection.Execute(
            """
            INSERT INTO boots (id, board_id, number, card_number, model_id, revision_id, image_id, source, started_at, origin, port, connected)
            VALUES (@id, @boardId, (SELECT COALESCE(MAX(number), 0) + 1 FROM boots WHERE board_id = @boardId), @CardNumber, @ModelId, @RevisionId, @ImageId, @source, @at, @origin, @port, @connected)
            """,
            new
            {
                id,
                boardId = bench.Board.Id,
                bench.CardNumber,
                bench.Board.ModelId,
                bench.Board.RevisionId,
                bench.Board.ImageId,
                source,
                at = Rows.At(at),
                origin = withPower ? nameof(TimeOrigin.Power) : null,
                port = port is null ? null : Rows.Json(port),
                connected = Rows.Json(bench.Board.Connected),
            }
        );
        return Find(id)!;
    }

    /// <summary>Ends a capture; damage that was noted stays the reason.</summary>
    /// <param name="why">In plain words.</param>
    public void End(string bootId, string why, DateTimeOffset at, Ending ending)
    {
        using var connection = database.Connect();
        connection.Execute(
            "UPDATE boots SET ended_at = @at, ended_why = COALESCE(ended_why, @why), end_kind = COALESCE(end_kind, @kind), end_quiet = @quiet WHERE id = @bootId AND ended_at IS NULL",
            new
            {
                bootId,
                why,
                kind = ending.How.ToString(),
                quiet = ending.QuietMilliseconds,
                at = Rows.At(at),
            }
        );
    }

    /// <summary>Notes how the line is set now, for a capture that goes on after a stop.</summary>
    public void SetLine(string bootId, LineSettings line)
    {
        if (Find(bootId)?.Port is not { } port)
            return;
        using var connection = database.Connect();
        connection.Execute("UPDATE boots SET port = @port WHERE id = @bootId", new { bootId, port = Rows.Json(port with { Line = line }) });
    }

    /// <summary>Lets a capture that ended with the server go on: what was computed of its end is forgotten.</summary>
    public void Reopen(string bootId)
    {
        using var connection = database.Connect();
        connection.Execute(
            """
            UPDATE boots SET ended_at = NULL, ended_why = NULL, end_kind = NULL, end_quiet = NULL, outcome = NULL, top_cause = NULL,
              summary = NULL, summary_version = 0 WHERE id = @bootId
            """,
            new { bootId }
        );
    }

    /// <summary>Captures that the end of the server ended, the newest boot of a board each, whose console can be opened again.</summary>
    public IReadOnlyList<Boot> Interrupted() =>
        Query(
            $"""
            WHERE port IS NOT NULL AND removed_at IS NULL AND (ended_at IS NULL OR end_kind = 'Server') AND {OnTheBench}
              AND number = (SELECT MAX(number) FROM boots AS b WHERE b.board_id = boots.board_id)
            """,
            new { }
        );

    /// <summary>Notes when power was applied, in milliseconds from the begin of the capture: times count from there.</summary>
    public void SetPower(string bootId, int milliseconds)
    {
        using var connection = database.Connect();
        connection.Execute("UPDATE boots SET power_at = @milliseconds, origin = 'Power' WHERE id = @bootId", new { bootId, milliseconds });
    }

    /// <summary>Takes away a boot that came to nothing: a port that did not open, a file that was no log.</summary>
    public void Remove(string bootId)
    {
        using var connection = database.Connect();
        connection.Execute("DELETE FROM boots WHERE id = @bootId", new { bootId });
    }

    /// <summary>One boot, or null.</summary>
    public Boot? Find(string id)
    {
        using var connection = database.Connect();
        return
            connection.QuerySingleOrDefault<Row>($"SELECT {Columns} FROM boots WHERE id = @id AND removed_at IS NULL", new { id })
                is { } row
            ? Read(row)
            : null;
    }

    /// <summary>The boots of a board, newest first.</summary>
    public IReadOnlyList<Boot> Of(string boardId) =>
        Query("WHERE board_id = @boardId AND removed_at IS NULL ORDER BY number DESC", new { boardId });

    /// <summary>The newest boot of each board, by board id.</summary>
    public IReadOnlyDictionary<string, Boot> Latest() =>
        Query(
                "WHERE number = (SELECT MAX(number) FROM boots AS b WHERE b.board_id = boots.board_id AND b.removed_at IS NULL) AND removed_at IS NULL",
                new { }
            )
            .ToDictionary(b => b.BoardId);

    /// <summary>The newest boots of all boards.</summary>
    public IReadOnlyList<Boot> Newest(int most) =>
        Query($"WHERE removed_at IS NULL AND {OnTheBench} ORDER BY started_at DESC LIMIT @most", new { most });

    private const string OnTheBench = "board_id IN (SELECT id FROM boards WHERE removed_at IS NULL)";

    /// <summary>Notes which image a boot started, of several on its card.</summary>
    public void Started(string bootId, string imageId)
    {
        using var connection = database.Connect();
        connection.Execute("UPDATE boots SET image_id = @imageId WHERE id = @bootId AND image_id IS NOT @imageId", new { bootId, imageId });
    }

    /// <summary>How many boots there are.</summary>
    public int Count()
    {
        using var connection = database.Connect();
        return connection.ExecuteScalar<int>("SELECT COUNT(*) FROM boots");
    }

    /// <summary>Boots that ended, newest first.</summary>
    public IReadOnlyList<Boot> Ended() => Query("WHERE ended_at IS NOT NULL ORDER BY started_at DESC", new { });

    /// <summary>Boots that no one ended: captures that were running when the application stopped.</summary>
    public IReadOnlyList<Boot> Unended() => Query("WHERE ended_at IS NULL", new { });

    // Sums have no declared type in SQLite, so the columns are set by name and not through a constructor.
    private sealed class TallyRow
    {
        public string ImageId { get; init; } = "";
        public string BoardId { get; init; } = "";
        public string ModelId { get; init; } = "";
        public string RevisionId { get; init; } = "";
        public long Successes { get; init; }
        public long Tries { get; init; }
        public double? FastestSeconds { get; init; }
        public double? SlowestSeconds { get; init; }
    }

    /// <summary>Boots of every image on every board, counted; boots whose end is not known, or whose console was at fault, do not count.</summary>
    public IReadOnlyList<BootTally> Tallies()
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<TallyRow>(
                    """
                    WITH counted AS (
                      SELECT image_id, board_id, model_id, revision_id, outcome IN ('ReachedLogin', 'Degraded') AS good,
                        (SELECT json_extract(s.value, '$.milliseconds') / 1000.0 FROM json_each(stages) AS s WHERE json_extract(s.value, '$.stage') = 'login') AS seconds
                      FROM boots
                      WHERE image_id IS NOT NULL AND outcome IS NOT NULL AND outcome <> 'Cut' AND removed_at IS NULL
                        AND COALESCE(top_cause, '') NOT LIKE 'console-%'
                    )
                    SELECT image_id AS ImageId, board_id AS BoardId, model_id AS ModelId, revision_id AS RevisionId,
                      SUM(good) AS Successes, COUNT(*) AS Tries,
                      MIN(CASE WHEN good THEN seconds END) AS FastestSeconds, MAX(CASE WHEN good THEN seconds END) AS SlowestSeconds
                    FROM counted GROUP BY image_id, board_id, model_id, revision_id
                    """
                )
                .Select(r => new BootTally(
                    r.ImageId,
                    r.BoardId,
                    r.ModelId,
                    r.RevisionId,
                    (int)r.Successes,
                    (int)r.Tries,
                    r.FastestSeconds is { } fast ? (int)Math.Round(fast) : null,
                    r.SlowestSeconds is { } slow ? (int)Math.Round(slow) : null
                )),
        ];
    }

    /// <summary>Good boots of this pair with arrival times, newest first: for the bands beside the stages and the usual silence.</summary>
    public IReadOnlyList<Boot> Good(string modelId, string revisionId, string? imageId) =>
        [
            .. Query(
                    "WHERE model_id = @modelId AND revision_id = @revisionId AND image_id = @imageId AND outcome IN ('ReachedLogin', 'Degraded') AND removed_at IS NULL ORDER BY started_at DESC LIMIT 50",
                    new
                    {
                        modelId,
                        revisionId,
                        imageId,
                    }
                )
                .Where(b => b.Stages.All(s => s.Milliseconds is not null)),
        ];

    /// <summary>What two boards have in common that only share the instruction set.</summary>
    public const string OfTheKind = "boards of this kind";

    /// <summary>
    /// The good boots that tell most of what is usual for this one, newest first, and what they have in common with it: the board and the
    /// image, else the revision, else the image, else the kind of board. Empty with null when there is none at all.
    /// </summary>
    /// <param name="kind">The models that are of the same kind.</param>
    public (IReadOnlyList<Boot> Boots, string? Of) GoodLike(Boot boot, IReadOnlyList<string> kind)
    {
        IReadOnlyList<Boot> Like(string where) =>
            [
                .. Query(
                        $"WHERE {where} AND id <> @Id AND outcome IN ('ReachedLogin', 'Degraded') AND removed_at IS NULL ORDER BY started_at DESC LIMIT 50",
                        new
                        {
                            boot.Id,
                            boot.BoardId,
                            boot.ModelId,
                            boot.RevisionId,
                            boot.ImageId,
                            kind,
                        }
                    )
                    .Where(b => b.Stages.All(s => s.Milliseconds is not null)),
            ];
        foreach (
            var (where, of) in ((string, string)[])
                [
                    ("board_id = @BoardId AND image_id IS @ImageId", "this board and image"),
                    ("model_id = @ModelId AND revision_id = @RevisionId AND image_id IS @ImageId", "this revision and image"),
                    ("model_id = @ModelId AND revision_id = @RevisionId", "this revision"),
                    ("image_id = @ImageId", "this image"),
                    ("model_id IN @kind", OfTheKind),
                ]
        )
            if (Like(where) is { Count: > 0 } found)
                return (found, of);
        return ([], null);
    }

    /// <summary>Keeps what a person found by the check of a cause; null takes the answer back.</summary>
    public void Answer(string bootId, string causeId, CheckAnswer? answer, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Execute(
            answer is null
                ? "DELETE FROM boot_answers WHERE boot_id = @bootId AND cause = @causeId"
                : "INSERT OR REPLACE INTO boot_answers (boot_id, cause, answer, answered_at) VALUES (@bootId, @causeId, @answer, @at)",
            new
            {
                bootId,
                causeId,
                answer = answer?.ToString(),
                at = Rows.At(at),
            }
        );
    }

    /// <summary>What a person found after a boot, by cause.</summary>
    public IReadOnlyDictionary<string, CheckAnswer> Answers(string bootId)
    {
        using var connection = database.Connect();
        return connection
            .Query<(string Cause, string Answer)>("SELECT cause, answer FROM boot_answers WHERE boot_id = @bootId", new { bootId })
            .ToDictionary(a => a.Cause, a => Enum.Parse<CheckAnswer>(a.Answer));
    }

    private List<Boot> Query(string where, object parameters)
    {
        using var connection = database.Connect();
        return [.. connection.Query<Row>($"SELECT {Columns} FROM boots {where}", parameters).Select(Read)];
    }

    private static Boot Read(Row r) =>
        new(
            r.Id,
            r.BoardId,
            (int)r.Number,
            (int)r.CardNumber,
            r.ModelId,
            r.RevisionId,
            r.ImageId,
            r.Source,
            DateTimeOffset.Parse(r.StartedAt, CultureInfo.InvariantCulture),
            r.EndedAt is null ? null : DateTimeOffset.Parse(r.EndedAt, CultureInfo.InvariantCulture),
            r.EndedWhy,
            r.Outcome is null ? null : Enum.Parse<Outcome>(r.Outcome),
            r.LastStage is null ? null : Enum.Parse<Stage>(r.LastStage),
            JsonSerializer.Deserialize<StageReached[]>(r.Stages, DataFile.Json) ?? [],
            r.TopCause,
            (int?)r.LongestQuiet,
            r.EndKind is null ? null : Enum.Parse<CaptureEnd>(r.EndKind),
            (int?)r.EndQuiet,
            (int)r.PowerAt,
            r.Summary is null ? null : JsonSerializer.Deserialize<BootSummary>(r.Summary, DataFile.Json),
            r.Origin is null ? null : Enum.Parse<TimeOrigin>(r.Origin),
            r.Port is null ? null : JsonSerializer.Deserialize<CapturedPort>(r.Port, DataFile.Json)
        );
}
