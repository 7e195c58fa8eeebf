using System.Net.Http.Json;
using System.Text.Json;

namespace Buttonhook.App.Tests;

/// <summary>What a person tells and what a log teaches stands on the board's card with its source, and can be taken back.</summary>
public class FactTests
{
    private static async Task<(string Board, JsonElement View)> Board(RunningApp app)
    {
        var came = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/arrivals", new { path = (string?)null, text = "LQ5 R2" }));
        var id = came.GetProperty("id").GetString();
        for (var i = 0; i < 200 && (await app.Get($"/api/arrivals/{id}")).GetProperty("running").GetBoolean(); i++)
            await Task.Delay(25);
        var view = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/arrivals/{id}/board",
                new
                {
                    nickname = "Damson",
                    tree = (string?)null,
                    mark = (string?)null,
                    candidate = (object?)null,
                    simulated = false,
                }
            )
        );
        return (view.GetProperty("board").GetProperty("id").GetString()!, view);
    }

    private static object[] Facts(params (string Field, string Value)[] facts) =>
        [.. facts.Select(f => new { field = f.Field, value = f.Value })];

    [Fact]
    public async Task A_fact_that_a_person_tells_is_noted_as_such_changes_what_is_judged_and_can_be_taken_back()
    {
        await using var app = await RunningApp.Start(own: true);
        var (board, _) = await Board(app);
        async Task<JsonElement> Supply() => (await app.Get($"/api/boards/{board}/connection")).GetProperty("supply");
        Assert.Contains("Cannot tell without the volts", (await Supply()).GetProperty("text").GetString());

        var view = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/facts",
                Facts(("power.volts", "12"), ("console.level", "logic33"), ("memoryMiB", "2048"))
            )
        );
        var model = view.GetProperty("model");
        Assert.Equal(12, model.GetProperty("power").GetProperty("volts").GetDouble());
        Assert.Equal("logic33", model.GetProperty("console").GetProperty("level").GetString());
        Assert.StartsWith("you, ", model.GetProperty("sources").GetProperty("power.volts").GetString());
        Assert.Contains("Needs 12.0 V", (await Supply()).GetProperty("text").GetString());

        var change = (await app.Get("/api/card-changes"))[0];
        Assert.Contains("power.volts 12", change.GetProperty("says").GetString());
        var id = change.GetProperty("id").GetInt64();
        Assert.True((await app.Http.PostAsync($"/api/card-changes/{id}/undo", null)).IsSuccessStatusCode);
        Assert.Contains("Cannot tell without the volts", (await Supply()).GetProperty("text").GetString());
        var again = await RunningApp.ProblemOf(await app.Http.PostAsync($"/api/card-changes/{id}/undo", null), 409);
        Assert.Contains("taken back already", again.Came);
    }

    [Fact]
    public async Task What_is_no_fact_or_no_value_is_refused_in_words_and_changes_nothing()
    {
        await using var app = await RunningApp.Start(own: true);
        var (board, _) = await Board(app);
        async Task<string> Refused(params (string, string)[] facts) =>
            (await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync($"/api/boards/{board}/facts", Facts(facts)), 422)).ToString();
        Assert.Contains("is none", await Refused(("power.colour", "red")));
        Assert.Contains("is told as a number", await Refused(("power.volts", "much")));
        Assert.Contains("level", await Refused(("console.level", "3.3")));
        Assert.Contains("volts", await Refused(("power.volts", "0")));
        Assert.Contains("There is none", await Refused());
        Assert.Empty((await app.Get("/api/card-changes")).EnumerateArray());
    }

    [Fact]
    public async Task A_log_teaches_in_one_go_and_never_overrules_a_person()
    {
        await using var app = await RunningApp.Start(own: true);
        var (board, _) = await Board(app);
        const string log =
            "U-Boot 2024.01 (Mar 02 2026)\r\nModel: Ladle Quince 5 rev 2\r\nDRAM:  2 GiB\r\n[    0.000000] Linux version 6.6.30 (aarch64-linux-gnu-gcc)\r\n[    0.000000] Kernel command line: root=/dev/mmcblk1p2 console=ttyS2,1500000\r\nquince login: ";
        await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boards/{board}/facts", Facts(("console.speed", "115200"))));
        await RunningApp.Json(
            await app.Http.PostAsync($"/api/boards/{board}/logs?name=a.log", new ByteArrayContent(System.Text.Encoding.ASCII.GetBytes(log)))
        );
        var lessons = await app.Get($"/api/boards/{board}/lessons");
        var fields = lessons.GetProperty("facts").EnumerateArray().Select(f => f.GetProperty("field").GetString()).ToList();
        Assert.Equal(1, lessons.GetProperty("bootNumber").GetInt32());
        Assert.Contains("memoryMiB", fields);
        Assert.Contains("console.device", fields);
        Assert.DoesNotContain("console.speed", fields);

        var view = await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{board}/lessons", null));
        Assert.Equal("ttyS2", view.GetProperty("model").GetProperty("console").GetProperty("device").GetString());
        Assert.Equal(115_200, view.GetProperty("model").GetProperty("console").GetProperty("speed").GetInt32());
        Assert.Equal(2048, view.GetProperty("board").GetProperty("memoryMiB").GetInt32());
        Assert.StartsWith("boot 1, ", view.GetProperty("model").GetProperty("sources").GetProperty("console.device").GetString());
        Assert.Empty((await app.Get($"/api/boards/{board}/lessons")).GetProperty("facts").EnumerateArray());
        // All of it is taken back in one go.
        var change = (await app.Get("/api/card-changes"))[0].GetProperty("id").GetInt64();
        Assert.True((await app.Http.PostAsync($"/api/card-changes/{change}/undo", null)).IsSuccessStatusCode);
        Assert.NotEmpty((await app.Get($"/api/boards/{board}/lessons")).GetProperty("facts").EnumerateArray());
    }
}
