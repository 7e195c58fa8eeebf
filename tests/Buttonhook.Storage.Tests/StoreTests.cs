using System.Text;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Matching;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage.Tests;

/// <summary>All on a real SQLite file in a folder of its own.</summary>
public sealed class StoreTests : IDisposable
{
    private static readonly DateTimeOffset At = new(2026, 3, 14, 6, 0, 0, TimeSpan.Zero);
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;
    private readonly Database database;
    private readonly BoardStore boards;
    private readonly BootStore boots;

    public StoreTests()
    {
        database = Database.Open(Path.Combine(folder, "bench.db")).Value!;
        boards = new(database);
        boots = new(database);
    }

    public void Dispose()
    {
        database.Dispose();
        Directory.Delete(folder, true);
    }

    private static Board Board(string id = "a", string nickname = "Quince") =>
        new(
            id,
            nickname,
            "quill-v",
            "B",
            4096,
            new(32, false, true, "usb-5v-3a", null, "usb-usual", ["ssd", "fan"]),
            ["mark", "loader"],
            null,
            [],
            true
        );

    private BenchBoard Saved(string id = "a", string nickname = "Quince") => boards.Save(Board(id, nickname), "disk-full").Value!;

    [Fact]
    public void A_board_comes_back_as_it_was_saved()
    {
        Saved();
        var found = boards.Find("a")!;
        Assert.Equal(
            Board() with
            {
                ToldBy = found.Board.ToldBy,
                Changes = found.Board.Changes,
                Connected = Board().Connected with { Parts = found.Board.Connected.Parts },
            },
            found.Board
        );
        Assert.Equal(["ssd", "fan"], found.Board.Connected.Parts!);
        Assert.Equal(["mark", "loader"], found.Board.ToldBy);
        Assert.Equal("disk-full", found.FaultId);
    }

    [Fact]
    public void Two_boards_with_one_nickname_are_a_problem_whatever_its_case()
    {
        Saved();
        Assert.Contains("is taken", boards.Save(Board("b", "QUINCE"), null).Problem!.Came);
        Assert.Single(boards.All());
    }

    [Fact]
    public void Saving_again_keeps_the_image_and_the_place_on_the_bench()
    {
        Saved();
        Saved("b", "Medlar");
        boards.ChooseImage("a", "fallow");
        boards.Save(Board() with { MemoryMiB = 8192 }, null);
        Assert.Equal(["a", "b"], boards.All().Select(b => b.Board.Id));
        Assert.Equal(("fallow", 8192), (boards.Find("a")!.Board.ImageId, boards.Find("a")!.Board.MemoryMiB));
    }

    [Fact]
    public void A_new_card_forgets_what_was_changed_on_the_old_one()
    {
        Saved();
        boards.ChooseImage("a", "fallow");
        boards.AddChange("a", "root-not-found", "root= was corrected.", At);
        Assert.Equal(["root= was corrected."], boards.Find("a")!.Board.Changes);
        Assert.Equal(At, boards.Find("a")!.ChangedAt);
        boards.ChooseImage("a", "tallow");
        Assert.Empty(boards.Find("a")!.Board.Changes);
        Assert.Equal(3, boards.Find("a")!.CardNumber);
    }

    [Fact]
    public void A_board_whose_memory_nobody_knows_is_kept_as_such()
    {
        var board = Saved().Board with { Id = "b", Nickname = "Medlar", MemoryMiB = null };
        Assert.Null(boards.Save(board, null).Value!.Board.MemoryMiB);
        Assert.Null(boards.Find("b")!.Board.MemoryMiB);
        Assert.Contains("is taken", boards.Save(board with { Id = "c" }, null).Problem!.Came);
    }

    [Fact]
    public void Bytes_come_back_exactly_and_in_order()
    {
        var boot = boots.Begin(Saved(), "test", At);
        var all = Enumerable.Range(0, 256).Select(b => (byte)b).ToArray();
        boots.Append(boot.Id, [new StoredPiece(5, all), new StoredPiece(9, [0, 0])]);
        boots.Append(boot.Id, [new StoredPiece(12, "end"u8.ToArray())]);
        var pieces = boots.Pieces(boot.Id).ToList();
        Assert.Equal([5, 9, 12], pieces.Select(p => p.Milliseconds));
        Assert.Equal([.. all, 0, 0, .. "end"u8], pieces.SelectMany(p => p.Bytes));
    }

