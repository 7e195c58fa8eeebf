using System.Net.Http.Json;
using System.Text.Json;
using Buttonhook.App.Preparing;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;
using Microsoft.Extensions.DependencyInjection;

namespace Buttonhook.App.Tests;

public sealed class PreparingTests
{
    /// <summary>What is set before the first boot, as the page sends it.</summary>
    internal static object Set(
        string? hostName = null,
        string? password = null,
        string? user = null,
        string[]? recipes = null,
        object? wireless = null
    ) =>
        new
        {
            hostName,
            user,
            password,
            keys = Array.Empty<string>(),
            remoteLogin = password is not null,
            wireless,
            locale = (string?)null,
            timeZone = "Europe/Lisbon",
            keyboard = (string?)null,
            address = (object?)null,
            usbNetwork = false,
            videoMode = (string?)null,
            consoleOn = true,
            overlays = Array.Empty<string>(),
            lines = Array.Empty<string>(),
            packages = Array.Empty<string>(),
            commands = Array.Empty<string>(),
            recipes = recipes ?? [],
        };

    private static object Order(string slotId, bool checkSize = false, bool anyway = false) =>
        new
        {
            slotId,
            confirm = (string?)null,
            checkSize,
            anyway,
        };

    internal static Task<JsonElement> Written(RunningApp app, string boardId, string slot, bool checkSize = false, bool anyway = false) =>
        Written(app, boardId, Order(slot, checkSize, anyway));

    /// <summary>What Prepare says when it has looked into the image.</summary>
    internal static Task<JsonElement> Looked(RunningApp app, string boardId) =>
        Wait.For(() => app.Get($"/api/boards/{boardId}/preparation"), plan => !plan.GetProperty("looking").GetBoolean());

    internal static async Task<JsonElement> Written(RunningApp app, string boardId, object order)
    {
        await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boards/{boardId}/card", order));
        return await Wait.For(() => app.Get($"/api/boards/{boardId}/card"), w => !w.GetProperty("running").GetBoolean());
    }

    [Fact]
    public async Task An_image_goes_onto_a_card_with_its_first_boot_files_and_the_board_starts_from_it()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var id = await app.Board("Quince");
        var plan = await RunningApp.Json(
            await app.Http.PutAsJsonAsync($"/api/boards/{id}/first-boot", Set("frost-north", "correct horse", "warden"))
        );
        Assert.Equal("extlinux", plan.GetProperty("loader").GetString());
        Assert.Equal("boots", plan.GetProperty("before").GetProperty("verdict").GetString());
        var write = await Written(app, id, "slot-1");
        Assert.Equal(JsonValueKind.Null, write.GetProperty("problem").ValueKind);
        Assert.Equal("done", write.GetProperty("step").GetString());
        Assert.Equal("boots", write.GetProperty("after").GetProperty("verdict").GetString());
        Assert.Contains(write.GetProperty("files").EnumerateArray(), f => f.GetString()!.EndsWith("/user-data", StringComparison.Ordinal));

