using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Tests.Keeping;

/// <summary>What a record says held against what systems print by themselves and when they are asked.</summary>
public class RunFactsTests
{
    /// <summary>Reads lines, one each second.</summary>
    private static (BootReading Reading, ConsoleLog Log) Read(params string[] lines)
    {
        var reader = new BootReader(Knowledge.Rules) { Ending = Ending.OfFile };
        reader.Log.CountFrom(0, TimeOrigin.Power);
        for (var n = 0; n < lines.Length; n++)
            reader.Add(Encoding.UTF8.GetBytes(lines[n] + "\r\n"), (n + 1) * 1000);
        return (reader.Read(), reader.Log);
    }

    private static readonly string[] Boot =
    [
        "[    0.000000] Linux version 6.1.90 (gcc 12.2.0) #1 SMP",
        "[    0.186796] Memory: 247604K/1041972K available (14343K kernel code, 126996K reserved)",
        "[    2.500000] mmcblk0: mmc0:4567 QUILL 7.45 GiB ",
        "systemd[1]: Welcome!",
    ];

    [Theory]
    [InlineData("bound to 10.0.2.15 -- renewal in 40000 seconds.", "10.0.2.15")]
    [InlineData("dhcpcd-10.1.0: eth0: leased 10.0.2.15 for 86400 seconds", "10.0.2.15")]
    [InlineData(
        "cloud-init[295]: ci-info: | enp0s3 | True |         10.0.2.50          | 255.255.255.0 | global | 52:54:00:12:34:56 |",
        "10.0.2.50"
    )]
    [InlineData("NetworkManager[411]: <info>  [1.2] dhcp4 (end0): state changed new lease, address=10.0.2.15", "10.0.2.15")]
    [InlineData("     device=eth0, hwaddr=52:54:00:12:34:56, ipaddr=10.0.2.15, mask=255.255.255.0, gw=10.0.2.2", "10.0.2.15")]
    public void The_network_is_there_when_the_system_says_so_and_not_when_somebody_asks(string line, string address)
    {
        var asked = "2: enp0s3    inet 10.0.2.15/24 brd 10.0.2.255 scope global enp0s3";
        var (reading, _) = Read([.. Boot, line, "orchard login: ", asked]);
        Assert.Equal(5000, reading.StageLines.Single(s => s.Stage == Stage.Network).Milliseconds);
        Assert.Contains(address, reading.Facts.Addresses);
        var (late, _) = Read([.. Boot, "orchard login: ", asked]);
        var stage = late.StageLines.Single(s => s.Stage == Stage.Network);
        Assert.Equal((6, null), (stage.Line, stage.Milliseconds));
        Assert.Equal(["10.0.2.15"], late.Facts.Addresses);
        var (none, _) = Read([
            .. Boot,
            "cloud-init[295]: ci-info: |   lo   | True |         127.0.0.1          | 255.0.0.0 |  host  |   .   |",
        ]);
        Assert.Empty(none.Facts.Addresses);
    }

    [Fact]
    public void The_memory_that_a_kernel_counts_is_not_what_is_fitted()
    {
        var (reading, log) = Read([.. Boot, "orchard login: "]);
        var run = Runs.Of();
        var of = run with { Board = run.Board with { MemoryMiB = null }, Reading = reading, Log = log };
        var settings = SettingsMaker.Of(of).Settings;
        Assert.Equal(Standing.Unknown, settings.Single(s => s.Id == "board.memory").Standing);
        var counted = settings.Single(s => s.Id == "system.memory");
        Assert.Equal((Standing.Proven, 2), (counted.Standing, counted.Line));
        Assert.Equal("1017 MiB", counted.Value);
        // The board that a person told is no less theirs for that.
        var told = SettingsMaker.Of(of with { Board = of.Board with { MemoryMiB = 1024 } }).Settings.Single(s => s.Id == "board.memory");
        Assert.Equal(Standing.Claimed, told.Standing);
        var (loader, withLoader) = Read(["U-Boot 2024.01 (Jan 01 2024)", "DRAM:  1 GiB", .. Boot, "orchard login: "]);
        var fitted = SettingsMaker.Of(of with { Reading = loader, Log = withLoader }).Settings.Single(s => s.Id == "board.memory");
        Assert.Equal((Standing.Proven, "1.0 GiB"), (fitted.Standing, fitted.Value));
    }

