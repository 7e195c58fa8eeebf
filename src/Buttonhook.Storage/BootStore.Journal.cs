using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage;

/// <summary>A log of which a part lies on damaged pages of the data file; other logs are not harmed by it.</summary>
/// <param name="readableBytes">How many of its bytes can be read.</param>
/// <param name="damagedFrom">The byte, counted from 0, behind which the first ones are missing.</param>
/// <param name="cause">SQLite's error 11 (SQLITE_CORRUPT).</param>
public sealed class DamagedLogException(long readableBytes, long damagedFrom, SqliteException cause)
    : SqliteException(cause.Message, cause.SqliteErrorCode, cause.SqliteExtendedErrorCode)
{
    /// <summary>How many of its bytes can be read.</summary>
    public long ReadableBytes { get; } = readableBytes;

    /// <summary>The byte, counted from 0, behind which the first ones are missing.</summary>
    public long DamagedFrom { get; } = damagedFrom;
}

// The journal: the bytes as they arrived, and what was computed from all of them once.
public sealed partial class BootStore
{
    /// <summary>Appends entries in one transaction; throws <see cref="SqliteException"/> (13 when the disk is full) and then has stored none of them.</summary>
    public void Append(string bootId, IReadOnlyList<JournalEntry> entries)
    {
        using var unit = database.Begin();
        using var connection = database.Connect();
        var next = connection.ExecuteScalar<long>(
            "SELECT COALESCE(MAX(sequence), -1) + 1 FROM boot_bytes WHERE boot_id = @bootId",
            new { bootId }
        );
        connection.Execute(
            "INSERT INTO boot_bytes (boot_id, sequence, milliseconds, bytes) VALUES (@bootId, @sequence, @Milliseconds, @Bytes)",
            entries
                .Where(e => e.Event is null)
                .Select(e => new
                {
                    bootId,
                    sequence = next++,
                    e.Piece.Milliseconds,
                    e.Piece.Bytes,
                })
        );
        connection.Execute(
            "INSERT INTO boot_events (boot_id, milliseconds, kind, text, at_byte, bytes) VALUES (@bootId, @Milliseconds, @kind, @Text, @AtByte, @Bytes)",
            entries
                .Select(e => e.Event)
                .OfType<JournalEvent>()
                .Select(e => new
                {
                    bootId,
                    e.Milliseconds,
                    kind = e.Kind.ToString(),
                    e.Text,
                    e.AtByte,
                    e.Bytes,
                })
        );
        unit.Commit();
    }

    /// <summary>Whether its bytes came from a file that says no times, and not from a console; false when its first page is damaged.</summary>
    public bool IsFile(string bootId)
    {
        using var connection = database.Connect();
        try
        {
            return connection.ExecuteScalar<long?>(
                    "SELECT milliseconds FROM boot_bytes WHERE boot_id = @bootId ORDER BY sequence LIMIT 1",
                    new { bootId }
                ) < 0;
        }
        catch (SqliteException e) when (e.SqliteErrorCode == Database.Corrupt)
        {
            return false;
        }
    }

    private sealed record EventRow(long Milliseconds, string Kind, string Text, long? AtByte, byte[]? Bytes);

