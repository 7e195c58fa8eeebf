using System.Diagnostics;
using System.Text.Json;
using Buttonhook.Hardware;

namespace Buttonhook.App.Tests;

/// <summary>capture at the command line: what it prints, what it keeps, and the exit code that a script goes by.</summary>
[Trait("Length", "long")]
public sealed class CaptureCommandTests : InFolder
{
    private string Data => Path.Combine(folder, "data");

    private static async Task<(int Code, string Out, string Error)> Capture(PseudoTerminal console, string print, params string[] arguments)
    {
        var running = CommandLineTests.Run(["capture", console.Path, .. arguments]);
        // Printed again and again until it is over: the command opens the port when it is ready.
        var clock = Stopwatch.StartNew();
        while (!running.IsCompleted && clock.Elapsed.TotalMinutes < 4)
        {
            console.Print(System.Text.Encoding.UTF8.GetBytes(print));
            await Task.WhenAny(running, Task.Delay(700));
        }
        return await running;
    }

    [Fact]
    public async Task A_console_is_captured_on_an_empty_folder_and_its_log_is_kept()
    {
        using var console = new PseudoTerminal(_ => { });
        var (code, printed, error) = await Capture(
            console,
            "U-Boot 2024.01 (Jan 01 2024)\r\n[    0.000000] Linux version 6.1.0\r\nDebian GNU/Linux 12 frost-7 ttyS0\r\n\r\nfrost-7 login: ",
            "--speed",
            "115200",
            "--seconds",
            "50",
            "--data",
            Data
        );
        Assert.Equal((0, ""), (code, error));
        Assert.Contains("It reached login.", printed);
        Assert.Contains("Reached login", printed);
        // A server on the same folder has the log.
        await using var app = await RunningApp.Start(folder: Copy());
        var boot = Assert.Single((await app.Get("/api/boots")).EnumerateArray());
        Assert.Contains("frost-7 login: ", await app.Http.GetStringAsync($"/api/boots/{boot.GetProperty("id").GetString()}/log"));
    }

    /// <summary>The data of the command as a folder of a running application.</summary>
    private string Copy()
    {
        var copy = Directory.CreateTempSubdirectory("buttonhook-").FullName;
        foreach (var file in Directory.GetFiles(Data, "buttonhook.db*"))
            System.IO.File.Copy(
                file,
                Path.Combine(copy, Path.GetFileName(file).Replace("buttonhook.db", "bench.db", StringComparison.Ordinal))
            );
        return copy;
    }

    [Fact]
    public async Task A_text_ends_it_time_ends_it_and_what_cannot_be_opened_is_told()
    {
        using var console = new PseudoTerminal(_ => { });
        var (found, printed, _) = await Capture(
            console,
            "nothing\r\nfrost alarm 7\r\n",
            "--speed",
            "9600",
            "--until",
            "frost alarm",
            "--data",
            Data
        );
        Assert.Equal(0, found);
        Assert.Matches(@"Line \d+: frost alarm 7", printed);
        var (late, json, _) = await Capture(console, "", "--speed", "9600", "--seconds", "1", "--json", "--data", Data);
        Assert.Equal(3, late);
        var told = JsonSerializer.Deserialize<JsonElement>(json);
        Assert.Equal(3, told.GetProperty("exit").GetInt32());
        Assert.False(told.GetProperty("boot").GetProperty("live").GetBoolean());
        var (missing, _, problem) = await CommandLineTests.Run("capture", "/dev/ttyUSB77", "--speed", "9600", "--data", Data);
        Assert.Equal(4, missing);
        Assert.StartsWith("buttonhook: /dev/ttyUSB77 should be a serial port.", problem);
        Assert.Equal(2, (await CommandLineTests.Run("capture", console.Path, "--board", "nobody", "--speed", "9600", "--data", Data)).Code);
        Assert.Equal(2, (await CommandLineTests.Run("capture", console.Path, "--seconds", "0", "--data", Data)).Code);
    }

    [Fact]
    public async Task A_failed_boot_ends_it_with_one_and_says_why()
    {
        using var console = new PseudoTerminal(_ => { });
        var (code, printed, _) = await Capture(
            console,
            "[    2.000000] VFS: Cannot open root device \"mmcblk0p2\" or unknown-block(0,0): error -6\r\n"
                + "[    2.100000] Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0)\r\n"
                + "[    2.200000] ---[ end Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0) ]---\r\n",
            "--speed",
            "115200",
            "--seconds",
            "55",
            "--data",
            Data
        );
        Assert.Equal(1, code);
        Assert.Contains("Next:", printed);
    }

    [Fact]
    public void Who_has_a_port_open_is_named()
    {
        using var console = new PseudoTerminal(_ => { });
        using var other = Process.Start(new ProcessStartInfo("/bin/sh", ["-c", $"exec sleep 60 < {console.Path}"]))!;
        string? holder = null;
        // The shell has it open for a moment before it becomes what it was told to be.
        for (var i = 0; i < 500 && holder?.StartsWith("sleep", StringComparison.Ordinal) != true; i++)
        {
            holder = PortHolders.Of(console.Path);
            Thread.Sleep(20);
        }
        other.Kill();
        Assert.Equal($"sleep, process {other.Id},", holder);
        var problem = ConsoleProblems.Of(16, console.Path, null, holder);
        Assert.Equal($"sleep, process {other.Id}, has it open.", problem.Came);
    }
}
