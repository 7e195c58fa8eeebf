using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Buttonhook.Core.Tests;

namespace Buttonhook.App.Tests;

/// <summary>The lines of a log as the page asks for them: coloured, searched, and answered by a person.</summary>
public sealed class LineTests : InFolder
{
    private static async Task<string> Drop(RunningApp app, string board, string log)
    {
        var dropped = await app.Http.PostAsync($"/api/boards/{board}/logs?name=a.log", new ByteArrayContent(Encoding.UTF8.GetBytes(log)));
        return (await RunningApp.Json(dropped)).GetProperty("id").GetString()!;
    }

    [Fact]
    public async Task A_line_comes_with_the_colours_that_the_system_sent()
    {
        await using var app = await RunningApp.Start();
        var boot = await Drop(app, await app.Board(), "[\u001b[0;1;31mFAILED\u001b[0m] Failed to start.\nplain\n");
        var lines = (await app.Get($"/api/boots/{boot}/lines")).GetProperty("lines");
        Assert.Equal("[FAILED] Failed to start.", lines[0].GetProperty("text").GetString());
        var run = lines[0].GetProperty("runs")[0];
        Assert.Equal(
            (1, 6, "red", true),
            (Int(run, "from"), Int(run, "length"), run.GetProperty("colour").GetString(), run.GetProperty("bold").GetBoolean())
        );
        Assert.Equal(JsonValueKind.Null, lines[1].GetProperty("runs").ValueKind);
        static int Int(JsonElement element, string name) => element.GetProperty(name).GetInt32();
    }

    [Fact]
    public async Task Words_are_found_in_every_line_that_holds_them_large_or_small()
    {
        await using var app = await RunningApp.Start();
        var log = string.Concat(Enumerable.Range(1, 12_000).Select(n => n % 1000 == 0 ? $"[\u001b[31mFROST\u001b[0m at {n}]\n" : "calm\n"));
        var boot = await Drop(app, await app.Board(), log);
        var found = await app.Get($"/api/boots/{boot}/found?text=frost%20at");
        Assert.Equal(12, found.GetProperty("count").GetInt32());
        Assert.Equal(Enumerable.Range(1, 12).Select(n => n * 1000), found.GetProperty("lines").EnumerateArray().Select(l => l.GetInt32()));
        Assert.Equal(11_988, (await app.Get($"/api/boots/{boot}/found?text=CALM")).GetProperty("count").GetInt32());
        Assert.Equal(0, (await app.Get($"/api/boots/{boot}/found?text=hail")).GetProperty("count").GetInt32());
        await RunningApp.ProblemOf(await app.Http.GetAsync($"/api/boots/{boot}/found?text="), 422);
        await RunningApp.ProblemOf(await app.Http.GetAsync("/api/boots/nothing/found?text=x"), 404);
    }

