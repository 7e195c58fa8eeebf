using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Buttonhook.Hardware;
using Buttonhook.Hardware.Cards;

namespace Buttonhook.App.Tests;

/// <summary>The steps, the next thing and the records say only what something shows.</summary>
public sealed class TruthTests
{
    private static async Task<JsonElement> Board(RunningApp app, string id) => await app.Get($"/api/boards/{id}");

    private static string[] Done(JsonElement view) =>
        [
            .. view.GetProperty("steps")
                .EnumerateArray()
                .Where(s => s.GetProperty("done").GetBoolean())
                .Select(s => s.GetProperty("step").GetString()!),
        ];

    private static string Card(JsonElement view) => view.GetProperty("proof").GetProperty("card").GetString()!;

    private static string Next(JsonElement view, string step = "boot") =>
        view.GetProperty("next").GetProperty(step).GetProperty("title").GetString()!;

    /// <summary>Puts a board that is not simulated on the bench.</summary>
    private static Task<string> Real(RunningApp app, string? image = "fallow-12-server-riscv64", string nickname = "Medlar") =>
        app.Board(nickname, image: image, simulated: false);

    [Fact]
    public async Task Choosing_writing_wiring_and_booting_are_done_when_something_shows_it()
    {
        await using var app = await RunningApp.Start(pace: 500);
        var id = await app.Board();
        var chosen = await Board(app, id);
        Assert.Equal(["identify", "match"], Done(chosen));
        Assert.Equal(("chosen", "Prepare and write the card"), (Card(chosen), Next(chosen)));
        Assert.Equal("Card not written yet", chosen.GetProperty("word").GetString());

        var write = await PreparingTests.Written(app, id, "slot-1");
        Assert.Equal("done", write.GetProperty("step").GetString());
        Assert.Contains("(stand-in)", write.GetProperty("imageTitle").GetString());
        var written = await Board(app, id);
        Assert.Equal(["identify", "match", "prepare"], Done(written));
        Assert.Equal(("written", "Ready to boot"), (Card(written), written.GetProperty("word").GetString()));
        Assert.Equal("Wire the console and the supply", Next(written, "prepare"));
        Assert.Equal("Boot Quince", Next(written, "connect"));

        var boot = await RunningApp.Json(
            await app.Http.PostAsJsonAsync($"/api/boards/{id}/boots", new { source = "simulated", speed = (int?)null })
        );
        await app.Until(boot.GetProperty("id").GetString()!, b => b.GetProperty("outcome").GetString() == "reached-login");
        Assert.Equal(["identify", "match", "prepare", "connect", "boot", "diagnose"], Done(await Board(app, id)));

        // Another image means another card: nothing is known of it.
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{id}/image", new { imageId = "tallow-4-minimal-riscv64" }));
        Assert.Equal("chosen", Card(await Board(app, id)));
    }

