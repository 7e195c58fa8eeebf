using System.Net.Http.Json;

namespace Buttonhook.App.Tests;

[Trait("Length", "long")]
public sealed class ExperienceTests
{
    private static async Task<string> Booted(RunningApp app, string board, string? cause = null)
    {
        var boot = await RunningApp.Json(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = "simulated", speed = (int?)null })
        );
        var id = boot.GetProperty("id").GetString()!;
        if (cause is null)
            await app.Until(id, b => b.GetProperty("outcome").GetString() == "reached-login");
        else
            await app.UntilCause(id, cause);
        return id;
    }

    /// <summary>A bench that met a cause, mended it with the words of the book, and another one in words of its own.</summary>
    private static async Task<string> Learnt(RunningApp app)
    {
        var board = await app.Board("Aunt Pippin's", fault: "root-not-found");
        var boot = await Booted(app, board, "root-not-found");
        await RunningApp.Json(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/corrections", new { bootId = boot, causeId = "root-not-found" })
        );
        await Booted(app, board);
        await Wait.For(async () => (await app.Get("/api/statistics")).GetProperty("counted").GetInt32() >= 2);
        await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/corrections",
                new
                {
                    bootId = boot,
                    causeId = "root-not-found",
                    text = "Asked Uncle Medlar at 10.9.8.7",
                }
            )
        );
        return await app.Http.GetStringAsync("/api/experience.yaml?from=Orchard%20hall");
    }

    [Fact]
    public async Task What_one_bench_learnt_another_takes_over_with_where_it_is_from_and_counts_less()
    {
        await using var one = await RunningApp.Start(pace: 5000);
        var yaml = await Learnt(one);
        Assert.Contains("from: Orchard hall", yaml);
        Assert.Contains("names the root partition of this card", yaml);
        foreach (var own in new[] { "Pippin", "Medlar", "10.9.8.7", one.Folder })
            Assert.DoesNotContain(own, yaml);

        await using var two = await RunningApp.Start(pace: 5000);
        var file = new { name = "learnt.yaml", yaml };
        var look = await RunningApp.Json(await two.Http.PostAsJsonAsync("/api/experience/look", file));
        Assert.Equal("new", look.GetProperty("told")[0].GetProperty("says").GetString());
        Assert.All(look.GetProperty("cards").EnumerateArray(), c => Assert.EndsWith(": as it is here", c.GetString()));
        Assert.Empty((await two.Get("/api/statistics")).GetProperty("told").EnumerateArray());
        await RunningApp.Json(await two.Http.PostAsJsonAsync("/api/experience/take", file));
        var told = Assert.Single((await two.Get("/api/statistics")).GetProperty("told").EnumerateArray());
        var pair = Assert.Single(told.GetProperty("pairs").EnumerateArray());
        Assert.Equal((2, 1), (pair.GetProperty("tries").GetInt32(), pair.GetProperty("successes").GetInt32()));

        var board = await two.Board("Costard", fault: "root-not-found");
        var matches = await two.Get($"/api/boards/{board}/matches");
        var row = matches.EnumerateArray().First(m => m.GetProperty("imageId").GetString() == "fallow-12-server-riscv64");
        Assert.Equal("other-bench", row.GetProperty("near")[0].GetProperty("nearness").GetString());
        Assert.Equal(0, row.GetProperty("tries").GetInt32());
        var diagnosis = (await two.Get($"/api/boots/{await Booted(two, board, "root-not-found")}/diagnosis")).GetRawText();
        Assert.Contains("Orchard hall tells of it with this revision", diagnosis);

        look = await RunningApp.Json(await two.Http.PostAsJsonAsync("/api/experience/look", file));
        Assert.Contains("takes the place of what Orchard hall told", look.GetRawText());
        (await two.Http.DeleteAsync("/api/profiles/experience/orchard-hall")).EnsureSuccessStatusCode();
        Assert.Empty((await two.Get("/api/statistics")).GetProperty("told").EnumerateArray());
    }

    [Theory]
    [InlineData("format: buttonhook.experience/2\nid: x\n", "It has buttonhook.experience/2")]
    [InlineData("format: buttonhook.experience/1\nid: ../../x\nfrom: X\nmade: 2026-11-27\npairs: []\n", "id")]
    [InlineData("format: buttonhook.experience/1\nid: x\nfrom: X\nmade: 2026-02-31\npairs: []\n", "made")]
    [InlineData(
        "format: buttonhook.experience/1\nid: x\nfrom: X\nmade: 2026-11-27\npairs:\n- {model: a, revision: A, tries: -1, successes: 0, causes: []}\n",
        "tries"
    )]
    [InlineData("{", "Line 2")]
    [InlineData("", "It holds 0")]
    public async Task A_file_that_is_none_changes_nothing_and_says_why(string yaml, string came)
    {
        await using var app = await RunningApp.Start();
        var problem = await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync("/api/experience/take", new { name = "learnt.yaml", yaml }),
            422
        );
        Assert.Contains(came, problem.Came);
        Assert.Empty((await app.Get("/api/statistics")).GetProperty("told").EnumerateArray());
    }

    [Fact]
    public async Task Without_boots_or_a_name_nothing_is_given_out()
    {
        await using var app = await RunningApp.Start();
        Assert.Contains(
            "There is none yet",
            (await RunningApp.ProblemOf(await app.Http.GetAsync("/api/experience.yaml?from=X"), 422)).Came
        );
        Assert.Contains("It has none", (await RunningApp.ProblemOf(await app.Http.GetAsync("/api/experience.yaml?from=%20"), 422)).Came);
    }
}
