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
)
{
    /// <summary>Whether it counts as a boot (see <see cref="BootSummary.IsCounted"/>); one that is still open does not yet.</summary>
    public bool Counts => Outcome is not (null or Core.Consoles.Outcome.Cut or Core.Consoles.Outcome.Garbled) && Summary?.Counts != false;

    /// <summary>How it ended, in words; one that goes on is "Booting".</summary>
    public string Word =>
        Outcome is not { } outcome ? "Booting"
        : Summary?.Helped == true && BootSummary.Good(outcome) ? StageWords.Helped
        : Summary?.StartSeen == false && BootSummary.Good(outcome) ? StageWords.Attached(LastStage)
        : StageWords.Of(outcome, LastStage);
}

/// <summary>What was tried in a boot.</summary>
/// <param name="Line">The line behind which it was typed, from 1.</param>
/// <param name="Offered">What was offered, as JSON.</param>
public sealed record KeptTrial(string Cause, long Line, string Offered);

/// <summary>An answer to a question of a boot.</summary>
/// <param name="Result">The result, or "unseen".</param>
/// <param name="Command">What the board was asked with; null when a person looked.</param>
public sealed record ToldAnswer(string Question, string Result, string? Command);

/// <summary>How the console of a boot was opened.</summary>
/// <param name="Source">What was asked for ("/dev/ttyUSB0", "tcp:10.20.0.9:4000").</param>
/// <param name="Adapter">What tells that the port is the same one when it is opened again; null where its name is enough.</param>
public sealed record CapturedPort(string Source, LineSettings Line, string? Adapter);

/// <summary>Boots and their bytes. Bytes are only ever appended.</summary>
public sealed partial class BootStore(Database database)
{
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

    /// <summary>Keeps what a person says of the end of a log that came as a file, whose summary is to be made anew; false for a log whose end was listened to.</summary>
    public bool TellEnd(string bootId, CaptureEnd end)
    {
        using var connection = database.Connect();
        return connection.Execute(
                """
                UPDATE boots SET end_kind = @end, summary = NULL, summary_version = 0
                WHERE id = @bootId AND ended_at IS NOT NULL AND end_kind IN ('Unknown', 'StoodStill', 'CaptureOver')
                """,
                new { bootId, end = end.ToString() }
            ) > 0;
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
            UPDATE boots SET ended_at = NULL, ended_why = NULL, end_kind = NULL, end_quiet = NULL, outcome = NULL, counts = NULL, top_cause = NULL,
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
                """
                WHERE id IN (
                  SELECT (SELECT b.id FROM boots AS b WHERE b.board_id = boards.id AND b.removed_at IS NULL ORDER BY b.number DESC LIMIT 1)
                  FROM boards WHERE removed_at IS NULL
                )
                """,
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

    /// <summary>Boots of every image on every board that count (the view counted_boots).</summary>
    public IReadOnlyList<BootTally> Tallies()
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<TallyRow>(
                    """
                    SELECT image_id AS ImageId, board_id AS BoardId, model_id AS ModelId, revision_id AS RevisionId,
                      SUM(good) AS Successes, COUNT(*) AS Tries,
                      MIN(CASE WHEN good THEN login_seconds END) AS FastestSeconds, MAX(CASE WHEN good THEN login_seconds END) AS SlowestSeconds
                    FROM counted_boots WHERE image_id IS NOT NULL GROUP BY image_id, board_id, model_id, revision_id
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

    /// <summary>The longest silence of the good boots of this pair, in milliseconds; null when none with times is known.</summary>
    /// <param name="but">The boot that asks.</param>
    public int? LongestQuiet(string modelId, string revisionId, string? imageId, string but)
    {
        using var connection = database.Connect();
        return connection.ExecuteScalar<int?>(
            "SELECT MAX(longest_quiet) FROM counted_boots WHERE good AND model_id = @modelId AND revision_id = @revisionId AND image_id = @imageId AND id <> @but",
            new
            {
                modelId,
                revisionId,
                imageId,
                but,
            }
        );
    }

    /// <summary>What two boards have in common that only share the instruction set.</summary>
    public const string OfTheKind = "boards of this kind";

    /// <summary>
    /// The good boots that tell most of what is usual for this one, newest first, and what they have in common with it: the board and the
    /// image, else the revision, else the image, else the kind of board. Empty with null when there is none at all.
    /// </summary>
    /// <param name="kind">The models that are of the same kind.</param>
    /// <param name="timed">Whether only boots with arrival times are asked for: what is usual needs them, a comparison does not.</param>
    public (IReadOnlyList<Boot> Boots, string? Of) GoodLike(Boot boot, IReadOnlyList<string> kind, bool timed)
    {
        using var connection = database.Connect();
        IReadOnlyList<Boot> Like(string where) =>
            [
                .. connection
                    .Query<Row>(
                        $"SELECT {Columns} FROM counted_boots WHERE {where} AND id <> @Id AND good {(timed ? "AND login_seconds IS NOT NULL" : "")} ORDER BY started_at DESC LIMIT 50",
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
                    .Select(Read),
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

    private List<Boot> Query(string where, object parameters)
    {
        using var connection = database.Connect();
        return [.. connection.Query<Row>($"SELECT {Columns} FROM boots {where}", parameters).Select(Read)];
    }
}
