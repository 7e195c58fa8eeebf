using System.Net.Http.Json;
using System.Text.Json;

namespace Buttonhook.App.Tests;

/// <summary>What a person tells and what a log teaches stands on the board's card with its source, and can be taken back.</summary>
public class FactTests
{
    private static async Task<(string Board, JsonElement View)> Board(RunningApp app)
    {
        var came = await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/imports", new { path = (string?)null, text = "LQ5 R2" }));
        var id = came.GetProperty("id").GetString();
        await Wait.For(async () => !(await app.Get($"/api/imports/{id}")).GetProperty("running").GetBoolean());
        var view = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/imports/{id}/board",
                new
                {
                    nickname = "Damson",
                    tree = (string?)null,
                    mark = (string?)null,
                    candidate = (object?)null,
                    simulated = false,
                }
            )
        );
        return (view.GetProperty("board").GetProperty("id").GetString()!, view);
    }

    private static object[] Facts(params (string Field, string Value)[] facts) =>
        [.. facts.Select(f => new { field = f.Field, value = f.Value })];

    [Fact]
    public async Task A_fact_that_a_person_tells_is_noted_as_such_changes_what_is_judged_and_can_be_taken_back()
    {
        await using var app = await RunningApp.Start(own: true);
        var (board, _) = await Board(app);
        async Task<JsonElement> Supply() => (await app.Get($"/api/boards/{board}/connection")).GetProperty("supply");
        Assert.Contains("Cannot tell without the volts", (await Supply()).GetProperty("text").GetString());

        var view = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/facts",
                Facts(("power.volts", "12"), ("console.level", "logic33"), ("memoryMiB", "2048"))
            )
        );
        var model = view.GetProperty("model");
        Assert.Equal(12, model.GetProperty("power").GetProperty("volts").GetDouble());
        Assert.Equal("logic33", model.GetProperty("console").GetProperty("level").GetString());
        Assert.StartsWith("you, ", model.GetProperty("sources").GetProperty("power.volts").GetString());
        Assert.Contains("Needs 12.0 V", (await Supply()).GetProperty("text").GetString());

        // What is fitted is that of this board, and what no board can have is a slip.
        Assert.Equal(2048, view.GetProperty("board").GetProperty("memoryMiB").GetInt32());
        foreach (var (field, value) in new[] { ("power.volts", "99999"), ("console.speed", "7"), ("power.amps", "400") })
            Assert.Contains(
                value,
                (await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync($"/api/boards/{board}/facts", Facts((field, value))), 422)).Came
            );

        var change = (await app.Get("/api/edits"))[0];
        Assert.Contains("power.volts 12", change.GetProperty("says").GetString());
        var id = change.GetProperty("id").GetInt64();
        Assert.True((await app.Http.PostAsync($"/api/edits/{id}/undo", null)).IsSuccessStatusCode);
        Assert.Contains("Cannot tell without the volts", (await Supply()).GetProperty("text").GetString());
        var again = await RunningApp.ProblemOf(await app.Http.PostAsync($"/api/edits/{id}/undo", null), 409);
        Assert.Contains("taken back already", again.Came);
    }

    [Fact]
    public async Task A_bench_that_was_begun_when_every_bench_had_the_cards_of_the_demo_keeps_those_that_it_stands_on()
    {
        var folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;
        await using (var before = await RunningApp.Start(folder: folder, keep: true))
            await before.Board("Damson");
        using (var database = Storage.Database.Open(Path.Combine(folder, "bench.db")).Value!)
            Demo.Adopt(database, KnowledgeFiles.Read(false).Value!, TimeProvider.System);
        await using var after = await RunningApp.Start(folder: folder, own: true);
        Assert.Equal(
            "quill-v",
            Assert.Single((await after.Get("/api/catalogue")).GetProperty("models").EnumerateArray()).GetProperty("id").GetString()
        );
        var board = (await after.Get("/api/bench"))[0].GetProperty("id").GetString();
        Assert.Equal("Quill V", (await after.Get($"/api/boards/{board}")).GetProperty("model").GetProperty("name").GetString());
    }

    [Fact]
    public void An_adapter_is_called_by_what_it_says_of_itself()
    {
        var system = Directory.CreateTempSubdirectory("buttonhook-").FullName;
        var usb = Path.Combine(system, "devices/usb1/1-2");
        Directory.CreateDirectory(Path.Combine(usb, "1-2:1.0/ttyUSB3"));
        Directory.CreateDirectory(Path.Combine(system, "class/tty/ttyUSB3"));
        Directory.CreateSymbolicLink(Path.Combine(system, "class/tty/ttyUSB3/device"), Path.Combine(usb, "1-2:1.0/ttyUSB3"));
        foreach (
            var (file, text) in new[]
            {
                ("idVendor", "1d0f\n"),
                ("idProduct", "0003\n"),
                ("manufacturer", "Ladle\n"),
                ("product", "Grey cable\n"),
                ("serial", "LQ77\n"),
            }
        )
            File.WriteAllText(Path.Combine(usb, file), text);
        Assert.Equal("Ladle Grey cable, serial number LQ77", Hardware.SerialPorts.AdapterOf("/dev/ttyUSB3", system)!.Value.Name);
        File.Delete(Path.Combine(usb, "manufacturer"));
        File.Delete(Path.Combine(usb, "product"));
        File.Delete(Path.Combine(usb, "serial"));
        Assert.Equal(("USB 1d0f:0003", "1d0f:0003"), Hardware.SerialPorts.AdapterOf("/dev/ttyUSB3", system)!.Value);
        Assert.Null(Hardware.SerialPorts.AdapterOf("/dev/ttyS0", system));
        Directory.Delete(system, true);
    }

    [Fact]
    public async Task Parts_of_ones_own_are_added_by_their_print_and_are_reckoned_with()
    {
        await using var app = await RunningApp.Start(own: true);
        async Task<JsonElement> Add(object part) => await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/parts", part));
        object Part(
            string kind,
            string name,
            double? volts = null,
            double? amps = null,
            double? watts = null,
            bool onUsb = false,
            string? level = null,
            int? speed = null
        ) =>
            new
            {
                kind,
                name,
                volts,
                amps,
                watts,
                plug = kind == "supply" ? "round plug" : null,
                onUsb,
                level,
                maxSpeed = speed,
            };
        var supply = await Add(Part("supply", "", 9, 1.5));
        await Add(Part("part", "Anemometer", watts: 4, onUsb: true));
        await Add(Part("adapter", "Grey cable", level: "logic18", speed: 921_600));
        var catalogue = await app.Get("/api/catalogue");
        Assert.Equal(
            "9 V, 1.5 A with round plug",
            catalogue.GetProperty("supplies").EnumerateArray().Last().GetProperty("name").GetString()
        );
        Assert.Equal(0.8, catalogue.GetProperty("parts").EnumerateArray().Last().GetProperty("amps").GetDouble());
        Assert.Equal("logic18", catalogue.GetProperty("adapters").EnumerateArray().Last().GetProperty("levels")[0].GetString());

        async Task<string> Refused(object part) =>
            (await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync("/api/parts", part), 422)).ToString();
        Assert.Contains("at a voltage", await Refused(Part("part", "Lamp", watts: 4)));
        Assert.Contains("are missing", await Refused(Part("supply", "", 9)));
        Assert.Contains("are not possible", await Refused(Part("supply", "", 900, 1)));
        Assert.Contains("measure its transmit wire", await Refused(Part("adapter", "Grey cable", speed: 9600)));
        Assert.Contains("is none", await Refused(Part("hammer", "x")));

        var id = supply.GetProperty("id").GetString();
        Assert.True((await app.Http.DeleteAsync($"/api/parts/supply/{id}")).IsSuccessStatusCode);
        Assert.DoesNotContain(
            (await app.Get("/api/catalogue")).GetProperty("supplies").EnumerateArray(),
            s => s.GetProperty("id").GetString() == id
        );
        Assert.True((await app.Http.PostAsync($"/api/removed/supply/{id}/restore", null)).IsSuccessStatusCode);
        Assert.Contains(
            (await app.Get("/api/catalogue")).GetProperty("supplies").EnumerateArray(),
            s => s.GetProperty("id").GetString() == id
        );
    }

    [Fact]
    public async Task What_is_no_fact_or_no_value_is_refused_in_words_and_changes_nothing()
    {
        await using var app = await RunningApp.Start(own: true);
        var (board, _) = await Board(app);
        async Task<string> Refused(params (string, string)[] facts) =>
            (await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync($"/api/boards/{board}/facts", Facts(facts)), 422)).ToString();
        Assert.Contains("is none", await Refused(("power.colour", "red")));
        Assert.Contains("is told as a number", await Refused(("power.volts", "much")));
        Assert.Contains("level", await Refused(("console.level", "3.3")));
        Assert.Contains("volts", await Refused(("power.volts", "0")));
        Assert.Contains("There is none", await Refused());
        Assert.StartsWith(
            "The board profile",
            Assert.Single((await app.Get("/api/edits")).EnumerateArray()).GetProperty("says").GetString()
        );
    }

    [Fact]
    public async Task A_log_teaches_in_one_go_and_never_overrules_a_person()
    {
        await using var app = await RunningApp.Start(own: true);
        var (board, _) = await Board(app);
        const string log =
            "U-Boot 2024.01 (Mar 02 2026)\r\nModel: Ladle Quince 5 rev 2\r\nDRAM:  2 GiB\r\n[    0.000000] Linux version 6.6.30 (aarch64-linux-gnu-gcc)\r\n[    0.000000] Kernel command line: root=/dev/mmcblk1p2 console=ttyS2,1500000\r\nquince login: ";
        await RunningApp.Json(await app.Http.PostAsJsonAsync($"/api/boards/{board}/facts", Facts(("console.speed", "115200"))));
        await RunningApp.Json(
            await app.Http.PostAsync($"/api/boards/{board}/logs?name=a.log", new ByteArrayContent(System.Text.Encoding.ASCII.GetBytes(log)))
        );
        var lessons = await app.Get($"/api/boards/{board}/lessons");
        var fields = lessons.GetProperty("facts").EnumerateArray().Select(f => f.GetProperty("field").GetString()).ToList();
        Assert.Equal(1, lessons.GetProperty("bootNumber").GetInt32());
        Assert.Contains("memoryMiB", fields);
        Assert.Contains("console.device", fields);
        // The speed contradicts what a person told: both are shown, with the look that decides.
        var speed = Assert.Single(
            lessons.GetProperty("facts").EnumerateArray(),
            f => f.GetProperty("decides").ValueKind is not System.Text.Json.JsonValueKind.Null
        );
        Assert.Equal("console.speed", speed.GetProperty("field").GetString());
        Assert.StartsWith("you, ", speed.GetProperty("beforeFrom").GetString());
        Assert.Contains("1500000", speed.GetProperty("after").GetString());

        var view = await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{board}/lessons", null));
        Assert.Equal("ttyS2", view.GetProperty("model").GetProperty("console").GetProperty("device").GetString());
        Assert.Equal(115_200, view.GetProperty("model").GetProperty("console").GetProperty("speed").GetInt32());
        Assert.Equal(2048, view.GetProperty("board").GetProperty("memoryMiB").GetInt32());
        Assert.StartsWith("boot 1, ", view.GetProperty("model").GetProperty("sources").GetProperty("console.device").GetString());
        Assert.Single((await app.Get($"/api/boards/{board}/lessons")).GetProperty("facts").EnumerateArray());
        // All of it is taken back in one go.
        var change = (await app.Get("/api/edits"))[0].GetProperty("id").GetInt64();
        Assert.True((await app.Http.PostAsync($"/api/edits/{change}/undo", null)).IsSuccessStatusCode);
        Assert.True((await app.Get($"/api/boards/{board}/lessons")).GetProperty("facts").GetArrayLength() > 1);
        Assert.Equal(
            System.Text.Json.JsonValueKind.Null,
            (await app.Get($"/api/boards/{board}")).GetProperty("board").GetProperty("memoryMiB").ValueKind
        );
        // The person decides for the log after all.
        view = await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{board}/lessons?field=console.speed", null));
        Assert.Equal(1_500_000, view.GetProperty("model").GetProperty("console").GetProperty("speed").GetInt32());
    }

    [Fact]
    public async Task What_another_page_told_meanwhile_is_not_overwritten()
    {
        await using var app = await RunningApp.Start(own: true);
        var (board, _) = await Board(app);
        async Task<HttpResponseMessage> Tell(string volts) =>
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/facts",
                new[]
                {
                    new
                    {
                        field = "power.volts",
                        value = volts,
                        wasUnknown = true,
                    },
                }
            );
        await RunningApp.Json(await Tell("12"));
        var late = await RunningApp.ProblemOf(await Tell("5"), 412);
        Assert.Contains("told elsewhere meanwhile, from: you", late.Came);
        var model = (await app.Get($"/api/boards/{board}")).GetProperty("model");
        Assert.Equal(12, model.GetProperty("power").GetProperty("volts").GetDouble());
    }
}
