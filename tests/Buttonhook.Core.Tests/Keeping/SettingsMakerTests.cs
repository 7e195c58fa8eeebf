using Buttonhook.Core.Consoles;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Tests.Keeping;

public class SettingsMakerTests
{
    private static Setting Of(WorkingSettings settings, string id) => settings.Settings.Single(s => s.Id == id);

    [Fact]
    public void What_its_photos_show_is_in_the_record_as_claimed()
    {
        var photo = Assert.Single(Runs.Settings().Settings, x => x.Kind == "more.photo");
        Assert.Equal(("The serial header, pin 1 at the corner", Standing.Claimed), (photo.Counts, photo.Standing));
    }

    [Fact]
    public void A_boot_that_reached_the_login_fills_itself_in_with_the_lines_that_prove_it()
    {
        var run = Runs.Of();
        var settings = SettingsMaker.From(run).Value!;
        Assert.Equal("Quillon Quill V", settings.Of("board.model"));
        Assert.Equal("Fallow 12 server", settings.Of("image.name"));
        Assert.StartsWith("10.20.0.", Assert.Single(settings.All("network.address")));
        foreach (
            var (id, holds) in new[]
            {
                ("system.kernel", "6.6.30-riscv64"),
                ("system.command-line", "root=PARTUUID="),
                ("system.mounted", "(mmcblk0p2)"),
                ("system.host", "quince"),
                ("time.login", "login:"),
            }
        )
        {
            var setting = Of(settings, id);
            Assert.Equal(Standing.Proven, setting.Standing);
            Assert.Contains(holds, run.Log.Text(setting.Line!.Value));
        }
        Assert.Equal("/dev/mmcblk0p2", settings.Of("system.mounted"));
        Assert.Equal((Standing.Claimed, "as it was chosen"), (Of(settings, "image.name").Standing, Of(settings, "image.name").Source));
        Assert.Equal(Standing.Claimed, Of(settings, "supply.name").Standing);
        Assert.Equal(Runs.Sum, settings.LogSha256);
    }

    [Fact]
    public void What_was_met_is_proven_by_the_boot_that_went_on_and_noted_otherwise()
    {
        var settings = Runs.Settings();
        Assert.Equal("boot 3 went on", Of(settings, "met.fixed:1").Source);
        Assert.Equal("Root not found: The identifier was mended.", Of(settings, "met.changed:1").Value);
    }

    [Fact]
    public void A_boot_that_stopped_gives_no_settings_and_says_where_it_ended()
    {
        Assert.Contains("ended at root", SettingsMaker.From(Runs.Of("root-not-found")).Problem!.ToString());
        Assert.Null(SettingsMaker.Of(Runs.Of("root-not-found")).Of("system.host"));
    }

    [Fact]
    public void What_differs_carries_both_sides_and_what_nobody_tells_is_not_known()
    {
        var run = Runs.Of(set: FirstBoot.Usual with { HostName = "bramley" });
        var settings = SettingsMaker.Of(run with { Board = run.Board with { Connected = run.Board.Connected with { SupplyId = null } } });
        var host = Of(settings, "first.host");
        Assert.Equal((Standing.Differs, "Host name: the bench says bramley, the log says quince."), (host.Standing, host.Source));
        Assert.Equal(Standing.Differs, Of(settings, "system.host").Standing);
        Assert.Equal((Standing.Unknown, null), (Of(settings, "supply.name").Standing, Of(settings, "supply.name").Value));
    }

    [Fact]
    public void A_card_that_was_written_here_tells_when_where_and_with_which_files()
    {
        var write = new CardWrite(
            "w",
            "id",
            "front",
            "The slot in front",
            "fallow",
            "Fallow",
            WriteStep.Done,
            0,
            0,
            0,
            20e6,
            80e6,
            ["/extlinux/extlinux.conf"],
            null,
            null,
            true,
            null,
            Runs.At,
            Runs.At.AddMinutes(4),
            Applied: [new("/extlinux/extlinux.conf", "timeout 20\n")]
        );
        var settings = SettingsMaker.Of(Runs.Of(card: CardState.Written, write: write));
        Assert.Equal(
            (Standing.Proven, "written here and read back equal"),
            (Of(settings, "image.name").Standing, Of(settings, "image.name").Source)
        );
        Assert.Equal("20.0 MB/s written, 80.0 MB/s read", settings.Of("card.speed"));
        Assert.Equal("2026-03-14 06:30 UTC, read back equal", settings.Of("card.written"));
        Assert.Equal("timeout 20\n", Assert.Single(settings.Files).Text);
    }

