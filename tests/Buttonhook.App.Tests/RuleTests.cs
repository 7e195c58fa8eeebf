using System.Net.Http.Json;
using System.Text;
using System.Text.Json;

namespace Buttonhook.App.Tests;

/// <summary>Rules of one's own, the triage without a log, and a boot beside the nearest good one.</summary>
public sealed class RuleTests
{
    private static async Task<string> Drop(RunningApp app, string board, string log) =>
        (
            await RunningApp.Json(
                await app.Http.PostAsync($"/api/boards/{board}/logs?name=a.log", new ByteArrayContent(Encoding.UTF8.GetBytes(log)))
            )
        )
            .GetProperty("id")
            .GetString()!;

    private static object Rule(
        string find,
        double weight = 6,
        string? regex = null,
        string cause = "watchdog-reset",
        bool against = false
    ) =>
        new
        {
            id = "own-1",
            causeId = cause,
            find,
            regex,
            not = (string?)null,
            weight,
            against,
            says = "the hedge says so",
        };

    private const string Log =
        "[    0.000000] Linux version 6.1.0\n[    1.500000] hedge: the gate fell shut\n[    1.600000] Kernel panic - not syncing: hedge\n";

    private static async Task<string?> Top(RunningApp app, string boot) =>
        (await app.Get($"/api/boots/{boot}/diagnosis")).GetProperty("causes")[0].GetProperty("id").GetString();

    [Fact]
    public async Task A_rule_is_tried_over_all_logs_kept_judges_them_again_and_outlives_a_restart()
    {
        var folder = Directory.CreateTempSubdirectory("buttonhook-rules-").FullName;
        string boot;
        await using (var app = await RunningApp.Start(folder: folder, keep: true))
        {
            var board = await app.Board();
            boot = await Drop(app, board, Log);
            await Drop(app, board, "U-Boot 2024.01\n=> ");
            Assert.NotEqual("watchdog-reset", await Top(app, boot));
            var tried = await RunningApp.Json(
                await app.Http.PostAsJsonAsync(
                    "/api/rules/try",
                    new
                    {
                        find = "GATE FELL",
                        regex = (string?)null,
                        not = (string?)null,
                    }
                )
            );
            Assert.Equal(2, tried.GetProperty("looked").GetInt32());
            var hit = Assert.Single(tried.GetProperty("hits").EnumerateArray());
            Assert.Equal((boot, 2), (hit.GetProperty("bootId").GetString(), hit.GetProperty("line").GetInt32()));
            Assert.Equal(204, (int)(await app.Http.PutAsJsonAsync("/api/rules/own/own-1", Rule("gate fell", 8))).StatusCode);
            await app.UntilCause(boot, "watchdog-reset");
            Assert.Equal("watchdog-reset", await Top(app, boot));
            await Rejudged(app, s => s.GetProperty("judged").GetInt32() == s.GetProperty("of").GetInt32());
        }
        await using (var app = await RunningApp.Start(folder: folder))
        {
            Assert.Equal("watchdog-reset", await Top(app, boot));
            Assert.Equal(204, (int)(await app.Http.DeleteAsync("/api/rules/own/own-1")).StatusCode);
            Assert.NotEqual("watchdog-reset", await Top(app, boot));
            await RunningApp.ProblemOf(await app.Http.DeleteAsync("/api/rules/own/own-1"), 422);
        }
    }

    private static async Task Rejudged(RunningApp app, Func<JsonElement, bool> condition)
    {
        await Wait.For(() => app.Get("/api/rules/state"), condition);
    }

    [Fact]
    public async Task A_rule_that_cannot_be_is_refused_in_words_and_changes_nothing()
    {
        await using var app = await RunningApp.Start();
        async Task<string> Refused(object rule) =>
            (await RunningApp.ProblemOf(await app.Http.PutAsJsonAsync("/api/rules/own/own-1", rule), 422)).Came;
        Assert.Contains("2", await Refused(Rule("ab")));
        Assert.Contains("looks ahead", await Refused(Rule("gate", regex: "gate(?=x)")));
        Assert.Contains("(", await Refused(Rule("gate", regex: "gate(")));
        Assert.Contains("no-such", await Refused(Rule("gate", cause: "no-such")));
        Assert.Contains("9", await Refused(Rule("gate", 9)));
        Assert.Equal(0, (await app.Get("/api/rules/state")).GetProperty("own").GetInt32());
    }

