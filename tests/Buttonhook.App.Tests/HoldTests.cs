using System.Diagnostics;
using System.Net;
using System.Net.Http.Json;
using System.Net.Sockets;
using System.Runtime.InteropServices;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Hardware;

namespace Buttonhook.App.Tests;

/// <summary>Faults, load and strangers: what the server does when it is stopped, when ports vanish, when the disk is full, and when it is started wrongly.</summary>
public sealed partial class HoldTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-hold-").FullName;

    public void Dispose() => Directory.Delete(folder, true);

    [LibraryImport("libc", EntryPoint = "kill")]
    private static partial int Signal(int process, int signal);

    [LibraryImport("libc", EntryPoint = "open", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Open(string path, int flags);

    [LibraryImport("libc", EntryPoint = "close")]
    private static partial int Close(int descriptor);

    [LibraryImport("libc", EntryPoint = "ioctl")]
    private static partial int Control(int descriptor, nuint request, ref int value);

    /// <summary>The program itself as a process.</summary>
    private sealed class Server : IDisposable
    {
        private readonly Process process;

        public Server(string data, string? url = null, Dictionary<string, string>? environment = null)
        {
            Url = url ?? $"http://127.0.0.1:{RunningApp.FreePort()}";
            var start = new ProcessStartInfo("dotnet", [typeof(BenchApp).Assembly.Location, "serve", "--data", data, "--urls", Url])
            {
                RedirectStandardOutput = true,
                RedirectStandardError = true,
            };
            foreach (var (name, value) in environment ?? [])
                start.Environment[name] = value;
            process = Process.Start(start)!;
            Errors = process.StandardError.ReadToEndAsync();
            Http = new() { BaseAddress = new Uri(Url), Timeout = TimeSpan.FromSeconds(20) };
        }

        public string Url { get; }

        public HttpClient Http { get; }

        public Task<string> Errors { get; }

        public async Task<Server> Up()
        {
            for (var i = 0; i < 300; i++)
            {
                Assert.False(process.HasExited, process.HasExited ? await Errors : "");
                try
                {
                    if ((await Http.GetAsync("/api/bench")).IsSuccessStatusCode)
                    {
                        // A bench of one's own begins without any card.
                        foreach (var card in new[] { "boards/quill-v", "images/fallow-12-server-riscv64" })
                            await Http.PostAsJsonAsync(
                                "/api/cards/imports",
                                new
                                {
                                    name = card,
                                    yaml = await File.ReadAllTextAsync(Path.Combine(RunningApp.Root, $"data/demo/{card}.yaml")),
                                }
                            );
                        return this;
                    }
                }
                catch (HttpRequestException)
                {
                    await Task.Delay(100);
                }
            }
            throw new TimeoutException("The server did not come up.");
        }

        /// <summary>A board that is not simulated; its id.</summary>
        public async Task<string> Board(string nickname)
        {
            var view = await RunningApp.Json(
                await Http.PostAsJsonAsync("/api/boards", RunningApp.BoardInput(nickname, supply: null, adapter: null))
            );
            return view.GetProperty("board").GetProperty("id").GetString()!;
        }

        public async Task<string> Capture(string board, string port) =>
            (await RunningApp.Json(await Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = port, speed = 115200 })))
                .GetProperty("id")
                .GetString()!;

        public async Task<JsonElement> Until(string boot, Func<JsonElement, bool> condition)
        {
            for (var i = 0; i < 200; i++)
            {
                var view = await Http.GetFromJsonAsync<JsonElement>($"/api/boots/{boot}");
                if (condition(view))
                    return view;
                await Task.Delay(50);
            }
            throw new TimeoutException(await Http.GetStringAsync($"/api/boots/{boot}"));
        }

        public async Task<(int Code, TimeSpan Took)> Stop(int signal = 15)
        {
            var clock = Stopwatch.StartNew();
            _ = Signal(process.Id, signal);
            await process.WaitForExitAsync().WaitAsync(TimeSpan.FromSeconds(20));
            return (process.ExitCode, clock.Elapsed);
        }

        public void Dispose()
        {
            if (!process.HasExited)
                process.Kill();
            Http.Dispose();
            process.Dispose();
        }
    }

    [Fact]
    public void A_terminal_that_is_gone_touches_no_file_that_got_its_descriptors_since()
    {
        var terminal = new PseudoTerminal(_ => { });
        terminal.Dispose();
        // The system gives the lowest free descriptors, so these files get those that were just closed.
        var files = Enumerable.Range(0, 6).Select(i => new FileStream(Path.Combine(folder, $"canary-{i}"), FileMode.Create)).ToList();
        terminal.Print("written into a foreign file"u8);
        terminal.Clear();
        terminal.Dispose();
        foreach (var file in files)
        {
            file.Write("canary"u8);
            file.Dispose();
        }
        Assert.All(Enumerable.Range(0, 6), i => Assert.Equal("canary", File.ReadAllText(Path.Combine(folder, $"canary-{i}"))));
    }

    [Theory]
    [InlineData(15)]
    [InlineData(2)]
    public async Task A_stop_keeps_every_byte_says_why_and_is_over_within_a_second(int signal)
    {
        // Who starts programs in the background may have them ignore Ctrl-C, and they inherit that.
        var ignored = File.ReadLines("/proc/self/status").First(l => l.StartsWith("SigIgn:", StringComparison.Ordinal))[7..].Trim();
        Assert.SkipWhen((Convert.ToUInt64(ignored, 16) >> (signal - 1) & 1) == 1, "this signal is ignored where the tests run");
        string boot;
        using (var terminal = new PseudoTerminal(_ => { }))
        using (var server = await new Server(folder).Up())
        {
            boot = await server.Capture(await server.Board("Quince"), terminal.Path);
            terminal.Print("U-Boot 2024.01\r\nlast words"u8);
            await Task.Delay(200);
            var (code, took) = await server.Stop(signal);
            Assert.Equal(0, code);
            Assert.InRange(took.TotalSeconds, 0, 1.5);
        }
        using var again = await new Server(folder).Up();
        var view = await again.Http.GetFromJsonAsync<JsonElement>($"/api/boots/{boot}");
        Assert.Contains("The server was stopped", view.GetProperty("endedWhy").GetString());
        Assert.Equal("cut", view.GetProperty("outcome").GetString());
        Assert.Equal("U-Boot 2024.01\r\nlast words", await again.Http.GetStringAsync($"/api/boots/{boot}/log"));
    }

    [Fact]
    public async Task A_second_server_on_the_same_folder_is_told_which_process_holds_it()
    {
        using var first = await new Server(folder).Up();
        var (code, _, error) = await CommandLineTests.Run("serve", "--data", folder, "--urls", $"http://127.0.0.1:{RunningApp.FreePort()}");
        Assert.Equal(1, code);
        Assert.Matches(@"one server at a time\. The process \d+ uses it\.", error);
        Assert.True((await first.Http.GetAsync("/api/bench")).IsSuccessStatusCode);
    }

    [Fact]
    public async Task What_the_environment_says_of_addresses_is_ignored_and_files_are_for_the_owner_alone()
    {
        var (other, third) = (RunningApp.FreePort(), RunningApp.FreePort());
        using var server = await new Server(
            folder,
            environment: new()
            {
                ["ASPNETCORE_URLS"] = $"http://0.0.0.0:{other}",
                ["Kestrel__Endpoints__Http__Url"] = $"http://0.0.0.0:{third}",
            }
        ).Up();
        foreach (var port in new[] { other, third })
        {
            using var client = new TcpClient();
            await Assert.ThrowsAsync<SocketException>(() => client.ConnectAsync(IPAddress.Loopback, port));
        }
        Assert.Equal(UnixFileMode.UserRead | UnixFileMode.UserWrite, File.GetUnixFileMode(Path.Combine(folder, "buttonhook.db")));
        Assert.Equal(
            UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute,
            File.GetUnixFileMode(Path.Combine(folder, "scratch"))
        );
    }

    [Fact]
    public async Task A_port_that_vanishes_leaves_no_descriptor_and_exclusive_use_is_given_back()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        using var kept = new PseudoTerminal(_ => { });
        async Task Once(bool vanish)
        {
            var terminal = vanish ? new PseudoTerminal(_ => { }) : kept;
            var boot = (
                await RunningApp.Json(
                    await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = terminal.Path, speed = 115200 })
                )
            )
                .GetProperty("id")
                .GetString()!;
            terminal.Print("x\r\n"u8);
            await app.Until(boot, b => b.GetProperty("byteCount").GetInt64() == 3);
            if (vanish)
            {
                terminal.Dispose();
                await app.Until(boot, b => b.GetProperty("waiting").ValueKind != JsonValueKind.Null);
            }
            await app.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { });
            await app.Until(boot, b => !b.GetProperty("live").GetBoolean());
        }
        int Ours() =>
            Directory
                .GetFiles("/proc/self/fd")
                .Select(f => new FileInfo(f).LinkTarget ?? "")
                .Count(t => t.StartsWith("/dev/pts/", StringComparison.Ordinal) && t.EndsWith("(deleted)", StringComparison.Ordinal));
        await Once(vanish: true);
        var before = Ours();
        for (var i = 0; i < 5; i++)
            await Once(vanish: true);
        Assert.InRange(Ours(), 0, before);

        await Once(vanish: false);
        const nuint getExclusive = 0x80045440;
        var descriptor = Open(kept.Path, 2 | 0x100);
        var exclusive = -1;
        Assert.Equal(0, Control(descriptor, getExclusive, ref exclusive));
        Assert.Equal(0, exclusive);
        Close(descriptor);
    }

    [Fact]
    public async Task Many_starts_at_once_make_one_capture_and_a_port_is_captured_once()
    {
        await using var app = await RunningApp.Start();
        var (board, other) = (await app.Board(), await app.Board("Damson"));
        using var terminal = new PseudoTerminal(_ => { });
        var answers = await Task.WhenAll(
            Enumerable
                .Range(0, 20)
                .Select(_ => app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = terminal.Path, speed = 115200 }))
        );
        Assert.Contains(answers, a => a.IsSuccessStatusCode);
        var boots = (await app.Get($"/api/boards/{board}/boots")).EnumerateArray().ToList();
        var live = 0;
        foreach (var boot in boots)
            live += (await app.Get($"/api/boots/{boot.GetProperty("id").GetString()}")).GetProperty("live").GetBoolean() ? 1 : 0;
        Assert.Equal(1, live);
        Assert.Equal(answers.Count(a => a.IsSuccessStatusCode), boots.Count);
        var taken = await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync($"/api/boards/{other}/boots", new { source = terminal.Path, speed = 115200 }),
            422
        );
        Assert.Contains("captured for another board", taken.Came);
    }

    [Theory]
    [InlineData("/dev/tty0")]
    [InlineData("/dev/console")]
    [InlineData("/dev/null")]
    [InlineData("/dev/../etc/passwd")]
    public async Task A_screen_or_another_device_is_no_console_of_a_board(string path)
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = path, speed = 115200 }),
            422
        );
        Assert.Empty((await app.Get($"/api/boards/{board}/boots")).EnumerateArray());
    }
}
