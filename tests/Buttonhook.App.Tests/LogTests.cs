using System.IO.Compression;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;

namespace Buttonhook.App.Tests;

public class LogTests
{
    private static async Task<HttpResponseMessage> Drop(RunningApp app, string board, byte[] bytes, string name = "boot.log") =>
        await app.Http.PostAsync($"/api/boards/{board}/logs?name={name}", new ByteArrayContent(bytes));

    private static string Logs => Path.Combine(RunningApp.Root, "tests/logs");

    [Fact]
    public async Task A_real_log_gets_the_same_answer_on_the_page_and_at_the_command_line()
    {
        var file = Path.Combine(Logs, "armhf-dtb-file-missing-1/console.log");
        await using var app = await RunningApp.Start();
        var boot = await RunningApp.Json(await Drop(app, await app.Board(), await File.ReadAllBytesAsync(file)));
        var page = await app.Get($"/api/boots/{boot.GetProperty("id").GetString()}/diagnosis");
        var (code, printed, _) = await CommandLineTests.Run("diagnose", file, "--json");
        Assert.Equal(0, code);
        var told = JsonSerializer.Deserialize<JsonElement>(printed);
        Assert.Equal(JsonSerializer.Serialize(page.GetProperty("causes")), JsonSerializer.Serialize(told.GetProperty("causes")));
        Assert.Equal("dtb-missing", told.GetProperty("causes")[0].GetProperty("id").GetString());
        foreach (var name in new[] { "outcome", "lastStage", "attempts", "causes", "harmless", "nextCheck", "facts" })
            Assert.True(told.TryGetProperty(name, out _), name);
    }

    [Fact]
    public async Task Whether_the_board_stood_still_where_a_file_ends_is_asked_kept_and_taken_back()
    {
        var log = await File.ReadAllBytesAsync(Path.Combine(Logs, "arm64-good-first-boot-1/console.log"));
        var end = Array.LastIndexOf(log, (byte)'\n', log.Length * 45 / 100) + 1;
        await using var app = await RunningApp.Start();
        var boot = (await RunningApp.Json(await Drop(app, await app.Board(simulated: false), log[..end]))).GetProperty("id").GetString();
        async Task<JsonElement> Tell(object said) =>
            await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boots/{boot}/end-of-log", said));
        var told = await app.Get($"/api/boots/{boot}/diagnosis");
        Assert.Equal("cut", told.GetProperty("outcome").GetString());
        Assert.Equal("kernel-hang", told.GetProperty("ifStill").GetProperty("causes")[0].GetProperty("id").GetString());
        var still = await Tell(new { stoodStill = true });
        Assert.Equal(
            ("stopped", "kernel-hang"),
            (still.GetProperty("outcome").GetString(), still.GetProperty("causes")[0].GetProperty("id").GetString())
        );
        Assert.Equal("stood-still", (await app.Get($"/api/boots/{boot}")).GetProperty("endOfLog").GetString());
        Assert.Equal("cut", (await Tell(new { stoodStill = false })).GetProperty("outcome").GetString());
        Assert.Equal("cut", (await Tell(new { stoodStill = (bool?)null })).GetProperty("outcome").GetString());
        Assert.Equal("not-told", (await app.Get($"/api/boots/{boot}")).GetProperty("endOfLog").GetString());
    }

