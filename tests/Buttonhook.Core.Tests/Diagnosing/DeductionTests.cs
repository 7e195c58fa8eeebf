using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;
using Outcome = Buttonhook.Core.Consoles.Outcome;

namespace Buttonhook.Core.Tests.Diagnosing;

/// <summary>What follows from lines that stand far apart, whatever the loader or system is called.</summary>
public class DeductionTests
{
    private const string Kernel = "[    0.000000] Linux version 6.1.0\n[    0.000000] Kernel command line: root=UUID=1234-abcd ro\n";

    private static Diagnosis Diagnose(string log) => LogDiagnosis.Of(Encoding.UTF8.GetBytes(log), Knowledge.Rules).Diagnosis;

    [Theory]
    [InlineData("/dev/disk/by-uuid/1234-abcd", "UUID=1234-abcd", true)]
    [InlineData(@"dev-disk-by\x2duuid-1234\x2dabcd.device", "UUID=1234-abcd", true)]
    [InlineData("UUID=1234-ABCD", "UUID=1234-abcd", true)]
    [InlineData("/dev/mmcblk0p2", "/dev/mmcblk0p2", true)]
    [InlineData("\"/dev/mmcblk0p2\".", "/dev/mmcblk0p2", true)]
    [InlineData("/dev/mmcblk0p3", "/dev/mmcblk0p2", false)]
    [InlineData("/dev/disk/by-uuid/0badc…4444-444444444444", "UUID=0badc0de-1111-4222-8333-4444-444444444444", true)]
    [InlineData("/dev/disk/by-uuid/9999", "UUID=1234-abcd", false)]
    [InlineData("sd", "sd", false)]
    public void A_device_is_known_by_any_of_its_names(string device, string root, bool same) =>
        Assert.Equal(same, Deductions.Same(device, root));

    [Property(MaxTest = 300)]
    public Property No_name_of_a_device_is_too_odd() =>
        Prop.ForAll(
            Gen.Elements("…", "...", "UUID=", "/dev/", "by-uuid/", "\\x2d", ".device", "a", "-", "\"", "")
                .ArrayOf()
                .Zip(Gen.Elements("…", "UUID=", "/dev/", "sda", "1", "").ArrayOf())
                .ToArbitrary(),
            given => Deductions.Same(string.Concat(given.Item1), string.Concat(given.Item2)) || true
        );

    [Theory]
    [InlineData("[    1.234567] words", 1.234567)]
    [InlineData("[12345.678901] words", 12345.678901)]
    [InlineData("[    0.0.0000] words", null)]
    [InlineData("[   0.00000.] words", null)]
    [InlineData("[    1.23456] words", null)]
    [InlineData("[     .      ] words", null)]
    [InlineData("[", null)]
    public void A_kernels_time_is_read_and_nothing_else(string text, double? seconds) => Assert.Equal(seconds, KernelClock.TimeOf(text));

    [Property(MaxTest = 2000)]
    public Property No_time_is_too_odd() =>
        Prop.ForAll(
            Gen.Elements('[', ']', '.', ' ', '0', '9', 'x').ArrayOf(18).Select(c => "[" + new string(c)).ToArbitrary(),
            text => KernelClock.TimeOf(text) is null or >= 0
        );

    [Theory]
    [InlineData("vmlinuz", "=> booti\nBad Linux ARM64 Image magic!\n=> ", "boot-files-missing")]
    [InlineData("orchard/Image-6.12", "=> ", "boot-files-missing")]
    [InlineData("initrd.img", "Starting kernel ...\n", "initrd-missing")]
    [InlineData("dtb/quince.dtb", "=> ", "dtb-missing")]
    [InlineData("boot.scr.uimg", "=> ", "no-boot-medium")]
    [InlineData("extlinux/extlinux.conf", "=> ", "no-boot-medium")]
    public void What_a_server_does_not_have_is_named_by_what_was_asked_for(string file, string end, string cause)
    {
        var log =
            "U-Boot 2023.01\n\nHit any key to stop autoboot:  0 \nscanning bus for devices...\nBOOTP broadcast 1\n"
            + "DHCP client bound to address 10.0.2.15 (2 ms)\nTFTP from server 10.0.2.2; our IP address is 10.0.2.15\n"
            + $"Filename '{file}'.\nLoad address: 0x40200000\nLoading: *\nTFTP error: 'File not found' (1)\nNot retrying...\n"
            + end;
        if (cause == "initrd-missing")
            log +=
                "[    0.000000] Linux version 6.12.0\n[    0.000000] Kernel command line: console=ttyAMA0,115200\n"
                + "[    2.289909] VFS: Cannot open root device \"\" or unknown-block(0,0): error -19\n"
                + "[    2.291099] Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0)\n"
                + "[    2.294928] ---[ end Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0) ]---\n";
        Assert.Equal(cause, Diagnose(log).Causes[0].Id);
    }

