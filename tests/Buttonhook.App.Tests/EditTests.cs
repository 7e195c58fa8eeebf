using System.Net.Http.Json;
using System.Text.Json;

namespace Buttonhook.App.Tests;

/// <summary>Every change is listed in words, and can be taken back.</summary>
public sealed class EditTests
{
    private const string Image = "fallow-12-server-riscv64";

    private static async Task<List<(long Id, string Says, bool Undone)>> Edits(RunningApp app, string? board = null) =>
        [
            .. (await app.Get(board is null ? "/api/edits" : $"/api/edits?board={board}"))
                .EnumerateArray()
                .Select(e => (e.GetProperty("id").GetInt64(), e.GetProperty("says").GetString()!, e.GetProperty("undone").GetBoolean())),
        ];

    private static Task<HttpResponseMessage> Undo(RunningApp app, long id) => app.Http.PostAsync($"/api/edits/{id}/undo", null);

    private static async Task<string> Nickname(RunningApp app, string board) =>
        (await app.Get($"/api/boards/{board}")).GetProperty("board").GetProperty("nickname").GetString()!;

    [Fact]
    public async Task Changes_of_a_board_are_told_in_words_and_taken_back_newest_first()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board("Quince", image: null);
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{board}", RunningApp.BoardInput("Medlar", true, supply: null)));
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{board}/image", new { imageId = Image }));
        var edits = await Edits(app, board);
        Assert.Equal(3, edits.Count);
        Assert.StartsWith("Medlar: its image is Fallow", edits[0].Says);
        Assert.StartsWith("Medlar: it is called Medlar instead of Quince, its supply is not known instead of ", edits[1].Says);
        Assert.Equal("Quince was put on the bench.", edits[2].Says);

        // Not the older one before the newer.
        var early = await RunningApp.ProblemOf(await Undo(app, edits[1].Id), 409);
        Assert.Contains("changed again since", early.Came);
        Assert.Equal("Medlar", await Nickname(app, board));

        Assert.True((await Undo(app, edits[0].Id)).IsSuccessStatusCode);
        Assert.True((await Undo(app, edits[1].Id)).IsSuccessStatusCode);
        var view = await app.Get($"/api/boards/{board}");
        Assert.Equal("Quince", view.GetProperty("board").GetProperty("nickname").GetString());
        Assert.Equal("usb-5v-3a", view.GetProperty("board").GetProperty("connected").GetProperty("supplyId").GetString());
        Assert.Equal(JsonValueKind.Null, view.GetProperty("board").GetProperty("imageId").ValueKind);

