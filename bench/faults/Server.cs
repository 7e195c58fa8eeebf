using System.Diagnostics;
using System.Net.Http.Json;
using System.Runtime.InteropServices;
using System.Text.Json;
using Buttonhook.App;

/// <summary>The program as a process of its own.</summary>
internal sealed partial class Server : IDisposable
{
    private readonly Process process;

    private Server(Process process, string url)
    {
        this.process = process;
        Http = new() { BaseAddress = new Uri(url), Timeout = TimeSpan.FromMinutes(2) };
    }

    public HttpClient Http { get; }

    /// <summary>Processor time that it took so far.</summary>
    public TimeSpan Processor
    {
        get
        {
            process.Refresh();
            return process.TotalProcessorTime;
        }
    }

    /// <summary>Its memory, in bytes.</summary>
    public long Memory
    {
        get
        {
            process.Refresh();
            return process.WorkingSet64;
        }
    }

    [LibraryImport("libc", EntryPoint = "kill")]
    private static partial int Signal(int process, int signal);

    public static async Task<Server> Up(string data, string bench = "serve")
    {
        var listener = new System.Net.Sockets.TcpListener(System.Net.IPAddress.Loopback, 0);
        listener.Start();
        var url = $"http://127.0.0.1:{((System.Net.IPEndPoint)listener.LocalEndpoint).Port}";
        listener.Stop();
        var start = new ProcessStartInfo("dotnet", [typeof(BenchApp).Assembly.Location, bench, "--data", data, "--urls", url])
        {
            RedirectStandardOutput = true,
        };
        var server = new Server(Process.Start(start)!, url);
        for (var i = 0; i < 600; i++)
        {
            if (server.process.HasExited)
                throw new InvalidOperationException("the server does not start");
            try
            {
                if ((await server.Http.GetAsync("/api/bench")).IsSuccessStatusCode)
                    return server;
            }
            catch (HttpRequestException)
            {
                await Task.Delay(50);
            }
        }
        throw new TimeoutException("the server does not answer");
    }

    /// <summary>Keeps working settings of a board, from a log that reached the login.</summary>
    public async Task Record(string board)
    {
        var root = AppContext.BaseDirectory;
        while (!Directory.Exists(Path.Combine(root, "tests/logs")))
            root = Path.GetDirectoryName(root)!;
        var log = await File.ReadAllBytesAsync(Path.Combine(root, "tests/logs/arm64-good-first-boot-1/console.log"));
        var dropped = await Http.PostAsync($"/api/boards/{board}/logs?name=good.log", new ByteArrayContent(log));
        dropped.EnsureSuccessStatusCode();
        var kept = await Http.PostAsJsonAsync(
            $"/api/boards/{board}/settings",
            new
            {
                bootId = (await dropped.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("id").GetString(),
                notes = "",
                said = new Dictionary<string, string>(),
                after = (int?)null,
            }
        );
        kept.EnsureSuccessStatusCode();
    }

    public async Task<string> Board(string nickname)
    {
        // A bench of one's own begins without any card: one is made from the print alone.
        var draft = await Http.PostAsJsonAsync(
            "/api/profiles/drafts",
            new
            {
                mark = "Quince 1",
                code = (string?)null,
                text = (string?)null,
                tree = (string?)null,
                seen = (string[]?)null,
            }
        );
        draft.EnsureSuccessStatusCode();
        var card = (await draft.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("card");
        await Http.PostAsJsonAsync("/api/profiles/boards", card);
        var answer = await Http.PostAsJsonAsync(
            "/api/boards",
            new
            {
                nickname,
                modelId = card.GetProperty("id").GetString(),
                revisionId = card.GetProperty("revisions")[0].GetProperty("id").GetString(),
                memoryMiB = (int?)null,
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
        );
        answer.EnsureSuccessStatusCode();
        return (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("board").GetProperty("id").GetString()!;
    }

    public async Task<string> Capture(string board, string port)
    {
        var answer = await Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = port, speed = 1_500_000 });
        if (!answer.IsSuccessStatusCode)
            throw new InvalidOperationException(await answer.Content.ReadAsStringAsync());
        return (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("id").GetString()!;
    }

    public async Task<JsonElement> Until(string boot, Func<JsonElement, bool> condition)
    {
        // A machine that does much else is slow; what matters is that it comes.
        JsonElement view = default;
        for (var i = 0; i < 2400; i++)
        {
            view = await Http.GetFromJsonAsync<JsonElement>($"/api/boots/{boot}");
            if (condition(view))
                return view;
            await Task.Delay(50);
        }
        throw new TimeoutException($"what was waited for did not come; the boot stayed at {view}");
    }

    /// <summary>Whether every terminal is given back within two seconds.</summary>
    public async Task<bool> GivenBack()
    {
        for (var i = 0; i < 40 && Terminals() > 0; i++)
            await Task.Delay(50);
        return Terminals() == 0;
    }

    public int Terminals() =>
        Directory
            .GetFiles($"/proc/{process.Id}/fd")
            .Count(f => (new FileInfo(f).LinkTarget ?? "").StartsWith("/dev/pts/", StringComparison.Ordinal));

    public async Task<TimeSpan> End(int signal)
    {
        var clock = Stopwatch.StartNew();
        _ = Signal(process.Id, signal);
        await process.WaitForExitAsync();
        return clock.Elapsed;
    }

    public void Dispose()
    {
        if (!process.HasExited)
            process.Kill();
        process.WaitForExit();
        Http.Dispose();
        process.Dispose();
    }
}
