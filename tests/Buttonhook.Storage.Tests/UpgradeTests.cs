using System.Text;
using Buttonhook.Core.Boards;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage.Tests;

/// <summary>Data of every version before comes with, and so do the changes that can be taken back.</summary>
public sealed class UpgradeTests : IDisposable
{
    private static readonly DateTimeOffset At = new(2026, 3, 14, 6, 0, 0, TimeSpan.Zero);
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;

    private string File => Path.Combine(folder, "bench.db");

    public void Dispose()
    {
        SqliteConnection.ClearAllPools();
        Directory.Delete(folder, true);
    }

    public static TheoryData<int> Versions => [.. Enumerable.Range(1, Database.Steps().Count - 1)];

    [Theory]
    [MemberData(nameof(Versions))]
    public void Data_of_each_schema_since_the_first_comes_with(int version)
    {
        using (var old = new SqliteConnection($"Data Source={File};Pooling=False"))
        {
            old.CreateFunction<string, string?>("acting", _ => null);
            old.Open();
            foreach (var step in Database.Steps().Take(version))
                old.Execute(step);
            old.Execute(
                """
                INSERT INTO boards (id, nickname, model_id, revision_id, memory_mib, card_gb, screen, network, told_by, image_id, simulated, position)
                VALUES ('a', 'Quince', 'quill-v', 'B', 4096, 32, 0, 1, '["mark"]', 'fallow', 0, 1);
                INSERT INTO changes (board_id, card_number, cause_id, text, made_at) VALUES ('a', 1, 'root-not-found', 'The line was corrected.', '2026-03-14T06:00:00.0000000+00:00');
                INSERT INTO boots (id, board_id, number, card_number, model_id, revision_id, image_id, source, started_at, ended_at, outcome, last_stage)
                VALUES ('b', 'a', 1, 1, 'quill-v', 'B', 'fallow', '/dev/ttyUSB0 at 115200 8N1', '2026-03-14T06:00:00.0000000+00:00', '2026-03-14T06:01:00.0000000+00:00', 'ReachedLogin', 'Login');
                INSERT INTO boot_bytes (boot_id, sequence, milliseconds, bytes) VALUES ('b', 1, 0, X'62797465730A');
                """
            );
            // From here on what counts is noted with each boot.
            if (version >= 20)
                old.Execute("UPDATE boots SET counts = 1");
            old.Execute($"PRAGMA user_version = {version}");
        }
        using var database = Database.Open(File).Value!;
        var board = Assert.Single(new BoardStore(database).All());
        Assert.Equal(("Quince", 32, "fallow"), (board.Board.Nickname, board.Board.Connected.CardGb, board.Board.ImageId));
        Assert.Equal("The line was corrected.", Assert.Single(board.Changes).Text);
        var boots = new BootStore(database);
        Assert.True(Assert.Single(boots.Of("a")).Counts);
        Assert.Equal("bytes\n", Encoding.UTF8.GetString([.. boots.Pieces("b").SelectMany(p => p.Bytes)]));
        Assert.Equal((1, 1), (Assert.Single(boots.Tallies()).Successes, boots.Tallies()[0].Tries));
    }

    [Fact]
    public void A_removed_board_has_its_own_name_again_and_whoever_took_it_keeps_it()
    {
        using (var old = new SqliteConnection($"Data Source={File};Pooling=False;Foreign Keys=True"))
        {
            old.CreateFunction<string, string?>("acting", _ => null);
            old.Open();
            foreach (var step in Database.Steps().Take(21))
                old.Execute(step);
            old.Execute(
                """
                INSERT INTO boards (id, nickname, model_id, revision_id, screen, network, told_by, simulated, position, removed_at) VALUES
                  ('a', 'Quince' || char(31) || 'a', 'quill-v', 'B', 0, 1, '[]', 0, 1, '2026-03-14T06:00:00.0000000+00:00'),
                  ('b', 'quince', 'quill-v', 'B', 0, 1, '[]', 0, 2, NULL);
                INSERT INTO boots (id, board_id, number, card_number, model_id, revision_id, source, started_at)
                VALUES ('x', 'a', 1, 1, 'quill-v', 'B', 'simulated', '2026-03-14T06:00:00.0000000+00:00');
                INSERT INTO edits (id, token, made_at) VALUES (1, 't', '2026-03-14T06:00:00.0000000+00:00');
                INSERT INTO edit_rows (edit_id, kind, key, version, before, after)
                SELECT 1, 'board', 'a', 1, json_set(state, '$.nickname', 'Quince', '$.removed_at', NULL), state FROM boards WHERE id = 'a';
                PRAGMA user_version = 21;
                """
            );
        }
        using var database = Database.Open(File).Value!;
        Assert.Equal("Quince", Assert.Single(new RemovalStore(database).All(), t => t.Kind == "board").Name);
        // Its boots are there still, and its name is free again once the other one gives it back.
        using (var connection = database.Connect())
            Assert.Equal(1, connection.ExecuteScalar<int>("SELECT COUNT(*) FROM boots WHERE board_id = 'a'"));
        var edits = new EditStore(database);
        Assert.Equal("Quince", Assert.Single(Assert.Single(edits.Newest(1)).Rows).Nickname);
        Assert.Contains("took this one meanwhile", edits.Undo(1, At)!.Came);
        var boards = new BoardStore(database);
        boards.Save(boards.Find("b")!.Board with { Nickname = "Medlar" }, null);
        Assert.Null(edits.Undo(1, At));
        Assert.Equal(["Quince", "Medlar"], boards.All().Select(b => b.Board.Nickname));
        Assert.Contains("taken", boards.Save(boards.Find("b")!.Board with { Nickname = "QUINCE" }, null).Problem!.Came);
    }

    [Fact]
    public void A_change_can_be_taken_back_after_a_schema_step_that_adds_a_column()
    {
        using var database = Database.Open(File).Value!;
        var boards = new BoardStore(database);
        var edits = new EditStore(database);
        var board = new Board("a", "Quince", "quill-v", "B", 4096, new(32, false, true, null, null, null, []), ["mark"], null, [], false);
        boards.Save(board, null);
        using (EditScope.Begin(At))
            boards.Save(board with { Nickname = "Medlar" }, null);
        var made = Assert.Single(edits.Newest(10));
        using (var connection = database.Connect())
        {
            // What a schema step does that lets people change one thing more.
            foreach (
                var trigger in connection
                    .Query<string>("SELECT name FROM sqlite_master WHERE type = 'trigger' AND tbl_name = 'boards'")
                    .ToList()
            )
                connection.Execute($"DROP TRIGGER {trigger}");
            var state = connection.ExecuteScalar<string>("SELECT sql FROM sqlite_master WHERE name = 'boards'")!;
            var members = state[(state.IndexOf("json_object(", StringComparison.Ordinal) + "json_object(".Length)..];
            members = members[..members.IndexOf("))", StringComparison.Ordinal)];
            connection.Execute("ALTER TABLE boards DROP COLUMN state");
            connection.Execute("ALTER TABLE boards ADD COLUMN place TEXT NOT NULL DEFAULT 'southern wall'");
            connection.Execute($"ALTER TABLE boards ADD COLUMN state TEXT AS (json_object({members}, 'place', place)) VIRTUAL");
        }
        Assert.Null(edits.Undo(made.Id, At));
        Assert.Equal("Quince", boards.Find("a")!.Board.Nickname);
        using (var connection = database.Connect())
            Assert.Equal("southern wall", connection.ExecuteScalar<string>("SELECT place FROM boards"));
    }
}
