using System.IO.Compression;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;

namespace Buttonhook.App.Tests;

/// <summary>Orders to write a card that cannot be carried out, and orders that are stopped: what is told, and what is true of the card afterwards.</summary>
public sealed class CardOrderTests
{
    private static object Order(string slot) =>
        new
        {
            slotId = slot,
            confirm = (string?)null,
            checkSize = false,
            anyway = false,
        };

    private static Task<HttpResponseMessage> Write(RunningApp app, string board, string slot) =>
        app.Http.PostAsJsonAsync($"/api/boards/{board}/card", Order(slot));

    private static Task<HttpResponseMessage> Slot(RunningApp app, string id, int labelGb = 32, double speed = 2) =>
        app.Http.PutAsJsonAsync(
            $"/api/slots/{id}",
            new
            {
                name = "A card",
                setup = new
                {
                    labelGb,
                    trueGb = (int?)null,
                    readOnlyFromMiB = (int?)null,
                    unreadableAtMiB = (int?)null,
                    removedAtMiB = (int?)null,
                    megabytesPerSecond = speed,
                },
            }
        );

    private static async Task<JsonElement> Until(RunningApp app, string board, Func<JsonElement, bool> condition)
    {
        return await Wait.For(() => app.Get($"/api/boards/{board}/card"), condition);
    }

    [Fact]
    public async Task An_order_that_cannot_be_carried_out_is_refused_and_nothing_is_written()
    {
        await using var app = await RunningApp.Start();
        var bare = await app.Board("Bare", image: null);
        var board = await app.Board();
        Assert.Contains("not there any more", (await RunningApp.ProblemOf(await Write(app, "nobody", "slot-1"), 409)).Came);
        Assert.Contains("None is", (await RunningApp.ProblemOf(await Write(app, bare, "slot-1"), 409)).Came);
        Assert.Contains("slot-99 is none of them", (await RunningApp.ProblemOf(await Write(app, board, "slot-99"), 409)).Came);
        Assert.Contains("none of them", (await RunningApp.ProblemOf(await Write(app, board, "dev-sda"), 409)).Came);
        Assert.Equal(404, (int)(await app.Http.GetAsync($"/api/boards/{board}/card")).StatusCode);
        Assert.Equal(404, (int)(await app.Http.DeleteAsync($"/api/boards/{board}/card")).StatusCode);
    }

