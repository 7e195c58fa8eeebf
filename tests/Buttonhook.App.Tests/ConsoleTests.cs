using System.Net.Http.Json;
using System.Net.Sockets;
using System.Text;
using System.Text.Json;
using Buttonhook.App.Consoles;
using Buttonhook.Core.Consoles;
using Buttonhook.Hardware;
using Buttonhook.Storage;
using Microsoft.AspNetCore.SignalR.Client;
using Microsoft.Extensions.DependencyInjection;

namespace Buttonhook.App.Tests;

/// <summary>Every way to a console, and what goes through it.</summary>
public sealed class ConsoleTests
{
    private static async Task<string> Open(RunningApp app, string board, string source, int speed = 115200) =>
        (await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source, speed })))
            .GetProperty("id")
            .GetString()!;

    private static Task<JsonElement> Post(RunningApp app, string path, object body) =>
        RunningApp.Json(app.Http.PostAsJsonAsync(path, body).Result);

    private static bool Is(JsonElement boot, string name, Func<JsonElement, bool> so) =>
        boot.GetProperty(name) is { ValueKind: not JsonValueKind.Null } value && so(value);

    private static IEnumerable<(string Kind, string Text)> Events(JsonElement boot) =>
        boot.GetProperty("events").EnumerateArray().Select(e => (e.GetProperty("kind").GetString()!, e.GetProperty("text").GetString()!));

    /// <summary>What somebody typed, waited for.</summary>
    private sealed class Heard
    {
        private readonly StringBuilder text = new();

        public void Add(byte[] bytes)
        {
            lock (text)
                text.Append(Encoding.UTF8.GetString(bytes));
        }

        public override string ToString()
        {
            lock (text)
                return text.ToString();
        }

        public async Task Until(string wanted)
        {
            await Wait.For(() => Task.FromResult(ToString()), said => said.Contains(wanted, StringComparison.Ordinal));
        }
    }

    [Fact]
    public async Task A_bridge_is_set_by_its_network_protocol_and_a_wrong_speed_is_mended_without_opening_it_again()
    {
        // Slow enough that the wrong speed is seen and mended while it still prints, on a machine with much else to do too.
        await using var app = await RunningApp.Start(pace: 4);
        var board = await app.Board();
        var bridge = app.Services.GetRequiredService<SimulatedBridges>().AddressOf(board);
        var boot = await Open(app, board, $"rfc2217:{bridge}", 57600);
        var garbled = await app.Until(boot, b => Is(b, "hint", h => h.GetProperty("settings").ValueKind != JsonValueKind.Null));
        Assert.Equal("speed", garbled.GetProperty("hint").GetProperty("kind").GetString());
        Assert.Equal(115200, garbled.GetProperty("hint").GetProperty("settings").GetProperty("speed").GetInt32());
        await Post(
            app,
            $"/api/boots/{boot}/line",
            new
            {
                speed = 115200,
                frame = "8N1",
                flow = "none",
            }
        );
        var read = await app.Until(boot, b => b.GetProperty("lastStage").GetString() == "login");
        Assert.Equal(JsonValueKind.Null, read.GetProperty("hint").ValueKind);
        Assert.Contains(("line", "The line is 115200 8N1 from here on"), Events(read));
        await Post(app, $"/api/boots/{boot}/typed", new { text = "fallow\r" }).ContinueWith(_ => { });
        await app.Until(boot, b => b.GetProperty("prompt").GetString()!.StartsWith("Password:", StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_bridge_that_speaks_no_protocol_says_so_and_is_read_as_plain_TCP()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        var listener = new TcpListener(System.Net.IPAddress.Loopback, 0);
        listener.Start();
        var port = ((System.Net.IPEndPoint)listener.LocalEndpoint).Port;
        var first = app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = $"rfc2217:127.0.0.1:{port}", speed = 9600 });
        using (var deaf = await listener.AcceptTcpClientAsync())
        {
            await deaf.GetStream().WriteAsync(Telnet.Say(Telnet.Dont, Telnet.ComPort));
            Assert.Contains("It refuses", (await RunningApp.ProblemOf(await first, 422)).Came);
        }
        var opening = Open(app, board, $"tcp:127.0.0.1:{port}");
        using var client = await listener.AcceptTcpClientAsync();
        var boot = await opening;
        await client.GetStream().WriteAsync("U-Boot 2024.01\r\n"u8.ToArray());
        await app.Until(boot, b => b.GetProperty("byteCount").GetInt64() == 16);
        var refused = await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync(
                $"/api/boots/{boot}/line",
                new
                {
                    speed = 9600,
                    frame = "8N1",
                    flow = "none",
                }
            ),
            422
        );
        Assert.Contains("plain TCP", refused.Came);
        await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = "tcp:nowhere", speed = 9600 }),
            422
        );
    }

    [Fact]
    public async Task What_was_unplugged_and_is_plugged_in_again_goes_on_with_the_gap_marked()
    {
        var devices = Directory.CreateTempSubdirectory("buttonhook-devices-").FullName;
        var link = Path.Combine(devices, "ttyUSB0");
        await using var app = await RunningApp.Start(devices: devices);
        var board = await app.Board(simulated: false);
        var first = new PseudoTerminal(_ => { });
        File.CreateSymbolicLink(link, first.Path);
        await Wait.For(
            () => app.Get("/api/ports"),
            ports => ports.EnumerateArray().Any(p => p.GetProperty("appeared").ValueKind != JsonValueKind.Null)
        );
        var port = (await app.Get("/api/ports")).EnumerateArray().First();
        Assert.Equal(link, port.GetProperty("path").GetString());
        Assert.NotEqual(JsonValueKind.Null, port.GetProperty("appeared").ValueKind);
        var boot = await Open(app, board, link);
        first.Print("before\r\n"u8);
        await app.Until(boot, b => b.GetProperty("byteCount").GetInt64() == 8);
        File.Delete(link);
        first.Dispose();
        // The trouble is told a moment before its gap is noted.
        var lost = await app.Until(
            boot,
            b => b.GetProperty("waiting").ValueKind != JsonValueKind.Null && b.GetProperty("quiet").ValueKind == JsonValueKind.Null
        );
        Assert.Contains("went away", lost.GetProperty("waiting").GetProperty("came").GetString());
        Assert.True(lost.GetProperty("live").GetBoolean());
        var heard = new Heard();
        using var second = new PseudoTerminal(heard.Add);
        File.CreateSymbolicLink(link, second.Path);
        var back = await app.Until(boot, b => Events(b).Any(e => e.Kind == "back"));
        second.Print("after\r\n"u8);
        await app.Until(boot, b => b.GetProperty("byteCount").GetInt64() == 15);
        Assert.Equal(["gap", "back"], Events(back).Select(e => e.Kind));
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = "hello" });
        await heard.Until("hello");
        Assert.Equal("before\r\nafter\r\n", await app.Http.GetStringAsync($"/api/boots/{boot}/log"));
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { });
        Directory.Delete(devices, true);
    }

    [Fact]
    public async Task A_terminal_that_gets_the_number_of_one_that_went_away_is_not_taken_for_it()
    {
        await using var app = await RunningApp.Start();
        var (board, other) = (await app.Board(simulated: false), await app.Board("Damson", simulated: false));
        var first = new PseudoTerminal(_ => { });
        var boot = await Open(app, board, first.Path);
        first.Print("mine\r\n"u8);
        await app.Until(boot, b => b.GetProperty("byteCount").GetInt64() == 6);
        var (path, taken) = (first.Path, new List<PseudoTerminal>());
        first.Dispose();
        await app.Until(boot, b => b.GetProperty("waiting").ValueKind != JsonValueKind.Null);
        for (var i = 0; i < 20 && taken.All(t => t.Path != path); i++)
            taken.Add(new PseudoTerminal(_ => { }));
        Assert.SkipWhen(taken.All(t => t.Path != path), "another program took the number");
        var others = await Open(app, other, path);
        taken.First(t => t.Path == path).Print("not mine\r\n"u8);
        await app.Until(others, b => b.GetProperty("byteCount").GetInt64() == 10);
        await Task.Delay(500);
        Assert.Equal("mine\r\n", await app.Http.GetStringAsync($"/api/boots/{boot}/log"));
        taken.ForEach(t => t.Dispose());
    }

    private sealed class Instant : TimeProvider
    {
        public override ITimer CreateTimer(TimerCallback callback, object? state, TimeSpan due, TimeSpan period) =>
            base.CreateTimer(callback, state, TimeSpan.Zero, period);
    }

    private sealed class LinkThatFails(Action<string> ended) : IConsoleLink
    {
        public void Fail() => ended("gone");

        public bool Send(ReadOnlySpan<byte> bytes) => true;

        public Core.Problem? Set(LineSettings line) => null;

        public Core.Problem? SetWires(bool? dtr, bool? rts) => null;

        public Core.Problem? Break() => null;

        public void Dispose() { }
    }

    [Fact]
    public async Task Ten_thousand_losses_are_ten_thousand_gaps_and_the_console_is_still_heard()
    {
        const int losses = 10_000;
        var opened = System.Threading.Channels.Channel.CreateUnbounded<LinkThatFails>();
        using var source = new LinkSource(
            "a loose plug",
            (_, _, ended) =>
            {
                var link = new LinkThatFails(ended);
                opened.Writer.TryWrite(link);
                return link;
            },
            () => true,
            new(115200),
            null,
            new Instant()
        );
        var events = new System.Collections.Concurrent.ConcurrentQueue<EventKind>();
        Assert.Null(source.Start(_ => { }, e => events.Enqueue(e.Kind), (_, _) => { }));
        for (var i = 0; i < losses; i++)
            (await opened.Reader.ReadAsync().AsTask().WaitAsync(TimeSpan.FromMinutes(4))).Fail();
        await opened.Reader.ReadAsync().AsTask().WaitAsync(TimeSpan.FromMinutes(4));
        await Wait.For(() => events.Count >= 2 * losses);
        Assert.Equal(2 * losses, events.Count);
        Assert.Equal(losses, events.Count(e => e == EventKind.Gap));
        Assert.Null(source.Trouble);
        Assert.Null(source.Type([1]));
    }

    [Fact]
    public async Task A_port_of_the_page_is_kept_once_whatever_is_sent_again_and_gets_what_is_typed()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        var boot = await Open(app, board, "browser:USB adapter 0403:6001");
        Task<HttpResponseMessage> Send(int from, string text) =>
            app.Http.PostAsync(
                $"/api/boots/{boot}/received?from={from}",
                new ByteArrayContent(Encoding.ASCII.GetBytes(text)) { Headers = { ContentType = new("application/octet-stream") } }
            );
        Assert.True((await Send(0, "U-Boot ")).IsSuccessStatusCode);
        Assert.True((await Send(0, "U-Boot 2024.01\r\n")).IsSuccessStatusCode);
        Assert.True((await Send(0, "U-Boot 2024.01\r\n")).IsSuccessStatusCode);
        Assert.Contains("go on behind byte 16", (await RunningApp.ProblemOf(await Send(20, "later"), 409)).Expected);
        await app.Until(boot, b => b.GetProperty("byteCount").GetInt64() == 16);
        Assert.Equal("U-Boot 2024.01\r\n", await app.Http.GetStringAsync($"/api/boots/{boot}/log"));
        Assert.Equal(16, (await app.Get($"/api/boots/{boot}/port")).GetProperty("received").GetInt64());
        await using var hub = new HubConnectionBuilder().WithUrl(new Uri(app.Http.BaseAddress!, "/hub")).Build();
        var typed = new TaskCompletionSource<string>();
        hub.On<string>("portType", b => typed.TrySetResult(Encoding.UTF8.GetString(Convert.FromBase64String(b))));
        await hub.StartAsync();
        await hub.InvokeCoreAsync("ReadPort", [boot]);
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = "run it\r" });
        Assert.Equal("run it\r", await typed.Task.WaitAsync(TimeSpan.FromMinutes(4)));
    }

    [Fact]
    public async Task A_secret_is_typed_and_stands_nowhere_in_the_data()
    {
        await using var app = await RunningApp.Start(keep: true);
        var board = await app.Board(simulated: false);
        var heard = new Heard();
        using var terminal = new PseudoTerminal(heard.Add);
        var boot = await Open(app, board, terminal.Path);
        terminal.Print("orchard login: "u8);
        await app.Until(boot, b => b.GetProperty("prompt").GetString()!.Contains("login", StringComparison.Ordinal));
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = "fallow\r" });
        terminal.Print("fallow\r\nPassword: "u8);
        await app.Until(boot, b => b.GetProperty("prompt").GetString()!.Contains("Password", StringComparison.Ordinal));
        foreach (var key in "perry-and-cider\r")
            await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = key.ToString() });
        await heard.Until("fallow\rperry-and-cider\r");
        var view = await app.Until(boot, b => Events(b).Any(e => e.Kind == "secret"));
        Assert.Equal(["typed", "secret"], Events(view).Select(e => e.Kind));
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { });
        app.WriteBack();
        Assert.DoesNotContain(
            "perry-and-cider",
            Encoding.Latin1.GetString(await File.ReadAllBytesAsync(Path.Combine(app.Folder, "bench.db")))
        );
        Assert.Contains("fallow", Events(await app.Get($"/api/boots/{boot}")).First().Text);
    }

    [Fact]
    public async Task A_secret_that_is_pasted_slowly_is_not_kept_either()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        var heard = new Heard();
        using var terminal = new PseudoTerminal(heard.Add);
        var boot = await Open(app, board, terminal.Path);
        terminal.Print("Password: "u8);
        await app.Until(boot, b => b.GetProperty("prompt").GetString()!.Contains("Password", StringComparison.Ordinal));
        await Post(
            app,
            $"/api/boots/{boot}/pasted",
            new
            {
                text = "perry-and-cider\n",
                characterPause = 1,
                linePause = 0,
            }
        );
        await heard.Until("perry-and-cider\r");
        var view = await app.Until(boot, b => Events(b).Any(e => e.Text.StartsWith("Paste:", StringComparison.Ordinal)));
        Assert.Contains(Events(view), e => e.Kind == "secret");
        Assert.DoesNotContain(Events(view), e => e.Text.Contains("perry", StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_board_at_work_that_does_not_echo_is_not_told_to_be_deaf()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        using var terminal = new PseudoTerminal(_ => { });
        var boot = await Open(app, board, terminal.Path);
        terminal.Print("orchard login: "u8);
        await app.Until(boot, b => b.GetProperty("prompt").GetString()!.Contains("login", StringComparison.Ordinal));
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = "fallow\r" });
        terminal.Print("fallow\r\nshutting down\r\n"u8);
        await app.Until(boot, b => b.GetProperty("lineCount").GetInt32() == 2);
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = "are you there\r" });
        await Task.Delay(LineHint.EchoWithin + 500);
        Assert.Equal(JsonValueKind.Null, (await app.Get($"/api/boots/{boot}")).GetProperty("hint").ValueKind);
    }

    [Fact]
    public async Task A_text_is_pasted_slowly_and_whole_and_can_be_ended()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        var heard = new Heard();
        using var terminal = new PseudoTerminal(heard.Add);
        var boot = await Open(app, board, terminal.Path);
        await Post(
            app,
            $"/api/boots/{boot}/pasted",
            new
            {
                text = "setenv a 1\nsaveenv\n",
                characterPause = 1,
                linePause = 20,
            }
        );
        await app.Until(boot, b => Is(b, "typing", t => t.GetProperty("state").GetString() == "done"));
        Assert.Equal("setenv a 1\rsaveenv\r", heard.ToString());
        await Post(
            app,
            $"/api/boots/{boot}/pasted",
            new
            {
                text = new string('x', 200),
                characterPause = 50,
                linePause = 0,
            }
        );
        Assert.Contains(
            "typed at a time",
            (await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/loader-stop", new { }), 422)).Expected
        );
        await Post(app, $"/api/boots/{boot}/typing/end", new { });
        await app.Until(boot, b => Is(b, "typing", t => t.GetProperty("state").GetString() == "ended"));
        Assert.InRange(heard.ToString().Count(c => c == 'x'), 0, 199);
    }

    [Fact]
    public async Task The_loader_of_a_simulated_board_is_stopped_and_a_sequence_of_ones_own_runs_at_its_prompt()
    {
        await using var app = await RunningApp.Start(pace: 2);
        var board = await app.Board();
        var boot = await Open(app, board, "simulated");
        await Post(app, $"/api/boots/{boot}/loader-stop", new { });
        var stopped = await app.Until(boot, b => Is(b, "typing", t => t.GetProperty("state").GetString() == "done"));
        Assert.Equal("The loader was stopped with the space bar.", stopped.GetProperty("typing").GetProperty("says").GetString());
        await RunningApp.Json(
            await app.Http.PutAsJsonAsync(
                $"/api/boards/{board}/sequences",
                new
                {
                    name = "Tell the version",
                    steps = new[]
                    {
                        new
                        {
                            waitFor = (string?)null,
                            send = (string?)"version\\r",
                            seconds = 5,
                        },
                        new
                        {
                            waitFor = (string?)"U-Boot 2024.01",
                            send = (string?)null,
                            seconds = 5,
                        },
                    },
                }
            )
        );
        await Post(app, $"/api/boots/{boot}/sequences/Tell the version", new { });
        var told = await app.Until(boot, b => Events(b).Count(e => e.Text.StartsWith("Tell the version:", StringComparison.Ordinal)) == 2);
        Assert.Contains(("sequence", "Tell the version: done"), Events(told));
    }

    [Fact]
    public async Task A_prompt_that_does_not_echo_is_told_as_a_wire_that_is_missing()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        using var terminal = new PseudoTerminal(_ => { });
        var boot = await Open(app, board, terminal.Path);
        terminal.Print("Debian GNU/Linux 12 orchard ttyS0\r\n\r\norchard login: "u8);
        await app.Until(boot, b => b.GetProperty("prompt").GetString()!.Contains("login", StringComparison.Ordinal));
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = "fallow\r" });
        var told = await app.Until(boot, b => Is(b, "hint", h => h.GetProperty("kind").GetString() == "one-way"));
        Assert.Contains("does not hear you", told.GetProperty("hint").GetProperty("says").GetString());
        terminal.Print("fallow"u8);
        await app.Until(boot, b => b.GetProperty("hint").ValueKind == JsonValueKind.Null);
    }

    [Fact]
    public async Task Silence_is_measured_at_this_very_point_of_good_boots()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        var store = app.Services.GetRequiredService<BootStore>();
        var good = await Open(app, board, "simulated");
        await app.Until(good, b => b.GetProperty("settled").GetBoolean());
        await app.Http.PostAsJsonAsync($"/api/boots/{good}/end", new { });
        await app.Until(good, b => !b.GetProperty("live").GetBoolean());
        using var terminal = new PseudoTerminal(_ => { });
        var boot = await Open(app, board, terminal.Path);
        terminal.Print("[    3.200000] Run /init as init process\r\n"u8);
        var quiet = (
            await app.Until(
                boot,
                b =>
                    Is(
                        b,
                        "quiet",
                        q => q.GetProperty("basis").GetString()?.StartsWith("behind this line", StringComparison.Ordinal) == true
                    )
            )
        ).GetProperty("quiet");
        Assert.Equal("behind this line, in 1 good boot of this board and image", quiet.GetProperty("basis").GetString());
        Assert.NotEmpty(store.Pauses([good], [LineShape.Number("Run /init as init process")]));
    }

    [Fact]
    public async Task A_log_that_is_played_again_says_what_the_log_says()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        var log = await File.ReadAllBytesAsync(Path.Combine(RunningApp.Root, "tests/logs/arm64-initrd-file-missing-1/console.log"));
        var dropped = (await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{board}/logs?name=a.log", new ByteArrayContent(log))))
            .GetProperty("id")
            .GetString()!;
        var replay = (
            await RunningApp.Json(
                await app.Http.PostAsJsonAsync(
                    $"/api/boards/{board}/boots",
                    new
                    {
                        source = $"replay:{dropped}",
                        speed = 115200,
                        pace = 200,
                    }
                )
            )
        ).GetProperty("id").GetString()!;
        await app.Until(replay, b => !b.GetProperty("live").GetBoolean() && b.GetProperty("byteCount").GetInt64() == log.Length);
        Assert.Equal(log, await app.Http.GetByteArrayAsync($"/api/boots/{replay}/log"));
        string Top(JsonElement d) =>
            string.Join(' ', d.GetProperty("causes").EnumerateArray().Select(c => $"{c.GetProperty("id")} {c.GetProperty("probability")}"));
        Assert.Equal(Top(await app.Get($"/api/boots/{dropped}/diagnosis")), Top(await app.Get($"/api/boots/{replay}/diagnosis")));
    }
}
