using System.Net.Http.Json;
using System.Text.Json;

namespace Buttonhook.App.Tests;

/// <summary>A program of its own, killed while working settings are kept.</summary>
[Trait("Length", "long")]
public sealed class KillTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;

    public void Dispose()
    {
        Directory.Delete(folder, true);
    }

    private static Task<JsonElement> Settings(HttpClient http) => http.GetFromJsonAsync<JsonElement>("/api/boards/costard/settings");

    [Fact]
    public async Task A_kill_while_settings_are_kept_leaves_whole_versions_and_every_one_that_was_answered()
    {
        var answered = new List<string>();
        var asked = 0;
        for (var round = 0; round < 3; round++)
        {
            using var program = await RunningProgram.Start(folder, "demo");
            var view = await Settings(program.Http);
            var bootId = view.GetProperty("bootId").GetString();
            var enough = asked + 20 + 7 * round;
            var killed = Task.Run(async () =>
            {
                await Wait.For(() => Volatile.Read(ref asked) >= enough);
                program.Process.Kill();
            });
            try
            {
                while (true)
                {
                    var notes = $"version {asked++} {new string('x', 2000)}";
                    var answer = await program.Http.PostAsJsonAsync(
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
                await program.Process.WaitForExitAsync();
            }
        }
        Assert.NotEmpty(answered);
        using var last = await RunningProgram.Start(folder, "demo");
        try
        {
            var versions = (await Settings(last.Http)).GetProperty("versions").EnumerateArray().ToList();
            Assert.Equal(Enumerable.Range(1, versions.Count), versions.Select(v => v.GetProperty("version").GetInt32()).Order());
            var notes = versions.Select(v => v.GetProperty("settings").GetProperty("notes").GetString()!).ToHashSet();
            Assert.All(answered, a => Assert.Contains(a, notes));
            // One that was asked for and not answered may be there: then it is there whole.
            Assert.All(notes.Where(n => n.StartsWith("version", StringComparison.Ordinal)), n => Assert.EndsWith(new string('x', 2000), n));
            foreach (var version in versions.Select(v => v.GetProperty("version").GetInt32()))
                (await last.Http.GetAsync($"/api/boards/costard/settings/{version}.json")).EnsureSuccessStatusCode();
        }
        finally
        {
            await last.Kill();
        }
    }
}
