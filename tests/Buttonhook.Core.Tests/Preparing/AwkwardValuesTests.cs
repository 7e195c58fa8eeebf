using System.Diagnostics;
using System.Text.Json;
using System.Text.Json.Nodes;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Preparing;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Preparing;

/// <summary>Values that change their meaning on the way: what is accepted must arrive as it was typed, and what cannot is refused.</summary>
public class AwkwardValuesTests
{
    private const string Python = "/usr/bin/python3";

    /// <summary>Texts that a reader of YAML 1.1 takes for booleans, numbers, dates and nothing, and some that break quoting.</summary>
    private static readonly string[] Awkward =
    [
        .. "no yes on off y n NO null ~ 0 123 0x1F 0o7 010 1e3 1_000 12:30:45 2024-01-02 - a: #b [x] &a *a !x %x @x ` ' \" \\ | > é 😀".Split(
            ' '
        ),
        "a: b",
        "x'; touch /x; '",
        "$(touch /x)",
    ];

    private static readonly ConsolePort Console = new("ttyS2", 1_500_000, ConsoleLevel.Logic33, "header", "6", "8", "10");

    private static readonly ImageTexts Seeded = new(
        new Dictionary<string, string> { ["/extlinux/extlinux.conf"] = "append root=LABEL=x\n" },
        "/boot",
        "CIDATA",
        CloudInit: true,
        Systemd: true
    );

    private static FirstBoot With(string value) =>
        FirstBoot.Usual with
        {
            HostName = Good(FirstBoot.Usual with { HostName = value }) ? value : "frost",
            User = Good(FirstBoot.Usual with { User = value }) ? value : "warden",
            Keys = ["ssh-ed25519 AAAA " + value],
            Wireless = new(value, new string('a', 64), "NO"),
            Keyboard = Good(FirstBoot.Usual with { Keyboard = value }) ? value : "no",
            TimeZone = "Europe/Lisbon",
            Packages = ["i2c-tools"],
            Commands = [value, "yes"],
        };

    private static bool Good(FirstBoot set) => FirstBootCheck.Of(set, [], Knowledge.Names).Count == 0;

    private static string File(RenderedFiles files, string name) => files.Files.Single(f => f.Path == name).After;

    [Fact]
    public void What_cloud_init_reads_as_YAML_1_1_is_what_was_typed()
    {
        Assert.SkipUnless(System.IO.File.Exists(Python), "python3 is not there");
        var sets = Awkward.Select(With).ToList();
        var texts = sets.Select(s => FirstBootFiles.Render(s, [], Seeded, Console))
            .Select(f => new[] { File(f, "/user-data"), File(f, "/network-config"), File(f, "/meta-data") })
            .ToList();
        var back = Run(
            "import json,sys,yaml\nprint(json.dumps([[yaml.safe_load(t) for t in files] for files in json.load(sys.stdin)], default=str))",
            JsonSerializer.Serialize(texts)
        );
        Assert.SkipWhen(back is null, "python3-yaml is not there");
        var read = JsonNode.Parse(back)!.AsArray();
        for (var i = 0; i < sets.Count; i++)
        {
            var (set, user, network) = (sets[i], read[i]![0]!, read[i]![1]!);
            Same(set.HostName!, user["hostname"]);
            Same(set.User!, user["users"]![0]!["name"]);
            Same(set.Keys[0], user["users"]![0]!["ssh_authorized_keys"]![0]);
            Same(set.Keyboard!, user["keyboard"]!["layout"]);
            Same(set.Commands[0], user["runcmd"]![0]);
            Same("yes", user["runcmd"]![1]);
            Same("NO", network["wifis"]!["wlan0"]!["regulatory-domain"]);
            Assert.Equal(set.Wireless!.Name, network["wifis"]!["wlan0"]!["access-points"]!.AsObject().Single().Key);
            Same(set.HostName!.Split('.')[0], read[i]![2]!["local-hostname"]);
        }
        static void Same(string wanted, JsonNode? came)
        {
            Assert.Equal(JsonValueKind.String, came!.GetValueKind());
            Assert.Equal(wanted, came.GetValue<string>());
        }
    }