        var boot = await RunningApp.Json(
            await app.Http.PostAsJsonAsync($"/api/boards/{id}/boots", new { source = "simulated", speed = (int?)null })
        );
        var ended = await app.Until(boot.GetProperty("id").GetString()!, b => b.GetProperty("lastStage").GetString() == "login");
        var lines = JsonSerializer.Serialize(await app.Get($"/api/boots/{ended.GetProperty("id").GetString()}/lines?from=1&count=400"));
        Assert.Contains("frost-north login:", lines);
    }

    [Fact]
    public async Task A_card_is_told_as_done_once_that_is_stored()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var board = await app.Board(image: "tallow-4-minimal-riscv64");
        await Written(app, board, "slot-1");
        var store = app.Services.GetRequiredService<PreparationStore>();
        var job = new CardWriteJob(
            store.NewestOf(board)! with
            {
                Step = WriteStep.DryBoot,
            },
            store,
            app.Services.GetRequiredService<BoardStore>()
        );
        Task end;
        using (app.Held())
        {
            end = Task.Run(() => job.Keep(job.State with { Step = WriteStep.Done }));
            await Task.Delay(200);
            Assert.True(job.State.Running);
        }
        await end;
        Assert.False(job.State.Running);
    }

    [Fact]
    public async Task A_board_of_an_unknown_processor_gets_all_that_its_image_holds()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var came = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/imports", new { path = (string?)null, text = "Damson X1" }));
        var board = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/imports/{came.GetProperty("id").GetString()}/board",
                new
                {
                    nickname = "Damson",
                    tree = (string?)null,
                    mark = "Damson X1",
                    candidate = (object?)null,
                    simulated = false,
                }
            )
        );
        var id = board.GetProperty("board").GetProperty("id").GetString()!;
        await app.Http.PutAsJsonAsync($"/api/boards/{id}/image", new { imageId = "tallow-4-minimal-riscv64" });
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{id}/first-boot", Set("frost-damson")));
        var plan = await Looked(app, id);
        Assert.NotEmpty(plan.GetProperty("files").EnumerateArray());
        Assert.Equal(JsonValueKind.Null, plan.GetProperty("before").ValueKind);
        Assert.Contains("which one it has", plan.GetProperty("lookProblem").GetProperty("came").GetString());
        var write = await Written(app, id, "copy");
        Assert.Equal("done", write.GetProperty("step").GetString());
        Assert.NotEmpty(write.GetProperty("files").EnumerateArray());
        // No boot was played, so none is told.
        Assert.Equal(JsonValueKind.Null, write.GetProperty("after").ValueKind);
    }

    [Fact]
    public async Task A_copy_of_the_image_takes_the_first_boot_files_too()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var id = await app.Board("Quince", image: "tallow-4-minimal-riscv64");
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{id}/first-boot", Set("frost-copy")));
        var write = await Written(app, id, "copy");
        Assert.Equal("done", write.GetProperty("step").GetString());
        var copy = Path.Combine(app.Folder, "images", "prepared-tallow-4-minimal-riscv64.img");
        using var file = File.OpenRead(copy);
        var tree = Core
            .Images.Formats.PartitionTable.Read(ImageBytes.Of(file))
            .Partitions.Select(p => FileTree.Open(ImageBytes.Of(file).Slice(p.StartBytes, p.LengthBytes)).Tree!)
            .First(t => t.Kind == "ext4");
        Assert.Contains(
            "hostname: \"frost-copy\"",
            System.Text.Encoding.UTF8.GetString(tree.Read("/var/lib/cloud/seed/nocloud/user-data")!)
        );
    }

    [Fact]
    public async Task An_installer_is_copied_onto_a_formatted_card()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var id = await app.Board("Quince", image: "fallow-12-installer-amd64");
        var write = await Written(app, id, "slot-1");
        Assert.Equal("done", write.GetProperty("step").GetString());
        using var card = File.OpenRead(Path.Combine(app.Folder, "cards", "slot-1.img"));
        var bytes = ImageBytes.Of(card);
        var partition = Assert.Single(PartitionTable.Read(bytes).Partitions);
        var tree = FileTree.Open(bytes.Slice(partition.StartBytes, partition.LengthBytes)).Tree!;
        Assert.Equal("INSTALL", tree.Label);
        Assert.NotNull(tree.Find("/EFI/BOOT/BOOTX64.EFI"));
    }

    [Fact]
    public async Task Ways_to_lay_systems_out_have_their_sizes_and_limits_and_edited_files_are_held_to_the_rules()
    {
        await using var app = await RunningApp.Start();
        var id = await app.Board("Quince");
        var view = await app.Get($"/api/boards/{id}/preparation?recoveryMiB=2048");
        var layouts = view.GetProperty("layouts").EnumerateArray().ToDictionary(s => s.GetProperty("layout").GetString()!);
        Assert.Equal(["one-card", "boot-menu", "loader-on-card", "flash-later"], layouts.Keys);
        Assert.Contains("16 systems of this size fit", layouts["boot-menu"].GetProperty("steps")[0].GetString());
        Assert.Contains(
            layouts["one-card"].GetProperty("parts").EnumerateArray(),
            p => p.GetProperty("name").GetString() == "Recovery, at the end" && p.GetProperty("bytes").GetInt64() == 2L << 30
        );
        Assert.Contains("no soldered flash", layouts["flash-later"].GetProperty("against")[0].GetString());

        var content = Convert.ToBase64String("#cloud-config\nusers:\n- groups: sudo\n"u8.ToArray());
        var edited = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/edited-files", new { name = "user-data", content }));
        Assert.Contains("/users/0", edited.GetProperty("traps")[0].GetProperty("text").GetString());
        Assert.False(edited.GetProperty("traps")[0].GetProperty("mended").GetBoolean());
    }

    [Theory]
    [InlineData("")]
    [InlineData("format: buttonhook.recipe/1\nid: x\n")]
    public async Task What_is_no_recipe_is_refused(string yaml)
    {
        await using var app = await RunningApp.Start();
        await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync("/api/recipes", new { name = "x.yaml", yaml }), 422);
    }

    [Fact]
    public async Task Secrets_are_kept_only_in_the_forms_that_systems_keep()
    {
        await using var app = await RunningApp.Start();
        var id = await app.Board("Quince");
        var view = await RunningApp.Json(
            await app.Http.PutAsJsonAsync($"/api/boards/{id}/first-boot", Set("frost", "correct horse", "warden"))
        );
        Assert.Equal(JsonValueKind.Null, view.GetProperty("set").GetProperty("passwordHash").ValueKind);
        Assert.True(view.GetProperty("hasPassword").GetBoolean());
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{id}/first-boot", Set("frost", null, "warden")));
        Assert.True((await app.Get($"/api/boards/{id}/preparation")).GetProperty("hasPassword").GetBoolean());
        app.CloseDatabase();
        foreach (var file in Directory.GetFiles(app.Folder, "bench.db*"))
            Assert.False((await File.ReadAllBytesAsync(file)).AsSpan().IndexOf("correct horse"u8) >= 0);
        var other = await app.Board("Medlar");
        var problem = await RunningApp.ProblemOf(await app.Http.PutAsJsonAsync($"/api/boards/{other}/first-boot", Set("frost")), 422);
        Assert.Contains("Another board on your bench is called frost", problem.Came);
    }

    [Theory]
    [InlineData("slot-2", true, "holds about 7.3 GiB")]
    [InlineData("slot-3", false, "Became read-only")]
    [InlineData("slot-4", false, "cannot be read at 70 MiB")]
    [InlineData("slot-5", false, "was gone at")]
    public async Task Every_fault_of_a_card_is_named(string slot, bool checkSize, string said)
    {
        await using var app = await RunningApp.Start(pace: 100_000);
        var id = await app.Board("Quince");
        var write = await Written(app, id, slot, checkSize);
        Assert.Equal("failed", write.GetProperty("step").GetString());
        Assert.Contains(said, write.GetProperty("problem").GetProperty("came").GetString());
        Assert.True(write.GetProperty("erased").GetBoolean());
    }
}

