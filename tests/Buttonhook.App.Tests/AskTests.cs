using System.Diagnostics;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Buttonhook.Hardware;

namespace Buttonhook.App.Tests;

/// <summary>Boards that are asked: a real POSIX shell of this computer behind a pseudo-terminal, through the server and at the command line.</summary>
public sealed class AskTests : InFolder
{
    private const string Stopped =
        "U-Boot 2024.01 (Jan 01 2024)\r\n[    0.000000] Linux version 6.1.0\r\n"
        + "[    0.000000] Kernel command line: root=UUID=1234-abcd ro console=ttyS0\r\n[    2.100000] mmcblk0: mmc0:4567 CARD 1.00 GiB\r\n"
        + "Begin: Waiting for root file system ... done.\r\nGave up waiting for root file system device.  Common problems:\r\n"
        + "ALERT!  UUID=1234-abcd does not exist.  Dropping to a shell!\r\n";

    /// <summary>A shell of this computer on a terminal of its own, joined to a console.</summary>
    private sealed class RealShell : IDisposable
    {
        private readonly Process shell;

        public RealShell(string command)
        {
            Console = new(Typed);
            shell = Process.Start(
                new ProcessStartInfo("script", ["-qfec", command, "/dev/null"])
                {
                    RedirectStandardInput = true,
                    RedirectStandardOutput = true,
                    Environment =
                    {
                        ["PS1"] = "(initramfs) ",
                        ["ENV"] = "",
                        ["TERM"] = "dumb",
                    },
                }
            )!;
            _ = Task.Run(async () =>
            {
                var bytes = new byte[4096];
                for (int n; (n = await shell.StandardOutput.BaseStream.ReadAsync(bytes)) > 0; )
                    if (Begun)
                        Console.Print(bytes.AsSpan(0, n).ToArray());
            });
        }

        public PseudoTerminal Console { get; }

        /// <summary>Whether what the shell prints goes to the console.</summary>
        public bool Begun { get; set; }

        public StringBuilder All { get; } = new();

        private void Typed(byte[] bytes)
        {
            lock (All)
                All.Append(Encoding.UTF8.GetString(bytes));
            Begun = true;
            shell.StandardInput.BaseStream.Write(bytes);
            shell.StandardInput.BaseStream.Flush();
        }

        public string AllTyped
        {
            get
            {
                lock (All)
                    return All.ToString();
            }
        }

        public void Dispose()
        {
            shell.Kill(entireProcessTree: true);
            shell.Dispose();
            Console.Dispose();
        }
    }