    [Fact]
    public void Cloud_inits_own_schema_accepts_what_is_rendered()
    {
        var path = new[]
        {
            Environment.GetEnvironmentVariable("BUTTONHOOK_CLOUD_INIT_SCHEMA"),
            "/usr/lib/python3/dist-packages/cloudinit/config/schemas/schema-cloud-config-v1.json",
        }.FirstOrDefault(System.IO.File.Exists);
        Assert.SkipWhen(path is null, "the package cloud-init is not there");
        var recipe = new Recipe(
            Recipe.FileFormat,
            "a",
            "A",
            "b",
            new([], [], [], []),
            [
                new(RecipeAction.Create, "/etc/frost", "on\n", null, "0600"),
                new(RecipeAction.EveryBoot, "no", null, null, null),
                new(RecipeAction.Enable, "frost.service", null, null, null),
            ]
        );
        var texts = Awkward
            .Select(With)
            .Append(FirstBoot.Usual with { HostName = "a", RemoteLogin = true, Locale = "en_GB.UTF-8" })
            .Select(s => File(FirstBootFiles.Render(s, [recipe], Seeded, Console), "/user-data"));
        var told = Run(
            $$"""
            import json,sys,yaml,jsonschema
            check = jsonschema.Draft4Validator(json.load(open({{JsonSerializer.Serialize(path)}})))
            print("\n".join(f"{list(e.path)}: {e.message}" for t in json.load(sys.stdin) for e in check.iter_errors(yaml.safe_load(t))))
            """,
            JsonSerializer.Serialize(texts)
        );
        Assert.SkipWhen(told is null, "python3-jsonschema is not there");
        Assert.Equal("", told!.Trim());
    }

    [Theory]
    [InlineData("a\nb")]
    [InlineData("a\r")]
    [InlineData("a\tb")]
    [InlineData("a\u0085b")]
    [InlineData("a\u2028b")]
    [InlineData("a\0b")]
    [InlineData("a\u001b[2Jb")]
    [InlineData("trail\n")]
    public void No_field_takes_a_line_end_or_a_control_character(string value)
    {
        FirstBoot[] sets =
        [
            FirstBoot.Usual with
            {
                HostName = value,
            },
            FirstBoot.Usual with
            {
                User = value,
            },
            FirstBoot.Usual with
            {
                User = "ann",
                Keys = ["ssh-ed25519 AAAA " + value],
            },
            FirstBoot.Usual with
            {
                Wireless = new(value, new string('a', 64), "PT"),
            },
            FirstBoot.Usual with
            {
                Locale = "C" + value,
            },
            FirstBoot.Usual with
            {
                TimeZone = "UTC" + value,
            },
            FirstBoot.Usual with
            {
                Keyboard = value,
            },
            FirstBoot.Usual with
            {
                VideoMode = "1280x720" + value,
            },
            FirstBoot.Usual with
            {
                Address = new("eth0", "192.0.2.10/24", null, ["fe80::1%" + value]),
            },
            FirstBoot.Usual with
            {
                Address = new("eth0" + value, "192.0.2.10/24", null, []),
            },
            FirstBoot.Usual with
            {
                Overlays = [value],
            },
            FirstBoot.Usual with
            {
                Lines = ["a=" + value],
            },
            FirstBoot.Usual with
            {
                Packages = [value],
            },
            FirstBoot.Usual with
            {
                Commands = [value],
            },
        ];
        Assert.All(sets, s => Assert.NotEmpty(FirstBootCheck.Of(s, [], Knowledge.Names)));
    }