    [Fact]
    public void A_damaged_page_harms_the_log_that_lies_on_it_and_no_other()
    {
        var bench = Saved();
        var (first, second) = (boots.Begin(bench, "test", At), boots.Begin(bench, "test", At));
        foreach (var (boot, letter) in new[] { (first, 'a'), (second, 'A') })
            boots.Append(
                boot.Id,
                [.. Enumerable.Range(0, 12).Select(k => new StoredPiece(k, Encoding.ASCII.GetBytes(new string((char)(letter + k), 3000))))]
            );
        using (var connection = database.Connect())
            connection.Execute("PRAGMA wal_checkpoint(TRUNCATE)");
        database.Dispose();
        var path = Path.Combine(folder, "bench.db");
        var file = File.ReadAllBytes(path);
        // The page of the first log's sixth piece.
        var page = Enumerable.Range(1, file.Length / 4096 - 1).Single(p => file.AsSpan(p * 4096, 4096).Count((byte)'f') > 2500);
        file.AsSpan(page * 4096, 4096).Clear();
        File.WriteAllBytes(path, file);

        long read = 0;
        var damage = Assert.Throws<DamagedLogException>(() =>
        {
            foreach (var piece in boots.Pieces(first.Id))
                read += piece.Bytes.Length;
        });
        // The sixth piece is missing; what came behind it is there.
        Assert.Equal(11 * 3000, read);
        Assert.Equal((read, 5 * 3000), (damage.ReadableBytes, damage.DamagedFrom));
        Assert.Equal(12 * 3000, boots.Pieces(second.Id).Sum(p => p.Bytes.Length));
        boots.NoteDamage(first.Id, damage.ReadableBytes, damage.DamagedFrom);
        Assert.Contains("33000 bytes of this log can be read, some behind byte 15000 cannot", boots.Find(first.Id)!.EndedWhy);
    }

    [Fact]
    public void On_a_full_disk_a_batch_is_refused_whole_and_fits_once_there_is_room()
    {
        var boot = boots.Begin(Saved(), "test", At);
        boots.Append(boot.Id, [new StoredPiece(1, "before"u8.ToArray())]);
        // SQLite's own limit on pages gives the same error as a full disk; the pool hands out the limited connection again.
        void Limit(long pages)
        {
            using var connection = database.Connect();
            connection.Execute($"PRAGMA max_page_count = {pages}");
        }
        long used;
        using (var connection = database.Connect())
            used = connection.ExecuteScalar<long>("PRAGMA page_count");
        Limit(used + 2);
        JournalEntry[] batch = [new StoredPiece(2, "small"u8.ToArray()), new StoredPiece(3, new byte[1 << 20])];
        Assert.Equal(13, Assert.Throws<SqliteException>(() => boots.Append(boot.Id, batch)).SqliteErrorCode);
        Assert.Equal("before", Encoding.ASCII.GetString([.. boots.Pieces(boot.Id).SelectMany(p => p.Bytes)]));
        Limit(1 << 20);
        boots.Append(boot.Id, batch);
        Assert.Equal(3, boots.Pieces(boot.Id).Count());
    }

    [Fact]
    public void Boots_are_counted_for_each_board_and_a_boot_without_end_is_found()
    {
        var bench = Saved();
        var first = boots.Begin(bench, "one", At);
        boots.End(first.Id, "Ended by you.", At.AddMinutes(1), new(CaptureEnd.Person, 700));
        var second = boots.Begin(bench, "two", At.AddHours(1));
        Assert.Equal((1, 2), (first.Number, second.Number));
        Assert.Equal(second.Id, Assert.Single(boots.Unended()).Id);
        Assert.Equal(second.Id, boots.Latest()["a"].Id);
        boots.Remove(second.Id);
        Assert.Equal(first.Id, Assert.Single(boots.Of("a")).Id);
    }

