using System.Net.Http.Json;
using System.Text.Json;
using Buttonhook.Core.Tests;

namespace Buttonhook.App.Tests;

/// <summary>Whatever lies in front of a person is recognised by its content and leads to a board on the bench, with nothing made up.</summary>
public sealed class ImportTests : InFolder
{
    private static byte[] Tree(string model, string compatible) =>
        new TreeMaker()
            .Text("/", "model", model)
            .Text("/", "compatible", compatible)
            .Text("/cpus/cpu@0", "compatible", "arm,cortex-a55")
            .Text("/aliases", "serial2", "/soc/serial@1000")
            .Text("/chosen", "stdout-path", "serial2:1500000n8")
            .Text("/soc/serial@1000", "compatible", "snps,dw-apb-uart")
            .Blob();

    private static async Task<JsonElement> Bring(RunningApp app, string? path, string? text = null)
    {
        var came = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/imports", new { path, text }));
        return await Wait.For(
            () => app.Get($"/api/imports/{came.GetProperty("id").GetString()}"),
            now => !now.GetProperty("running").GetBoolean()
        );
    }

    private static async Task<JsonElement> Put(RunningApp app, JsonElement came, string nickname, string? tree = null) =>
        await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/imports/{came.GetProperty("id").GetString()}/board",
                new
                {
                    nickname,
                    tree,
                    mark = (string?)null,
                    candidate = (object?)null,
                    simulated = false,
                }
            )
        );

    [Fact]
    public async Task A_folder_of_trees_is_searched_and_the_chosen_one_becomes_a_board_of_which_only_what_it_says_is_known()
    {
        await using var app = await RunningApp.Start(own: true);
        Assert.Empty((await app.Get("/api/catalogue")).GetProperty("models").EnumerateArray());
        File("a.dtb", Tree("Ladle Quince 5", "ladle,quince-5"));
        File("b.dtb", Tree("Ladle Quince 6", "ladle,quince-6"));
        var came = await Bring(app, folder);
        Assert.Equal(("trees", 2), (came.GetProperty("kind").GetString(), came.GetProperty("trees").GetInt32()));
        var rows = await app.Get($"/api/imports/{came.GetProperty("id").GetString()}/trees?words=qunice%206");
        var tree = rows[0].GetProperty("source").GetString();
        Assert.Equal("Ladle Quince 6", rows[0].GetProperty("model").GetString());

        var view = await Put(app, came, "Damson", tree);
        var model = view.GetProperty("model");
        Assert.Equal(("Ladle", "Quince 6"), (model.GetProperty("maker").GetString(), model.GetProperty("name").GetString()));
        Assert.Equal("ttyS2", model.GetProperty("console").GetProperty("device").GetString());
        Assert.Equal("unknown", model.GetProperty("console").GetProperty("level").GetString());
        Assert.Equal(JsonValueKind.Null, model.GetProperty("power").GetProperty("volts").ValueKind);
        Assert.Equal(JsonValueKind.Null, view.GetProperty("board").GetProperty("memoryMiB").ValueKind);
        Assert.False(view.GetProperty("board").GetProperty("simulated").GetBoolean());
        Assert.Contains("b.dtb", model.GetProperty("sources").GetProperty("console.speed").GetString());
        // The same tree again is the same model.
        var second = await Put(app, came, "Medlar", tree);
        Assert.Equal(model.GetProperty("id").GetString(), second.GetProperty("model").GetProperty("id").GetString());
        // Its supply cannot be told, and that is neither enough nor a refusal.
        var connection = await app.Get($"/api/boards/{view.GetProperty("board").GetProperty("id").GetString()}/connection");
        Assert.Equal(JsonValueKind.Null, connection.GetProperty("supply").GetProperty("enough").ValueKind);
    }

    [Fact]
    public async Task A_log_brings_its_board_and_is_kept_as_its_first_boot()
    {
        await using var app = await RunningApp.Start(own: true);
        var log = System.IO.File.ReadAllBytes(Path.Combine(RunningApp.Root, "tests/logs/amd64-good-boot-1/console.log"));
        var came = await Bring(app, File("first-boot.txt", log));
        Assert.Equal("log", came.GetProperty("kind").GetString());
        var view = await Put(app, came, "Damson");
        var boots = await app.Get($"/api/boards/{view.GetProperty("board").GetProperty("id").GetString()}/boots");
        Assert.Equal("first-boot.txt", Assert.Single(boots.EnumerateArray()).GetProperty("source").GetString());
        Assert.Equal(JsonValueKind.Null, view.GetProperty("model").GetProperty("power").GetProperty("amps").ValueKind);
    }

    [Theory]
    [InlineData("amd64-no-boot-medium-1", "a board that it does not name")]
    [InlineData("arm64-baud-mismatch-1", "was not received well")]
    public async Task A_log_that_names_no_board_and_one_that_cannot_be_read_bring_a_board_all_the_same(string name, string says)
    {
        await using var app = await RunningApp.Start(own: true);
        var path = Path.Combine(RunningApp.Root, "tests/logs", name, "console.log");
        var came = await Bring(app, path);
        Assert.Equal("log", came.GetProperty("kind").GetString());
        Assert.Contains(says, came.GetProperty("says").GetString());
        var view = await Put(app, came, "Damson");
        Assert.Equal(JsonValueKind.Null, view.GetProperty("model").GetProperty("maker").ValueKind);
        var boot = (await app.Get($"/api/boards/{view.GetProperty("board").GetProperty("id").GetString()}/boots"))[0]
            .GetProperty("id")
            .GetString();
        Assert.Equal(await System.IO.File.ReadAllBytesAsync(path), await app.Http.GetByteArrayAsync($"/api/boots/{boot}/log"));
    }

    [Fact]
    public async Task A_file_that_is_nothing_of_all_is_not_called_an_image()
    {
        await using var app = await RunningApp.Start(own: true);
        var bytes = new byte[300_000];
        new Random(5).NextBytes(bytes);
        var came = await Bring(app, File("noise.bin", bytes));
        Assert.Contains(
            "noise.bin: Nothing that is known here stands at its beginning",
            came.GetProperty("problem").GetProperty("came").GetString()
        );
    }

    [Fact]
    public async Task What_is_printed_alone_makes_a_board_and_what_is_nothing_is_said()
    {
        await using var app = await RunningApp.Start(own: true);
        var came = await Bring(app, null, "LQ5 R2");
        Assert.Equal("mark", came.GetProperty("kind").GetString());
        var view = await Put(app, came, "Damson");
        Assert.Equal("LQ5 R2", view.GetProperty("model").GetProperty("revisions")[0].GetProperty("mark").GetString());
        Assert.Equal(JsonValueKind.Null, view.GetProperty("model").GetProperty("instructionSet").ValueKind);

        var nothing = await Bring(app, Path.Combine(folder, "nowhere.img"));
        Assert.Contains("There is none", nothing.GetProperty("problem").GetProperty("came").GetString());
        var damaged = await Bring(app, File("x.dtb", Tree("A", "a,b")[..70]));
        Assert.Contains("device tree", damaged.GetProperty("problem").GetProperty("expected").GetString());
        var both = await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync("/api/imports", new { path = "/a", text = "b" }), 422);
        Assert.Contains("One thing", both.Expected);
        var relative = await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync("/api/imports", new { path = "a.img", text = (string?)null }),
            422
        );
        Assert.Contains("whole path", relative.Expected);
    }

    [Fact]
    public async Task An_image_brings_its_boards_and_lies_on_the_shelf_where_it_is()
    {
        await using var app = await RunningApp.Start(own: true);
        var files = ImageMaker.BootFiles();
        foreach (var old in files.Keys.Where(f => f.EndsWith(".dtb", StringComparison.Ordinal)).ToList())
            files.Remove(old);
        files["/quince.dtb"] = Tree("Ladle Quince 5", "ladle,quince-5");
        var path = File("tallow.img", ImageMaker.Disk(ImageMaker.Fat(files), ImageMaker.Ext(ImageMaker.RootFiles())));
        var came = await Bring(app, path);
        Assert.Equal(("image", 1), (came.GetProperty("kind").GetString(), came.GetProperty("trees").GetInt32()));
        var rows = await app.Get($"/api/imports/{came.GetProperty("id").GetString()}/trees");
        var view = await Put(app, came, "Damson", rows[0].GetProperty("source").GetString());
        var image = Assert.Single((await app.Get("/api/catalogue")).GetProperty("images").EnumerateArray());
        Assert.Equal(path, image.GetProperty("path").GetString());
        Assert.Equal(image.GetProperty("id").GetString(), view.GetProperty("board").GetProperty("imageId").GetString());
        // Choosing is not writing.
        Assert.DoesNotContain(
            view.GetProperty("steps").EnumerateArray(),
            s => s.GetProperty("step").GetString() == "prepare" && s.GetProperty("done").GetBoolean()
        );
    }

    [Fact]
    public async Task An_overlay_that_came_with_a_tree_is_laid_over_it_and_one_alone_is_no_board()
    {
        await using var app = await RunningApp.Start(own: true);
        File("set/a.dtb", Tree("Ladle Quince 5", "ladle,quince-5"));
        File(
            "set/overlays/frost.dtbo",
            new TreeMaker()
                .Text("/fragment@0", "target-path", "/chosen")
                .Text("/fragment@0/__overlay__", "stdout-path", "serial2:9600n8")
                .Blob()
        );
        var alone = await Bring(app, Path.Combine(folder, "set/overlays"));
        Assert.Contains("is an overlay", alone.GetProperty("problem").GetProperty("came").GetString());

        var came = await Bring(app, Path.Combine(folder, "set"));
        var id = came.GetProperty("id").GetString();
        Assert.Equal((1, 1), (came.GetProperty("trees").GetInt32(), came.GetProperty("overlays").GetInt32()));
        var overlay = (await app.Get($"/api/imports/{id}/overlays"))[0];
        Assert.Equal("frost.dtbo", overlay.GetProperty("file").GetString());
        var tree = (await app.Get($"/api/imports/{id}/trees"))[0].GetProperty("source").GetString()!;
        async Task<JsonElement> Put(string nickname, params string[] overlays) =>
            (
                await RunningApp.Json(
                    await app.Http.PostAsJsonAsync(
                        $"/api/imports/{id}/board",
                        new
                        {
                            nickname,
                            tree,
                            mark = (string?)null,
                            candidate = (object?)null,
                            overlays,
                        }
                    )
                )
            ).GetProperty("model");
        var plain = await Put("Damson");
        var laid = await Put("Quince", overlay.GetProperty("source").GetString()!);
        Assert.Equal(1_500_000, plain.GetProperty("console").GetProperty("speed").GetInt32());
        Assert.Equal(9600, laid.GetProperty("console").GetProperty("speed").GetInt32());
        Assert.Contains("a.dtb + frost.dtbo", laid.GetProperty("sources").GetProperty("console.speed").GetString());
        Assert.NotEqual(plain.GetProperty("id").GetString(), laid.GetProperty("id").GetString());
        Assert.Equal(plain.GetProperty("id").GetString(), (await Put("Medlar")).GetProperty("id").GetString());
        // The board and the card that came in one go are taken back in one go.
        var put = (await app.Get("/api/edits")).EnumerateArray().Single(e => e.GetProperty("says").GetString()!.Contains("Quince was put"));
        Assert.Contains("The board profile", put.GetProperty("says").GetString());
        Assert.True((await app.Http.PostAsync($"/api/edits/{put.GetProperty("id").GetInt64()}/undo", null)).IsSuccessStatusCode);
        Assert.Equal(
            ["Damson", "Medlar"],
            (await app.Get("/api/bench")).EnumerateArray().Select(b => b.GetProperty("nickname").GetString())
        );
    }
}
