using System.Text;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Diagnosing;

/// <summary>What speaks for a cause without a line of the log: what was seen and typed, what bench and card tell, what later boots proved.</summary>
public class KnownFromElsewhereTests
{
    private const string Booted =
        "[    0.000000] Linux version 6.1.0\n[    2.000000] EXT4-fs (vda2): mounted filesystem\nsystemd[1]: Started cron.\n\nquince login: ";
    private const string NoRoot =
        "[    0.000000] Linux version 6.1.0\n[    0.000000] Kernel command line: root=/dev/mmcblk0p3 console=ttyS0\n[    2.000000] VFS: Cannot open root device \"/dev/mmcblk0p3\" or unknown-block(0,0): error -6\n[    2.100000] Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0)\n";

    private static Diagnosis Read(string log, params JournalEvent[] happened)
    {
        var reader = new BootReader(Knowledge.Rules) { Ending = new(CaptureEnd.Person, 90_000) };
        reader.Note(new(0, EventKind.Power, JournalEvent.PowerApplied));
        if (log.Length > 0)
            reader.Add(Encoding.ASCII.GetBytes(log), 1000);
        foreach (var one in happened)
            reader.Note(one);
        return reader.Diagnose().Diagnosis;
    }

    private static JournalEvent Seen(string words) => new(2000, EventKind.Mark, words);

    [Theory]
    [InlineData("", "module-not-seated", "The light went out")]
    [InlineData("", "module-not-seated", "green: on", "green: off")]
    [InlineData("", "module-not-seated", "green: on for 8 s, then off (The carrier sees no module)")]
    [InlineData("", "no-power", "No light at all")]
    [InlineData("", "usb-data-missing", "The computer sees no USB device")]
    [InlineData(Booted, "display-output-off", "The screen stays dark")]
    [InlineData(Booted, "display-mode-unsupported", "The screen says that it cannot show this")]
    public void What_was_seen_tells_the_cause(string log, string cause, params string[] words)
    {
        var top = Read(log, [.. words.Select(Seen)]).Causes[0];
        Assert.Equal(cause, top.Id);
        Assert.Contains(top.Evidence, e => e.Line == 0 && e.Text == words[^1]);
    }

    [Theory]
    [InlineData("The screen stays dark", "A picture came up")]
    [InlineData("green: off", "green: on")]
    [InlineData("The processor gets hot", "It clicks or beeps")]
    public void What_changed_again_or_says_little_accuses_nobody_of_a_boot_that_went_well(params string[] words) =>
        Assert.Equal("none", Read(Booted, [.. words.Select(Seen)]).Causes[0].Id);

    [Fact]
    public void A_dark_screen_does_not_outweigh_the_lines_that_say_why_it_stopped() =>
        Assert.Equal("root-not-found", Read(NoRoot, Seen("The screen stays dark")).Causes[0].Id);

    [Fact]
    public void What_was_typed_at_a_prompt_and_never_came_back_tells_that_the_board_does_not_hear()
    {
        var diagnosis = Read(Booted, new JournalEvent(5000, EventKind.Typed, "root", null, [1]));
        Assert.Equal("console-one-way", diagnosis.Causes[0].Id);
        Assert.Equal(Outcome.Degraded, diagnosis.Outcome);
    }

    [Fact]
    public void An_echo_shows_that_it_hears_whichever_of_both_is_kept_first()
    {
        foreach (var echoFirst in new[] { true, false })
        {
            var reader = new BootReader(Knowledge.Rules) { Ending = new(CaptureEnd.Person, 90_000) };
            reader.Add(Encoding.ASCII.GetBytes(Booted), 1000);
            var typed = new JournalEvent(5000, EventKind.Typed, "root", null, [1]);
            if (!echoFirst)
                reader.Note(typed);
            reader.Add("root\r\nPassword: "u8, 5004);
            if (echoFirst)
                reader.Note(typed);
            Assert.Equal("none", reader.Diagnose().Diagnosis.Causes[0].Id);
        }
    }

    [Fact]
    public void What_is_typed_while_it_boots_is_no_proof() =>
        Assert.Equal("root-not-found", Read(NoRoot, new JournalEvent(5000, EventKind.Typed, "x", null, [1])).Causes[0].Id);

    [Fact]
    public void What_the_dry_boot_found_speaks_for_a_cause_of_a_board_that_says_nothing()
    {
        var silent = Read("");
        var told = silent.Knowing([new("console-arg-missing", 3, "the dry boot found it")], Knowledge.Rules.Book);
        double Of(Diagnosis d) => d.Causes.FirstOrDefault(c => c.Id == "console-arg-missing")?.Probability ?? 0;
        Assert.True(Of(told) > Of(silent) + 0.1, $"{Of(silent)} became {Of(told)}");
        Assert.Equal("the dry boot found it", told.Causes.First(c => c.Id == "console-arg-missing").Evidence[0].Says);
        Assert.Equal(1, told.Causes.Sum(c => c.Probability), 9);
    }

    [Fact]
    public void What_is_known_accuses_nobody_of_a_boot_that_went_well()
    {
        var diagnosis = Read(Booted);
        Assert.Same(diagnosis, diagnosis.Knowing([new("supply-too-weak", 1.5, "on paper")], Knowledge.Rules.Book));
    }