    [Fact]
    public void The_record_counts_logins_and_leaves_out_console_faults_and_open_ends()
    {
        Saved();
        boards.ChooseImage("a", "fallow");
        var bench = boards.Find("a")!;
        void Boot(Outcome outcome, string? cause, bool settled, int? login, bool start = true, bool console = false)
        {
            var boot = boots.Begin(bench, "test", At);
            StageReached[] stages = login is { } ms ? [new(Stage.Login, 90, ms)] : [];
            var reading = new BootReading(
                outcome,
                login is null ? Stage.Kernel : Stage.Login,
                settled,
                [],
                stages,
                new(null, null, null, null, null, null, null, []),
                default,
                12_000,
                start
            );
            var said = Said(outcome, cause);
            boots.Note(boot.Id, reading, said with { Causes = [said.Causes[0] with { ConsoleAtFault = console }] }, settled);
        }
        Boot(Outcome.ReachedLogin, "none", true, 41_000);
        Boot(Outcome.Degraded, "disk-full", true, 24_400);
        Boot(Outcome.Stopped, "root-not-found", true, null);
        // What says nothing of the board: a garbled line, a console at fault, one that was opened on a running board, one that goes on.
        Boot(Outcome.Garbled, "console-speed-mismatch", true, null);
        Boot(Outcome.Stopped, "anything", true, null, console: true);
        Boot(Outcome.ReachedLogin, "none", true, 0, start: false);
        Boot(Outcome.Stopped, null, false, null);
        Assert.Equal(new BootTally("fallow", "a", "quill-v", "B", 2, 3, 24, 41), Assert.Single(boots.Tallies()));
        Assert.Equal(3, boots.Counted().Count);
        Assert.Equal(12_000, boots.LongestQuiet("quill-v", "B", "fallow", "other"));
        var asks = boots.Begin(bench, "test", At);
        Assert.Equal(2, boots.GoodLike(asks, [], timed: true).Boots.Count);
        // A good log without times tells what is usual of nothing, and can be compared with.
        Boot(Outcome.ReachedLogin, "none", true, null);
        Assert.Equal(2, boots.GoodLike(asks, [], timed: true).Boots.Count);
        Assert.Equal(3, boots.GoodLike(asks, [], timed: false).Boots.Count);
    }

    [Fact]
    public void Settings_are_kept_as_versions_that_never_change()
    {
        var boot = boots.Begin(Saved(), "test", At);
        var store = new SettingsStore(database);
        var settings = new WorkingSettings(
            WorkingSettings.FormatName,
            "Quince",
            [new("time.login", "Login", "41.5 s", Standing.Proven, "the log", 120)],
            [],
            null,
            "note",
            null,
            At
        );
        store.Keep("a", boot.Id, settings, At);
        store.Keep("a", boot.Id, settings with { Notes = "second" }, At);
        var versions = store.Of("a");
        Assert.Equal([2, 1], versions.Select(v => v.Version));
        Assert.Equal("note", versions[1].Settings.Notes);
        Assert.Equal(("41.5 s", 120), (versions[1].Settings.Of("time.login"), versions[1].Settings.Settings[0].Line));
        // What was begun before the second version is not kept over it.
        Assert.Null(store.Keep("a", boot.Id, settings, At, after: 1));
        Assert.Equal(3, store.Keep("a", null, settings, At, "a file", 2)!.Version);
        Assert.Equal(("a file", null), (store.Of("a")[0].CameFrom, store.Of("a")[0].BootId));
    }

    [Fact]
    public void A_board_that_was_removed_comes_back_with_its_boots_bytes_and_settings()
    {
        var boot = boots.Begin(Saved(), "test", At);
        boots.Append(boot.Id, [new StoredPiece(1, [1]), new JournalEvent(5, EventKind.Mark, "The light went out", 1)]);
        var removals = new RemovalStore(database);
        var name = boards.Find("a")!.Board.Nickname;
        Assert.True(removals.Remove("board", "a", At));
        Assert.False(removals.Remove("board", "a", At));
        Assert.Null(boards.Find("a"));
        Assert.Empty(boards.All());
        Assert.Empty(boots.Newest(10));
        Assert.Equal(("board", "a", name), (removals.All()[0].Kind, removals.All()[0].Id, removals.All()[0].Name));
        Assert.Null(removals.Restore("board", "a"));
        Assert.Equal(name, boards.Find("a")!.Board.Nickname);
        Assert.Single(boots.Newest(10));
        Assert.Single(boots.Pieces(boot.Id));
        Assert.NotNull(removals.Restore("board", "a"));
    }

    [Fact]
    public void The_name_of_a_removed_board_is_free_and_a_taken_one_is_told()
    {
        var first = Saved();
        var removals = new RemovalStore(database);
        removals.Remove("board", "a", At);
        Assert.Null(boards.Save(first.Board with { Id = "b" }, null).Problem);
        Assert.Contains("took this one", removals.Restore("board", "a")!.Came);
        Assert.Single(boards.All());
    }

