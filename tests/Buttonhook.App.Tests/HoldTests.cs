using System.Net;
using System.Net.Http.Json;
using System.Net.Sockets;
using System.Runtime.InteropServices;
using System.Text.Json;
using Buttonhook.Hardware;

namespace Buttonhook.App.Tests;

/// <summary>Faults, load and strangers: what the server does when it is stopped, when ports vanish, when the disk is full, and when it is started wrongly.</summary>
[Trait("Length", "long")]
public sealed partial class HoldTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-hold-").FullName;

    public void Dispose() => Directory.Delete(folder, true);

    private async Task<RunningProgram> Program() => await (await RunningProgram.Start(folder)).WithProfiles();

    [LibraryImport("libc", EntryPoint = "open", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Open(string path, int flags);

    [LibraryImport("libc", EntryPoint = "close")]
    private static partial int Close(int descriptor);

    [LibraryImport("libc", EntryPoint = "ioctl")]
    private static partial int Control(int descriptor, nuint request, ref int value);

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
        using (var server = await Program())
        {
            boot = await server.Capture(await server.Board("Quince"), terminal.Path);
            terminal.Print("U-Boot 2024.01\r\nlast words"u8);
            await server.Until(boot, b => b.GetProperty("byteCount").GetInt64() == 26);
            var (code, took) = await server.Stop(signal);
            Assert.Equal(0, code);
            Assert.InRange(took.TotalSeconds, 0, 1.5);
        }
        using var again = await Program();
        var view = await again.Http.GetFromJsonAsync<JsonElement>($"/api/boots/{boot}");
        Assert.Contains("The server was stopped", view.GetProperty("endedWhy").GetString());
        Assert.Equal("cut", view.GetProperty("outcome").GetString());
        Assert.Equal("U-Boot 2024.01\r\nlast words", await again.Http.GetStringAsync($"/api/boots/{boot}/log"));
    }

    [Fact]
    public async Task A_second_server_on_the_same_folder_is_told_which_process_holds_it()
    {
        using var first = await Program();
        var (code, _, error) = await CommandLineTests.Run("serve", "--data", folder, "--urls", "http://127.0.0.1:0");
        Assert.Equal(1, code);
        Assert.Matches(@"one server at a time\. The process \d+ uses it\.", error);
        Assert.True((await first.Http.GetAsync("/api/bench")).IsSuccessStatusCode);
    }

    [Fact]
    public async Task What_the_environment_says_of_addresses_is_ignored_and_files_are_for_the_owner_alone()
    {
        // Whoever took these addresses would find them in use and not come up.
        using var other = new TcpListener(IPAddress.Any, 0) { ExclusiveAddressUse = true };
        using var third = new TcpListener(IPAddress.Any, 0) { ExclusiveAddressUse = true };
        other.Start();
        third.Start();
        using var server = await RunningProgram.Start(
            folder,
            environment: new Dictionary<string, string>
            {
                ["ASPNETCORE_URLS"] = $"http://{other.LocalEndpoint}",
                ["Kestrel__Endpoints__Http__Url"] = $"http://{third.LocalEndpoint}",
            }
        );
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