    [Theory]
    [InlineData("    Unable to find a medium containing a live file system\n", "root-not-found")]
    [InlineData(
        "    Can not mount /dev/loop0 (/run/live/medium/live/filesystem.squashfs) on /run/live/rootfs/filesystem.squashfs\n",
        "rootfs-corrupt"
    )]
    public void A_live_system_needs_no_root_argument(string says, string cause)
    {
        var log =
            "[    0.000000] Linux version 6.1.0\n[    0.000000] Kernel command line: boot=live components console=ttyS0,115200\n"
            + "Loading, please wait...\nBegin: Mounting root file system ... Begin: Running /scripts/live-premount ... done.\n"
            + "  BOOT FAILED!\n\n  live-boot will now start a shell. The error message was:\n\n"
            + says
            + "\n\nBusyBox v1.35.0 (Debian 1:1.35.0-4) built-in shell (ash)\nEnter 'help' for a list of built-in commands.\n\n(initramfs) ";
        var diagnosis = Diagnose(log);
        Assert.Equal(cause, diagnosis.Causes[0].Id);
        Assert.DoesNotContain(diagnosis.Causes, c => c.Id == "root-arg-missing");
    }

    [Fact]
    public void The_missing_device_is_the_root_or_it_is_not()
    {
        Assert.Equal(
            "root-not-found",
            Diagnose(Kernel + "orchard-init: /dev/disk/by-uuid/1234-abcd does not exist\nsh-5.2# ").Causes[0].Id
        );
        Assert.Equal(
            "fstab-device-missing",
            Diagnose(
                Kernel
                    + "[    2.0] EXT4-fs (vda2): mounted filesystem\n[    3.0] systemd[1]: Detected architecture arm64.\n[ TIME ] Timed out waiting for device /dev/disk/by-uuid/9999.\n[DEPEND] Dependency failed for /srv.\nYou are in emergency mode. After logging in, type x\n"
            )
                .Causes[0]
                .Id
        );
    }

    [Fact]
    public void A_restart_without_a_word_under_an_armed_watchdog_is_that_of_the_watchdog()
    {
        var boot = Kernel + "[    2.000000] hedge-wdt: watchdog armed, heartbeat 8 s\n[    6.000000] systemd[1]: Starting.\n";
        var diagnosis = Diagnose("U-Boot 2024.01\n" + boot + "U-Boot 2024.01\n" + boot + "U-Boot 2024.01\n" + boot);
        Assert.Equal("watchdog-reset", diagnosis.Causes[0].Id);
        Assert.Equal(Outcome.Rebooting, diagnosis.Outcome);
    }

    [Fact]
    public void Loader_and_kernel_that_name_different_boards_are_told()
    {
        var look = Diagnose(
            "U-Boot 2024.01\nModel: Quillon Quill V\nStarting kernel ...\n[    0.000000] Linux version 6.1.0\n[    0.000000] Machine model: Hedge Board Two\n[    1.0] Kernel panic - not syncing: hedge: no such clock\n"
        );
        Assert.Contains(look.Causes, c => c.Id == "dtb-wrong-board" && c.Evidence.Any(e => e.Line == 5));
    }

    [Theory]
    [InlineData(
        "Orchard firmware 1.2\nNo bootable device found. Retrying\nNo bootable device found. Retrying\nNo bootable device found. Retrying\n",
        "no-boot-medium"
    )]
    [InlineData(
        "barebox 2024.01.0\ncould not open /mnt/disk/boot/zImage: No such file or directory\nbarebox@Hedge:/ ",
        "boot-files-missing"
    )]
    [InlineData("Hedge loader v2.1\nLoading /boot/initrd.img: file not found\nHEDGE> ", "initrd-missing")]
    [InlineData("Hedge loader v2.1\nunable to load hedge-two.dtb\nHEDGE> ", "dtb-missing")]
    public void Loaders_that_were_never_met_say_plainly_what_is_wrong(string log, string cause) =>
        Assert.Equal(cause, Diagnose(log).Causes[0].Id);

    [Fact]
    public void A_line_with_failed_in_it_does_not_outweigh_a_login_that_was_reached()
    {
        var diagnosis = Diagnose(
            Kernel
                + "[    1.0] brcm: firmware failed to load hedge.bin\n[    2.0] rcu: INFO: rcu_sched self-detected stall on CPU\nquince login: "
        );
        Assert.Equal(RuleBook.None, diagnosis.Causes[0].Id);
        Assert.Equal(Outcome.ReachedLogin, diagnosis.Outcome);
    }