    [Theory]
    [InlineData("192.0.2.10/24", null)]
    [InlineData("192.0.2.0/31", null)]
    [InlineData("2001:db8::5/64", null)]
    [InlineData("192.0.2.0/24", "the network itself")]
    [InlineData("192.0.2.255/24", "broadcast")]
    [InlineData("127.0.0.1/8", "the computer itself")]
    [InlineData("224.0.0.1/24", "many hosts")]
    [InlineData("0.0.0.0/8", "no address")]
    [InlineData("10/8", "no address with its length")]
    [InlineData("0x0a.1/8", "no address with its length")]
    [InlineData("192.0.2.10/33", "no address with its length")]
    [InlineData("192.0.2.10/+8", "no address with its length")]
    [InlineData("fe80::1%eth0/64", "no address with its length")]
    public void An_address_is_one_that_a_host_can_have(string address, string? wrong)
    {
        var found = FirstBootCheck.Of(FirstBoot.Usual with { Address = new("eth0", address, null, []) }, [], Knowledge.Names);
        if (wrong is null)
            Assert.Empty(found);
        else
            Assert.Contains(wrong, Assert.Single(found).Text);
    }

    [Theory]
    [InlineData("Europe/Nowhere", "IANA")]
    [InlineData("europe/lisbon", "the nearest is Europe/Lisbon")]
    [InlineData("Lisbon", "the nearest is Europe/Lisbon")]
    public void A_time_zone_is_a_real_one(string zone, string says) =>
        Assert.Contains(says, Assert.Single(FirstBootCheck.Of(FirstBoot.Usual with { TimeZone = zone }, [], Knowledge.Names)).Text);

    [Fact]
    public void A_country_is_a_real_one_and_the_United_Kingdom_is_GB()
    {
        IReadOnlyList<FieldProblem> In(string country) =>
            FirstBootCheck.Of(FirstBoot.Usual with { Wireless = new("net", new string('a', 64), country) }, [], Knowledge.Names);
        Assert.Empty(In("GB"));
        Assert.Contains("is GB", Assert.Single(In("UK")).Text);
        Assert.Single(In("XX"));
    }

    [Fact]
    public void The_lists_are_those_of_the_system_where_it_has_them()
    {
        const string zones = "/usr/share/zoneinfo/tzdata.zi";
        Assert.SkipUnless(System.IO.File.Exists(zones), "tzdata is not there");
        var names = System
            .IO.File.ReadLines(zones)
            .Select(l => l.Split(' '))
            .Where(w => w[0] is "Z" or "L")
            .Select(w => w[0] == "Z" ? w[1] : w[2])
            .ToHashSet();
        // Names are only ever added: an older list lacks a few.
        Assert.InRange(names.Except(Knowledge.Names.TimeZones).Count(), 0, 5);
        Assert.InRange(Knowledge.Names.TimeZones.Except(names).Count(), 0, 5);
    }

    [Property(MaxTest = 500)]
    public void The_shell_gives_back_every_command_as_it_was_typed(FsCheck.NonNull<string> typed)
    {
        var command = typed.Get;
        if (!FirstBootCheck.IsPlain(command))
            return;
        var script = FirstBootScript.Of(FirstBoot.Usual with { Commands = [command] }, [], null);
        var line = script.Split('\n').Single(l => l.StartsWith("\tsh -c ", StringComparison.Ordinal));
        Assert.Equal($"\tsh -c {FirstBootScript.Quote(command)}", line);
        // Inside single quotes only the quote itself has a meaning (POSIX 2.2.2).
        Assert.Equal(command, string.Concat(line["\tsh -c '".Length..^1].Split("'\\''").SelectMany((p, i) => i == 0 ? p : "'" + p)));
    }

    [Fact]
    public void A_command_with_an_open_quote_breaks_only_itself()
    {
        var script = FirstBootScript.Of(FirstBoot.Usual with { Commands = ["echo \"", "echo two"], HostName = "frost" }, [], null);
        using var shell = Process.Start(new ProcessStartInfo("sh", "-n") { RedirectStandardInput = true })!;
        shell.StandardInput.Write(script);
        shell.StandardInput.Close();
        shell.WaitForExit();
        Assert.Equal(0, shell.ExitCode);
    }

    private static string? Run(string program, string input)
    {
        var start = new ProcessStartInfo(Python, ["-c", program]) { RedirectStandardInput = true, RedirectStandardOutput = true };
        using var process = Process.Start(start)!;
        process.StandardInput.Write(input);
        process.StandardInput.Close();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return process.ExitCode == 0 ? output : null;
    }
}
