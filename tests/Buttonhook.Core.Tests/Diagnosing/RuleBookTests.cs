using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Tests.Diagnosing;

public class RuleBookTests
{
    /// <summary>The published names; they are stable for ever. The ones that no log can show are not in the book yet.</summary>
    private static readonly string[] Published =
    [
        .. "no-power supply-too-weak boot-switch-usb card-not-detected console-not-wired console-speed-mismatch console-inverted-level".Split(
            ' '
        ),
        .. "console-frame-mismatch console-line-noise console-bytes-lost no-boot-medium boot-files-missing initrd-missing dtb-missing".Split(
            ' '
        ),
        .. "dtb-invalid dtb-wrong-board kernel-wrong-architecture kernel-corrupt second-loader-missing loader-wrong-board dram-init-failed".Split(
            ' '
        ),
        .. "loader-config-missing autoboot-interrupted console-arg-missing root-arg-missing root-not-found rootfs-corrupt rootfs-unsupported".Split(
            ' '
        ),
        .. "init-missing init-wrong-architecture init-crashed initrd-corrupt image-truncated medium-io-errors medium-read-only out-of-memory".Split(
            ' '
        ),
        .. "kernel-oops kernel-hang watchdog-reset thermal-limit fstab-device-missing fs-check-needed disk-full rootfs-not-expanded".Split(
            ' '
        ),
        .. "service-failed first-boot-script-failed getty-missing booted-other-medium login-refused root-login-disabled".Split(' '),
        .. "password-change-forced network-no-interface network-no-link network-no-lease wireless-country-unset name-not-resolved".Split(
            ' '
        ),
        .. "host-key-changed hostname-mismatch clock-unset console-one-way display-mode-unsupported display-output-off".Split(' '),
        .. "module-not-seated usb-data-missing fstab-type-wrong passphrase-wanted overlay-not-applied".Split(' '),
    ];

    private static Diagnosis Diagnose(string log) => LogDiagnosis.Of(Encoding.UTF8.GetBytes(log), Knowledge.Rules).Diagnosis;

    [Fact]
    public void The_book_has_every_published_cause_and_no_other_name() =>
        Assert.Equal(Published.Order(), Knowledge.Rules.Book.Causes.Select(c => c.Id).Order());

    [Fact]
    public void Nothing_at_all_is_silence_with_the_wires_to_check_first()
    {
        var diagnosis = Diagnose("");
        Assert.Equal(Outcome.Silent, diagnosis.Outcome);
        Assert.Null(diagnosis.LastStage);
        Assert.Equal("console-not-wired", diagnosis.Causes[0].Id);
    }

    [Theory]
    [InlineData(
        "U-Boot SPL 2024.01\nTrying to boot from MMC1\nSPL: failed to boot from all boot devices\n### ERROR ### Please RESET the board ###\n",
        "second-loader-missing"
    )]
    [InlineData(
        "[    1.000000] Linux version 6.1.0\n[    2.000000] Kernel panic - not syncing: Fatal exception\n[    1.900000] Internal error: Oops: 0000\n",
        "kernel-oops"
    )]
    [InlineData("[    0.000000] Linux version 6.1.0\nINIT: version 3\nudhcpc: no lease, failing\n\nquince login: ", "network-no-lease")]
    [InlineData(
        "[    0.000000] Linux version 6.1.0\n[    9.000000] thermal thermal_zone0: critical temperature reached\n",
        "thermal-limit"
    )]
    [InlineData(
        "[    0.000000] Linux version 6.1.0\n[    2.000000] EXT4-fs (vda2): mounted filesystem\nswitch_root: can't execute '/sbin/init': No such file or directory\n[    3.000000] Kernel panic - not syncing: Attempted to kill init! exitcode=0x00000100\n",
        "init-missing"
    )]
    [InlineData(
        "[    0.000000] Linux version 6.1.0\nmount: mounting /dev/vda2 on /newroot failed: Invalid argument\ninitrd: starting a rescue shell\n",
        "rootfs-corrupt"
    )]
    [InlineData("SeaBIOS (version 1.16)\nBooting from Hard Disk...\n", "no-boot-medium")]
    [InlineData(
        "U-Boot 2024.01\nFound U-Boot script /boot.scr\n## Executing script at 40200000\nBad data crc\nSCRIPT FAILED: continuing...\n=> ",
        "loader-config-missing"
    )]
    [InlineData("[    0.000000] Linux version 6.1.0\n[    2.000000] EXT4-fs (vda2): mounted filesystem\nstart-up done\n", "getty-missing")]
    [InlineData("Linux version 6.1\nquince login: root\nPassword: \nLogin incorrect\nquince login: ", "login-refused")]
    [InlineData(
        "[    0.000000] Linux version 6.1.0\n[   28.0] watchdog: BUG: soft lockup - CPU#0 stuck for 22s! [kworker]\n",
        "kernel-hang"
    )]
    [InlineData(
        "[    0.000000] Linux version 6.1.0\nWarning: unable to open an initial console.\nrandom: crng init done\n",
        "something-else"
    )]
    public void Typical_lines_lead_to_their_cause(string log, string cause) => Assert.Equal(cause, Diagnose(log).Causes[0].Id);