    [Fact]
    public void What_is_known_of_the_card_says_nothing_of_a_line_that_cannot_be_read()
    {
        var garbage = new byte[600];
        new Random(1).NextBytes(garbage);
        var (_, diagnosis) = LogDiagnosis.Of(garbage, Knowledge.Rules);
        Assert.Equal(Outcome.Garbled, diagnosis.Outcome);
        Assert.Same(diagnosis, diagnosis.Knowing([new("root-not-found", 1.5, "the dry boot found it")], Knowledge.Rules.Book));
    }

    [Fact]
    public void A_cause_is_confirmed_by_a_later_boot_refuted_by_a_look_and_open_else()
    {
        var diagnosis = Read("")
            .Answered(new Dictionary<string, CheckAnswer> { ["console-not-wired"] = CheckAnswer.No }, Knowledge.Rules.Book);
        var settled = diagnosis.Settled(
            new Dictionary<string, string> { ["no-power"] = "Confirmed: plugged in, and boot 2 went on." },
            Knowledge.Rules.Book
        );
        Assert.Equal(("no-power", CauseState.Confirmed), (settled.Causes[0].Id, settled.Causes[0].State));
        Assert.Contains("boot 2", settled.NextCheck.Why);
        Assert.Null(settled.NextCheck.CauseId);
        Assert.Equal(CauseState.Refuted, settled.Causes.First(c => c.Id == "console-not-wired").State);
        Assert.Equal(CauseState.Open, settled.Causes.First(c => c.Id == RuleBook.SomethingElse).State);
    }

    [Property]
    public bool Whatever_is_known_shares_add_up_to_one(FsCheck.NonNegativeInt[] odds)
    {
        var book = Knowledge.Rules.Book;
        var known = odds.Select((o, n) => new Prior(book.Causes[n % book.Causes.Count].Id, o.Get % 5, "known")).ToList();
        var told = Read(NoRoot).Knowing(known, book);
        return Math.Abs(told.Causes.Sum(c => c.Probability) - 1) < 1e-9
            && told.Causes.Zip(told.Causes.Skip(1)).All(p => p.First.Probability >= p.Second.Probability);
    }

    [Fact]
    public void A_root_cause_shows_what_came_of_it_up_to_the_end()
    {
        var top = Read(
            "[    0.000000] Linux version 6.1.0\n[    1.000000] mmc0: error -110 whilst initialising SD card\n"
                + "[    2.000000] Waiting for root device /dev/mmcblk0p2...\n[    9.000000] VFS: Cannot open root device \"/dev/mmcblk0p2\" or unknown-block(0,0): error -6\n"
                + "[    9.100000] Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0)\n"
        ).Causes[0];
        Assert.Equal("card-not-detected", top.Id);
        var later = Assert.IsAssignableFrom<IReadOnlyList<Consequence>>(top.LedTo);
        Assert.Contains(later, c => c.Name == "Root not found");
        Assert.Equal((5, (string?)null), (later[^1].Line, later[^1].Name));
    }

    [Fact]
    public void Two_faults_are_both_named_in_the_order_in_which_they_strike()
    {
        var diagnosis = Read(
            "[    0.000000] Linux version 6.1.0\n[    1.000000] hwmon hwmon1: Under-voltage detected!\n[    1.400000] hwmon hwmon1: Under-voltage detected!\n"
                + "[    2.000000] EXT4-fs (vda2): mounted filesystem\nswitch_root: can't execute '/sbin/init': No such file or directory\n[    3.000000] Kernel panic - not syncing: Attempted to kill init! exitcode=0x00000100\n"
        );
        Assert.Equal(["supply-too-weak", "init-missing"], diagnosis.MendInOrder);
    }

    [Fact]
    public void One_fault_is_one() => Assert.Empty(Read(NoRoot).MendInOrder!);

    [Theory]
    [InlineData("append: root=/dev/mmcblk0p1 console=tty0 console=ttyS0,115200", "ttyS0", -3.0)]
    [InlineData("append: root=/dev/mmcblk0p1 console=ttyS2,115200", "ttyS0", 1.5)]
    [InlineData("append: root=/dev/mmcblk0p1", "ttyS0", 1.5)]
    [InlineData("append: root=/dev/mmcblk0p1 console=ttyS0,115200", null, null)]
    [InlineData("Retrieving file: /boot/vmlinuz", "ttyS0", null)]
    public void The_command_line_that_a_loader_shows_is_held_against_the_console_of_the_boards_card(
        string shown,
        string? device,
        double? odds
    )
    {
        var reader = new BootReader(Knowledge.Rules) { Ending = new(CaptureEnd.Person, 90_000) };
        reader.Add(Encoding.ASCII.GetBytes($"U-Boot 2025.01\n{shown}\nStarting kernel ...\n\n"), 1000);
        var told = ConsoleTold.Of(reader.Result(), new(device, 115200, ConsoleLevel.Logic33, null, null, null, null));
        Assert.Equal(odds, told.SingleOrDefault()?.Odds);
        Assert.All(told, t => Assert.Contains("line 2 names", t.Says));
    }

    [Fact]
    public void A_board_that_boots_on_is_told_nothing_of_its_console()
    {
        var reader = new BootReader(Knowledge.Rules) { Ending = new(CaptureEnd.Person, 90_000) };
        reader.Add(Encoding.ASCII.GetBytes("U-Boot 2025.01\nappend: root=/dev/vda2\nStarting kernel ...\n\n" + Booted), 1000);
        Assert.Empty(ConsoleTold.Of(reader.Result(), new("ttyS0", 115200, ConsoleLevel.Logic33, null, null, null, null)));
    }
}
