using System.Net.Http.Json;

namespace Buttonhook.App.Tests;

public class BenchTests
{
    [Fact]
    public async Task The_demo_has_five_boards_of_four_kinds_in_different_states()
    {
        await using var app = await RunningApp.Start(demo: true);
        var bench = (await app.Get("/api/bench")).EnumerateArray().ToList();
        Assert.Equal(["Bramley", "Costard", "Russet", "Codlin", "Pearmain"], bench.Select(b => b.GetProperty("nickname").GetString()));
        Assert.Equal(
            ["Stopped at root", "Working settings", "No image yet", "Restarts again and again", "No address"],
            bench.Select(b => b.GetProperty("word").GetString())
        );
        Assert.All(bench, b => Assert.Equal(8, b.GetProperty("stageBar").GetArrayLength()));
        var russet = (await app.Get("/api/boards/russet/matches")).EnumerateArray().First();
        Assert.Equal(
            ("Fallow 12 server", 9, 9),
            (russet.GetProperty("title").GetString(), russet.GetProperty("successes").GetInt32(), russet.GetProperty("tries").GetInt32())
        );
    }

    [Fact]
    public async Task Pages_of_other_hosts_and_origins_are_refused()
    {
        await using var app = await RunningApp.Start();
        using var host = new HttpRequestMessage(HttpMethod.Get, "/api/bench") { Headers = { Host = "orchard.example" } };
        await RunningApp.ProblemOf(await app.Http.SendAsync(host), 403);
        using var origin = new HttpRequestMessage(HttpMethod.Post, "/api/boards") { Headers = { { "Origin", "http://orchard.example" } } };
        await RunningApp.ProblemOf(await app.Http.SendAsync(origin), 403);
        using var otherPort = new HttpRequestMessage(HttpMethod.Get, "/api/bench") { Headers = { { "Origin", "http://127.0.0.1:9" } } };
        await RunningApp.ProblemOf(await app.Http.SendAsync(otherPort), 403);
    }

    [Fact]
    public async Task Every_answer_carries_a_strict_policy()
    {
        await using var app = await RunningApp.Start();
        var answer = await app.Http.GetAsync("/api/bench");
        var policy = answer.Headers.GetValues("Content-Security-Policy").Single();
        Assert.StartsWith("default-src 'none'; script-src 'self';", policy);
        Assert.DoesNotContain("unsafe-eval", policy);
        Assert.Equal("nosniff", answer.Headers.GetValues("X-Content-Type-Options").Single());
    }

    [Theory]
    [InlineData("http://0.0.0.0:5190")]
    [InlineData("http://192.0.2.7:5190")]
    [InlineData("https://127.0.0.1:5190")]
    [InlineData("nonsense")]
    [InlineData("http://u@127.0.0.1:5404")]
    [InlineData("http://127.0.0.1:5404/path")]
    [InlineData("http://127.0.0.1:5404/?a")]
    [InlineData("http://127.0.0.1:5404;http://0.0.0.0:5405")]
    [InlineData("http://127.0.0.1.example:5404")]
    [InlineData("http://+:5404")]
    [InlineData("http://*:5404")]
    [InlineData("http://0:5404")]
    public void Only_loopback_is_served(string url) => Assert.NotNull(Security.EndPoint(url).Problem);

    [Theory]
    [InlineData("http://127.0.0.1:5190")]
    [InlineData("http://[::1]:80")]
    [InlineData("http://localhost:0")]
    public void Loopback_is_served(string url) => Assert.Null(Security.EndPoint(url).Problem);

    [Fact]
    public async Task A_board_that_cannot_be_is_refused_with_what_is_expected()
    {
        await using var app = await RunningApp.Start();
        var input = new
        {
            nickname = "Quince",
            modelId = "quill-v",
            revisionId = "Z",
            memoryMiB = 4096,
            connected = new
            {
                cardGb = 32,
                screen = false,
                network = true,
                supplyId = (string?)null,
                adapterId = (string?)null,
            },
            toldBy = Array.Empty<string>(),
            simulated = true,
            faultId = (string?)null,
        };
        var problem = await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync("/api/boards", input), 422);
        Assert.Equal("Quill V has the revisions A, B.", problem.Expected);
        await app.Board();
        await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync("/api/boards", input with { revisionId = "B" }), 409);
    }

    [Fact]
    public async Task Broken_requests_and_unknown_things_get_words_and_no_trace()
    {
        await using var app = await RunningApp.Start();
        using var broken = new StringContent("{\"nickname\":", System.Text.Encoding.UTF8, "application/json");
        var problem = await RunningApp.ProblemOf(await app.Http.PostAsync("/api/boards", broken), 400);
        Assert.DoesNotContain(" at ", problem.Came);
        await RunningApp.ProblemOf(await app.Http.GetAsync("/api/boards/nobody"), 404);
        await RunningApp.ProblemOf(await app.Http.GetAsync("/api/boots/nothing/diagnosis"), 404);
        await RunningApp.ProblemOf(await app.Http.GetAsync("/api/no/such/thing"), 404);
    }
}