    /// <summary>What happened during a boot beside its bytes, in order.</summary>
    public IReadOnlyList<JournalEvent> Events(string bootId)
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<EventRow>(
                    "SELECT milliseconds AS Milliseconds, kind AS Kind, text AS Text, at_byte AS AtByte, bytes AS Bytes FROM boot_events WHERE boot_id = @bootId ORDER BY milliseconds, id",
                    new { bootId }
                )
                .Select(e => new JournalEvent((int)e.Milliseconds, Enum.Parse<EventKind>(e.Kind), e.Text, e.AtByte, e.Bytes)),
        ];
    }

    /// <summary>Bytes and events of a boot as far as they are stored now, in the order in which they came; an event of which that is not known comes first.</summary>
    public IEnumerable<JournalEntry> Journal(string bootId) =>
        Together(new(Events(bootId).OrderBy(e => e.AtByte ?? -1)), Pieces(bootId, 0, Stored(bootId) ?? int.MaxValue));

    private static IEnumerable<JournalEntry> Together(Queue<JournalEvent> events, IEnumerable<StoredPiece> pieces)
    {
        long received = 0;
        foreach (var piece in pieces)
        {
            while (events.TryPeek(out var next) && (next.AtByte ?? -1) <= received)
                yield return events.Dequeue();
            received += piece.Bytes.Length;
            yield return piece;
        }
        while (events.TryDequeue(out var last))
            yield return last;
    }

    /// <summary>Milliseconds from the begin of the capture to the last byte or event that was stored; 0 without any.</summary>
    public int LastMoment(string bootId)
    {
        using var connection = database.Connect();
        return connection.ExecuteScalar<int>(
            """
            SELECT MAX(0, COALESCE((SELECT milliseconds FROM boot_bytes WHERE boot_id = @bootId ORDER BY sequence DESC LIMIT 1), 0),
              COALESCE((SELECT MAX(milliseconds) FROM boot_events WHERE boot_id = @bootId), 0))
            """,
            new { bootId }
        );
    }

    /// <summary>Keeps a log exactly as it came, whose times were taken out of it.</summary>
    public void KeepOriginal(string bootId, string name, byte[] bytes)
    {
        using var connection = database.Connect();
        connection.Execute(
            "INSERT INTO boot_originals (boot_id, name, bytes) VALUES (@bootId, @name, @bytes)",
            new
            {
                bootId,
                name,
                bytes,
            }
        );
    }

    /// <summary>A log exactly as it came, where it came with times of another program; else null.</summary>
    public (string Name, byte[] Bytes)? Original(string bootId)
    {
        using var connection = database.Connect();
        return connection.QuerySingleOrDefault<(string, byte[])?>(
            "SELECT name, bytes FROM boot_originals WHERE boot_id = @bootId",
            new { bootId }
        );
    }

    /// <summary>The longest silence behind lines of these shapes in some boots: (shape, milliseconds, how many of the boots have it).</summary>
    public IReadOnlyList<(long Shape, int Milliseconds, int Boots)> Pauses(IReadOnlyList<string> bootIds, IReadOnlyList<long> shapes)
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<(long, long, long)>(
                    "SELECT shape, MAX(milliseconds), COUNT(*) FROM boot_pauses WHERE shape IN @shapes AND boot_id IN @bootIds GROUP BY shape",
                    new { shapes, bootIds }
                )
                .Select(p => (p.Item1, (int)p.Item2, (int)p.Item3)),
        ];
    }

    /// <summary>
    /// The pieces of a boot in order of arrival. One that lies on a damaged page comes as an empty one, and behind the last piece follows
    /// <see cref="DamagedLogException"/>.
    /// </summary>
    /// <param name="first">The first piece, counted from 0.</param>
    /// <param name="most">How many at most.</param>
    public IEnumerable<StoredPiece> Pieces(string bootId, int first = 0, int most = int.MaxValue)
    {
        using var connection = database.Connect();
        using var reader = connection.ExecuteReader(
            "SELECT milliseconds, bytes FROM boot_bytes WHERE boot_id = @bootId AND sequence >= @first ORDER BY sequence LIMIT @most",
            new
            {
                bootId,
                first,
                most,
            }
        );
        var sequence = first;
        long readable = 0;
        SqliteException? damage = null;
        while (damage is null)
        {
            StoredPiece piece;
            try
            {
                if (!reader.Read())
                    yield break;
                piece = new(reader.GetInt32(0), (byte[])reader[1]);
            }
            catch (SqliteException e) when (e.SqliteErrorCode == Database.Corrupt)
            {
                damage = e;
                break;
            }
            sequence++;
            readable += piece.Bytes.Length;
            yield return piece;
        }
        var damagedFrom = readable;
        var end = Math.Min(Stored(bootId) ?? 0, most == int.MaxValue ? int.MaxValue : first + most);
        for (; sequence < end; sequence++)
        {
            var piece = Piece(bootId, sequence);
            readable += piece.Bytes.Length;
            yield return piece;
        }
        throw new DamagedLogException(readable, damagedFrom, damage);
    }

    private static readonly StoredPiece Missing = new(-1, []);

    private StoredPiece Piece(string bootId, int sequence)
    {
        using var connection = database.Connect();
        try
        {
            using var reader = connection.ExecuteReader(
                "SELECT milliseconds, bytes FROM boot_bytes WHERE boot_id = @bootId AND sequence = @sequence",
                new { bootId, sequence }
            );
            return reader.Read() ? new(reader.GetInt32(0), (byte[])reader[1]) : Missing;
        }
        catch (SqliteException e) when (e.SqliteErrorCode == Database.Corrupt)
        {
            return Missing;
        }
    }

    /// <summary>How many pieces of a boot were stored; null where the index is damaged.</summary>
    private int? Stored(string bootId)
    {
        using var connection = database.Connect();
        try
        {
            return connection.ExecuteScalar<int>(
                "SELECT COALESCE(MAX(sequence), -1) + 1 FROM boot_bytes WHERE boot_id = @bootId",
                new { bootId }
            );
        }
        catch (SqliteException e) when (e.SqliteErrorCode == Database.Corrupt)
        {
            return null;
        }
    }

    /// <summary>How many bytes a boot printed.</summary>
    public long LogBytes(string bootId)
    {
        using var connection = database.Connect();
        return connection.ExecuteScalar<long>(
            "SELECT COALESCE(SUM(LENGTH(bytes)), 0) FROM boot_bytes WHERE boot_id = @bootId",
            new { bootId }
        );
    }

    /// <summary>Notes that a part of the log of a boot cannot be read: its end is unknown from now on, and what it says is to be read anew.</summary>
    public void NoteDamage(string bootId, long readableBytes, long damagedFrom)
    {
        using var connection = database.Connect();
        connection.Execute(
            """
            UPDATE boots SET ended_why = @why, end_kind = @kind, end_quiet = NULL, summary = NULL, summary_version = 0 WHERE id = @bootId AND ended_why IS NOT @why;
            """,
            new
            {
                bootId,
                kind = nameof(CaptureEnd.Unknown),
                why = $"The data file is damaged: {readableBytes} bytes of this log can be read, some behind byte {damagedFrom} cannot. Restore buttonhook.db from a copy.",
            }
        );
    }

    /// <summary>Notes that a part of the log of a boot can be read, but is not what was received.</summary>
    public void NoteChanged(string bootId, LogPage page)
    {
        using var connection = database.Connect();
        connection.Execute(
            "UPDATE boots SET ended_why = @why WHERE id = @bootId",
            new
            {
                bootId,
                why = $"Something among bytes {page.Offset} to {page.Offset + page.Bytes} of this log is not as it was received: the data file or its disk is damaged. Restore buttonhook.db from a copy.",
            }
        );
    }

    private sealed record Kept(BootReading Reading, Diagnosis Diagnosis);

    /// <summary>What the bytes of a boot say as it was kept when it ended; null when these rules have not read it.</summary>
    /// <param name="version">Tells rules from others, see <see cref="RuleBookIndex.Version"/>.</param>
    public (BootReading Reading, Diagnosis Diagnosis, IReadOnlyList<LogPage> Pages)? Reading(string bootId, long version)
    {
        using var connection = database.Connect();
        var row = connection.QuerySingleOrDefault<(string Reading, string Pages)?>(
            "SELECT reading, pages FROM boot_readings JOIN boots ON id = boot_id WHERE boot_id = @bootId AND summary_version = @version",
            new { bootId, version }
        );
        return
            row is { } kept
            && JsonSerializer.Deserialize<Kept>(kept.Reading, DataFile.Json) is { } said
            && JsonSerializer.Deserialize<List<LogPage>>(kept.Pages, DataFile.Json) is { } pages
            ? (said.Reading, said.Diagnosis, pages)
            : null;
    }

    /// <summary>Ended boots that these rules have not read, newest first.</summary>
    public IReadOnlyList<Boot> OutOfDate(long version) =>
        Query("WHERE summary_version <> @version AND ended_at IS NOT NULL ORDER BY started_at DESC", new { version });

    /// <summary>Notes what a capture that goes on says so far; its outcome stays open while <paramref name="settled"/> is false.</summary>
    public void Note(string bootId, BootReading reading, Diagnosis diagnosis, bool settled)
    {
        using var connection = database.Connect();
        Summarise(connection, bootId, reading, diagnosis, settled, null, 0);
    }

    /// <summary>Keeps what a capture that ended says, and where its pages lie.</summary>
    public void Keep(string bootId, ReadCapture read, long version)
    {
        using var unit = database.Begin();
        using var connection = database.Connect();
        Summarise(connection, bootId, read.Reading, read.Diagnosis, true, BootSummary.Of(read), version);
        connection.Execute(
            "UPDATE boots SET power_at = @PowerAt, origin = @origin WHERE id = @bootId",
            new
            {
                bootId,
                read.Log.PowerAt,
                origin = read.Log.Origin.ToString(),
            }
        );
        connection.Execute(
            "INSERT OR REPLACE INTO boot_readings (boot_id, reading, pages) SELECT id, @reading, @pages FROM boots WHERE id = @bootId",
            new
            {
                bootId,
                reading = Rows.Json(new Kept(read.Reading, read.Diagnosis)),
                pages = Rows.Json(read.Log.Pages),
            }
        );
        KeepPauses(connection, bootId, read);
        unit.Commit();
    }

    /// <summary>Keeps how long a good boot was quiet behind its lines.</summary>
    private static void KeepPauses(SqliteConnection connection, string bootId, ReadCapture read)
    {
        connection.Execute("DELETE FROM boot_pauses WHERE boot_id = @bootId", new { bootId });
        if (
            !BootSummary.IsCounted(read.Reading, read.Diagnosis)
            || !BootSummary.Good(read.Diagnosis.Outcome)
            || read.Reading.StageLines.FirstOrDefault(s => s.Stage == Stage.Login) is not { } login
        )
            return;
        connection.Execute(
            "INSERT INTO boot_pauses (boot_id, shape, milliseconds) SELECT id, @shape, @milliseconds FROM boots WHERE id = @bootId",
            Core.Consoles.Pauses.Of(read.Log, login.Line)
                .Select(p => new
                {
                    bootId,
                    shape = p.Key,
                    milliseconds = p.Value,
                })
        );
    }

    private static void Summarise(
        SqliteConnection connection,
        string bootId,
        BootReading reading,
        Diagnosis diagnosis,
        bool settled,
        BootSummary? summary,
        long version
    ) =>
        connection.Execute(
            "UPDATE boots SET outcome = @outcome, counts = @counts, last_stage = @lastStage, stages = @stages, top_cause = @topCause, longest_quiet = @quiet, summary_version = @version, summary = @summary WHERE id = @bootId",
            new
            {
                bootId,
                outcome = settled ? diagnosis.Outcome.ToString() : null,
                counts = settled ? BootSummary.IsCounted(reading, diagnosis) : (bool?)null,
                lastStage = reading.LastStage?.ToString(),
                stages = Rows.Json(reading.StageLines),
                topCause = settled ? diagnosis.Causes[0].Id : null,
                quiet = reading.LongestQuietMilliseconds,
                version,
                summary = summary is null ? null : Rows.Json(BesideColumns.Of(summary)),
            }
        );
}