    [Fact]
    public async Task A_copy_is_no_card_and_what_a_person_says_can_be_taken_back()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var id = await app.Board();
        await PreparingTests.Written(app, id, "copy");
        Assert.Equal("chosen", Card(await Board(app, id)));
        var told = await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{id}/written-elsewhere", new { yes = true }));
        Assert.Equal("told", Card(told));
        Assert.Contains("prepare", Done(told));
        Assert.Contains("as you say", told.GetProperty("next").GetProperty("connect").GetProperty("why")[0].GetString());
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{id}/written-elsewhere", new { yes = false }));
        Assert.Equal("chosen", Card(await Board(app, id)));
    }

    [Fact]
    public async Task A_card_that_was_half_written_is_told_everywhere_and_overrides_what_a_person_said()
    {
        await using var app = await RunningApp.Start(pace: 1);
        var id = await app.Board();
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{id}/written-elsewhere", new { yes = true }));
        (
            await app.Http.PutAsJsonAsync(
                "/api/slots/slow",
                new
                {
                    name = "slow",
                    setup = new
                    {
                        labelGb = 32,
                        trueGb = (int?)null,
                        readOnlyFromMiB = (int?)null,
                        unreadableAtMiB = (int?)null,
                        removedAtMiB = (int?)null,
                        megabytesPerSecond = 4,
                    },
                }
            )
        ).EnsureSuccessStatusCode();
        await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{id}/card",
                new
                {
                    slotId = "slow",
                    confirm = (string?)null,
                    checkSize = false,
                    anyway = false,
                }
            )
        );
        await Wait.For(async () => (await app.Get($"/api/boards/{id}/card")).GetProperty("doneBytes").GetInt64() > 0);
        var during = await Board(app, id);
        Assert.Equal(("being-written", "Wait for the card"), (Card(during), Next(during, "connect")));
        Assert.DoesNotContain("prepare", Done(during));
        await app.Http.DeleteAsync($"/api/boards/{id}/card");
        await Wait.For(async () => !(await app.Get($"/api/boards/{id}/card")).GetProperty("running").GetBoolean());
        var after = await Board(app, id);
        Assert.Equal(("half-written", "Write the card again"), (Card(after), Next(after, "boot")));
        Assert.Equal("Card half written", after.GetProperty("word").GetString());
    }

    [Fact]
    public async Task Without_the_demo_an_image_without_a_file_is_not_written_and_no_stand_in_is_made()
    {
        await using var app = await RunningApp.Start(pace: 5000, standIns: false);
        var id = await app.Board();
        var plan = await app.Get($"/api/boards/{id}/preparation");
        Assert.False(plan.GetProperty("standIn").GetBoolean());
        Assert.Contains("Only its profile is on the shelf", plan.GetProperty("lookProblem").GetProperty("came").GetString());
        var write = await PreparingTests.Written(app, id, "slot-1");
        Assert.Equal("failed", write.GetProperty("step").GetString());
        Assert.False(write.GetProperty("erased").GetBoolean());
        Assert.Equal("chosen", Card(await Board(app, id)));
        Assert.False(Directory.Exists(Path.Combine(app.Folder, "images", "stand-ins")));
    }

    [Fact]
    public async Task A_stand_in_is_never_written_to_a_real_device_whoever_asks()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var id = await app.Board();
        await PreparingTests.Written(app, id, "copy");
        var standIn = Directory.GetFiles(Path.Combine(app.Folder, "images", "stand-ins"))[0];
        var device = Path.Combine(app.Folder, "device");
        File.WriteAllBytes(device, new byte[4 << 20]);
        using (var card = new BlockCard(device, 4 << 20))
        {
            var first = new byte[1 << 20];
            using (var file = File.OpenRead(standIn))
                file.ReadExactly(first);
            Assert.Contains("stand-in", Assert.Throws<CardException>(() => card.Write(0, first)).Message);
        }
        Assert.All(File.ReadAllBytes(device), b => Assert.Equal(0, b));
    }

    [Fact]
    public async Task Two_windows_do_not_overwrite_each_other_and_a_user_can_be_removed()
    {
        await using var app = await RunningApp.Start();
        var id = await app.Board();
        JsonObject Input(string? zone, string? host, int version, string? user = null, string? password = null)
        {
            var input = JsonSerializer.SerializeToNode(PreparingTests.Set(host, password, user))!.AsObject();
            input["timeZone"] = zone;
            input["version"] = version;
            input["remoteLogin"] = false;
            return input;
        }
        var first = await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{id}/first-boot", Input("Europe/Lisbon", null, 0)));
        Assert.Equal(1, first.GetProperty("version").GetInt32());
        var late = await RunningApp.ProblemOf(
            await app.Http.PutAsJsonAsync($"/api/boards/{id}/first-boot", Input(null, "frost-north", 0)),
            412
        );
        Assert.Contains("changed elsewhere", late.Came);
        Assert.Equal(
            "Europe/Lisbon",
            (await app.Get($"/api/boards/{id}/preparation")).GetProperty("set").GetProperty("timeZone").GetString()
        );
        await RunningApp.Json(
            await app.Http.PutAsJsonAsync($"/api/boards/{id}/first-boot", Input("Europe/Lisbon", null, 1, "warden", "correct horse"))
        );
        var without = await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{id}/first-boot", Input("Europe/Lisbon", null, 2)));
        Assert.False(without.GetProperty("hasPassword").GetBoolean());
    }

    [Fact]
    public async Task A_capture_that_a_person_ended_early_is_cut_and_counts_for_nothing()
    {
        await using var app = await RunningApp.Start(pace: 1);
        var id = await app.Board();
        var boot = (
            await RunningApp.Json(
                await app.Http.PostAsJsonAsync($"/api/boards/{id}/boots", new { source = "simulated", speed = (int?)null })
            )
        )
            .GetProperty("id")
            .GetString()!;
        await app.Until(boot, b => b.GetProperty("lineCount").GetInt32() > 3);
        var ended = await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { }));
        Assert.Equal("cut", ended.GetProperty("outcome").GetString());
        Assert.DoesNotContain(
            ended.GetProperty("stageBar").EnumerateArray(),
            s => s.GetProperty("state").GetString() is "stopped" or "now"
        );
        var view = await Board(app, id);
        Assert.DoesNotContain("boot", Done(view));
        Assert.Contains("let it run", Next(view));
        var matches = await app.Get($"/api/boards/{id}/matches");
        Assert.All(matches.EnumerateArray(), m => Assert.Equal(0, m.GetProperty("tries").GetInt32()));
    }

    [Fact]
    public async Task On_a_real_board_power_is_marked_and_times_count_from_it()
    {
        await using var app = await RunningApp.Start();
        var id = await Real(app);
        using var terminal = new PseudoTerminal(_ => { });
        var boot = (
            await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boards/{id}/boots", new { source = terminal.Path, speed = 115200 }))
        )
            .GetProperty("id")
            .GetString()!;
        terminal.Print("before\r\n"u8);
        await app.Until(boot, b => b.GetProperty("lineCount").GetInt32() == 1);
        await Task.Delay(300);
        var marked = await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boots/{boot}/power", new { on = true }));
        Assert.Equal("power", marked.GetProperty("since").GetString());
        Assert.True(marked.GetProperty("live").GetBoolean());
        var mark = marked.GetProperty("events")[0];
        Assert.Equal("Power applied", mark.GetProperty("text").GetString());
        Assert.InRange(mark.GetProperty("seconds").GetDouble(), 0, 0.1);
        terminal.Print("U-Boot 2024.01\r\norchard login: "u8);
        await app.Until(boot, b => b.GetProperty("lastStage").GetString() == "login");
        var lines = (await app.Get($"/api/boots/{boot}/lines?from=1&count=10")).GetProperty("lines");
        Assert.True(lines[0].GetProperty("seconds").GetDouble() < 0);
        Assert.InRange(lines[1].GetProperty("seconds").GetDouble(), 0, 5);
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { });
        var again = await app.Get($"/api/boots/{boot}/lines?from=1&count=10");
        Assert.Equal(lines[0].GetProperty("seconds").GetDouble(), again.GetProperty("lines")[0].GetProperty("seconds").GetDouble());
        // Next time the same port is offered by itself, as long as it is there.
        Assert.Equal(terminal.Path, (await Board(app, id)).GetProperty("port").GetProperty("path").GetString());
    }

    [Fact]
    public async Task A_correction_on_a_real_board_says_what_was_changed_and_whether_a_boot_proved_it()
    {
        await using var app = await RunningApp.Start();
        var id = await Real(app);
        var log = File.ReadAllBytes(Path.Combine(RunningApp.Root, "tests/logs/arm64-initrd-file-missing-1/console.log"));
        var boot = await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{id}/logs?name=first.log", new ByteArrayContent(log)));
        var bootId = boot.GetProperty("id").GetString()!;
        var refused = await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync($"/api/boards/{id}/corrections", new { bootId, causeId = "initrd-missing" }),
            422
        );
        Assert.Contains("what was really changed", refused.Expected);
        var view = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{id}/corrections",
                new
                {
                    bootId,
                    causeId = "initrd-missing",
                    text = "Copied initrd.img from the laptop",
                    edit = new
                    {
                        path = "/extlinux/extlinux.conf",
                        line = 4,
                        before = "initrd /old.img",
                        after = "initrd /initrd.img",
                    },
                }
            )
        );
        var change = view.GetProperty("changes")[0];
        Assert.Equal("Copied initrd.img from the laptop", change.GetProperty("text").GetString());
        Assert.Equal("initrd /initrd.img", change.GetProperty("edit").GetProperty("after").GetString());
        Assert.Contains("no boot since", change.GetProperty("proven").GetString());
        var good = File.ReadAllBytes(Path.Combine(RunningApp.Root, "tests/logs/arm64-good-first-boot-1/console.log"));
        await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{id}/logs?name=second.log", new ByteArrayContent(good)));
        Assert.StartsWith("Proven: boot 2", (await Board(app, id)).GetProperty("changes")[0].GetProperty("proven").GetString());
        // The log is of another board than the bench says: that is told before it is kept.
        var keep = await app.Get($"/api/boards/{id}/settings");
        Assert.Contains(keep.GetProperty("differ").EnumerateArray(), c => c.GetString()!.StartsWith("Processor", StringComparison.Ordinal));
    }

    [Fact]
    public async Task What_was_removed_is_listed_and_taken_back()
    {
        await using var app = await RunningApp.Start();
        var id = await app.Board();
        Assert.Equal(204, (int)(await app.Http.DeleteAsync($"/api/boards/{id}")).StatusCode);
        Assert.Equal(404, (int)(await app.Http.GetAsync($"/api/boards/{id}")).StatusCode);
        var removed = await app.Get("/api/removed");
        Assert.Equal(("board", "Quince"), (removed[0].GetProperty("kind").GetString(), removed[0].GetProperty("name").GetString()));
        Assert.Equal(204, (int)(await app.Http.PostAsync($"/api/removed/board/{id}/restore", null)).StatusCode);
        Assert.Equal("Quince", (await Board(app, id)).GetProperty("board").GetProperty("nickname").GetString());
        Assert.Empty((await app.Get("/api/removed")).EnumerateArray());
        await RunningApp.ProblemOf(await app.Http.PostAsync("/api/removed/board/nobody/restore", null), 409);
        Assert.Equal(404, (int)(await app.Http.DeleteAsync("/api/logs/nothing")).StatusCode);
    }
}