    [Fact]
    public void A_log_whose_lines_were_never_met_says_so_and_keeps_its_confidence_down()
    {
        var text = string.Join(
            '\n',
            Enumerable.Range('a', 20).Select(c => $"orchid {(char)c}{(char)(c + 1)} opens petal {new string((char)c, 4)}")
        );
        var diagnosis = Diagnose(text + "\nsome thing failed\n");
        Assert.NotNull(diagnosis.NewToMe);
        Assert.Equal(1, diagnosis.NewToMe.First[0].Line);
        Assert.Equal(RuleBook.SomethingElse, diagnosis.Causes[0].Id);
    }

    [Fact]
    public void What_was_read_with_other_known_lines_is_read_again_also_when_they_are_as_many()
    {
        RuleBookIndex With(params (long, int)[] shapes) => new(Knowledge.Rules.Book, null, new KnownShapes(shapes));
        Assert.Equal(With((1, 2), (3, 4)).Version, With((3, 4), (1, 2)).Version);
        Assert.NotEqual(With((1, 2), (3, 4)).Version, With((1, 2), (5, 4)).Version);
        Assert.NotEqual(With((1, 2), (3, 4)).Version, With((1, 2), (3, 5)).Version);
    }

    [Fact]
    public void A_line_made_to_be_slow_is_read_in_time_and_found_the_same()
    {
        var clock = System.Diagnostics.Stopwatch.StartNew();
        var scanner = new LineScanner([new("aaa", "^(a+)+$"), new("aaa", "a+b")]);
        var hits = new List<Hit>();
        scanner.Scan(new string('a', 1900) + "!", 1, hits);
        scanner.Scan(new string('a', 1900), 2, hits);
        scanner.Scan(new string('a', 1900) + "b", 3, hits);
        Assert.Equal([(2, 0), (3, 1)], hits.Select(h => (h.Line, h.Pattern)));
        Assert.True(clock.Elapsed < TimeSpan.FromSeconds(20));
    }

    private static string Talkative(string more) =>
        Kernel
        + string.Concat(Enumerable.Range(0, 200).Select(n => $"[    {n / 100.0:0.000000}] clk: sentinel {n}\n"))
        + more
        + "ALERT!  UUID=1234-abcd does not exist.  Dropping to a shell!\n(initramfs) ";

    [Fact]
    public void Where_the_kernel_named_no_disk_at_all_its_driver_is_looked_for_and_not_the_root()
    {
        var none = Diagnose(Talkative("")).Causes[0];
        Assert.Equal("root-not-found", none.Id);
        Assert.Contains("driver of the slot", none.Fix);
        Assert.Equal("slot-driver", none.Question);
        Assert.Contains("driver of the slot", none.Correction);
        var another = Diagnose(Talkative("[    2.100000] mmcblk0: mmc0:4567 CARD 1.00 GiB\n")).Causes[0];
        Assert.Equal("root-not-found", another.Id);
        Assert.DoesNotContain("driver of the slot", another.Fix + another.Correction);
    }

    private const string ToTheServer =
        "BOOTP broadcast 1\nDHCP client bound to address 10.0.2.15 (6 ms)\nRetrieving file: pxelinux.cfg/0A00020F\nTFTP from server 10.0.2.2; our IP address is 10.0.2.15\nFilename 'pxelinux.cfg/0A00020F'.\nLoading: *\nTFTP error: 'Access violation' (2)\nNot retrying...\nConfig file not found\n=> ";

    [Theory]
    [InlineData("** No partition table - mmc 0 **\nCouldn't find partition mmc 0:1\n", "no-boot-medium")]
    [InlineData("Scanning mmc 0:1...\n", "boot-files-missing")]
    public void What_a_loader_asks_a_server_for_at_last_was_not_read_from_the_card(string card, string cause)
    {
        var top = Diagnose("U-Boot SPL 2025.01\n\nU-Boot 2025.01\nmmc0 is current device\n" + card + ToTheServer).Causes[0];
        Assert.Equal(cause, top.Id);
        Assert.True(top.Probability > 0.8);
    }

    [Theory]
    [InlineData("root=/dev/mmcblk0p1 rw console=ttyS0,115200", true)]
    [InlineData("root=/dev/mmcblk0p1 rw quiet", false)]
    public void A_kernel_that_was_told_a_serial_console_and_is_silent_has_more_than_one_cause(string words, bool serial)
    {
        var causes = Diagnose($"U-Boot 2025.01\nRetrieving file: /boot/vmlinuz\nappend: {words}\nStarting kernel ...\n\n").Causes;
        var told = causes.Single(c => c.Id == "console-arg-missing");
        Assert.Equal(serial, told.Probability < 0.7);
        Assert.Equal(serial, causes.Any(c => c.Id == "dtb-wrong-board"));
    }
}
