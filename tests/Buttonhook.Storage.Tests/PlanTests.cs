using Dapper;
using Microsoft.Data.Sqlite;
using SQLitePCL;

namespace Buttonhook.Storage.Tests;

/// <summary>What is asked most often is looked up, with ten thousand boots: no table is gone through from end to end for one row of it.</summary>
public sealed class PlanTests : IDisposable
{
    private const int Boots = 10_000,
        Boards = 50;

    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;

    public void Dispose()
    {
        SqliteConnection.ClearAllPools();
        Directory.Delete(folder, true);
    }

    private Database Filled()
    {
        var database = Database.Open(Path.Combine(folder, "bench.db")).Value!;
        using var connection = database.Connect();
        connection.Execute(
            """
            WITH RECURSIVE n(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i + 1 < @Boards)
            INSERT INTO boards (id, nickname, model_id, revision_id, screen, network, told_by, simulated, position)
            SELECT 'b' || i, 'Board ' || i, 'm' || (i % 5), 'A', 0, 1, '[]', 1, i FROM n;
            WITH RECURSIVE n(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i + 1 < @Boots)
            INSERT INTO boots (id, board_id, number, card_number, model_id, revision_id, image_id, source, started_at, ended_at, outcome, counts, last_stage)
            SELECT 'x' || i, 'b' || (i % @Boards), i / @Boards + 1, 1, 'm' || (i % 5), 'A', 'fallow', 'simulated',
              strftime('%Y-%m-%dT%H:%M:%S', 1700000000 + i, 'unixepoch') || '.0000000+00:00',
              strftime('%Y-%m-%dT%H:%M:%S', 1700000060 + i, 'unixepoch') || '.0000000+00:00', 'ReachedLogin', 1, 'Login' FROM n;
            INSERT INTO settings (board_id, version, boot_id, settings, saved_at)
            SELECT board_id, number, id, '{}', started_at FROM boots;
            ANALYZE;
            """,
            new { Boots, Boards }
        );
        return database;
    }

    /// <summary>The statements that something runs, each with the steps of its plan.</summary>
    private static List<(string Sql, string[] Steps)> Plans(Database database, Action work)
    {
        var asked = new List<string>();
        using var connection = database.Connect();
        // The pool gives the same connection again, one after another.
        var handle = connection.Handle!;
        connection.Close();
        raw.sqlite3_trace(handle, (_, sql) => asked.Add(sql), null);
        try
        {
            work();
        }
        finally
        {
            raw.sqlite3_trace(handle, (strdelegate_trace?)null, null);
        }
        using var again = database.Connect();
        return
        [
            .. asked
                .Where(s => s.TrimStart().StartsWith("SELECT", StringComparison.OrdinalIgnoreCase))
                .Distinct()
                .Select(s => (s, again.Query($"EXPLAIN QUERY PLAN {s}").Select(r => (string)r.detail).ToArray())),
        ];
    }

    [Fact]
    public void What_a_page_asks_of_one_board_or_boot_goes_through_an_index()
    {
        using var database = Filled();
        var (boards, boots, settings) = (new BoardStore(database), new BootStore(database), new SettingsStore(database));
        var one = boots.Find("x77")!;
        (string Name, Action Work)[] asked =
        [
            ("a boot", () => boots.Find("x77")),
            ("a board", () => boards.Find("b7")),
            ("the boots of a board", () => boots.Of("b7")),
            ("the newest boot of each board", () => boots.Latest()),
            ("the reading of a boot", () => boots.Reading("x77", 1)),
            ("the events of a boot", () => boots.Events("x77")),
            ("the bytes of a boot", () => boots.LogBytes("x77")),
            ("the answers of a boot", () => boots.Answers("x77")),
            ("good boots like one", () => boots.GoodLike(one, ["m2"], timed: false)),
            ("the records of a board", () => settings.Of("b7")),
        ];
        foreach (var (name, work) in asked)
        {
            var plans = Plans(database, work);
            Assert.True(plans.Count > 0, $"{name}: nothing was asked");
            foreach (var (sql, steps) in plans)
                Assert.False(
                    steps.Any(s => s.StartsWith("SCAN", StringComparison.Ordinal) && !s.Contains("boards") && !s.Contains("CONSTANT ROW")),
                    $"{name}: {string.Join("; ", steps)}\n{sql}"
                );
        }
    }
}