    [Fact]
    public void Logs_corrections_and_cards_are_removed_and_taken_back()
    {
        var boot = boots.Begin(Saved(), "test", At);
        boards.AddChange("a", "root-not-found", "root= was mended", At, new("/cmdline.txt", 1, "root=x", "root=y"));
        var change = Assert.Single(boards.Find("a")!.Changes);
        Assert.Equal("root=y", change.Edit!.After);
        var removals = new RemovalStore(database);
        Assert.True(removals.Remove("log", boot.Id, At));
        Assert.True(removals.Remove("correction", change.Id.ToString(), At.AddSeconds(1)));
        Assert.Null(boots.Find(boot.Id));
        Assert.Empty(boots.Of("a"));
        Assert.Empty(boards.Find("a")!.Changes);
        Assert.Equal(["correction", "log"], removals.All().Select(r => r.Kind));
        Assert.False(removals.Remove("something", "a", At));
        Assert.Null(removals.Restore("log", boot.Id));
        Assert.Null(removals.Restore("correction", change.Id.ToString()));
        Assert.Single(boots.Of("a"));
        Assert.Single(boards.Find("a")!.Changes);
        Assert.Empty(removals.All());
    }

    private static Diagnosis Said(Outcome outcome, string? cause) =>
        new(
            outcome,
            null,
            [],
            [new(cause ?? "none", "", 1, [], [], "", 0, "", null, null)],
            [],
            new("", ""),
            new(null, null, null, null, null, null, null, [])
        );

    [Fact]
    public void What_a_boot_said_comes_back_with_its_pages_and_only_for_the_rules_that_read_it()
    {
        var boot = boots.Begin(Saved(), "test", At);
        var reader = new BootReader(new(new([new("login", "login:", Stage: Stage.Login, Ends: true)], [], [])));
        StoredPiece[] pieces = [new(40, [.. Enumerable.Repeat((byte)'.', 70_000)]), new(90, "\norchard login: "u8.ToArray())];
        boots.Append(boot.Id, [.. pieces.Select(p => (JournalEntry)p)]);
        foreach (var piece in pieces)
            reader.Add(piece.Bytes, piece.Milliseconds);
        boots.End(boot.Id, "Ended by you.", At, Ending.OfFile);
        Assert.Single(boots.OutOfDate(7));
        boots.Keep(boot.Id, reader.Result(), 7);
        Assert.Empty(boots.OutOfDate(7));
        Assert.Null(boots.Reading(boot.Id, 8));
        var kept = boots.Reading(boot.Id, 7)!.Value;
        Assert.Equal(Outcome.ReachedLogin, kept.Diagnosis.Outcome);
        Assert.Equal(2, kept.Pages.Count);
        var log = new ConsoleLog((first, most) => boots.Pieces(boot.Id, first, most), kept.Pages);
        Assert.Equal("orchard login: ", log.Text(2));
        Assert.Equal((90, 70_016L), (log.Arrival(2), log.Length));
    }

    [Fact]
    public void A_cut_boot_counts_for_nothing()
    {
        Saved();
        boards.ChooseImage("a", "image");
        var boot = boots.Begin(boards.Find("a")!, "test", At);
        var reading = new BootReading(
            Outcome.Cut,
            Stage.Kernel,
            false,
            [],
            [],
            new(null, null, null, null, null, null, null, []),
            default,
            null,
            true
        );
        boots.Note(boot.Id, reading, Said(Outcome.Cut, "something-else"), settled: true);
        Assert.Empty(boots.Tallies());
        boots.Note(boot.Id, reading, Said(Outcome.Stopped, "kernel-hang"), settled: true);
        Assert.Equal((0, 1), (boots.Tallies()[0].Successes, boots.Tallies()[0].Tries));
    }

    [Fact]
    public void The_file_is_in_wal_mode_with_foreign_keys_on()
    {
        using var connection = database.Connect();
        Assert.Equal("wal", connection.ExecuteScalar<string>("PRAGMA journal_mode"));
        Assert.Equal(1, connection.ExecuteScalar<long>("PRAGMA foreign_keys"));
        Assert.Equal(2, connection.ExecuteScalar<long>("PRAGMA synchronous"));
    }

    [Fact]
    public void A_file_from_a_newer_program_is_left_alone()
    {
        using (var connection = database.Connect())
            connection.Execute("PRAGMA user_version = 999");
        Assert.Contains("schema 999", Database.Open(Path.Combine(folder, "bench.db")).Problem!.Came);
    }

    [Fact]
    public void A_file_that_is_no_database_is_a_problem_and_stays_as_it_is()
    {
        var path = Path.Combine(folder, "notes.db");
        File.WriteAllText(path, new string('x', 5000));
        Assert.Contains("should be a Buttonhook database", Database.Open(path).Problem!.Expected);
        Assert.Equal(new string('x', 5000), File.ReadAllText(path));
    }
}