    [Fact]
    public async Task A_console_that_was_opened_on_a_running_board_counts_for_no_boot()
    {
        await using var app = await RunningApp.Start();
        var id = await app.Board(simulated: false);
        var boot = await RunningApp.Json(await Drop(app, id, "\r\norchard login: "u8.ToArray()));
        Assert.Equal("Attached to a running board, at its login", boot.GetProperty("word").GetString());
        var view = await app.Get($"/api/boards/{id}");
        Assert.Equal("Attached to a running board, at its login", view.GetProperty("word").GetString());
        Assert.StartsWith("Restart", view.GetProperty("next").GetProperty("boot").GetProperty("title").GetString());
        Assert.DoesNotContain(
            view.GetProperty("steps").EnumerateArray(),
            s => s.GetProperty("step").GetString() is "boot" or "diagnose" && s.GetProperty("done").GetBoolean()
        );
        Assert.Empty((await app.Get("/api/statistics")).GetProperty("pairs").EnumerateArray());
        Assert.Equal(
            "Attached to a running board, at its login",
            (await app.Get($"/api/boards/{id}/boots"))[0].GetProperty("word").GetString()
        );
        // First login works from it all the same.
        Assert.NotEmpty((await app.Get($"/api/boards/{id}/first-login")).GetProperty("tasks").EnumerateArray());
    }

    [Fact]
    public async Task What_was_done_at_the_first_login_stays_done_when_the_board_starts_again()
    {
        await using var app = await RunningApp.Start();
        var id = await app.Board(simulated: false);
        const string Start = "U-Boot 2024.01 (Jan 01 2024 - 00:00:00 +0000)\r\n[    0.000000] Linux version 6.1.90 (gcc 12.2.0) #1 SMP\r\n";
        var log =
            $"{Start}\r\nquince login: keeper\r\nkeeper@quince:~$ cat /etc/hosts\r\n127.0.1.1 quince\r\nkeeper@quince:~$ ip route\r\n10.0.2.0/24 dev eth0 proto kernel scope link\r\nkeeper@quince:~$ sudo reboot\r\n{Start}";
        await RunningApp.Json(await Drop(app, id, Encoding.UTF8.GetBytes(log)));
        var tasks = (await app.Get($"/api/boards/{id}/first-login")).GetProperty("tasks").EnumerateArray().ToList();
        JsonElement Task(string task) => tasks.Single(t => t.GetProperty("id").GetString() == task);
        Assert.Equal("proven", Task("host").GetProperty("state").GetString());
        // A route is no address of the board.
        Assert.Equal("open", Task("address").GetProperty("state").GetString());
    }

    [Fact]
    public async Task Good_logs_without_times_are_compared_with()
    {
        await using var app = await RunningApp.Start();
        var id = await app.Board(simulated: false);
        await RunningApp.Json(await Drop(app, id, await File.ReadAllBytesAsync(Path.Combine(Logs, "amd64-good-boot-1/console.log"))));
        var cut = (await File.ReadAllBytesAsync(Path.Combine(Logs, "amd64-good-boot-1/console.log"))).AsSpan(0, 8000).ToArray();
        var asks = await RunningApp.Json(await Drop(app, id, cut));
        var beside = await app.Get($"/api/boots/{asks.GetProperty("id").GetString()}/good");
        Assert.Equal(1, beside.GetProperty("number").GetInt32());
    }

    [Fact]
    public async Task Bytes_of_a_dropped_log_are_kept_exactly()
    {
        await using var app = await RunningApp.Start();
        var bytes = new byte[700_001];
        new Random(1).NextBytes(bytes);
        bytes[0] = (byte)'[';
        var boot = await RunningApp.Json(await Drop(app, await app.Board(), bytes));
        Assert.Equal(bytes, await app.Http.GetByteArrayAsync($"/api/boots/{boot.GetProperty("id").GetString()}/log"));
        Assert.Equal("garbled", boot.GetProperty("outcome").GetString());
    }

