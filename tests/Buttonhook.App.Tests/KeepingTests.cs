using System.IO.Compression;
using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Buttonhook.App.Keeping;
using Buttonhook.Storage;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.App.Tests;

public class KeepingTests
{
    private static async Task<string> Boot(RunningApp app, string board)
    {
        var boot = (
            await RunningApp.Json(
                await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = "simulated", speed = (int?)null })
            )
        )
            .GetProperty("id")
            .GetString()!;
        await app.Until(boot, b => b.GetProperty("settled").GetBoolean());
        return boot;
    }

    private static async Task<JsonElement> Kept(RunningApp app, string board, string notes = "for the hedge")
    {
        var boot = await Boot(app, board);
        return await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/settings",
                new
                {
                    bootId = boot,
                    notes,
                    said = new Dictionary<string, string>(),
                    after = (int?)null,
                }
            )
        );
    }

    private static async Task<JsonElement> Read(RunningApp app, string board, byte[] bytes, HttpStatusCode expected = HttpStatusCode.OK)
    {
        var content = new ByteArrayContent(bytes);
        content.Headers.ContentType = new("application/octet-stream");
        var answer = await app.Http.PostAsync($"/api/settings/read?board={board}", content);
        Assert.Equal(expected, answer.StatusCode);
        return await answer.Content.ReadFromJsonAsync<JsonElement>();
    }

    [Fact]
    public async Task Settings_go_out_in_every_form_and_come_back_from_each()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        await Kept(app, board);
        foreach (var form in (string[])["json", "txt", "zip"])
        {
            var bytes = await app.Http.GetByteArrayAsync($"/api/boards/{board}/settings/1.{form}");
            var read = await Read(app, board, bytes);
            Assert.Equal("for the hedge", read.GetProperty("settings").GetProperty("notes").GetString());
            if (form != "txt")
                Assert.Empty(read.GetProperty("differences").EnumerateArray());
        }
        var codes = new List<string>();
        foreach (var label in (string[])["true", "false"])
            codes.Add(await app.Http.GetStringAsync($"/api/boards/{board}/settings/1.svg?label={label}"));
        Assert.All(codes, c => Assert.StartsWith("<svg", c));
        Assert.True(codes[0].Length < codes[1].Length);
        using var zip = new ZipArchive(await app.Http.GetStreamAsync($"/api/boards/{board}/settings/1.zip"));
        Assert.Equal(["boot.log", "settings.json", "settings.md", "settings.txt"], zip.Entries.Select(e => e.FullName).Order());
        Assert.True(zip.GetEntry("boot.log")!.Length > 1000);
        // What was read is kept as a version of its own, which no boot of this bench proves.
        var came = await Read(app, board, await app.Http.GetByteArrayAsync($"/api/boards/{board}/settings/1.txt"));
        var taken = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/settings/taken",
                new
                {
                    settings = came.GetProperty("settings"),
                    from = "a square code",
                    after = 1,
                }
            )
        );
        Assert.Equal((2, "a square code"), (taken.GetProperty("version").GetInt32(), taken.GetProperty("cameFrom").GetString()));
        var compared = await app.Get($"/api/settings/compare?a={board}:1&b={board}:2");
        Assert.Contains(compared.GetProperty("differences").EnumerateArray(), d => d.GetProperty("kind").GetString() == "supply.margin");
        // A board of another model takes it only when that is known, and a short text says nothing of what it lacks.
        Assert.DoesNotContain(
            came.GetProperty("differences").EnumerateArray(),
            d => d.GetProperty("after").ValueKind == JsonValueKind.Null
        );
        var thimble = (await app.Get("/api/catalogue"))
            .GetProperty("models")
            .EnumerateArray()
            .Single(m => m.GetProperty("id").GetString() == "thimble");
        var other = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                "/api/boards",
                new
                {
                    nickname = "Medlar",
                    modelId = "thimble",
                    revisionId = "C",
                    memoryMiB = thimble.GetProperty("memoryMiB")[0].GetInt32(),
                    connected = new
                    {
                        cardGb = 32,
                        screen = false,
                        network = true,
                        supplyId = (string?)null,
                        adapterId = (string?)null,
                    },
                    toldBy = new[] { "mark" },
                    simulated = false,
                    faultId = (string?)null,
                }
            )
        );
        {
            var medlar = other.GetProperty("board").GetProperty("id").GetString()!;
            Assert.Contains(
                "Quill V",
                (await Read(app, medlar, await app.Http.GetByteArrayAsync($"/api/boards/{board}/settings/1.json")))
                    .GetProperty("foreign")
                    .GetString()
            );
            Task<HttpResponseMessage> Take(bool foreign) =>
                app.Http.PostAsJsonAsync(
                    $"/api/boards/{medlar}/settings/taken",
                    new
                    {
                        settings = came.GetProperty("settings"),
                        from = "a text",
                        after = 0,
                        foreign,
                    }
                );
            Assert.Contains("Quill V", (await RunningApp.ProblemOf(await Take(false), 422)).Came);
            Assert.True((await Take(true)).IsSuccessStatusCode);
        }
        // Without its bench it can be read, and not be set up.
        var again = await app.Http.PostAsync($"/api/boards/{board}/settings/2/again", null);
        Assert.Equal(HttpStatusCode.UnprocessableEntity, again.StatusCode);
    }

    [Fact]
    public async Task A_zip_with_many_photos_is_read_as_any_other()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        await Kept(app, board);
        using var into = new MemoryStream();
        await into.WriteAsync(await app.Http.GetByteArrayAsync($"/api/boards/{board}/settings/1.zip"));
        using (var zip = new ZipArchive(into, ZipArchiveMode.Update, true))
        {
            using var photo = zip.CreateEntry("photo-1.jpg", CompressionLevel.NoCompression).Open();
            await photo.WriteAsync(new byte[6 << 20]);
        }
        Assert.Empty((await Read(app, board, into.ToArray())).GetProperty("differences").EnumerateArray());
    }

    [Fact]
    public async Task A_batch_that_would_be_refused_puts_no_board_on_the_bench()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        await Kept(app, board);
        var view = (await app.Get($"/api/boards/{board}")).GetProperty("board");
        // It was found to be another model since its settings were kept.
        var changed = await app.Http.PutAsJsonAsync(
            $"/api/boards/{board}",
            new
            {
                nickname = "Quince",
                modelId = "thimble",
                revisionId = "C",
                memoryMiB = 512,
                connected = view.GetProperty("connected"),
                toldBy = new[] { "mark" },
                simulated = true,
                faultId = (string?)null,
            }
        );
        Assert.Equal(HttpStatusCode.OK, changed.StatusCode);
        var refused = await app.Http.PostAsJsonAsync(
            "/api/batches",
            new
            {
                name = "Hedge",
                boardId = board,
                version = 1,
                boards = new[] { new { nickname = "Row 1", host = "row-1" } },
            }
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, refused.StatusCode);
        Assert.Contains("should be of a Thimble", await refused.Content.ReadAsStringAsync());
        Assert.Single((await app.Get("/api/bench")).EnumerateArray());
    }

    [Fact]
    public async Task Two_pages_do_not_keep_over_each_other()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        var boot = await Boot(app, board);
        Task<HttpResponseMessage> Keep(string notes) =>
            app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/settings",
                new
                {
                    bootId = boot,
                    notes,
                    said = new Dictionary<string, string>(),
                    after = 0,
                }
            );
        var answers = await Task.WhenAll(Keep("one"), Keep("two"));
        Assert.Equal([HttpStatusCode.OK, HttpStatusCode.Conflict], answers.Select(a => a.StatusCode).Order());
        Assert.Single((await app.Get($"/api/boards/{board}/settings")).GetProperty("versions").EnumerateArray());
    }

    public static TheoryData<string, byte[]> Hostile =>
        new()
        {
            { "damaged", [.. "PK\u0003\u0004"u8, .. new byte[200]] },
            { "does not", Zipped("../settings.json", "{}"u8.ToArray()) },
            { "unpacks to more", Zipped("settings.json", new byte[64 << 20]) },
            { "no text", [0xff, 0xfe, 0x00, 0xd8, 0x80] },
            {
                "At /settings/0/id",
                """{"format":"buttonhook.working-settings/2","nickname":"A","settings":[{"id":"a/../b.c","name":"n","standing":"proven","source":""}],"files":[],"notes":""}"""u8.ToArray()
            },
        };

    private static byte[] Zipped(string name, byte[] content)
    {
        using var into = new MemoryStream();
        using (var zip = new ZipArchive(into, ZipArchiveMode.Create, true))
        {
            using var entry = zip.CreateEntry(name).Open();
            entry.Write(content);
        }
        return into.ToArray();
    }

    [Theory]
    [MemberData(nameof(Hostile))]
    public async Task A_hostile_file_ends_in_words(string says, byte[] bytes)
    {
        await using var app = await RunningApp.Start();
        var answer = await Read(app, await app.Board(), bytes, HttpStatusCode.UnprocessableEntity);
        Assert.Contains(says, answer.GetProperty("came").GetString());
    }

    [Fact]
    public async Task The_bench_is_set_up_again_as_a_version_says()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        await Kept(app, board);
        var before = (await app.Get($"/api/boards/{board}")).GetProperty("board");
        await app.Http.PutAsJsonAsync($"/api/boards/{board}/image", new { imageId = "tallow-4-minimal-riscv64" });
        var set = await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{board}/settings/1/again", null));
        Assert.NotEmpty(set.GetProperty("done").EnumerateArray());
        var now = (await app.Get($"/api/boards/{board}")).GetProperty("board");
        Assert.Equal(before.GetProperty("imageId").GetString(), now.GetProperty("imageId").GetString());
    }

    [Fact]
    public async Task A_boot_that_is_no_longer_as_its_record_says_is_told()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        await Kept(app, board);
        Assert.Equal(JsonValueKind.Null, (await app.Get($"/api/boards/{board}/settings")).GetProperty("regression").ValueKind);
        await app.Http.PutAsJsonAsync($"/api/boards/{board}/image", new { imageId = "tallow-4-minimal-riscv64" });
        await Boot(app, board);
        var regression = (await app.Get($"/api/boards/{board}/settings")).GetProperty("regression");
        Assert.Equal(1, regression.GetProperty("version").GetInt32());
        Assert.Contains(regression.GetProperty("differences").EnumerateArray(), d => d.GetProperty("kind").GetString() == "system.kernel");
    }

    [Fact]
    public async Task A_batch_of_eight_carries_over_what_may_and_names_why_two_failed()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        await Kept(app, board);
        object Batch(string name, params string[] boards) =>
            new
            {
                name,
                boardId = board,
                version = 1,
                boards = boards.Select(b => new { nickname = b, host = b.ToLowerInvariant().Replace(' ', '-') }),
            };
        var taken = await app.Http.PostAsJsonAsync("/api/batches", Batch("Hedge", "Row 1", "row 1"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, taken.StatusCode);
        var made = await RunningApp.Json(
            await app.Http.PostAsJsonAsync("/api/batches", Batch("=Hedge", [.. Enumerable.Range(1, 8).Select(n => $"Row {n}")]))
        );
        var id = made.GetProperty("id").GetString();
        var ids = made.GetProperty("boards").EnumerateArray().Select(b => b.GetProperty("boardId").GetString()!).ToList();
        Assert.Equal(8, ids.Count);
        foreach (var (at, row) in ids.Index())
        {
            var bench = (await app.Get($"/api/boards/{row}")).GetProperty("board");
            Assert.Equal("fallow-12-server-riscv64", bench.GetProperty("imageId").GetString());
            // Nobody has looked at these boards yet.
            Assert.Empty(bench.GetProperty("toldBy").EnumerateArray());
            if (at is 2 or 5)
                await app.Http.PutAsJsonAsync(
                    $"/api/boards/{row}",
                    new
                    {
                        nickname = bench.GetProperty("nickname").GetString(),
                        modelId = "quill-v",
                        revisionId = "B",
                        memoryMiB = 4096,
                        connected = bench.GetProperty("connected"),
                        toldBy = new[] { "mark" },
                        simulated = true,
                        faultId = at == 2 ? "root-not-found" : "initrd-corrupt",
                    }
                );
        }
        await Task.WhenAll(ids.Select(row => Boot(app, row)));
        foreach (var row in (string[])[ids[2], ids[5]])
            await app.UntilCause(
                (await app.Get($"/api/boards/{row}/boots"))[0].GetProperty("id").GetString()!,
                row == ids[2] ? "root-not-found" : "initrd-corrupt"
            );
        var view = await Wait.For(
            () => app.Get($"/api/batches/{id}"),
            v => v.GetProperty("boards").EnumerateArray().Count(b => b.GetProperty("cause").ValueKind == JsonValueKind.String) == 2
        );
        var rows = view.GetProperty("boards").EnumerateArray().ToList();
        Assert.Equal([2, 5], rows.Index().Where(r => r.Item.GetProperty("cause").ValueKind == JsonValueKind.String).Select(r => r.Index));
        Assert.Equal(6, rows.Count(r => r.GetProperty("loginSeconds").ValueKind == JsonValueKind.Number));
        Assert.Equal("row-4", rows[3].GetProperty("host").GetString());
        Assert.All(rows.Where((_, n) => n is not (2 or 5)), r => Assert.Empty(r.GetProperty("differs").EnumerateArray()));
        var csv = await app.Http.GetStringAsync($"/api/batches/{id}/boards.csv");
        Assert.Equal(10, csv.Split("\r\n").Length);
        Assert.StartsWith("board,host name,state", csv);
        // What one bench holds otherwise is told, and not said to be the same.
        Assert.Contains(view.GetProperty("same").EnumerateArray(), s => s.GetString() == "Supply: 5 V, 3 A with USB-C");
        var first = (await app.Get($"/api/boards/{ids[0]}")).GetProperty("board");
        var connected = first.GetProperty("connected").Deserialize<Dictionary<string, JsonElement>>()!;
        connected["supplyId"] = JsonSerializer.SerializeToElement<string?>(null);
        await RunningApp.Json(
            await app.Http.PutAsJsonAsync(
                $"/api/boards/{ids[0]}",
                new
                {
                    nickname = "Row 1",
                    modelId = "quill-v",
                    revisionId = "B",
                    memoryMiB = 4096,
                    connected,
                    toldBy = new[] { "mark" },
                    simulated = true,
                    faultId = (string?)null,
                }
            )
        );
        Assert.Contains(
            (await app.Get($"/api/batches/{id}")).GetProperty("same").EnumerateArray(),
            s => s.GetString() == "Supply: 5 V, 3 A with USB-C; Row 1: no supply"
        );
    }

    [Fact]
    public async Task A_move_is_proven_by_the_next_boot_and_by_nothing_else()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        var boot = await Boot(app, board);
        async Task<JsonElement> Proof() => (await app.Get($"/api/boards/{board}/move")).GetProperty("proof");
        async Task Send(string text)
        {
            boot = (await app.Get($"/api/boards/{board}")).GetProperty("latestBootId").GetString()!;
            var before = (await app.Get($"/api/boots/{boot}")).GetProperty("byteCount").GetInt64();
            await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = text + "\r" });
            await app.Until(
                boot,
                b =>
                    b.GetProperty("byteCount").GetInt64() > before
                    && b.GetProperty("prompt").GetString()?.TrimEnd() is [.., ':' or '$' or '#']
            );
        }
        async Task<JsonElement> Ssd() =>
            (await app.Get($"/api/boards/{board}/move"))
                .GetProperty("plans")
                .EnumerateArray()
                .Single(p => p.GetProperty("target").GetString() == "ssd");
        string Command(JsonElement plan, string part) =>
            plan.GetProperty("steps")
                .EnumerateArray()
                .Select(s => s.GetProperty("command").GetString())
                .First(c => c?.Contains(part) == true)!;
        // Nothing is chosen before the running system told its disks, and none is taken without its size.
        async Task<HttpResponseMessage> Begin(string? device, string? confirm) =>
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/move",
                new
                {
                    target = "ssd",
                    device,
                    confirm,
                }
            );
        Assert.Contains("not asked for its disks", await (await Begin("/dev/nvme0n1", "128")).Content.ReadAsStringAsync());
        await Send("fallow");
        await Send("fallow");
        await Send(Command(await Ssd(), "look: begin"));
        await Wait.For(async () => (await Ssd()).GetProperty("source").ValueKind == JsonValueKind.String);
        Assert.Equal("/dev/mmcblk0", (await Ssd()).GetProperty("source").GetString());
        Assert.Contains("its size in GB is typed", await (await Begin("/dev/nvme0n1", "64")).Content.ReadAsStringAsync());
        Assert.Contains("one of the disks", await (await Begin("/dev/sdz", "64")).Content.ReadAsStringAsync());
        await RunningApp.Json(await Begin("/dev/nvme0n1", "128"));
        Assert.Contains("no boot since", (await Proof()).GetProperty("says").GetString());
        // Nothing was copied: the board runs from its card as before.
        await Boot(app, board);
        Assert.False((await Proof()).GetProperty("took").GetBoolean());
        await Send("fallow");
        await Send("fallow");
        await Send(Command(await Ssd(), "cp -ax"));

        await Wait.For(async () =>
            (await app.Get($"/api/boots/{boot}/found?text=all files are on /dev/nvme0n1")).GetProperty("count").GetInt32() > 1
        );
        await Boot(app, board);
        var proof = await Proof();
        Assert.True(proof.GetProperty("took").GetBoolean(), proof.ToString());
        Assert.Contains("/dev/nvme0n1p2", proof.GetProperty("says").GetString());
        Assert.True(proof.GetProperty("line").GetInt32() > 1);
        var none = await app.Http.PostAsJsonAsync($"/api/boards/{board}/move", new { target = "flash" });
        Assert.Equal(HttpStatusCode.UnprocessableEntity, none.StatusCode);
    }

    [Fact]
    public async Task A_backup_restores_on_an_empty_machine_and_nothing_half_does()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        await Kept(app, board);
        var bytes = await app.Http.GetByteArrayAsync("/api/backup.zip");
        var folder = Directory.CreateTempSubdirectory("buttonhook-restore-").FullName;
        try
        {
            var file = Path.Combine(folder, "backup.zip");
            File.WriteAllBytes(file, bytes);
            var into = Path.Combine(folder, "bench");
            var restored = Backup.Restore(file, into, false, DateTimeOffset.UtcNow);
            Assert.Null(restored.Value!.Aside);
            var database = Database.Open(Path.Combine(into, "buttonhook.db")).Value!;
            Assert.Equal("for the hedge", Assert.Single(new SettingsStore(database).Of(board)).Settings.Notes);
            Assert.True(new BootStore(database).Of(board).Sum(b => new BootStore(database).Pieces(b.Id).Sum(p => p.Bytes.Length)) > 1000);
            database.Dispose();
            // What is there is not written over, but moved aside when that is asked for.
            Assert.Contains("--replace", Backup.Restore(file, into, false, DateTimeOffset.UtcNow).Problem!.ToDo);
            var second = Backup.Restore(file, into, true, DateTimeOffset.UtcNow).Value!;
            Assert.True(File.Exists(Path.Combine(second.Aside!, "buttonhook.db")));
            // Damage, a file that climbs out, one that is longer than it says, and what is no backup change nothing.
            foreach (var (says, broken) in Broken(bytes))
            {
                File.WriteAllBytes(file, broken);
                var problem = Backup.Restore(file, Path.Combine(folder, "other"), false, DateTimeOffset.UtcNow).Problem!;
                Assert.Contains(says, problem.ToString());
                Assert.False(File.Exists(Path.Combine(folder, "other/buttonhook.db")));
                Assert.False(Directory.Exists(Path.Combine(folder, "other/restoring")));
            }
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    private static IEnumerable<(string Says, byte[] Bytes)> Broken(byte[] whole)
    {
        yield return ("no zip", whole[..(whole.Length / 2)]);
        yield return ("no zip", "hello"u8.ToArray());
        yield return ("holds no backup.json", Zipped("settings.json", "{}"u8.ToArray()));
        yield return ("cannot be read", Zipped("backup.json", "{"u8.ToArray()));
        yield return ("says no format", Zipped("backup.json", "{}"u8.ToArray()));
        byte[] List(string files, params (string, byte[])[] more)
        {
            using var into = new MemoryStream();
            using (var zip = new ZipArchive(into, ZipArchiveMode.Create, true))
                foreach (
                    var (name, content) in more.Prepend(
                        (
                            "backup.json",
                            Encoding.UTF8.GetBytes(
                                $$"""{"format":"buttonhook.backup/1","madeAt":"2026-03-14T06:30:00Z","schema":"1","files":[{{files}}]}"""
                            )
                        )
                    )
                )
                {
                    using var entry = zip.CreateEntry(name).Open();
                    entry.Write(content);
                }
            return into.ToArray();
        }
        yield return (
            "names files that no backup has",
            List("""{"name":"buttonhook.db","bytes":3,"sha256":""},{"name":"../../escaped","bytes":3,"sha256":""}""")
        );
        yield return ("names files that no backup has", List(""));
        yield return ("is not in it", List("""{"name":"buttonhook.db","bytes":3,"sha256":""}"""));
        yield return (
            "longer than it says",
            List("""{"name":"buttonhook.db","bytes":3,"sha256":""}""", ("buttonhook.db", new byte[20 << 20]))
        );
        yield return ("its sum differs", List("""{"name":"buttonhook.db","bytes":3,"sha256":"00"}""", ("buttonhook.db", [1, 2, 3])));
    }

    [Fact]
    public void An_upgrade_keeps_what_was_there_and_a_newer_file_is_refused_with_words()
    {
        var folder = Directory.CreateTempSubdirectory("buttonhook-upgrade-").FullName;
        try
        {
            var path = Path.Combine(folder, "buttonhook.db");
            // As the first version of all left it, with data in it.
            using (var old = new SqliteConnection($"Data Source={path};Pooling=False"))
            {
                old.Open();
                using var first = new StreamReader(
                    typeof(Database).Assembly.GetManifestResourceStream(
                        typeof(Database)
                            .Assembly.GetManifestResourceNames()
                            .Order(StringComparer.Ordinal)
                            .First(n => n.EndsWith(".sql", StringComparison.Ordinal))
                    )!
                );
                old.Execute(first.ReadToEnd());
                old.Execute(
                    """
                    INSERT INTO boards (id, nickname, model_id, revision_id, memory_mib, card_gb, screen, network, told_by, simulated, position)
                      VALUES ('a', 'Quince', 'quill-v', 'B', 4096, 32, 0, 1, '[]', 1, 1);
                    INSERT INTO boots (id, board_id, number, card_number, model_id, revision_id, source, started_at)
                      VALUES ('b', 'a', 1, 1, 'quill-v', 'B', 'x', '2026-03-14T06:30:00.0000000+00:00');
                    INSERT INTO settings (board_id, version, boot_id, settings, saved_at)
                      VALUES ('a', 1, 'b', '{"format":"buttonhook.working-settings/1","nickname":"Quince","model":"Quill V","notes":"wall"}', '2026-03-14T06:40:00.0000000+00:00');
                    PRAGMA user_version = 1;
                    """
                );
            }
            using (var database = Database.Open(path).Value!)
                Assert.Equal("wall", Assert.Single(new SettingsStore(database).Of("a")).Settings.Notes);
            Assert.Equal("1", Database.Check(path + ".schema-1").Value);
            using (var newer = new SqliteConnection($"Data Source={path};Pooling=False"))
            {
                newer.Open();
                newer.Execute("PRAGMA user_version = 999");
            }
            Assert.Contains("from a newer Buttonhook", Database.Open(path).Problem!.ToString());
            Assert.Contains("from a newer Buttonhook", Database.Check(path).Problem!.ToString());
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    [Fact]
    public async Task A_backup_while_eight_boards_print_holds_all_up_to_the_last_quarter_second()
    {
        await using var app = await RunningApp.Start();
        var boots = new List<string>();
        for (var n = 0; n < 8; n++)
        {
            var board = await app.Board(nickname: $"Row {n}");
            boots.Add(
                (
                    await RunningApp.Json(
                        await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = "simulated", speed = (int?)null })
                    )
                )
                    .GetProperty("id")
                    .GetString()!
            );
        }
        foreach (var boot in boots)
            await app.Until(boot, b => b.GetProperty("lineCount").GetInt32() > 20);
        var bytes = await app.Http.GetByteArrayAsync("/api/backup.zip");
        var folder = Directory.CreateTempSubdirectory("buttonhook-restore-").FullName;
        try
        {
            File.WriteAllBytes(Path.Combine(folder, "b.zip"), bytes);
            Assert.Null(Backup.Restore(Path.Combine(folder, "b.zip"), Path.Combine(folder, "bench"), false, DateTimeOffset.UtcNow).Problem);
            using var database = Database.Open(Path.Combine(folder, "bench/buttonhook.db")).Value!;
            foreach (var boot in boots)
            {
                var kept = new BootStore(database).Pieces(boot).SelectMany(p => p.Bytes).ToArray();
                Assert.True(kept.Length > 200, $"{kept.Length} bytes");
                var later = await app.Http.GetByteArrayAsync($"/api/boots/{boot}/log?form=raw");
                Assert.Equal(kept, later[..kept.Length]);
            }
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    [Fact]
    public async Task A_practice_round_is_won_by_the_fault_and_hides_it_until_then()
    {
        await using var app = await RunningApp.Start();
        async Task<JsonElement> Post(string path, object? body) => await RunningApp.Json(await app.Http.PostAsJsonAsync(path, body));
        var round = await Post(
            "/api/practice",
            new
            {
                boardId = (string?)null,
                level = 1,
                faultId = "disk-full",
            }
        );
        var id = round.GetProperty("id").GetString();
        Assert.Equal(JsonValueKind.Null, round.GetProperty("fault").ValueKind);
        round = await Post($"/api/practice/{id}/boot", null);
        Assert.Contains(round.GetProperty("steps")[0].GetProperty("log").EnumerateArray(), l => l.GetString()!.Contains("No space left"));
        round = await Post($"/api/practice/{id}/mend", new { id = "root-not-found" });
        Assert.False(round.GetProperty("steps")[1].GetProperty("right").GetBoolean());
        round = await Post($"/api/practice/{id}/mend", new { id = "disk-full" });
        Assert.True(round.GetProperty("won").GetBoolean());
        Assert.Equal("The root file system is full", round.GetProperty("fault").GetString());
        var judged = round.GetProperty("judged");
        Assert.Matches("^The log told it, in line [0-9]+.$", judged.GetProperty("told").GetString());
        Assert.Contains("No space left", judged.GetProperty("lines")[0].GetProperty("text").GetString());
        Assert.Equal([true, false, true], judged.GetProperty("steps").EnumerateArray().Select(s => s.GetProperty("lost").GetDouble() == 0));
        // A mending in vain costs what it takes on the bench, and the board boots anew behind it.
        Assert.True(round.GetProperty("steps")[1].GetProperty("minutes").GetInt32() >= 9);
        Assert.NotEqual(
            round.GetProperty("steps")[0].GetProperty("log").GetRawText(),
            round.GetProperty("steps")[1].GetProperty("log").GetRawText()
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await app.Http.PostAsync($"/api/practice/{id}/boot", null)).StatusCode);
        var past = await app.Get("/api/practice");
        Assert.Equal("The root file system is full", past.GetProperty("mixedUp")[0].GetProperty("was").GetString());
    }
}