    [Fact]
    public async Task Shipped_rules_are_switched_off_and_on_and_all_changes_travel_in_one_file()
    {
        await using var app = await RunningApp.Start();
        var boot = await Drop(app, await app.Board(), "[    0.000000] Linux version 6.1.0\n[    9.0] Under-voltage detected!\n");
        Assert.Equal("supply-too-weak", await Top(app, boot));
        var rules = await app.Get("/api/rules");
        var names = rules
            .EnumerateArray()
            .Single(r => r.GetProperty("id").GetString() == "supply-too-weak")
            .GetProperty("observations")
            .EnumerateArray()
            .Where(o => o.GetProperty("observes").GetString()!.Contains("voltage", StringComparison.OrdinalIgnoreCase))
            .Select(o => o.GetProperty("name").GetString()!)
            .ToList();
        foreach (var name in names)
            Assert.Equal(204, (int)(await app.Http.PutAsJsonAsync("/api/rules/off", new { name, off = true })).StatusCode);
        Assert.NotEqual("supply-too-weak", await Top(app, boot));
        await app.Http.PutAsJsonAsync("/api/rules/own/own-1", Rule("gate fell"));
        var file = await app.Http.GetStringAsync("/api/rules/own.yaml");
        await using var other = await RunningApp.Start();
        Assert.Equal(204, (int)(await other.Http.PostAsJsonAsync("/api/rules/import", new { yaml = file })).StatusCode);
        Assert.Equal(file, await other.Http.GetStringAsync("/api/rules/own.yaml"));
        foreach (var name in names)
            await app.Http.PutAsJsonAsync("/api/rules/off", new { name, off = false });
        Assert.Equal("supply-too-weak", await Top(app, boot));
        await RunningApp.ProblemOf(await app.Http.PutAsJsonAsync("/api/rules/off", new { name = "nothing", off = true }), 422);
        await RunningApp.ProblemOf(await other.Http.PostAsJsonAsync("/api/rules/import", new { yaml = "rules: 3" }), 422);
    }