        // What was taken back can be had again, and the list says so.
        edits = await Edits(app, board);
        Assert.StartsWith("Taken back: Medlar: it is called Medlar", edits[0].Says);
        Assert.True((await Undo(app, edits[0].Id)).IsSuccessStatusCode);
        Assert.Equal("Medlar", await Nickname(app, board));
        Assert.False((await Edits(app, board)).Single(e => e.Says.StartsWith("Medlar: it is called", StringComparison.Ordinal)).Undone);
    }

    [Fact]
    public async Task Taking_back_that_a_board_came_removes_it_and_that_it_went_brings_it_back_with_its_logs()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board("Quince", image: null);
        await RunningApp.Json(
            await app.Http.PostAsync($"/api/boards/{board}/logs?name=a.log", new ByteArrayContent("U-Boot SPL\r\n"u8.ToArray()))
        );
        Assert.True((await app.Http.DeleteAsync($"/api/boards/{board}")).IsSuccessStatusCode);
        var gone = (await Edits(app))[0];
        Assert.Equal("Quince was removed from the bench.", gone.Says);
        // Its name was taken meanwhile: nothing is done, and it is said.
        var other = await app.Board("Quince", image: null);
        Assert.Contains("Another board took this one", (await RunningApp.ProblemOf(await Undo(app, gone.Id), 409)).Came);
        var came = (await Edits(app))[0];
        Assert.True((await Undo(app, came.Id)).IsSuccessStatusCode);
        Assert.Equal(404, (int)(await app.Http.GetAsync($"/api/boards/{other}")).StatusCode);

        Assert.True((await Undo(app, gone.Id)).IsSuccessStatusCode);
        Assert.Equal("Quince", await Nickname(app, board));
        Assert.Equal(1, (await app.Get($"/api/boards/{board}/boots")).GetArrayLength());
    }

    [Fact]
    public async Task What_stands_against_a_removal_stands_against_taking_back_too()
    {
        await using var app = await RunningApp.Start(own: true);
        var part = new
        {
            kind = "supply",
            name = "Shed brick",
            volts = 12,
            amps = 2,
            watts = (double?)null,
            plug = (string?)null,
            onUsb = false,
            level = (string?)null,
            maxSpeed = (int?)null,
        };
        var supply = (await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/parts", part))).GetProperty("id").GetString();
        var added = (await Edits(app))[0];
        Assert.StartsWith("The supply Shed brick, 12 V, 2 A was added", added.Says);
        var clues = new
        {
            mark = "Ladle Quince 5",
            code = (string?)null,
            text = (string?)null,
            tree = (string?)null,
            seen = Array.Empty<string>(),
        };
        var draft = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/profiles/drafts", clues));
        await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/profiles/boards", draft.GetProperty("card")));
        var input = new
        {
            nickname = "Damson",
            modelId = draft.GetProperty("card").GetProperty("id").GetString(),
            revisionId = draft.GetProperty("card").GetProperty("revisions")[0].GetProperty("id").GetString(),
            memoryMiB = (int?)null,
            connected = new
            {
                cardGb = (int?)null,
                screen = false,
                network = false,
                supplyId = supply,
                adapterId = (string?)null,
            },
            toldBy = Array.Empty<string>(),
            simulated = false,
            faultId = (string?)null,
        };
        await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/boards", input));
        Assert.Contains("Damson is", (await RunningApp.ProblemOf(await Undo(app, added.Id), 409)).Came);
        var card = (await Edits(app)).Single(e => e.Says.StartsWith("The board profile", StringComparison.Ordinal));
        Assert.Contains("Damson does", (await RunningApp.ProblemOf(await Undo(app, card.Id), 409)).Came);
    }

    [Fact]
    public async Task A_save_that_began_before_another_is_told_what_that_one_changed()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board("Quince", image: null);
        object From(int version, string nickname)
        {
            var input = JsonSerializer.SerializeToNode(RunningApp.BoardInput(nickname, true))!.AsObject();
            input["version"] = version;
            return input;
        }
        var began = (await app.Get($"/api/boards/{board}")).GetProperty("version").GetInt32();
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{board}", From(began, "Medlar")));
        var late = await RunningApp.ProblemOf(await app.Http.PutAsJsonAsync($"/api/boards/{board}", From(began, "Damson")), 412);
        Assert.Contains("it is called Medlar instead of Quince", late.Came);
        Assert.Equal("Medlar", await Nickname(app, board));
        var now = (await app.Get($"/api/boards/{board}")).GetProperty("version").GetInt32();
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{board}", From(now, "Damson")));
        Assert.Equal("Damson", await Nickname(app, board));
    }

    [Fact]
    public async Task A_card_that_was_chosen_and_taken_back_leaves_its_number_to_no_other()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board("Quince", simulated: false);
        var log = File.ReadAllBytes(Path.Combine(RunningApp.Root, "tests/logs/arm64-initrd-file-missing-1/console.log"));
        var boot = await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{board}/logs?name=a.log", new ByteArrayContent(log)));
        var bootId = boot.GetProperty("id").GetString();
        await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/corrections",
                new
                {
                    bootId,
                    causeId = "initrd-missing",
                    text = "Copied initrd.img from the laptop",
                }
            )
        );
        var edits = await Edits(app, board);
        var chosen = edits.Single(e => e.Says.Contains("its image is", StringComparison.Ordinal));
        Assert.True((await Undo(app, chosen.Id)).IsSuccessStatusCode);
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{board}/image", new { imageId = Image }));
        Assert.Equal(0, (await app.Get($"/api/boards/{board}")).GetProperty("changes").GetArrayLength());
    }
}
