using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Buttonhook.App.Tests;

/// <summary>Every route of the contract under requests that no page sends: words in answer, never an accident.</summary>
public sealed class ContractTests
{
    private static readonly JsonNode Contract = JsonNode.Parse(
        File.ReadAllText(Path.Combine(RunningApp.Root, "src/web/src/shared/openapi.json"))
    )!;

    private static JsonObject? SchemaOf(JsonNode operation)
    {
        var schema = operation["requestBody"]?["content"]?["application/json"]?["schema"];
        return schema?["$ref"]?.ToString() is { } name ? Contract["components"]!["schemas"]![name.Split('/')[^1]]!.AsObject() : null;
    }

    /// <summary>Bodies that are none, and the right object with one field after the other taken away, made null or of another kind.</summary>
    private static IEnumerable<string> Bodies(JsonObject schema)
    {
        yield return "";
        yield return "null";
        yield return "[]";
        yield return "7";
        yield return "{ not json";
        yield return "{}";
        var names = schema["properties"]?.AsObject().Select(p => p.Key).ToList() ?? [];
        yield return new JsonObject(names.Select(n => KeyValuePair.Create(n, (JsonNode?)null))).ToJsonString();
        foreach (var value in new[] { "\"\"", "\"x\"", "-1", "1e300", "true", "[]", "[null]", "{}" })
            yield return new JsonObject(names.Select(n => KeyValuePair.Create(n, JsonNode.Parse(value)))).ToJsonString();
        foreach (var odd in names)
            yield return new JsonObject(
                names.Select(n => KeyValuePair.Create(n, n == odd ? null : (JsonNode?)JsonValue.Create("x")))
            ).ToJsonString();
    }

    public static TheoryData<string, string> Routes()
    {
        var data = new TheoryData<string, string>();
        foreach (var (path, operations) in Contract["paths"]!.AsObject())
        foreach (var (method, _) in operations!.AsObject())
            data.Add(method, path);
        return data;
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task No_request_leads_to_an_accident(bool demo)
    {
        await using var app = await RunningApp.Start(demo: demo);
        var accidents = new List<string>();
        foreach (var (method, path) in Routes().Select(r => r.Data))
        {
            var operation = Contract["paths"]![path]![method]!;
            // A board that is there, so that the body is looked at, and one that is not.
            foreach (var id in new[] { "bramley", "nobody", "%00", "..%2F..", new string('a', 300) })
            {
                var url = System.Text.RegularExpressions.Regex.Replace(path, @"\{[^}]+\}", id);
                var bodies = SchemaOf(operation) is { } schema ? Bodies(schema) : [""];
                // Other ids only with one body each: what is told of them does not hang on it.
                foreach (var body in id == "bramley" ? bodies : bodies.Take(1))
                {
                    using var request = new HttpRequestMessage(new(method.ToUpperInvariant()), url);
                    if (method is "post" or "put")
                        request.Content = new StringContent(body, Encoding.UTF8, "application/json");
                    using var response = await app.Http.SendAsync(request, HttpCompletionOption.ResponseHeadersRead);
                    var status = (int)response.StatusCode;
                    if (status >= 500)
                        accidents.Add($"{status} {method} {url} {body}: {await response.Content.ReadAsStringAsync()}");
                    else if (status >= 400 && response.Content.Headers.ContentType?.MediaType is "application/json")
                        Assert.DoesNotContain("   at ", await response.Content.ReadAsStringAsync());
                }
            }
        }
        Assert.True(accidents.Count == 0, string.Join('\n', accidents.Distinct().Take(40)));
    }

    [Fact]
    public async Task A_query_that_makes_no_sense_is_refused_or_passed_over()
    {
        await using var app = await RunningApp.Start(demo: true);
        foreach (
            var path in new[]
            {
                "/api/boards/bramley/matches?layout=none",
                "/api/boards/bramley/matches?screen=perhaps",
                "/api/boards/bramley/preparation?recoveryMiB=-5",
                "/api/boards/bramley/preparation?recoveryMiB=9223372036854775807",
                "/api/profiles/export?ids=nobody",
                "/api/boots/nobody/lines?from=-7&count=2147483647",
            }
        )
            Assert.InRange((int)(await app.Http.GetAsync(path)).StatusCode, 200, 499);
        var lines = await app.Http.GetAsync("/api/boots/nobody/lines");
        Assert.Equal(404, (int)lines.StatusCode);
    }

    [Fact]
    public async Task A_board_is_changed_matched_wired_corrected_and_taken_away()
    {
        await using var app = await RunningApp.Start(pace: 2000);
        var id = await app.Board(fault: "root-not-found");
        var matches = await app.Get($"/api/boards/{id}/matches?layout=boot-menu&screen=true&longTerm=false");
        Assert.Contains(matches.EnumerateArray(), m => m.GetProperty("chosen").GetBoolean());
        Assert.Contains(
            "none of them",
            (await RunningApp.ProblemOf(await app.Http.GetAsync($"/api/boards/{id}/matches?layout=none"), 422)).Came
        );
        var wiring = await app.Get($"/api/boards/{id}/connection");
        Assert.Equal(JsonValueKind.Null, wiring.GetProperty("wiring").GetProperty("refused").ValueKind);
        Assert.NotEmpty(wiring.GetProperty("beforePower").EnumerateArray());
        var boot = (
            await RunningApp.Json(
                await app.Http.PostAsJsonAsync($"/api/boards/{id}/boots", new { source = "simulated", speed = (int?)null })
            )
        )
            .GetProperty("id")
            .GetString()!;
        await app.UntilCause(boot, "root-not-found");
        Task<HttpResponseMessage> Correct(string cause) =>
            app.Http.PostAsJsonAsync($"/api/boards/{id}/corrections", new { bootId = boot, causeId = cause });
        Assert.Contains("is not one", (await RunningApp.ProblemOf(await Correct("no-such-cause"), 422)).Came);
        var corrected = await RunningApp.Json(await Correct("root-not-found"));
        Assert.Single(corrected.GetProperty("board").GetProperty("changes").EnumerateArray());
        Task<HttpResponseMessage> Type(string text) => app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text });
        Assert.Contains("4097", (await RunningApp.ProblemOf(await Type(new string('x', 4097)), 422)).Came);
        Assert.Equal(204, (int)(await Type("\n")).StatusCode);
        await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/notes", new { text = new string('x', 201) }), 422);
        Assert.Equal(204, (int)(await app.Http.DeleteAsync($"/api/boards/{id}")).StatusCode);
        Assert.Equal(404, (int)(await app.Http.GetAsync($"/api/boards/{id}")).StatusCode);
        Assert.DoesNotContain((await app.Get("/api/bench")).EnumerateArray(), b => b.GetProperty("id").GetString() == id);
    }
}
