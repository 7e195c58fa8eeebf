using System.Net.Http.Json;
using System.Text.Json;
using System.Text.RegularExpressions;
using Buttonhook.Core;
using Buttonhook.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.DependencyInjection;

namespace Buttonhook.App.Tests;

/// <summary>The real application on a free loopback port with a database of its own; simulated boards run fast.</summary>
public sealed class RunningApp : IAsyncDisposable
{
    private static readonly Lazy<KnowledgeFiles> Knowledge = new(() =>
    {
        // The image that most tests write is a small one of its kind, larger than what the faulty cards bear.
        var data = Directory.CreateTempSubdirectory("buttonhook-data-").FullName;
        var shipped = Path.Combine(AppContext.BaseDirectory, "data");
        foreach (var file in Directory.GetFiles(shipped, "*", SearchOption.AllDirectories))
        {
            var copy = Path.Combine(data, Path.GetRelativePath(shipped, file));
            Directory.CreateDirectory(Path.GetDirectoryName(copy)!);
            File.Copy(file, copy);
        }
        var image = Path.Combine(data, "demo/images/fallow-12-server-riscv64.yaml");
        File.WriteAllText(image, Regex.Replace(File.ReadAllText(image), "(?m)^expandedBytes: .*$", $"expandedBytes: {640 << 20}"));
        var read = KnowledgeFiles.Read(folder: data);
        Directory.Delete(data, true);
        return read.Value ?? throw new InvalidOperationException(read.Problem!.ToString());
    });

    private static readonly Lazy<KnowledgeFiles> WithoutDemo = new(() => KnowledgeFiles.Read(false).Value!);

    private readonly WebApplication app;
    private readonly bool keep;

    private RunningApp(WebApplication app, string folder, bool keep, int sharePort)
    {
        this.app = app;
        SharePort = sharePort;
        this.keep = keep;
        Folder = folder;
        Http = new() { BaseAddress = new Uri(app.Urls.First()) };
    }

    /// <summary>The folder of the project.</summary>
    public static string Root
    {
        get
        {
            var folder = AppContext.BaseDirectory;
            while (!Directory.Exists(Path.Combine(folder, "tests/logs")))
                folder = Path.GetDirectoryName(folder)!;
            return folder;
        }
    }

    /// <summary>The TCP port for other devices, where it is shared.</summary>
    public int SharePort { get; }

    public string Folder { get; }

    public HttpClient Http { get; }

    public IServiceProvider Services => app.Services;

    public static async Task<RunningApp> Start(
        bool demo = false,
        string? folder = null,
        double pace = 200,
        bool keep = false,
        bool standIns = true,
        bool own = false,
        string devices = "/dev",
        ShareMode share = ShareMode.Off
    )
    {
        folder ??= Directory.CreateTempSubdirectory("buttonhook-").FullName;
        var database = Database.Open(Path.Combine(folder, "bench.db")).Value!;
        if (demo)
            Demo.Fill(Knowledge.Value, database, TimeProvider.System);
        while (true)
        {
            var port = share == ShareMode.Off ? 0 : FreePort();
            var app = BenchApp.Build(
                new(folder, "http://127.0.0.1:0", standIns && !own, pace, Devices: devices, Share: share, SharePort: port),
                database,
                own ? WithoutDemo.Value : Knowledge.Value
            );
            try
            {
                await app.StartAsync();
                return new(app, folder, keep, port);
            }
            catch (IOException e) when (port != 0 && e.InnerException is Microsoft.AspNetCore.Connections.AddressInUseException)
            {
                // Somebody took it in between.
                await app.DisposeAsync();
            }
        }
    }

    private static int FreePort()
    {
        using var listener = new System.Net.Sockets.TcpListener(System.Net.IPAddress.Loopback, 0);
        listener.Start();
        return ((System.Net.IPEndPoint)listener.LocalEndpoint).Port;
    }

    /// <summary>What is sent to put a board on the bench.</summary>
    public static object BoardInput(
        string nickname,
        bool simulated = false,
        string? fault = null,
        string? supply = "usb-5v-3a",
        string? adapter = "usb-33"
    ) =>
        new
        {
            nickname,
            modelId = "quill-v",
            revisionId = "B",
            memoryMiB = 4096,
            connected = new
            {
                cardGb = 32,
                screen = false,
                network = true,
                supplyId = supply,
                adapterId = adapter,
            },
            toldBy = new[] { "mark" },
            simulated,
            faultId = fault,
        };

