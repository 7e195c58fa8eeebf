using System.Net;
using System.Net.Http.Json;
using System.Text.Json;

namespace Buttonhook.App.Tests;

public sealed class CardTests
{
    private const string Log =
        "[    0.000000] Machine model: Quince Pip 1 rev A\n[    0.000000] Linux version 6.6.1 (aarch64-linux-gnu-gcc)\n[    0.000000] Memory: 980000K/1048576K available\n";

    private static object Clues(string? text) =>
        new
        {
            mark = (string?)null,
            code = (string?)null,
            text,
            tree = (string?)null,
            seen = Array.Empty<object>(),
        };

    [Fact]
    public async Task A_number_beyond_all_numbers_is_refused_in_words()
    {
        await using var app = await RunningApp.Start();
        var draft = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                "/api/profiles/drafts",
                new
                {
                    mark = "Damson X1 5V/3A",
                    code = (string?)null,
                    text = (string?)null,
                    tree = (string?)null,
                    seen = (string[]?)null,
                }
            )
        );
        var card = draft.GetProperty("card").GetRawText().Replace("\"amps\":3", "\"amps\":-3e999");
        Assert.Contains("-3e999", card);
        var answer = await app.Http.PostAsync(
            "/api/profiles/boards",
            new StringContent(card, System.Text.Encoding.UTF8, "application/json")
        );
        var said = await RunningApp.ProblemOf(answer, 400);
        Assert.DoesNotContain("inside Buttonhook", said.Came);
    }

    [Fact]
    public async Task A_drafted_card_is_kept_exported_removed_and_brought_back()
    {
        await using var app = await RunningApp.Start();
        var draft = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/profiles/drafts", Clues(Log)));
        Assert.Equal("Quince", draft.GetProperty("card").GetProperty("maker").GetString());
        Assert.DoesNotContain(draft.GetProperty("ask").EnumerateArray(), q => q.GetProperty("field").GetString() == "maker");
        var added = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/profiles/boards", draft.GetProperty("card")));
        var id = added.GetProperty("boards")[0].GetString()!;
        Assert.Equal("quince-pip-1", id);
        await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync("/api/profiles/boards", draft.GetProperty("card")), 409);
        var told = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/identification", Clues(Log)));
        Assert.Equal(id, told.GetProperty("candidates")[0].GetProperty("modelId").GetString());
        var board = new
        {
            nickname = "Pip",
            modelId = id,
            revisionId = "A",
            memoryMiB = 1024,
            connected = new
            {
                cardGb = 8,
                screen = false,
                network = false,
                supplyId = (string?)null,
                adapterId = (string?)null,
            },
            toldBy = new[] { "loader" },
            simulated = true,
            faultId = (string?)null,
        };
        var view = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/boards", board));
        await app.Http.DeleteAsync($"/api/boards/{view.GetProperty("board").GetProperty("id").GetString()}");
        var yaml = await app.Http.GetStringAsync($"/api/profiles/export?ids={id}");
        Assert.Equal(HttpStatusCode.NoContent, (await app.Http.DeleteAsync($"/api/profiles/board/{id}")).StatusCode);
        Assert.Equal(404, (int)(await app.Http.DeleteAsync($"/api/profiles/board/{id}")).StatusCode);
        await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/profiles/imports", new { name = "pip.yaml", yaml }));
        var catalogue = await app.Get("/api/catalogue");
        Assert.Contains(catalogue.GetProperty("models").EnumerateArray(), m => m.GetProperty("id").GetString() == id);
    }

    [Fact]
    public async Task A_card_that_a_board_uses_stays()
    {
        await using var app = await RunningApp.Start();
        await app.Board("Quince");
        var problem = await RunningApp.ProblemOf(await app.Http.DeleteAsync("/api/profiles/board/quill-v"), 409);
        Assert.Contains("Quince does", problem.Came);
    }

    [Fact]
    public async Task Cards_outlive_a_restart()
    {
        string folder;
        await using (var app = await RunningApp.Start(keep: true))
        {
            folder = app.Folder;
            var draft = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/profiles/drafts", Clues(Log)));
            await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/profiles/boards", draft.GetProperty("card")));
        }
        await using var again = await RunningApp.Start(folder: folder);
        Assert.Equal("quince-pip-1", (await again.Get("/api/profiles")).GetProperty("boards")[0].GetString());
    }

    [Theory]
    [InlineData("")]
    [InlineData("- 1\n- 2\n")]
    [InlineData("format: buttonhook.board/1\nid: x\n")]
    [InlineData("a: &a [*a]\n")]
    public async Task What_is_no_card_is_refused_in_words(string yaml)
    {
        await using var app = await RunningApp.Start();
        await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync("/api/profiles/imports", new { name = "x.yaml", yaml }), 422);
        Assert.Equal(0, (await app.Get("/api/profiles")).GetProperty("boards").GetArrayLength());
    }

    [Fact]
    public async Task A_broken_upload_goes_on_where_it_stopped_and_can_be_thrown_away()
    {
        await using var app = await RunningApp.Start();
        var bytes = new byte[100_000];
        new Random(2).NextBytes(bytes);
        var input = new
        {
            name = "../a b.img",
            totalBytes = bytes.Length,
            stamp = 5,
        };
        var begun = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/uploads", input));
        var id = begun.GetProperty("id").GetString()!;
        async Task<HttpResponseMessage> Send(int from, int count) =>
            await app.Http.PutAsync(
                $"/api/uploads/{id}?from={from}",
                new ByteArrayContent(bytes, from, count) { Headers = { ContentType = new("application/octet-stream") } }
            );
        await RunningApp.Json(await Send(0, 40_000));
        Assert.Contains("byte 40000", (await RunningApp.ProblemOf(await Send(30_000, 10_000), 409)).Expected);
        var again = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/uploads", input));
        Assert.Equal(40_000, again.GetProperty("receivedBytes").GetInt64());
        var whole = await RunningApp.Json(await Send(40_000, 60_000));
        var path = whole.GetProperty("path").GetString()!;
        Assert.Equal(Path.Combine(app.Folder, "images"), Path.GetDirectoryName(path));
        Assert.Equal(bytes, await File.ReadAllBytesAsync(path));

        var other = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                "/api/uploads",
                new
                {
                    name = "b.img",
                    totalBytes = 10,
                    stamp = 6,
                }
            )
        );
        Assert.Equal(
            HttpStatusCode.NoContent,
            (await app.Http.DeleteAsync($"/api/uploads/{other.GetProperty("id").GetString()}")).StatusCode
        );
        Assert.Empty(Directory.GetFiles(Path.Combine(app.Folder, "images"), "*.part*"));
        await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync(
                "/api/uploads",
                new
                {
                    name = "c.img",
                    totalBytes = 9L << 30,
                    stamp = 1,
                }
            ),
            422
        );
    }

    [Fact]
    public async Task What_is_wanted_of_an_image_is_checked()
    {
        await using var app = await RunningApp.Start();
        var id = await app.Board();
        var rows = await app.Get($"/api/boards/{id}/matches?layout=flash-later&screen=true");
        Assert.Contains(
            rows.EnumerateArray(),
            r => r.GetProperty("reasons").EnumerateArray().Any(x => x.GetProperty("rule").GetString() == "layout")
        );
        var problem = await RunningApp.ProblemOf(await app.Http.GetAsync($"/api/boards/{id}/matches?layout=tape"), 422);
        Assert.Contains("tape", problem.Came);
    }

    [Fact]
    public async Task An_inspection_can_be_stopped_and_an_image_goes_onto_the_shelf_once_it_tells_its_processor()
    {
        await using var app = await RunningApp.Start();
        var path = Path.Combine(app.Folder, "zeros.img");
        await File.WriteAllBytesAsync(path, new byte[1 << 20]);
        var state = await app.Inspected(path, null);
        var problem = await RunningApp.ProblemOf(
            await app.Http.PostAsync($"/api/inspections/{state.GetProperty("id").GetString()}/card", null),
            422
        );
        Assert.Contains("images of whole disks", problem.Expected);
        Assert.Equal(404, (int)(await app.Http.DeleteAsync("/api/inspections/none")).StatusCode);
        var cards = JsonSerializer.Serialize(await app.Get("/api/profiles"));
        Assert.Equal("""{"boards":[],"images":[],"codes":[]}""", cards);
    }
}