    [Fact]
    public async Task An_empty_file_is_a_problem_and_leaves_nothing()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        Assert.Contains("empty", (await RunningApp.ProblemOf(await Drop(app, board, []), 422)).Came);
        Assert.Empty((await app.Get($"/api/boards/{board}/boots")).EnumerateArray());
    }

    [Fact]
    public async Task A_file_of_another_kind_is_named()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionMode.Compress, true))
            gzip.Write("U-Boot"u8);
        Assert.Contains("gzip", (await RunningApp.ProblemOf(await Drop(app, board, packed.ToArray()), 422)).Came);
        Assert.Contains(
            "program",
            (await RunningApp.ProblemOf(await Drop(app, board, [0x7F, (byte)'E', (byte)'L', (byte)'F', 1, 2]), 422)).Came
        );
    }

    [Fact]
    public async Task What_is_too_large_is_refused_in_words_and_nothing_is_stored()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        using var content = new StreamContent(new Endless(5L << 30));
        content.Headers.ContentLength = 5L << 30;
        // Asked before it is sent, as the header allows.
        using var asking = new HttpRequestMessage(HttpMethod.Post, $"/api/boards/{board}/logs?name=huge.log") { Content = content };
        asking.Headers.ExpectContinue = true;
        var problem = await RunningApp.ProblemOf(await app.Http.SendAsync(asking), 413);
        Assert.Contains("5.0 GiB", problem.Came);
        Assert.Empty((await app.Get($"/api/boards/{board}/boots")).EnumerateArray());
        // Lines with another program's times are read whole.
        using var unknown = new StreamContent(
            new Endless(66L << 20, "2026-11-04 06:12:09 a line of a log that goes on and on, like this one.\r\n")
        );
        var second = await RunningApp.ProblemOf(await app.Http.PostAsync($"/api/boards/{board}/logs?name=huge.log", unknown), 422);
        Assert.Contains("64 MiB", second.Expected);
        Assert.Empty((await app.Get($"/api/boards/{board}/boots")).EnumerateArray());
    }

    [Fact]
    public async Task Seventy_megabytes_are_taken_and_read()
    {
        await using var app = await RunningApp.Start();
        using var content = new StreamContent(new Endless(70L << 20));
        var boot = await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{await app.Board()}/logs?name=large.log", content));
        Assert.Equal(70L << 20, boot.GetProperty("byteCount").GetInt64());
        var lines = await app.Get($"/api/boots/{boot.GetProperty("id").GetString()}/lines?from=900000&count=1");
        Assert.StartsWith("mmc0: a line", lines.GetProperty("lines")[0].GetProperty("text").GetString());
    }

    [Fact]
    public async Task Escapes_and_html_in_a_log_come_out_as_plain_text()
    {
        await using var app = await RunningApp.Start();
        var log = "\u001b[31mred\u001b[0m <script>alert(1)</script>\r\n\u001b]0;title\u0007done\r\n"u8.ToArray();
        var boot = await RunningApp.Json(await Drop(app, await app.Board(), log));
        var lines = await app.Get($"/api/boots/{boot.GetProperty("id").GetString()}/lines");
        Assert.Equal(
            ["red <script>alert(1)</script>", "done"],
            lines.GetProperty("lines").EnumerateArray().Select(l => l.GetProperty("text").GetString())
        );
    }

    [Theory]
    [InlineData(2, "diagnose")]
    [InlineData(2, "nonsense")]
    [InlineData(2, "serve", "--urls", "http://0.0.0.0:5190")]
    [InlineData(1, "diagnose", "/no/such/file")]
    public async Task Wrong_usage_is_one_line(int expected, params string[] arguments)
    {
        var (code, printed, error) = await CommandLineTests.Run(arguments);
        Assert.Equal(expected, code);
        Assert.Equal("", printed);
        Assert.Equal(1, error.Count(c => c == '\n'));
    }

    /// <summary>A log of a given length that is made while it is sent.</summary>
    private sealed class Endless(long length, string line = "mmc0: a line of a log that goes on and on, 1.000000, like this one.\r\n")
        : Stream
    {
        private readonly byte[] bytes = Encoding.ASCII.GetBytes(line);
        private long at;

        public override int Read(byte[] buffer, int offset, int count)
        {
            var n = (int)Math.Min(count, length - at);
            for (var i = 0; i < n; i++)
                buffer[offset + i] = bytes[(at + i) % bytes.Length];
            at += n;
            return n;
        }

        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => throw new NotSupportedException();
        public override long Position
        {
            get => at;
            set => throw new NotSupportedException();
        }

        public override void Flush() { }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}