public sealed class CardSafetyTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;

    public void Dispose()
    {
        Directory.Delete(folder, true);
    }

    /// <summary>A program of its own, killed with no time to tidy up.</summary>
    [Fact]
    public async Task A_kill_in_the_middle_of_a_write_is_told_truly_at_the_next_start()
    {
        using (var program = await RunningProgram.Start(folder, "demo"))
        {
            var order = new
            {
                slotId = "slot-6",
                confirm = (string?)null,
                checkSize = false,
                anyway = false,
            };
            (await program.Http.PostAsJsonAsync("/api/boards/bramley/card", order)).EnsureSuccessStatusCode();
            await Wait.For(
                () => program.Http.GetFromJsonAsync<JsonElement>("/api/boards/bramley/card"),
                w => w.GetProperty("step").GetString() == "writing" && w.GetProperty("doneBytes").GetInt64() > 0
            );
            await program.Kill();
        }
        using (var program = await RunningProgram.Start(folder, "demo"))
        {
            var write = await program.Http.GetFromJsonAsync<JsonElement>("/api/boards/bramley/card");
            Assert.Equal("interrupted", write.GetProperty("step").GetString());
            Assert.True(write.GetProperty("erased").GetBoolean());
            Assert.Contains("half written", write.GetProperty("problem").GetProperty("toDo").GetString());
            await program.Kill();
        }
    }

    private void Block(string name, params (string File, string Text)[] files)
    {
        foreach (var (file, text) in files)
        {
            var path = Path.Combine(folder, "sys/block", name, file);
            Directory.CreateDirectory(Path.GetDirectoryName(path)!);
            File.WriteAllText(path, text);
        }
        Directory.CreateDirectory(Path.Combine(folder, "dev"));
        File.WriteAllText(Path.Combine(folder, "dev", name), "");
    }

    [Fact]
    public void Only_removable_devices_that_nothing_uses_may_be_written_the_newest_first()
    {
        Block("sda", ("size", "1000000000\n"), ("removable", "0\n"), ("device/model", "Inner disk\n"), ("sda1/size", "1\n"));
        Block("sdb", ("size", "62333952\n"), ("removable", "1\n"), ("device/model", "Reader\n"), ("sdb1/size", "1\n"));
        Block("sdc", ("size", "62333952\n"), ("removable", "1\n"), ("device/model", "Stick\n"), ("sdc1/holders/dm-0", ""));
        Block("sdd", ("size", "0\n"), ("removable", "1\n"), ("device/model", "Empty reader\n"));
        Block("sde", ("size", "15523840\n"), ("removable", "1\n"), ("ro", "1\n"), ("device/model", "Locked\n"));
        Block("mmcblk0", ("size", "31116288\n"), ("removable", "0\n"), ("device/type", "SD\n"), ("device/name", "SC16G\n"));
        Block("mmcblk1", ("size", "31116288\n"), ("removable", "0\n"), ("device/type", "MMC\n"), ("device/name", "Soldered\n"));
        Block("sdf", ("size", "62333952\n"), ("removable", "1\n"), ("device/model", "Newest\n"));
        Directory.CreateDirectory(Path.Combine(folder, "proc"));
        File.WriteAllText(Path.Combine(folder, "proc/mounts"), "/dev/sda1 / ext4 rw 0 0\n/dev/sdb1 /media/frost vfat rw 0 0\n");
        File.SetLastWriteTimeUtc(Path.Combine(folder, "dev/mmcblk0"), DateTime.UtcNow.AddMinutes(-5));
        var found = Buttonhook.Hardware.Cards.BlockDevices.All(folder);
        Assert.Equal(["Newest", "SC16G"], found.Where(d => d.Refused is null).Select(d => d.Name));
        string Refused(string name) => found.Single(d => d.Name == name).Refused!;
        Assert.Contains("not removable", Refused("Inner disk"));
        Assert.Contains("in use at /media/frost", Refused("Reader"));
        Assert.Contains("belongs to another device", Refused("Stick"));
        Assert.Contains("no card", Refused("Empty reader"));
        Assert.Contains("write-protected", Refused("Locked"));
        Assert.Contains("not removable", Refused("Soldered"));
    }
}