    /// <summary>Puts a board with an image on the bench, simulated unless said otherwise, and gives its id.</summary>
    public async Task<string> Board(
        string nickname = "Quince",
        string? fault = null,
        string? image = "fallow-12-server-riscv64",
        bool simulated = true
    )
    {
        var view = await Json(await Http.PostAsJsonAsync("/api/boards", BoardInput(nickname, simulated, fault)));
        var id = view.GetProperty("board").GetProperty("id").GetString()!;
        if (image is not null)
            await Json(await Http.PutAsJsonAsync($"/api/boards/{id}/image", new { imageId = image }));
        return id;
    }

    /// <summary>Inspects a file and waits until it is done.</summary>
    public async Task<JsonElement> Inspected(string path, string? boardId)
    {
        var started = await Json(
            await Http.PostAsJsonAsync(
                "/api/inspections",
                new
                {
                    path,
                    boardId,
                    sum = (string?)null,
                }
            )
        );
        return await Wait.For(
            () => Get($"/api/inspections/{started.GetProperty("id").GetString()}"),
            state => !state.GetProperty("running").GetBoolean()
        );
    }

    public Task<JsonElement> Get(string path) => Http.GetFromJsonAsync<JsonElement>(path);

    public static async Task<JsonElement> Json(HttpResponseMessage response)
    {
        var text = await response.Content.ReadAsStringAsync();
        Assert.True(response.IsSuccessStatusCode, $"{response.StatusCode}: {text}");
        return JsonSerializer.Deserialize<JsonElement>(text);
    }

    /// <summary>The problem of an answer that must be one.</summary>
    public static async Task<Problem> ProblemOf(HttpResponseMessage response, int status)
    {
        Assert.Equal(status, (int)response.StatusCode);
        var problem = JsonSerializer.Deserialize<Problem>(await response.Content.ReadAsStringAsync(), DataFile.Json)!;
        Assert.All([problem.Expected, problem.Came, problem.ToDo], part => Assert.False(string.IsNullOrWhiteSpace(part)));
        return problem;
    }

    /// <summary>Waits until a boot fulfils a condition; else tells how it stayed, and its last lines.</summary>
    public Task<JsonElement> Until(string bootId, Func<JsonElement, bool> condition) =>
        Wait.For(
            () => Get($"/api/boots/{bootId}"),
            condition,
            async last =>
            {
                var lines = await Get($"/api/boots/{bootId}/lines?from=1&count=2000");
                var end = lines.GetProperty("lines").EnumerateArray().Select(l => l.GetProperty("text").GetString()).TakeLast(5);
                return $"The boot stayed at {last.GetProperty("word")}, behind: {string.Join(" | ", end)}; {last}";
            }
        );

    /// <summary>Waits until a cause stands in the diagnosis of a boot.</summary>
    public Task UntilCause(string bootId, string cause) =>
        Wait.For(
            () => Get($"/api/boots/{bootId}/diagnosis"),
            d => d.GetProperty("causes").EnumerateArray().Any(c => c.GetProperty("id").GetString() == cause)
        );

    /// <summary>A writer beside whom nobody else can write; it lets go, with nothing changed, when its connection is closed.</summary>
    public IDisposable Held()
    {
        var database = Services.GetRequiredService<Database>().Connect();
        using var command = database.CreateCommand();
        command.Transaction = database.BeginTransaction();
        command.CommandText = "UPDATE boards SET screen = screen";
        command.ExecuteNonQuery();
        return database;
    }

    /// <summary>Writes what is in the write-ahead log back into the file itself, for tests that damage the file.</summary>
    public void WriteBack()
    {
        using var connection = Services.GetRequiredService<Database>().Connect();
        using var command = connection.CreateCommand();
        command.CommandText = "PRAGMA wal_checkpoint(TRUNCATE)";
        command.ExecuteNonQuery();
    }

    /// <summary>Closes the file of this application.</summary>
    public void CloseDatabase() => Services.GetRequiredService<Database>().Dispose();

    public async ValueTask DisposeAsync()
    {
        Http.Dispose();
        var database = Services.GetRequiredService<Database>();
        await app.StopAsync();
        await app.DisposeAsync();
        // Last of all: what still ran until now may have opened it again.
        database.Dispose();
        if (keep)
            return;
        Directory.Delete(Folder, true);
    }
}
