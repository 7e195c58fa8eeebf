using System.Net.Http.Json;
using System.Text.Json;

namespace Buttonhook.App.Tests;

[Trait("Length", "long")]
public sealed class CardLayoutTests
{
    // The smallest images of the demo: nothing here is told by their size.
    private const string First = "tallow-4-minimal-riscv64";
    private const string Second = "tallow-3-riscv64";

    private static async Task<HttpResponseMessage> Order(RunningApp app, string board, object more) =>
        await app.Http.PostAsJsonAsync($"/api/boards/{board}/card", more);

    private static object Menu(params string[] beside) =>
        new
        {
            slotId = "slot-1",
            confirm = (string?)null,
            checkSize = false,
            anyway = false,
            layout = "boot-menu",
            beside,
        };

    private static object Loader(string drive, string kind = "usb") =>
        new
        {
            slotId = "slot-1",
            confirm = (string?)null,
            checkSize = false,
            anyway = false,
            layout = "loader-on-card",
            drive = new
            {
                slotId = drive,
                confirm = (string?)null,
                kind,
            },
        };

    private static Task<JsonElement> Written(RunningApp app, string board, object order) => PreparingTests.Written(app, board, order);

    private static async Task<string> Begin(RunningApp app, string board)
    {
        var boot = await RunningApp.Json(
            await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = "simulated", speed = (int?)null })
        );
        return boot.GetProperty("id").GetString()!;
    }

    private static async Task<string> Lines(RunningApp app, string boot) =>
        string.Join(
            '\n',
            (await app.Get($"/api/boots/{boot}/lines?from=1&count=2000"))
                .GetProperty("lines")
                .EnumerateArray()
                .Select(l => l.GetProperty("text").GetString())
        );

    [Fact]
    public async Task A_menu_of_systems_is_written_played_as_each_entry_and_started_as_the_one_that_is_taken()
    {
        await using var app = await RunningApp.Start(pace: 50);
        var board = await app.Board(image: First);
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{board}/first-boot", PreparingTests.Set("frost-north")));
        var write = await Written(app, board, Menu(Second));
        Assert.Equal(JsonValueKind.Null, write.GetProperty("problem").ValueKind);
        var systems = write.GetProperty("systems").EnumerateArray().ToList();
        Assert.Equal([First, Second], systems.Select(s => s.GetProperty("imageId").GetString()));
        Assert.All(systems, s => Assert.Equal("boots", s.GetProperty("dry").GetProperty("verdict").GetString()));
        var boot = await Begin(app, board);
        await app.Until(boot, b => b.GetProperty("lastStage").GetString() == "login");
        var lines = await Lines(app, boot);
        Assert.Contains("frost-north login:", lines);
        Assert.Contains("Enter choice:", lines);
        Assert.Contains("mmcblk0p2", lines);
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/power", new { on = false });

        boot = await Begin(app, board);
        await Wait.For(async () => (await Lines(app, boot)).Contains("Enter choice:", StringComparison.Ordinal));
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/typed", new { text = "2\r" });
        await app.Until(boot, b => b.GetProperty("lastStage").GetString() == "login");
        lines = await Lines(app, boot);
        Assert.Contains("/system-2/vmlinuz", lines);
        Assert.Contains("EXT4-fs (mmcblk0p3)", lines);
        Assert.Contains("tallow login:", lines);
        // The record is of the system that ran, and so are the statistics.
        await Wait.For(async () => (await app.Get("/api/statistics")).GetProperty("counted").GetInt32() >= 2);
        var draft = (await app.Get($"/api/boards/{board}/settings")).GetProperty("draft").GetProperty("settings").EnumerateArray().ToList();
        JsonElement Setting(string id) => draft.Single(s => s.GetProperty("id").GetString() == id);
        string? Of(string id) => Setting(id).GetProperty("value").GetString();
        Assert.StartsWith("Tallow 3", Of("image.name"));
        Assert.StartsWith("a menu: 1 Tallow 4 minimal", Of("card.layout"));
        Assert.NotEqual("differs", Setting("system.name").GetProperty("standing").GetString());
        var pairs = (await app.Get("/api/statistics")).GetProperty("pairs").EnumerateArray();
        Assert.Equal(2, pairs.Select(p => p.GetProperty("image").GetString()).Distinct().Count());
    }

    [Fact]
    public async Task The_loader_goes_onto_a_card_and_the_root_onto_a_drive_without_which_nothing_starts()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var board = await app.Board(image: First);
        var write = await Written(app, board, Loader("slot-6", "ssd"));
        Assert.Equal(JsonValueKind.Null, write.GetProperty("problem").ValueKind);
        // The stand-in's initial files hold no driver for an SSD: the proof is the dry boot of both media together.
        var dry = write.GetProperty("after");
        Assert.Equal("does-not-boot", dry.GetProperty("verdict").GetString());
        Assert.Contains("nvme", dry.GetRawText());

        write = await Written(app, board, Loader("slot-6"));
        Assert.Equal("boots", write.GetProperty("after").GetProperty("verdict").GetString());
        Assert.Contains("partition 1 of the drive", write.GetProperty("after").GetRawText());
        var boot = await Begin(app, board);
        await app.Until(boot, b => b.GetProperty("lastStage").GetString() == "login");
        Assert.Contains("EXT4-fs (sda1)", await Lines(app, boot));
        await app.Http.PostAsJsonAsync($"/api/boots/{boot}/power", new { on = false });

        // Another card in the drive's slot: its root is gone.
        await RunningApp.Json(
            await Order(
                app,
                await app.Board("Medlar", image: First),
                new
                {
                    slotId = "slot-6",
                    confirm = (string?)null,
                    checkSize = false,
                    anyway = false,
                }
            )
        );
        boot = await Begin(app, board);
        await app.UntilCause(boot, "root-not-found");
    }

    [Fact]
    public async Task What_cannot_be_put_together_is_refused_in_words()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var board = await app.Board(image: First);
        Assert.Contains("no installer", (await Written(app, board, Menu("fallow-12-installer-amd64"))).GetProperty("problem").GetRawText());
        Assert.Contains("1 is chosen", (await Written(app, board, Menu())).GetProperty("problem").GetRawText());
        var other = (await Written(app, board, Menu("fallow-12-server-arm64"))).GetProperty("problem").GetRawText();
        Assert.Contains("The kernel is for", other);
        Assert.Contains("slot of its own", (await RunningApp.ProblemOf(await Order(app, board, Loader("slot-1")), 409)).Expected);
        Assert.Contains("none of them", (await RunningApp.ProblemOf(await Order(app, board, Loader("slot-99")), 409)).Came);
    }
}
