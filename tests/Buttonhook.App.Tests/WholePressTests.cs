using System.Buffers.Binary;
using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Buttonhook.Core.Consoles;

namespace Buttonhook.App.Tests;

/// <summary>One press is stored whole or not at all: what a kill leaves is what was committed, so a press that commits once is either there or not.</summary>
public class WholePressTests
{
    /// <summary>How many transactions were committed since the log of the database was emptied, read off that log itself (sqlite.org/fileformat.html, "The Write-Ahead Log").</summary>
    private static int Commits(RunningApp app)
    {
        using var file = new FileStream(
            Path.Combine(app.Folder, "bench.db-wal"),
            FileMode.Open,
            FileAccess.Read,
            FileShare.ReadWrite | FileShare.Delete
        );
        var log = new byte[file.Length];
        file.ReadExactly(log);
        if (log.Length < 32)
            return 0;
        var page = (int)BinaryPrimitives.ReadUInt32BigEndian(log.AsSpan(8));
        var commits = 0;
        for (var at = 32; at + 24 + page <= log.Length; at += 24 + page)
            // A frame of an older round of the log has other salts.
            if (log.AsSpan(at + 8, 8).SequenceEqual(log.AsSpan(16, 8)) && BinaryPrimitives.ReadUInt32BigEndian(log.AsSpan(at + 4)) != 0)
                commits++;
        return commits;
    }

    /// <summary>Presses until nothing else was written down beside it: what takes two commits by itself takes two each time.</summary>
    private static async Task<JsonElement> Once(RunningApp app, string path, Func<int, object> input)
    {
        JsonElement answer = default;
        var commits = new List<int>();
        for (var time = 1; time <= 5 && !commits.Contains(1); time++)
        {
            // What was done before may still be written down in the background.
            await Wait.For(async () =>
            {
                app.WriteBack();
                await Task.Delay(300);
                return Commits(app) == 0;
            });
            answer = await RunningApp.Json(await app.Http.PostAsJsonAsync(path, input(time)));
            commits.Add(Commits(app));
        }
        Assert.Contains(1, commits);
        return answer;
    }

    private static object Batch(string board, params string[] names) =>
        new
        {
            name = "Hedge",
            boardId = board,
            version = 1,
            boards = names.Select(n => new { nickname = n, host = n.ToLowerInvariant().Replace(' ', '-') }),
        };