    [Theory]
    [InlineData("env 'PS1=(initramfs) ' dash -i")]
    [InlineData("env 'PS1=\\t (initramfs) ' bash --norc --noprofile -i")]
    public async Task A_real_shell_answers_through_the_server(string command)
    {
        using var shell = new RealShell(command);
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        var begun = await RunningApp.Json(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = shell.Console.Path, speed = 115200 })
        );
        var boot = begun.GetProperty("id").GetString()!;
        shell.Console.Print(Encoding.UTF8.GetBytes(Stopped + "(initramfs) "));
        await app.Until(boot, b => b.GetProperty("prompt").GetString()!.Contains("(initramfs)"));
        Assert.Equal("the shell of the initial file system", (await app.Get($"/api/boots/{boot}/asked")).GetProperty("who").GetString());
        await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/asked", new { }));
        var asked = await Wait.For(() => app.Get($"/api/boots/{boot}/asked"), a => a.GetProperty("state").GetString() != "waiting");
        Assert.True(asked.GetProperty("state").GetString() == "done", asked.ToString());
        var steps = asked.GetProperty("steps").EnumerateArray().ToList();
        // This computer has not the disk of that log: the shell itself says so.
        var partition = Assert.Single(steps, s => s.GetProperty("questionId").GetString() == "root-partition");
        Assert.Contains(partition.GetProperty("resultId").GetString(), new[] { "others", "none" });
        Assert.All(steps, s => Assert.NotEqual(JsonValueKind.Null, s.GetProperty("says").ValueKind));
        Assert.DoesNotContain("bh:", string.Join('\n', steps.SelectMany(s => s.GetProperty("answer").EnumerateArray())));
        Assert.Equal(steps.Count, shell.AllTyped.Count(c => c == '\r'));
        Assert.Equal(
            "root-not-found",
            (await app.Get($"/api/boots/{boot}/diagnosis")).GetProperty("causes")[0].GetProperty("id").GetString()
        );
        // The journal has it as typed, and the answers outlive the capture.
        await app.Http.PostAsync($"/api/boots/{boot}/end", null);
        var kept = (await app.Get($"/api/boots/{boot}/asked")).GetProperty("steps").EnumerateArray().ToList();
        Assert.Contains(kept, s => s.GetProperty("command").GetString() == "blkid");
        await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/asked", new { }), 409);
    }

    [Fact]
    public async Task A_key_and_power_stop_a_round()
    {
        await using var app = await RunningApp.Start();
        foreach (var stop in new[] { "typed", "power" })
        {
            using var console = new PseudoTerminal(_ => { });
            var board = await app.Board(simulated: false, nickname: stop);
            var begun = await RunningApp.Json(
                await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = console.Path, speed = 115200 })
            );
            var boot = begun.GetProperty("id").GetString()!;
            console.Print(Encoding.UTF8.GetBytes(Stopped + "(initramfs) "));
            await app.Until(boot, b => b.GetProperty("prompt").GetString()!.Contains("(initramfs)"));
            await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/asked", new { }));
            await app.Http.PostAsJsonAsync($"/api/boots/{boot}/{stop}", stop == "typed" ? new { text = "x" } : (object)new { on = true });
            var asked = await Wait.For(() => app.Get($"/api/boots/{boot}/asked"), a => a.GetProperty("state").GetString() != "waiting");
            Assert.Equal("ended", asked.GetProperty("state").GetString());
        }
    }

    [Fact]
    public async Task A_round_at_a_port_that_went_away_ends_and_says_why()
    {
        await using var app = await RunningApp.Start();
        var console = new PseudoTerminal(_ => { });
        var board = await app.Board(simulated: false);
        var begun = await RunningApp.Json(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = console.Path, speed = 115200 })
        );
        var boot = begun.GetProperty("id").GetString()!;
        console.Print(Encoding.UTF8.GetBytes(Stopped + "(initramfs) "));
        await app.Until(boot, b => b.GetProperty("prompt").GetString()!.Contains("(initramfs)"));
        console.Dispose();
        await app.Until(boot, b => b.GetProperty("events").EnumerateArray().Any(e => e.GetProperty("kind").GetString() == "gap"));
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/asked", new { });
        var asked = await Wait.For(() => app.Get($"/api/boots/{boot}/asked"), a => a.GetProperty("state").GetString() != "waiting");
        Assert.Equal("failed", asked.GetProperty("state").GetString());
        Assert.Contains("does not take it", asked.GetProperty("says").GetString());
    }

    [Fact]
    public async Task At_the_command_line_a_script_goes_by_the_exit_code()
    {
        using var shell = new RealShell("env 'PS1=(initramfs) ' dash -i");
        var running = CommandLineTests.Run([
            "ask",
            shell.Console.Path,
            "--speed",
            "115200",
            "--seconds",
            "100",
            "--json",
            "--data",
            Path.Combine(folder, "data"),
        ]);
        // Printed again until it is asked: the command opens the port when it is ready.
        while (!running.IsCompleted && !shell.Begun)
        {
            shell.Console.Print(Encoding.UTF8.GetBytes(Stopped + "(initramfs) "));
            await Task.WhenAny(running, Task.Delay(6000));
        }
        var (code, printed, error) = await running;
        Assert.Equal("", error);
        var told = JsonSerializer.Deserialize<JsonElement>(printed);
        Assert.Equal(code, told.GetProperty("exit").GetInt32());
        Assert.True(code is 0, printed);
        Assert.Contains(told.GetProperty("steps").EnumerateArray(), s => s.GetProperty("command").GetString() == "blkid");
        Assert.Equal("root-not-found", told.GetProperty("diagnosis").GetProperty("causes")[0].GetProperty("id").GetString());
    }
}
