using System.Diagnostics;
using System.Net.Http.Json;
using System.Runtime.InteropServices;
using System.Text.Json;

namespace Buttonhook.App.Tests;

/// <summary>The program as a process of its own, at an address that the system chose and that it told.</summary>
internal sealed partial class RunningProgram : IDisposable
{
    private const string Told = "Buttonhook is at ";
    private readonly Task output;

    private RunningProgram(Process process, string url, Task<string> errors)
    {
        (Process, Url, Errors) = (process, url, errors);
        Http = new() { BaseAddress = new Uri(url) };
        output = process.StandardOutput.ReadToEndAsync();
    }

    [LibraryImport("libc", EntryPoint = "kill")]
    internal static partial int Signal(int process, int signal);

    public Process Process { get; }

    public string Url { get; }

    public HttpClient Http { get; }

    /// <summary>All of its error stream, when it is over.</summary>
    public Task<string> Errors { get; }

    /// <summary>Starts it on a data folder, and waits until it serves.</summary>
    public static async Task<RunningProgram> Start(
        string data,
        string command = "serve",
        IReadOnlyDictionary<string, string>? environment = null
    )
    {
        var start = new ProcessStartInfo(
            "dotnet",
            [typeof(BenchApp).Assembly.Location, command, "--data", data, "--urls", "http://127.0.0.1:0"]
        )
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        foreach (var (name, value) in environment ?? new Dictionary<string, string>())
            start.Environment[name] = value;
        var process = Process.Start(start)!;
        var errors = process.StandardError.ReadToEndAsync();
        while (await process.StandardOutput.ReadLineAsync() is { } line)
            if (line.StartsWith(Told, StringComparison.Ordinal))
                return new(process, line[Told.Length..], errors);
        throw new InvalidOperationException($"It did not come up: {await errors}");
    }

    /// <summary>Adds the board and the image that tests stand on: a bench of one's own begins without any.</summary>
    public async Task<RunningProgram> WithProfiles()
    {
        foreach (var card in new[] { "boards/quill-v", "images/fallow-12-server-riscv64" })
        {
            var yaml = await File.ReadAllTextAsync(Path.Combine(RunningApp.Root, $"data/demo/{card}.yaml"));
            (await Http.PostAsJsonAsync("/api/profiles/imports", new { name = card, yaml })).EnsureSuccessStatusCode();
        }
        return this;
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

    public Task<JsonElement> Until(string boot, Func<JsonElement, bool> condition) =>
        Wait.For(() => Http.GetFromJsonAsync<JsonElement>($"/api/boots/{boot}"), condition);

    /// <summary>Sends a signal (15 SIGTERM, 2 SIGINT), and tells how it ended and after how long.</summary>
    public async Task<(int Code, TimeSpan Took)> Stop(int signal = 15)
    {
        var clock = Stopwatch.StartNew();
        _ = Signal(Process.Id, signal);
        await Process.WaitForExitAsync().WaitAsync(TimeSpan.FromMinutes(1));
        return (Process.ExitCode, clock.Elapsed);
    }

    /// <summary>Kills it, with no time to tidy up.</summary>
    public async Task Kill()
    {
        Process.Kill();
        await Process.WaitForExitAsync();
        await output;
    }

    public void Dispose()
    {
        if (!Process.HasExited)
            Process.Kill();
        Http.Dispose();
        Process.Dispose();
    }
}
