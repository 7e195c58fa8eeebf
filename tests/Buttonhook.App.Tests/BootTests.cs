using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Buttonhook.App.Consoles;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Hardware;
using Buttonhook.Storage;
using Microsoft.AspNetCore.SignalR.Client;
using Microsoft.Extensions.DependencyInjection;

namespace Buttonhook.App.Tests;

public class BootTests
{
    private static bool Reached(JsonElement boot) => boot.GetProperty("outcome").GetString() == "reached-login";

    private static async Task<string> StartBoot(RunningApp app, string board, string source = "simulated", int? speed = null)
    {
        var boot = await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source, speed }));
        return boot.GetProperty("id").GetString()!;
    }

    private static JsonElement Setting(JsonElement settings, string id) =>
        settings.GetProperty("settings").EnumerateArray().Single(s => s.GetProperty("id").GetString() == id);

    [Fact]
    public async Task The_whole_way_from_a_fault_over_its_correction_to_kept_settings()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(fault: "root-not-found");
        var boot = await StartBoot(app, board);
        await app.Until(boot, b => b.GetProperty("settled").GetBoolean() && b.GetProperty("lastStage").GetString() == "root");
        await app.UntilCause(boot, "root-not-found");
        var diagnosis = await app.Get($"/api/boots/{boot}/diagnosis");
        Assert.Equal("root-not-found", diagnosis.GetProperty("causes")[0].GetProperty("id").GetString());
        var view = await RunningApp.Json(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/corrections", new { bootId = boot, causeId = "root-not-found" })
        );
        Assert.Equal("Boot again", view.GetProperty("next").GetProperty("boot").GetProperty("title").GetString());
        boot = await StartBoot(app, board);
        // The first draft there is must know it already: what is stored of a boot that runs lags behind it.
        JsonElement draft;
        do draft = (await app.Get($"/api/boards/{board}/settings")).GetProperty("draft");
        while (draft.ValueKind == JsonValueKind.Null);
        Assert.Contains("command line names the root", Setting(draft, "met.fixed:1").GetProperty("value").GetString());
        await app.Until(boot, Reached);
        draft = (await app.Get($"/api/boards/{board}/settings")).GetProperty("draft");
        Assert.Equal("/dev/mmcblk0p2", Setting(draft, "system.mounted").GetProperty("value").GetString());
        Task<HttpResponseMessage> Keep(bool disputed) =>
            app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/settings",
                new
                {
                    bootId = boot,
                    notes = "for the hedge",
                    said = new Dictionary<string, string> { ["system.name"] = "Fallow, mended" },
                    after = 0,
                    disputed,
                }
            );
        // What is said against what the log proves is asked about once; both are kept, and the proven one leads.
        Assert.Contains("you say Fallow, mended", (await RunningApp.ProblemOf(await Keep(false), 422)).Came);
        await RunningApp.Json(await Keep(true));
        var json = await app.Get($"/api/boards/{board}/settings/1.json");
        Assert.EndsWith(
            "The kernel command line names the root partition of this card.",
            Setting(json, "met.fixed:1").GetProperty("value").GetString()
        );
        Assert.Equal("Fallow, mended", Setting(json, "system.name").GetProperty("said").GetString());
        Assert.Contains("for the hedge", await app.Http.GetStringAsync($"/api/boards/{board}/settings/1.md"));
        Assert.Equal("Working settings", (await app.Get("/api/bench"))[0].GetProperty("word").GetString());
    }

    [Fact]
    public async Task A_mark_that_is_made_as_the_capture_ends_is_never_passed_over()
    {
        await using var app = await RunningApp.Start();
        for (var n = 0; n < 8; n++)
        {
            var board = await app.Board(nickname: $"Quince {n}");
            var boot = await StartBoot(app, board);
            await app.Until(boot, Reached);
            // Both at once at first, then one behind the other.
            var off = app.Http.PostAsJsonAsync($"/api/boots/{boot}/power", new { on = false });
            await Task.Delay(n * 20);
            await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/notes", new { text = "screen: dark" }));
            await off;
            await Wait.For(
                async () => (await app.Get($"/api/boots/{boot}/diagnosis")).GetProperty("causes")[0].GetProperty("id").GetString(),
                top => top == "display-output-off"
            );
            Assert.Contains("screen: dark", (await app.Get($"/api/boots/{boot}")).GetProperty("events").GetRawText());
        }
    }

    [Fact]
    public async Task Who_reads_a_boot_while_a_mark_is_made_does_not_bring_the_reading_of_before_back()
    {
        await using var app = await RunningApp.Start();
        for (var n = 0; n < 6; n++)
        {
            var boot = await StartBoot(app, await app.Board(nickname: $"Quince {n}"));
            await app.Until(boot, Reached);
            (await app.Http.PostAsJsonAsync($"/api/boots/{boot}/power", new { on = false })).EnsureSuccessStatusCode();
            using var enough = new CancellationTokenSource();
            var readers = Enumerable
                .Range(0, 6)
                .Select(_ =>
                    Task.Run(async () =>
                    {
                        while (!enough.IsCancellationRequested)
                            await app.Get($"/api/boots/{boot}/diagnosis");
                    })
                )
                .ToList();
            await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/notes", new { text = "screen: dark" }));
            await Task.Delay(100);
            await enough.CancelAsync();
            await Task.WhenAll(readers);
            var causes = (await app.Get($"/api/boots/{boot}/diagnosis")).GetProperty("causes");
            Assert.Equal("display-output-off", causes[0].GetProperty("id").GetString());
        }
    }

    [Theory]
    [InlineData("ttyS0", "against", "names ttyS0, the console in this board's profile")]
    [InlineData("ttyS2", "evidence", "names ttyS2, and that in this board's profile is ttyS0")]
    public async Task The_console_that_a_loader_names_is_held_against_the_boards_card(string named, string side, string says)
    {
        await using var app = await RunningApp.Start();
        using var log = new ByteArrayContent(
            Encoding.ASCII.GetBytes($"U-Boot 2025.01\nappend: root=/dev/mmcblk0p1 console={named},115200\nStarting kernel ...\n\n")
        );
        var boot = await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{await app.Board()}/logs?name=silent.log", log));
        var causes = (await app.Get($"/api/boots/{boot.GetProperty("id").GetString()}/diagnosis")).GetProperty("causes").EnumerateArray();
        var told = causes.Single(c => c.GetProperty("id").GetString() == "console-arg-missing");
        Assert.Contains(
            told.GetProperty(side).EnumerateArray(),
            e => e.GetProperty("says").GetString()!.EndsWith(says, StringComparison.Ordinal)
        );
    }

    [Fact]
    public async Task A_mark_is_shown_while_it_waits_for_the_disk()
    {
        await using var app = await RunningApp.Start();
        var boot = await StartBoot(app, await app.Board());
        await app.Until(boot, Reached);
        using (app.Held())
        {
            var answer = await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/notes", new { text = "screen: dark" }));
            Assert.Single(answer.GetProperty("events").EnumerateArray(), e => e.GetProperty("text").GetString() == "screen: dark");
            Assert.Empty(app.Services.GetRequiredService<BootStore>().Events(boot));
        }
        await Wait.For(() => app.Services.GetRequiredService<BootStore>().Events(boot).Count > 0);
        var shown = (await app.Get($"/api/boots/{boot}")).GetProperty("events").EnumerateArray();
        Assert.Single(shown, e => e.GetProperty("text").GetString() == "screen: dark");
    }

    [Fact]
    public async Task A_mark_is_kept_that_is_made_while_the_end_of_a_capture_waits_for_the_disk()
    {
        await using var app = await RunningApp.Start();
        var boot = await StartBoot(app, await app.Board());
        await app.Until(boot, Reached);
        Task<HttpResponseMessage> off,
            mark;
        using (app.Held())
        {
            off = app.Http.PostAsJsonAsync($"/api/boots/{boot}/power", new { on = false });
            await Task.Delay(300);
            mark = app.Http.PostAsJsonAsync($"/api/boots/{boot}/notes", new { text = "screen: dark" });
            await Task.Delay(300);
        }
        await off;
        await RunningApp.Json(await mark);
        Assert.Contains("screen: dark", (await app.Get($"/api/boots/{boot}")).GetProperty("events").GetRawText());
    }

    [Fact]
    public async Task Typing_reaches_the_board_and_its_answer_comes_back()
    {
        await using var app = await RunningApp.Start();
        var boot = await StartBoot(app, await app.Board());
        await app.Until(boot, Reached);
        foreach (var text in new[] { "fallow\r", "x\r", "hostname\r" })
            (await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text })).EnsureSuccessStatusCode();
        await app.Until(boot, b => b.GetProperty("lineCount").GetInt32() > 0 && Lines(app, boot).Result.Contains("quince"));
    }

    private static async Task<List<string>> Lines(RunningApp app, string boot)
    {
        var all = await app.Get($"/api/boots/{boot}/lines?from=1&count=2000");
        return [.. all.GetProperty("lines").EnumerateArray().Select(l => l.GetProperty("text").GetString()!)];
    }

    [Fact]
    public async Task A_real_terminal_device_is_captured_like_the_board_itself()
    {
        await using var app = await RunningApp.Start(pace: 20);
        var board = await app.Board();
        var ports = await app.Get("/api/ports");
        var port = ports
            .EnumerateArray()
            .Where(p => p.GetProperty("boardId").GetString() == board)
            .Select(p => p.GetProperty("path").GetString()!)
            .Single(p => p.StartsWith("/dev/pts/", StringComparison.Ordinal));
        var boot = await StartBoot(app, board, port);
        await app.Until(boot, Reached);
        (await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = "fallow\r" })).EnsureSuccessStatusCode();
        await app.Until(boot, _ => Lines(app, boot).Result.Any(l => l.StartsWith("Password:")));
        var bytes = await app.Http.GetByteArrayAsync($"/api/boots/{boot}/log");
        Assert.Contains("quince login: fallow", Encoding.UTF8.GetString(bytes));
    }

    [Fact]
    public async Task Not_one_byte_of_a_terminal_is_lost_or_changed()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        using var terminal = new PseudoTerminal(_ => { });
        var boot = await StartBoot(app, board, terminal.Path);
        var sent = new byte[600_000];
        new Random(3).NextBytes(sent);
        // The terminal gives up on a reader that a busy machine holds back; what it did not take is printed again.
        for (var at = 0; at < sent.Length; )
            at += terminal.Print(sent.AsSpan(at, Math.Min(1000, sent.Length - at)));
        await app.Until(boot, b => b.GetProperty("byteCount").GetInt64() == sent.Length);
        var kept = await app.Http.GetByteArrayAsync($"/api/boots/{boot}/log");
        Assert.Equal(SHA256.HashData(sent), SHA256.HashData(kept));
    }

    [Fact]
    public async Task A_terminal_that_goes_away_is_waited_for_says_so_and_keeps_what_came()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        var terminal = new PseudoTerminal(_ => { });
        var boot = await StartBoot(app, board, terminal.Path);
        terminal.Print("[    0.000000] Linux version 6.1\r\n"u8);
        await app.Until(boot, b => b.GetProperty("byteCount").GetInt64() > 0);
        terminal.Dispose();
        var lost = await app.Until(boot, b => b.GetProperty("waiting").ValueKind != JsonValueKind.Null);
        Assert.Contains("went away", lost.GetProperty("waiting").GetProperty("came").GetString());
        var ended = await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { }));
        Assert.False(ended.GetProperty("live").GetBoolean());
        // The silence behind it was not heard: it accuses nobody.
        Assert.Equal("cut", ended.GetProperty("outcome").GetString());
        Assert.Equal(34, ended.GetProperty("byteCount").GetInt64());
    }

    [Theory]
    [InlineData("/dev/ttyUSB99", "no such device")]
    [InlineData("/dev/null", "another kind")]
    [InlineData("/etc/passwd", "is not")]
    public async Task A_port_that_cannot_be_opened_leaves_no_boot_behind(string path, string words)
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        var problem = await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = path, speed = 115200 }),
            422
        );
        Assert.Contains(words, problem.Came);
        Assert.Empty((await app.Get($"/api/boards/{board}/boots")).EnumerateArray());
    }

    [Fact]
    public void A_port_that_may_not_be_opened_names_the_group_and_the_command()
    {
        var problem = ConsoleProblems.Of(13, "/dev/ttyUSB0", "dialout");
        Assert.Contains("group dialout", problem.Came);
        Assert.Contains("usermod -aG dialout", problem.ToDo);
    }

    [Fact]
    public async Task What_had_arrived_before_a_sudden_stop_is_there_at_the_next_start()
    {
        var folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;
        string boot;
        await using (var app = await RunningApp.Start(folder: folder, keep: true))
        {
            var store = app.Services.GetRequiredService<BootStore>();
            var board = app.Services.GetRequiredService<BoardStore>().Find(await app.Board())!;
            // As a killed process leaves it: bytes stored, no end.
            boot = store.Begin(board, "simulated board", DateTimeOffset.UtcNow).Id;
            store.Append(boot, [new StoredPiece(10, "U-Boot 2024.01\r\n"u8.ToArray())]);
        }
        await using var again = await RunningApp.Start(folder: folder);
        var view = await again.Get($"/api/boots/{boot}");
        Assert.Equal(16, view.GetProperty("byteCount").GetInt64());
        Assert.Equal("second-loader", view.GetProperty("lastStage").GetString());
        Assert.Contains("stopped during the capture", view.GetProperty("endedWhy").GetString());
    }

    [Fact]
    public async Task A_damaged_page_of_the_data_file_cuts_that_log_and_is_told()
    {
        var folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;
        string boot;
        await using (var app = await RunningApp.Start(folder: folder, keep: true))
        {
            var store = app.Services.GetRequiredService<BootStore>();
            var board = app.Services.GetRequiredService<BoardStore>().Find(await app.Board())!;
            boot = store.Begin(board, "simulated board", DateTimeOffset.UtcNow).Id;
            store.Append(
                boot,
                [
                    new StoredPiece(10, "U-Boot 2024.01\r\n"u8.ToArray()),
                    .. "XYZ".Select(c => (JournalEntry)new StoredPiece(20, Encoding.ASCII.GetBytes(new string(c, 3000)))),
                ]
            );
            app.WriteBack();
        }
        var path = Path.Combine(folder, "bench.db");
        var file = await File.ReadAllBytesAsync(path, TestContext.Current.CancellationToken);
        var page = Enumerable.Range(1, file.Length / 4096 - 1).Single(p => file.AsSpan(p * 4096, 4096).Count((byte)'Y') > 2500);
        file.AsSpan(page * 4096, 4096).Clear();
        await File.WriteAllBytesAsync(path, file, TestContext.Current.CancellationToken);

        await using var again = await RunningApp.Start(folder: folder);
        var view = await again.Get($"/api/boots/{boot}");
        Assert.Equal("cut", view.GetProperty("outcome").GetString());
        Assert.Contains(
            "The data file is damaged: 6016 bytes of this log can be read, some behind byte 3016 cannot",
            view.GetProperty("endedWhy").GetString()
        );
        Assert.NotEqual(0, (await again.Get("/api/bench")).GetArrayLength());
    }

    [Fact]
    public async Task A_byte_that_changed_on_the_disk_is_found_at_the_next_start_and_said()
    {
        var folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;
        string boot;
        await using (var app = await RunningApp.Start(folder: folder, keep: true))
        {
            var log = new ByteArrayContent([
                .. Enumerable.Range(0, 4000).SelectMany(n => Encoding.ASCII.GetBytes($"[{n, 12}.000000] a line of the board\r\n")),
            ]);
            var answer = await app.Http.PostAsync($"/api/boards/{await app.Board()}/logs?name=quiet.log", log);
            boot = (await RunningApp.Json(answer)).GetProperty("id").GetString()!;
            app.WriteBack();
        }
        var path = Path.Combine(folder, "bench.db");
        var file = await File.ReadAllBytesAsync(path, TestContext.Current.CancellationToken);
        file[file.AsSpan().IndexOf("[        1234.000000]"u8) + 12] = (byte)'9';
        await File.WriteAllBytesAsync(path, file, TestContext.Current.CancellationToken);

        await using var again = await RunningApp.Start(folder: folder);
        var said = await Wait.For(
            async () => (await again.Get($"/api/boots/{boot}")).GetProperty("endedWhy").GetString()!,
            why => why.Contains("not as it was received", StringComparison.Ordinal)
        );
        Assert.Contains("Something among bytes 0 to", said);
        Assert.Equal(4000, (await again.Get($"/api/boots/{boot}")).GetProperty("lineCount").GetInt32());
    }

    [Fact]
    public void A_flood_is_held_back_and_named_and_an_ordinary_console_is_neither()
    {
        var clock = new Microsoft.Extensions.Time.Testing.FakeTimeProvider();
        string? After(int bytesPerSecond, int seconds)
        {
            var flow = new Flow(clock);
            for (var tenth = 0; tenth < 10 * seconds; tenth++)
            {
                clock.Advance(TimeSpan.FromMilliseconds(100));
                flow.Arrived(bytesPerSecond / 10);
                if (!flow.MustWait)
                    flow.Stored(bytesPerSecond / 10);
            }
            return flow.TooFast?.Came;
        }
        Assert.Null(After(11_520, 60));
        Assert.Null(After(400_000, 60));
        Assert.Null(After(10_000_000, 1));
        Assert.Equal("10.0 MB arrive each second.", After(10_000_000, 4));

        var stuck = new Flow(clock);
        stuck.Arrived(5_000_000);
        Assert.True(stuck.MustWait);
        clock.Advance(TimeSpan.FromSeconds(60));
        stuck.Arrived(1);
        // What an adapter brings may wait for a full disk much longer than a flood.
        Assert.False(stuck.MustWait);
        Assert.Null(stuck.Flooded);
    }

    [Fact]
    public async Task While_the_disk_is_full_bytes_wait_and_are_stored_once_there_is_room()
    {
        await using var app = await RunningApp.Start();
        var boots = app.Services.GetRequiredService<BootStore>();
        var bench = app.Services.GetRequiredService<BoardStore>().Find(await app.Board())!;
        var boot = boots.Begin(bench, "test", DateTimeOffset.UtcNow);
        var source = new PushedSource();
        await using var capture = new Capture(boot, boots, new(app.Services.GetRequiredService<RuleBookIndex>()), source, null, _ => { });
        bool Heard()
        {
            lock (capture.Reader)
            {
                capture.Listen();
                return capture.Reader.Ending.ProvesSilence;
            }
        }
        // A writer that holds the database makes storing fail as a full disk does.
        using (app.Held())
        {
            Assert.Null(capture.Start());
            source.Push("one\n"u8.ToArray());
            await Wait.For(() => capture.Waiting is not null);
            Assert.Contains("waits in memory", capture.Waiting?.ToDo);
            source.Push("two\n"u8.ToArray(), 900_000);
            source.Now = 900_100;
            // What waits for the disk arrived all the same: no silence.
            Assert.Equal(100, capture.Quiet);
            // Nor does a long silence behind it say anything before it was read.
            source.Now = 2_000_000;
            Assert.False(Heard());
        }
        await Wait.For(() => boots.Pieces(boot.Id).Sum(p => p.Bytes.Length) >= 8);
        await Wait.For(Heard);
        Assert.Equal("one\ntwo\n", Encoding.ASCII.GetString([.. boots.Pieces(boot.Id).SelectMany(p => p.Bytes)]));
        Assert.Null(capture.Waiting);
    }

    private sealed class PushedSource : IConsoleSource
    {
        private Action<StoredPiece>? received;

        public int Now { get; set; }

        public Core.Problem? Start(Action<StoredPiece> received, Action<JournalEvent> happened, Action<CaptureEnd, string> ended)
        {
            this.received = received;
            return null;
        }

        public void Push(byte[] bytes, int at = 0) => received!(new(at, bytes));

        public Core.Problem? Type(byte[] bytes) => null;

        public void Dispose() { }
    }

    [Fact]
    public async Task The_time_of_a_simulated_board_stands_still_until_what_is_due_was_given()
    {
        await using var app = await RunningApp.Start();
        var bench = app.Services.GetRequiredService<BoardStore>().Find(await app.Board())!;
        var clock = new Microsoft.Extensions.Time.Testing.FakeTimeProvider();
        using var source = new SimulatedSource(app.Services.GetRequiredService<SimulatedBoots>().Plan(bench, 1), 1, clock, new(115_200));
        using var busy = new ManualResetEventSlim();
        var first = new TaskCompletionSource<StoredPiece>();
        source.Start(
            piece =>
            {
                first.TrySetResult(piece);
                busy.Wait();
            },
            _ => { },
            (_, _) => { }
        );
        clock.Advance(TimeSpan.FromHours(1));
        var given = await first.Task.WaitAsync(TimeSpan.FromSeconds(20));
        Assert.InRange(source.Now, 0, given.Milliseconds);
        busy.Set();
        await Wait.For(() => source.Now >= 3_600_000);
        Assert.Equal(3_600_000, source.Now);
    }

    [Fact]
    public async Task Pages_hear_of_changes()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        await using var hub = new HubConnectionBuilder().WithUrl(new Uri(app.Http.BaseAddress!, "/hub")).Build();
        var heard = new TaskCompletionSource<(string?, string)>();
        hub.On<string?, string>("bootChanged", (b, boot) => heard.TrySetResult((b, boot)));
        await hub.StartAsync();
        var started = await StartBoot(app, board);
        Assert.Equal((board, started), await heard.Task.WaitAsync(TimeSpan.FromSeconds(20)));
    }

    [Fact]
    public async Task Power_off_ends_the_capture_and_marks_are_kept_with_it()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        var boot = await StartBoot(app, board);
        await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/notes", new { text = "The light went out" }));
        var ended = await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { }));
        Assert.False(ended.GetProperty("live").GetBoolean());
        Assert.Equal("The light went out", ended.GetProperty("events")[0].GetProperty("text").GetString());
        var problem = await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = "x" }), 409);
        Assert.Contains("ended", problem.Came);
    }
}