    [Theory]
    [InlineData("150000K", true)]
    [InlineData("1041972K", false)]
    public void What_the_kernel_counts_tells_whether_there_is_too_little_of_it(string counted, bool little)
    {
        var log =
            $"[    0.000000] Linux version 6.1.90 (gcc 12.2.0) #1 SMP\r\n[    0.1] Memory: 90000K/{counted} available\r\n[    3.0] Out of memory: Killed process 1 (init)\r\n";
        var diagnosis = LogDiagnosis.Of(Encoding.UTF8.GetBytes(log), Knowledge.Rules).Diagnosis;
        var cause = diagnosis.Causes.Single(c => c.Id == "out-of-memory");
        Assert.Equal(little, cause.Evidence.Any(e => e.Says == "the kernel found less than 200 MiB"));
    }

    [Fact]
    public void Two_starts_in_one_capture_count_from_the_same_first_line_their_firmwares()
    {
        string[] start = ["Firmware ready.", "Booting from hard disk...", "Loading the kernel ...", .. Boot, "orchard login: "];
        var (first, _) = Read(start);
        var (second, log) = Read([.. start, "[   99.000000] reboot: Restarting system", .. start]);
        Assert.Equal(2, second.Attempts.Count);
        Assert.Equal("Firmware ready.", log.Text(second.Attempts[1].FirstLine));
        // The first one began a second before its first line: with the power.
        Assert.Equal(
            first.StageLines.Select(s => (s.Stage, s.Milliseconds - 1000)),
            second.StageLines.Select(s => (s.Stage, s.Milliseconds))
        );
    }

    [Fact]
    public void What_can_be_read_is_proven_and_what_cannot_stays_as_it_was_set()
    {
        var set = FirstBoot.Usual with
        {
            User = "warden",
            Keys = ["ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIB8f warden@hedge"],
            RemoteLogin = true,
            Locale = "en_GB.UTF-8",
            TimeZone = "Europe/Lisbon",
            Keyboard = "gb",
            Commands = ["touch /var/tmp/ran"],
        };
        Setting Row(IEnumerable<Setting> rows, string id) => rows.Single(s => s.Id == id);
        string[] ids = ["first.time-zone", "first.locale", "first.keyboard", "first.remote-login", "first.key:1", "first.command:1"];
        var run = Runs.Of(set: set);
        var (reading, log) = Read([.. Boot, "orchard login: "]);
        var claimed = SettingsMaker.Of(run with { Reading = reading, Log = log }).Settings;
        Assert.All(ids, id => Assert.Equal(Standing.Claimed, Row(claimed, id).Standing));
        string[] said =
        [
            "cloud-init[295]: ci-info: | enp0s3 | True | 10.0.2.50 | 255.255.255.0 | global | 52:54:00:12:34:56 |",
            "[  OK  ] Started ssh.service - OpenBSD Secure Shell server.",
            "ci-info: +++Authorized keys from /home/warden/.ssh/authorized_keys for user warden+++",
            "cloud-init[436]: Cloud-init v. 22.4.2 finished at Tue, 01 Dec 2026 10:44:11 +0000.",
            "orchard login: ",
            "warden@orchard:~$ readlink /etc/localtime",
            "/usr/share/zoneinfo/Europe/Lisbon",
            "LANG=en_GB.UTF-8",
            "XKBLAYOUT=\"gb\"",
            "/dev/mmcblk0p2  7.2G  1.1G  5.8G  16% /",
        ];
        (reading, log) = Read([.. Boot, .. said]);
        var proven = SettingsMaker.Of(run with { Reading = reading, Log = log }).Settings;
        Assert.All(ids, id => Assert.Equal(Standing.Proven, Row(proven, id).Standing));
        foreach (
            var (id, value) in new[]
            {
                ("system.time-zone", "Europe/Lisbon"),
                ("system.locale", "en_GB.UTF-8"),
                ("system.keyboard", "gb"),
                ("network.interface", "enp0s3"),
                ("card.size", "7.45 GiB"),
                ("system.root-size", "7.2G"),
            }
        )
        {
            Assert.Equal(value, Row(proven, id).Value);
            Assert.Contains(value, log.Text(Row(proven, id).Line!.Value));
        }
        Assert.DoesNotContain("hedge", Row(proven, "first.key:1").Value);
        // A step that failed proves nothing of those that were set, and another locale than the one that was set is told with both sides.
        (reading, log) = Read([.. Boot, "firstboot[312]: firstboot: FAILED command_1", .. said, "LANG=C.UTF-8"]);
        var failed = SettingsMaker.Of(run with { Reading = reading, Log = log }).Settings;
        Assert.Equal(Standing.Claimed, Row(failed, "first.command:1").Standing);
        Assert.Equal(
            (Standing.Differs, "Locale: the bench says en_GB.UTF-8, the log says C.UTF-8."),
            (Row(failed, "first.locale").Standing, Row(failed, "first.locale").Source)
        );
    }
}