    private static async Task<string> WithRecord(RunningApp app)
    {
        var board = await app.Board();
        var boot = (
            await RunningApp.Json(
                await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = "simulated", speed = (int?)null })
            )
        )
            .GetProperty("id")
            .GetString()!;
        await app.Until(boot, b => b.GetProperty("settled").GetBoolean() && b.GetProperty("lastStage").GetString() == "login");
        await RunningApp.Json(await app.Http.PostAsync($"/api/boots/{boot}/end", null));
        await Wait.For(async () => !(await app.Get($"/api/boots/{boot}")).GetProperty("live").GetBoolean());
        await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/settings",
                new
                {
                    bootId = boot,
                    notes = "",
                    said = new Dictionary<string, string>(),
                    after = (int?)null,
                }
            )
        );
        return board;
    }

    [Fact]
    public async Task A_batch_a_set_up_bench_a_told_fact_and_a_board_that_arrives_are_stored_in_one_commit_each()
    {
        await using var app = await RunningApp.Start();
        var board = await WithRecord(app);
        await Once(app, "/api/batches", time => Batch(board, [.. Enumerable.Range(1, 40).Select(n => $"Row {time} {n}")]));
        await Once(app, $"/api/boards/{board}/settings/1/again", _ => new { });
        var came = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/imports", new { path = (string?)null, text = "Damson X1" }));
        var arrived = await Once(
            app,
            $"/api/imports/{came.GetProperty("id").GetString()}/board",
            time => new
            {
                nickname = $"Damson {time}",
                tree = (string?)null,
                mark = (string?)null,
                candidate = (object?)null,
            }
        );
        await Once(
            app,
            $"/api/boards/{arrived.GetProperty("board").GetProperty("id").GetString()}/facts",
            time =>
                new[]
                {
                    new
                    {
                        field = "memoryMiB",
                        value = "2048",
                        wasUnknown = time == 1,
                    },
                }
        );
    }

    [Fact]
    public async Task A_batch_that_is_refused_on_the_way_leaves_nothing()
    {
        await using var app = await RunningApp.Start();
        var board = await WithRecord(app);
        // Refused behind two boards that were put on the bench.
        using (var trigger = Refusing(app, "Row 3"))
        {
            var answer = await app.Http.PostAsJsonAsync("/api/batches", Batch(board, "Row 1", "Row 2", "Row 3"));
            Assert.False(answer.IsSuccessStatusCode);
        }
        Assert.Equal(1, (await app.Get("/api/bench")).GetArrayLength());
        Assert.Equal(0, (await app.Get("/api/batches")).GetArrayLength());
        await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/batches", Batch(board, "Row 1", "Row 2", "Row 3")));
        Assert.Equal(4, (await app.Get("/api/bench")).GetArrayLength());
    }

    /// <summary>A database that takes no board of this nickname until it is disposed.</summary>
    private static Undone Refusing(RunningApp app, string nickname)
    {
        void Run(string sql)
        {
            using var connection = new Microsoft.Data.Sqlite.SqliteConnection(
                $"Data Source={Path.Combine(app.Folder, "bench.db")};Pooling=False"
            );
            connection.Open();
            using var command = connection.CreateCommand();
            command.CommandText = sql;
            command.ExecuteNonQuery();
        }
        Run($"CREATE TRIGGER refuse BEFORE INSERT ON boards WHEN NEW.nickname = '{nickname}' BEGIN SELECT RAISE(ABORT, 'refused'); END");
        return new(() => Run("DROP TRIGGER refuse"));
    }

    private sealed class Undone(Action undo) : IDisposable
    {
        public void Dispose() => undo();
    }

    [Fact]
    public async Task Several_logs_in_one_file_are_all_stored_or_none()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        var log = "[    0.000000] Linux version 6.1.0\n[    1.000000] Run /init as init process\n"u8.ToArray();
        using var bytes = new MemoryStream();
        using (var zip = new System.IO.Compression.ZipArchive(bytes, System.IO.Compression.ZipArchiveMode.Create, true))
        {
            foreach (
                var (name, content) in new[] { ("one.log", log), ("two.log", log), ("three.log", (byte[])[0x7F, .. "ELF"u8, 0, 0, 0, 0]) }
            )
            {
                using var entry = zip.CreateEntry(name).Open();
                entry.Write(content);
            }
        }
        var answer = await app.Http.PostAsync($"/api/boards/{board}/logs?name=logs.zip", new ByteArrayContent(bytes.ToArray()));
        var said = await RunningApp.ProblemOf(answer, (int)HttpStatusCode.UnprocessableEntity);
        Assert.Contains("three.log", said.Came);
        Assert.Equal(0, (await app.Get($"/api/boards/{board}/boots")).GetArrayLength());
    }

    [Fact]
    public async Task A_log_file_of_which_half_had_come_when_the_server_was_killed_is_not_there()
    {
        var app = await RunningApp.Start(keep: true);
        var board = await app.Board();
        var boots = app.Services.GetService(typeof(Storage.BootStore)) as Storage.BootStore;
        var bench = (app.Services.GetService(typeof(Storage.BoardStore)) as Storage.BoardStore)!.Find(board)!;
        var file = boots!.Begin(bench, "half.log", DateTimeOffset.UtcNow);
        boots.Append(file.Id, [new StoredPiece(-1, Encoding.ASCII.GetBytes("half a"))]);
        var capture = boots.Begin(bench, "/dev/ttyUSB0", DateTimeOffset.UtcNow);
        boots.Append(capture.Id, [new StoredPiece(0, Encoding.ASCII.GetBytes("a capture"))]);
        await app.DisposeAsync();
        await using var again = await RunningApp.Start(folder: app.Folder);
        var left = (await again.Get($"/api/boards/{board}/boots")).EnumerateArray().ToList();
        Assert.Equal(capture.Id, Assert.Single(left).GetProperty("id").GetString());
    }
}
