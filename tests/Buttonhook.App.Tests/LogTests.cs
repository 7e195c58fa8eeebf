using System.Diagnostics;
using System.IO.Compression;
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