    [Fact]
    public async Task An_answer_is_kept_changes_the_next_thing_and_can_be_taken_back()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        var log = System.IO.File.ReadAllText(Path.Combine(RunningApp.Root, "tests/logs/armhf-dtb-file-missing-1/console.log"));
        var boot = await Drop(app, board, log);
        var before = await app.Get($"/api/boots/{boot}/diagnosis");
        var cause = before.GetProperty("nextCheck").GetProperty("causeId").GetString();
        Assert.Equal("dtb-missing", cause);
        Assert.Equal("boot-file", before.GetProperty("nextCheck").GetProperty("question").GetString());
        async Task<JsonElement> Answer(string? result) =>
            await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boots/{boot}/answers/boot-file", new { result }));
        var so = await Answer("absent");
        Assert.Equal("yes", so.GetProperty("causes")[0].GetProperty("answer").GetString());
        Assert.Equal(JsonValueKind.Null, so.GetProperty("nextCheck").GetProperty("causeId").ValueKind);
        var view = await app.Get($"/api/boards/{board}");
        Assert.Contains(
            view.GetProperty("next").GetProperty("diagnose").GetProperty("why").EnumerateArray(),
            w => w.GetString() == "An answer found it."
        );
        var back = await Answer(null);
        Assert.Equal(before.ToString(), back.ToString());
        await RunningApp.ProblemOf(await app.Http.PutAsJsonAsync($"/api/boots/{boot}/answers/hail", new { result = "yes" }), 422);
        await RunningApp.ProblemOf(await app.Http.PutAsJsonAsync($"/api/boots/{boot}/answers/boot-file", new { result = "hail" }), 422);
    }

    [Fact]
    public async Task The_first_boot_files_are_shown_as_they_would_be_and_nothing_is_stored()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        await PreparingTests.Looked(app, board);
        static object Input(string host, string? password) =>
            new
            {
                hostName = host,
                user = "warden",
                password,
                keys = Array.Empty<string>(),
                remoteLogin = true,
                wireless = (object?)null,
                locale = (string?)null,
                timeZone = (string?)null,
                keyboard = (string?)null,
                address = (object?)null,
                usbNetwork = false,
                videoMode = (string?)null,
                consoleOn = true,
                overlays = Array.Empty<string>(),
                lines = Array.Empty<string>(),
                packages = Array.Empty<string>(),
                commands = Array.Empty<string>(),
                recipes = Array.Empty<string>(),
            };
        var preview = await RunningApp.Json(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/first-boot/preview", Input("frost-north", "apple blossom"))
        );
        Assert.Contains("frost-north", preview.GetProperty("files").ToString());
        Assert.DoesNotContain("apple blossom", preview.ToString());
        Assert.Empty(preview.GetProperty("problems").EnumerateArray());
        var wrong = await RunningApp.Json(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/first-boot/preview", Input("Frost North", null))
        );
        Assert.Contains("host name", wrong.GetProperty("problems").ToString());
        var stored = await app.Get($"/api/boards/{board}/preparation");
        Assert.Equal(JsonValueKind.Null, stored.GetProperty("set").GetProperty("hostName").ValueKind);
        Assert.Empty(stored.GetProperty("files").EnumerateArray());
    }

    [Fact]
    public async Task The_very_edit_that_mends_a_cause_comes_from_the_dry_boot_of_the_card()
    {
        await using var app = await RunningApp.Start();
        var files = ImageMaker.BootFiles();
        files["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(ImageMaker.Menu("root=LABEL=nowhere rootwait console=ttyS2,115200"));
        var path = File("orchard.img", ImageMaker.Disk(ImageMaker.Fat(files), ImageMaker.Ext(ImageMaker.RootFiles())));
        var made = await app.Http.PostAsJsonAsync(
            "/api/boards",
            new
            {
                nickname = "Bullace",
                modelId = "spindle-2",
                revisionId = "1.3",
                memoryMiB = 2048,
                connected = new
                {
                    cardGb = 32,
                    screen = false,
                    network = true,
                    supplyId = (string?)null,
                    adapterId = (string?)null,
                },
                toldBy = new[] { "mark" },
                simulated = true,
                faultId = (string?)null,
            }
        );
        var board = (await RunningApp.Json(made)).GetProperty("board").GetProperty("id").GetString()!;
        var looked = await app.Inspected(path, null);
        var card = await RunningApp.Json(await app.Http.PostAsync($"/api/inspections/{looked.GetProperty("id").GetString()}/card", null));
        var image = card.GetProperty("id").GetString();
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{board}/image", new { imageId = image }));
        await PreparingTests.Looked(app, board);
        var played = (await app.Get($"/api/boards/{board}/preparation")).GetProperty("before");
        var mends = (await app.Get($"/api/boards/{board}/mends")).EnumerateArray().ToList();
        var edits = played
            .GetProperty("steps")
            .EnumerateArray()
            .Where(s => s.GetProperty("edit").ValueKind == JsonValueKind.Object)
            .ToList();
        Assert.Contains(mends, m => m.GetProperty("causeId").GetString() == "root-not-found");
        Assert.Equal(
            edits.Select(s => (s.GetProperty("cause").GetString(), s.GetProperty("edit").ToString())),
            mends.Select(m => (m.GetProperty("causeId").GetString(), m.GetProperty("edit").ToString()))
        );
    }
}
