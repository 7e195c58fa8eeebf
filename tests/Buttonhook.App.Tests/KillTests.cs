using System.Diagnostics;
using System.Net.Http.Json;
using System.Text.Json;

namespace Buttonhook.App.Tests;

/// <summary>A program of its own, killed while working settings are kept.</summary>
public sealed class KillTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;

    public void Dispose()
    {
        Directory.Delete(folder, true);
    }

    private static string FreeUrl()
    {
        using var listener = new System.Net.Sockets.TcpListener(System.Net.IPAddress.Loopback, 0);
        listener.Start();
        return $"http://127.0.0.1:{((System.Net.IPEndPoint)listener.LocalEndpoint).Port}";
    }

    private static async Task<JsonElement> Settings(HttpClient http)
    {
        for (var i = 0; i < 600; i++)
            try
            {
                return await http.GetFromJsonAsync<JsonElement>("/api/boards/costard/settings");
            }
            catch (HttpRequestException)
            {
                await Task.Delay(100);
            }
        throw new TimeoutException("The program did not start.");
    }

    [Fact]
    public async Task A_kill_while_settings_are_kept_leaves_whole_versions_and_every_one_that_was_answered()
    {
        var url = FreeUrl();
        using var http = new HttpClient { BaseAddress = new Uri(url) };
        var answered = new List<string>();
        var asked = 0;
        for (var round = 0; round < 3; round++)
        {
            using var program = Process.Start(
                new ProcessStartInfo("dotnet", [typeof(BenchApp).Assembly.Location, "demo", "--data", folder, "--urls", url])
                {
                    RedirectStandardOutput = true,
                }
            )!;
            var view = await Settings(http);
            var bootId = view.GetProperty("bootId").GetString();
            var killed = Task.Run(async () =>
            {
                await Task.Delay(700 + 331 * round);
                program.Kill();
            });
            try
            {
                while (true)
                {
                    var notes = $"version {asked++} {new string('x', 2000)}";
                    var answer = await http.PostAsJsonAsync(
                        "/api/boards/costard/settings",
                        new
                        {
                            bootId,
                            notes,
                            said = new Dictionary<string, string>(),
                            after = (int?)null,
                        }
                    );
                    answer.EnsureSuccessStatusCode();
                    answered.Add(notes);
                }
            }
            catch (Exception e) when (e is HttpRequestException or IOException)
            {
                await killed;
                await program.WaitForExitAsync();
            }
        }
        Assert.NotEmpty(answered);
        using var last = Process.Start(
            new ProcessStartInfo("dotnet", [typeof(BenchApp).Assembly.Location, "demo", "--data", folder, "--urls", url])
            {
                RedirectStandardOutput = true,
            }
        )!;
        try
        {
            var versions = (await Settings(http)).GetProperty("versions").EnumerateArray().ToList();
            Assert.Equal(Enumerable.Range(1, versions.Count), versions.Select(v => v.GetProperty("version").GetInt32()).Order());
            var notes = versions.Select(v => v.GetProperty("settings").GetProperty("notes").GetString()!).ToHashSet();
            Assert.All(answered, a => Assert.Contains(a, notes));
            // One that was asked for and not answered may be there: then it is there whole.
            Assert.All(notes.Where(n => n.StartsWith("version", StringComparison.Ordinal)), n => Assert.EndsWith(new string('x', 2000), n));
            foreach (var version in versions.Select(v => v.GetProperty("version").GetInt32()))
                (await http.GetAsync($"/api/boards/costard/settings/{version}.json")).EnsureSuccessStatusCode();
        }
        finally
        {
            last.Kill();
            await last.WaitForExitAsync();
        }
    }
}