    [Fact]
    public async Task A_boot_stands_beside_the_nearest_good_one()
    {
        await using var app = await RunningApp.Start(pace: 2000);
        var board = await app.Board();
        async Task<string> Boot() =>
            (
                await RunningApp.Json(
                    await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = "simulated", speed = (int?)null })
                )
            )
                .GetProperty("id")
                .GetString()!;
        var good = await Boot();
        await app.Until(good, b => b.GetProperty("outcome").GetString() == "reached-login");
        // The bench has no other good boot: the nearest of the lab is shown, and no boot is claimed to be there.
        var ofTheLab = await app.Get($"/api/boots/{good}/good");
        Assert.Equal(JsonValueKind.Null, ofTheLab.GetProperty("bootId").ValueKind);
        Assert.Matches(@", Linux \d+\.\d+$", ofTheLab.GetProperty("of").GetString());
        await app.Http.PostAsJsonAsync($"/api/boots/{good}/end", new { });
        var log = Encoding.UTF8.GetString(await app.Http.GetByteArrayAsync($"/api/boots/{good}/log"));
        var at = log.IndexOf("Mounted", StringComparison.OrdinalIgnoreCase);
        var bad = await Drop(app, board, log[..(log[..at].LastIndexOf('\n') + 1)] + "hedge: the gate fell shut\n");
        var beside = await app.Get($"/api/boots/{bad}/good");
        Assert.Equal(good, beside.GetProperty("bootId").GetString());
        var compared = beside.GetProperty("compared");
        Assert.Equal("hedge: the gate fell shut", compared.GetProperty("parting").GetProperty("here").GetProperty("text").GetString());
        Assert.Equal(1, compared.GetProperty("newCount").GetInt32());
        Assert.InRange(compared.GetProperty("missingCount").GetInt32(), 3, 500);
    }

    [Fact]
    public async Task Without_a_log_each_answer_moves_the_ranking_and_the_next_question()
    {
        await using var app = await RunningApp.Start();
        async Task<JsonElement> Ask(params (string, string)[] answers) =>
            await RunningApp.Json(
                await app.Http.PostAsJsonAsync("/api/triage", new { answers = answers.ToDictionary(a => a.Item1, a => a.Item2) })
            );
        var first = await Ask();
        var question = first.GetProperty("next").GetProperty("id").GetString()!;
        var dark = await Ask(("light", "dark"));
        Assert.Equal("no-power", dark.GetProperty("causes")[0].GetProperty("id").GetString());
        Assert.NotEqual(
            JsonSerializer.Serialize(first.GetProperty("causes")),
            JsonSerializer.Serialize(
                (await Ask((question, first.GetProperty("next").GetProperty("answers")[0].GetProperty("id").GetString()!))).GetProperty(
                    "causes"
                )
            )
        );
        Assert.Equal("?", (await Ask(("light", "nonsense"))).GetProperty("said")[0].GetProperty("says").GetString());
    }

    [Fact]
    public async Task What_is_known_of_a_board_moves_its_triage_and_is_said()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board();
        async Task<JsonElement> Ask(string? boardId) =>
            await RunningApp.Json(
                await app.Http.PostAsJsonAsync("/api/triage", new { answers = new Dictionary<string, string>(), boardId })
            );
        double Empty(JsonElement triage) =>
            triage
                .GetProperty("causes")
                .EnumerateArray()
                .Where(c => c.GetProperty("id").GetString() == "no-boot-medium")
                .Select(c => c.GetProperty("probability").GetDouble())
                .FirstOrDefault();
        var (of, without) = (await Ask(board), await Ask(null));
        Assert.True(Empty(of) > 2 * Empty(without), $"{Empty(without)} became {Empty(of)}");
        Assert.Contains("card", of.GetProperty("known")[0].GetString());
        Assert.Contains("Power is there", of.GetProperty("lights")[0].GetString());
        Assert.Equal(0, without.GetProperty("known").GetArrayLength());
        Assert.Equal(0, (await Ask("nobody")).GetProperty("known").GetArrayLength());
    }

    [Fact]
    public async Task A_cause_that_the_next_boot_confirmed_is_said_to_be_and_counts_for_the_next_failure_of_that_board()
    {
        await using var app = await RunningApp.Start();
        var logs = Path.Combine(RunningApp.Root, "tests/logs");
        async Task<string> Drop(string board, string name)
        {
            using var content = new ByteArrayContent(await File.ReadAllBytesAsync(Path.Combine(logs, name, "console.log")));
            var boot = await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{board}/logs?name={name}.log", content));
            return boot.GetProperty("id").GetString()!;
        }
        async Task<JsonElement> Cause(string boot, string id) =>
            (await app.Get($"/api/boots/{boot}/diagnosis"))
                .GetProperty("causes")
                .EnumerateArray()
                .First(c => c.GetProperty("id").GetString() == id);
        var board = await app.Board("Pippin", simulated: false);
        var first = await Drop(board, "arm64-initrd-file-missing-1");
        var cause = (await app.Get($"/api/boots/{first}/diagnosis")).GetProperty("causes")[0].GetProperty("id").GetString()!;
        Assert.Equal("open", (await Cause(first, cause)).GetProperty("state").GetString());
        var text = "The initial file system was copied to the card again.";
        (
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/corrections",
                new
                {
                    bootId = first,
                    causeId = cause,
                    text,
                }
            )
        ).EnsureSuccessStatusCode();
        await Drop(board, "arm64-good-first-boot-1");
        var settled = await Cause(first, cause);
        Assert.Equal("confirmed", settled.GetProperty("state").GetString());
        Assert.Equal(
            "Confirmed: The initial file system was copied to the card again, and boot 2 went on.",
            settled.GetProperty("stateSays").GetString()
        );
        var again = await Cause(await Drop(board, "arm64-initrd-file-missing-1"), cause);
        Assert.Contains(
            again.GetProperty("evidence").EnumerateArray(),
            e => e.GetProperty("says").GetString() == "this board had it before: boot 1"
        );
        // Another board of the same revision is told so too, and a boot that went well is accused of nothing.
        var other = await Cause(await Drop(await app.Board("Costard", simulated: false), "arm64-initrd-file-missing-1"), cause);
        Assert.Contains(
            other.GetProperty("evidence").EnumerateArray(),
            e => e.GetProperty("says").GetString() == "1 other boot with this revision had it"
        );
        Assert.Equal(
            "none",
            (await app.Get($"/api/boots/{await Drop(board, "arm64-good-first-boot-1")}/diagnosis"))
                .GetProperty("causes")[0]
                .GetProperty("id")
                .GetString()
        );
    }

    [Fact]
    public async Task Two_logs_are_compared_at_the_command_line()
    {
        var logs = Path.Combine(RunningApp.Root, "tests/logs");
        var (good, bad) = (
            Path.Combine(logs, "arm64-good-first-boot-1/console.log"),
            Path.Combine(logs, "arm64-initrd-file-missing-1/console.log")
        );
        var (code, output, _) = await CommandLineTests.Run("compare", bad, good, "--json");
        Assert.Equal(1, code);
        var parting = JsonDocument.Parse(output).RootElement.GetProperty("parting");
        Assert.True(parting.GetProperty("here").GetProperty("line").GetInt32() > 0);
        Assert.Equal(0, (await CommandLineTests.Run("compare", good, good)).Code);
        Assert.Equal(1, (await CommandLineTests.Run("compare", good, Path.Combine(logs, "nothing"))).Code);
    }
}