    [Fact]
    public void The_earliest_abnormal_line_explains_the_later_ones()
    {
        var diagnosis = Diagnose(
            "[    0.000000] Linux version 6.1.0\n[    0.000000] Kernel command line: root=/dev/mmcblk0p2\n[    2.000000] Initramfs unpacking failed: junk in compressed archive\n[    4.000000] Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0)\n"
        );
        Assert.Equal("initrd-corrupt", diagnosis.Causes[0].Id);
        Assert.Contains(diagnosis.Causes[0].Evidence, e => e.Line == 3);
    }

    [Fact]
    public void Probabilities_add_up_to_one_and_leave_room_for_doubt()
    {
        foreach (var log in new[] { "", "noise", "quince login: ", "grub rescue> ", "Kernel panic - not syncing: x\n" })
        {
            var diagnosis = Diagnose(log);
            Assert.Equal(1, diagnosis.Causes.Sum(c => c.Probability), 9);
            Assert.Contains(diagnosis.Causes, c => c.Id == RuleBook.SomethingElse && c.Probability > 0.005);
        }
    }

    [Fact]
    public void Html_in_a_log_stays_text()
    {
        var diagnosis = Diagnose("ALERT!  <img/src=x/onerror=alert(1)> does not exist.  Dropping to a shell!\n(initramfs) ");
        Assert.Contains("<img/src=x/onerror=alert(1)>", diagnosis.Causes[0].Evidence[0].Text);
    }

    [Fact]
    public void Restarts_are_counted_as_attempts()
    {
        var once =
            "U-Boot 2024.01\n[    0.000000] Linux version 6.1.0\n[    3.000000] Kernel panic - not syncing: VFS: Unable to mount root fs\n[    3.100000] Rebooting in 5 seconds..\n";
        var diagnosis = Diagnose(once + once + once);
        Assert.Equal(Outcome.Rebooting, diagnosis.Outcome);
        Assert.Equal([1, 5, 9], diagnosis.Attempts.Select(a => a.FirstLine));
    }

    [Theory]
    [InlineData("causes:\n  - id: Bad Id\n", "schema")]
    [InlineData("causes: [\n", "YAML")]
    public void A_broken_rule_file_is_a_problem_that_names_the_place(string yaml, string word)
    {
        var read = RuleBook.Read(
            [("broken.yaml", yaml)],
            File.ReadAllText(Path.Combine(Knowledge.Root, "docs/formats/rulebook.schema.json"))
        );
        Assert.False(read.IsGood);
        Assert.Contains("broken.yaml", read.Problem!.ToString());
        Assert.Contains(word, read.Problem.ToString());
    }
}