    [Fact]
    public void Secrets_stay_where_they_are()
    {
        var set = FirstBoot.Usual with
        {
            User = "keeper",
            PasswordHash = "$6$salt$secret",
            Wireless = new("Hedge", new string('a', 64), "NL"),
        };
        var json = System.Text.Json.JsonSerializer.Serialize(SettingsMaker.Of(Runs.Of(set: set)), DataFile.Json);
        Assert.DoesNotContain("secret", json);
        Assert.DoesNotContain("aaaa", json);
        Assert.Contains("Hedge, country NL", json);
    }

    [Fact]
    public void What_leaves_the_bench_tells_nothing_of_a_persons_own_network_unless_it_is_asked_for()
    {
        var set = FirstBoot.Usual with
        {
            User = "keeper",
            Wireless = new("Hedge's house", new string('a', 64), "NL"),
            Keys = ["ssh-ed25519 AAAAC3 keeper@orchard-house"],
            Commands = ["curl -u keeper:codling http://shed.example", "echo 'seventeen \"pears\"'"],
        };
        var files = FirstBootScript.Of(set, [], null);
        var settings = SettingsMaker.Of(Runs.Of(set: set)) with
        {
            Files = [new("/firstboot.sh", files), new("/user-data", CloudInit.UserData(set, [], null))],
        };
        var own = System.Text.Json.JsonSerializer.Serialize(settings, DataFile.Json);
        var given =
            System.Text.Json.JsonSerializer.Serialize(ForOthers.Of(settings), DataFile.Json)
            + SettingsText.Markdown(ForOthers.Of(settings), 1);
        foreach (var secret in new[] { "codling", "orchard-house", "486564676527", "seventeen" })
        {
            Assert.DoesNotContain(secret, given);
            if (secret[0] != '4')
                Assert.Contains(secret, own);
        }
        Assert.DoesNotContain("house", given);
        Assert.Contains("ssh-ed25519 AAAAC3", given);
    }

    [Fact]
    public void What_a_person_says_stands_beside_what_is_told()
    {
        var settings = Runs.Settings()
            .Saying(
                new Dictionary<string, string>
                {
                    ["system.kernel"] = "6.6.30, patched",
                    ["system.host"] = " quince ",
                    ["more.place"] = "The southern wall",
                    ["more.empty"] = " ",
                }
            );
        Assert.Equal(("6.6.30-riscv64", "6.6.30, patched"), (Of(settings, "system.kernel").Value, Of(settings, "system.kernel").Said));
        // What the log proves leads; what is said against it stands beside it, and is asked about.
        Assert.Equal("6.6.30-riscv64", settings.Of("system.kernel"));
        Assert.True(Of(settings, "system.kernel").Disputed);
        Assert.Matches("^Kernel: line [0-9]+ shows 6.6.30-riscv64, you say 6.6.30, patched.$", Assert.Single(settings.Disputes()));
        Assert.Null(Of(settings, "system.host").Said);
        Assert.Equal(("Place", "The southern wall"), (Of(settings, "more.place").Name, settings.Of("more.place")));
        Assert.Null(settings.Of("more.empty"));
    }

    [Theory]
    [InlineData("[   12.3] thermal: temp=48.3'C now", "48.3 °C")]
    [InlineData("Core 0:        +61.0°C  (high = +80.0°C)", "61 °C")]
    [InlineData("CPU temperature: 55 C", "55 °C")]
    [InlineData("temp of the hedge unknown", null)]
    public void Heat_is_read_where_a_line_tells_it(string line, string? heat)
    {
        var log = new ConsoleLog();
        log.Append(System.Text.Encoding.UTF8.GetBytes(line + "\n"), 0);
        Assert.Equal(heat, RunFacts.Of(log).Heat?.Value);
    }

    [Theory]
    [InlineData("[    4.1] EXT4-fs (sda2): mounted filesystem 0badf00d ro with ordered data mode", "/dev/sda2")]
    [InlineData("[    4.1] XFS (nvme0n1p2): Ending clean mount", "/dev/nvme0n1p2")]
    [InlineData("[    4.1] VFS: Mounted root (ext4 filesystem) readonly on device 179:2.", "/dev/179:2")]
    [InlineData("/dev/mmcblk1p2: clean, 41212/1966080 files, 551232/7864320 blocks", "/dev/mmcblk1p2")]
    public void The_root_is_the_device_that_was_mounted_first_by_the_last_kernel(string line, string device)
    {
        var log = new ConsoleLog();
        log.Append(
            System.Text.Encoding.UTF8.GetBytes(
                $"[ 0.0] Kernel command line: ro\n[ 3.0] EXT4-fs (vdz9): mounted filesystem\n[ 0.0] Kernel command line: root=X\n{line}\n[ 9.0] EXT4-fs (sdz9): mounted filesystem\n"
            ),
            0
        );
        Assert.Equal((device, 4), (RunFacts.Of(log).Mounted!.Value, RunFacts.Of(log).Mounted!.Line));
        Assert.Equal("root=X", RunFacts.Of(log).CommandLine!.Value);
    }
}