    [Fact]
    public async Task A_card_that_is_too_small_is_refused_before_it_is_touched()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var board = await app.Board();
        (await Slot(app, "tiny", labelGb: 1)).EnsureSuccessStatusCode();
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{board}/image", new { imageId = "rookery-24-riscv64" }));
        var answer = await Write(app, board, "tiny");
        var write = answer.IsSuccessStatusCode ? await Until(app, board, w => !w.GetProperty("running").GetBoolean()) : default;
        var came = answer.IsSuccessStatusCode
            ? write.GetProperty("problem").GetProperty("came").GetString()
            : (await RunningApp.ProblemOf(answer, 409)).Came;
        Assert.Contains("the card", came);
        if (answer.IsSuccessStatusCode)
            Assert.False(write.GetProperty("erased").GetBoolean());
    }

    [Theory]
    [InlineData("slot/../../x", 32, 10)]
    [InlineData("dev-sda", 32, 10)]
    [InlineData("slot-1", 0, 10)]
    [InlineData("slot-1", 4096, 10)]
    [InlineData("slot-1", 32, 0)]
    [InlineData("slot-1", 32, 1e9)]
    public async Task A_simulated_card_that_cannot_be_is_refused(string id, int labelGb, double speed)
    {
        await using var app = await RunningApp.Start();
        var answer = await Slot(app, Uri.EscapeDataString(id), labelGb, speed);
        await RunningApp.ProblemOf(answer, 422);
    }

    [Fact]
    public async Task A_write_that_is_stopped_says_what_is_true_of_the_card_and_the_next_one_mends_it()
    {
        await using var app = await RunningApp.Start(pace: 1);
        var board = await app.Board();
        var other = await app.Board("Damson");
        (await Slot(app, "slow", speed: 4)).EnsureSuccessStatusCode();
        await RunningApp.Json(await Write(app, board, "slow"));
        await Until(app, board, w => w.GetProperty("step").GetString() == "writing" && w.GetProperty("doneBytes").GetInt64() > 0);
        // Meanwhile neither the slot nor the board takes another order, and the card stays what it is.
        Assert.Contains("One is being written", (await RunningApp.ProblemOf(await Write(app, other, "slow"), 409)).Came);
        Assert.Contains("One is being written", (await RunningApp.ProblemOf(await Write(app, board, "slot-1"), 409)).Came);
        Assert.Contains("being written", (await RunningApp.ProblemOf(await Slot(app, "slow"), 409)).Came);
        Assert.Equal(204, (int)(await app.Http.DeleteAsync($"/api/boards/{board}/card")).StatusCode);
        var stopped = await Until(app, board, w => !w.GetProperty("running").GetBoolean());
        Assert.Equal(("cancelled", true), (stopped.GetProperty("step").GetString(), stopped.GetProperty("erased").GetBoolean()));
        Assert.Contains("half written", stopped.GetProperty("problem").GetProperty("toDo").GetString());
        // A half-written card does not start the board.
        (await Slot(app, "slow", speed: 2000)).EnsureSuccessStatusCode();
        await RunningApp.Json(await Write(app, board, "slow"));
        var done = await Until(app, board, w => !w.GetProperty("running").GetBoolean());
        Assert.Equal("done", done.GetProperty("step").GetString());
        Assert.Equal(JsonValueKind.Null, done.GetProperty("problem").ValueKind);
    }

    [Fact]
    public async Task First_boot_files_are_taken_as_a_zip_and_a_mistake_changes_nothing()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        static object Set(string? host, string? radio = null, string? key = null) =>
            PreparingTests.Set(
                host,
                "correct horse",
                "warden",
                wireless: radio is null
                    ? null
                    : new
                    {
                        name = radio,
                        password = key,
                        country = "GB",
                    }
            );
        await RunningApp.Json(
            await app.Http.PutAsJsonAsync($"/api/boards/{board}/first-boot", Set("frost-north", "Orchard", "apple blossom"))
        );
        foreach (var wrong in new[] { Set("frost north"), Set("-frost"), Set("frost", "Orchard 2", "short"), Set(new string('a', 64)) })
            await RunningApp.ProblemOf(await app.Http.PutAsJsonAsync($"/api/boards/{board}/first-boot", wrong), 422);
        await using var stream = await app.Http.GetStreamAsync($"/api/boards/{board}/first-boot.zip?secrets=true");
        using var bytes = new MemoryStream();
        await stream.CopyToAsync(bytes);
        using var zip = new ZipArchive(bytes);
        string Entry(string end)
        {
            using var reader = new StreamReader(zip.Entries.Single(e => e.FullName.EndsWith(end, StringComparison.Ordinal)).Open());
            return reader.ReadToEnd();
        }
        var user = Entry("user-data");
        Assert.Contains("hostname: \"frost-north\"", user);
        Assert.Contains("$6$", user);
        Assert.All(zip.Entries, e => Assert.DoesNotContain("..", e.FullName));
        var all = string.Concat(zip.Entries.Select(e => Entry(e.FullName)));
        Assert.DoesNotContain("correct horse", all);
        Assert.DoesNotContain("apple blossom", all);
        var plain = await app.Http.GetByteArrayAsync($"/api/boards/{board}/first-boot.zip");
        using var without = new ZipArchive(new MemoryStream(plain));
        foreach (var entry in without.Entries)
        {
            using var reader = new StreamReader(entry.Open());
            var text = await reader.ReadToEndAsync();
            Assert.DoesNotContain("$6$", text);
            Assert.DoesNotMatch("[0-9a-f]{64}", text);
        }
        Assert.Equal(404, (int)(await app.Http.GetAsync("/api/boards/nobody/first-boot.zip")).StatusCode);
    }

    [Fact]
    public async Task A_recipe_is_added_used_and_given_out_again()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        var known = (await app.Get($"/api/boards/{board}/preparation")).GetProperty("recipes").EnumerateArray().ToList();
        Assert.NotEmpty(known);
        var id = known[0].GetProperty("recipe").GetProperty("id").GetString();
        var yaml = Encoding.UTF8.GetString(await app.Http.GetByteArrayAsync($"/api/recipes/{id}/export"));
        Assert.Contains("format: \"buttonhook.recipe/1\"", yaml);
        var added = await RunningApp.Json(
            await app.Http.PostAsJsonAsync("/api/recipes", new { name = "own.yaml", yaml = yaml.Replace($"id: {id}", "id: own-recipe") })
        );
        Assert.Equal("own-recipe", added.GetProperty("id").GetString());
        Assert.Equal(yaml.Replace($"id: {id}", "id: own-recipe"), await app.Http.GetStringAsync("/api/recipes/own-recipe/export"));
        Assert.Equal(404, (int)(await app.Http.GetAsync("/api/recipes/nothing/export")).StatusCode);
    }
}
