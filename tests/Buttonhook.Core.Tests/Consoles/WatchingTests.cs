using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Consoles;

/// <summary>What is told while a console is watched.</summary>
public sealed class WatchingTests
{
    private static ConsoleLog Log(params (int At, string Text)[] pieces)
    {
        var log = new ConsoleLog();
        foreach (var (at, text) in pieces)
            log.Append(Encoding.UTF8.GetBytes(text), at);
        return log;
    }

    [Theory]
    [InlineData("[    2.996631] usb 1-1: new high-speed USB device number 2", "[    9.1] usb 1-2: new high-speed USB device number 31")]
    [InlineData("orchard-7 login: ", "bramley login: ")]
    [InlineData("Hit any key to stop autoboot:  3 ", "Hit any key to stop autoboot:  0 ")]
    [InlineData("mmc0: new SDHC card at address aaaa1", "mmc1: new SDHC card at address b368")]
    public void Lines_of_two_boots_have_one_shape_when_their_words_are_the_same(string one, string other) =>
        Assert.Equal(LineShape.Number(one), LineShape.Number(other));

    [Theory]
    [InlineData("Mounting root", "Mounting home")]
    [InlineData("Started Network", "Stopped Network")]
    public void Other_words_are_another_shape(string one, string other) => Assert.NotEqual(LineShape.Number(one), LineShape.Number(other));

    [Fact]
    public void The_silence_behind_each_line_is_known_until_the_login()
    {
        var log = Log((0, "U-Boot 2024.01\r\n"), (500, "Resizing root\r\n"), (31_000, "Started it\r\n"), (31_200, "a login: "));
        var pauses = Pauses.Of(log, 4);
        Assert.Equal(30_500, pauses[LineShape.Number("Resizing root")]);
        Assert.Equal(500, pauses[LineShape.Number("U-Boot 2023.10")]);
        Assert.Equal(LineShape.Number("a login: "), Pauses.Newest(log)[0]);
    }

    [Fact]
    public void A_time_in_which_nothing_could_be_heard_is_no_silence_of_the_board()
    {
        var reader = new BootReader(Knowledge.Rules);
        reader.Add("U-Boot 2024.01\r\n"u8, 100);
        reader.Note(new(1000, EventKind.Gap, "away"));
        reader.Note(new(91_000, EventKind.Back, "back"));
        reader.Add("Starting kernel ...\r\n"u8, 92_000);
        Assert.Equal(1900, reader.Log.LongestQuiet(null));
    }

    [Fact]
    public void Times_count_from_the_mark_else_from_the_first_loader_else_from_the_first_byte()
    {
        var reader = new BootReader(Knowledge.Rules);
        reader.Add("noise of a plug\r\n"u8, 700);
        Assert.Equal((TimeOrigin.FirstByte, 700), (reader.Log.Origin, reader.Log.PowerAt));
        reader.Add("U-Boot SPL 2024.01 (Jan 01 2024)\r\n"u8, 5000);
        Assert.Equal((TimeOrigin.FirstLoader, 5000), (reader.Log.Origin, reader.Log.PowerAt));
        Assert.Equal(0, reader.Log.Arrival(2));
        reader.Note(new(4200, EventKind.Power, JournalEvent.PowerApplied));
        Assert.Equal((TimeOrigin.Power, 800), (reader.Log.Origin, reader.Log.Arrival(2)));
    }

    [Fact]
    public void A_kernel_whose_clock_starts_anew_is_a_new_attempt_also_without_any_banner()
    {
        var reader = new BootReader(Knowledge.Rules);
        reader.Add("[    5.000000] usb 1-1: new device\r\n[   41.000000] mmc0: error -110\r\n"u8, -1);
        reader.Add("[    1.900000] usb 1-1: new device\r\n[    2.000000] EXT4-fs (mmcblk0p2): mounted filesystem\r\norchard login: "u8, -1);
        var attempts = reader.Read().Attempts;
        Assert.Equal([(1, 2), (3, 5)], attempts.Select(a => (a.FirstLine, a.LastLine)));
        Assert.Contains(attempts[1].Stages, s => s.Stage == Stage.Login);
        Assert.DoesNotContain(attempts[0].Stages, s => s.Stage == Stage.Login);
    }

    [Fact]
    public void A_kernel_log_that_a_person_lists_is_no_restart()
    {
        var reader = new BootReader(Knowledge.Rules);
        reader.Add("[   41.000000] mmc0: new card\r\norchard login: root\r\nroot@orchard:~# dmesg | head\r\n"u8, -1);
        reader.Add("[    0.100000] usb 1-1: new device\r\n[    0.200000] more\r\nroot@orchard:~# "u8, -1);
        Assert.Single(reader.Read().Attempts);
    }

    [Property(MaxTest = 20)]
    public bool Any_cut_of_a_real_boot_gives_the_same_lines_stages_and_attempts(int seed)
    {
        var bytes = File.ReadAllBytes(Path.Combine(Knowledge.Root, "tests/logs/arm64-good-first-boot-1/console.log"));
        var random = new Random(seed);
        var whole = new BootReader(Knowledge.Rules);
        whole.Add(bytes, -1);
        var cut = new BootReader(Knowledge.Rules);
        for (var at = 0; at < bytes.Length; )
        {
            var count = Math.Min(bytes.Length - at, random.Next(1, 700));
            cut.Add(bytes.AsSpan(at, count), -1);
            at += count;
        }
        var (a, b) = (whole.Read(), cut.Read());
        return whole.Log.LineCount == cut.Log.LineCount
            && Enumerable.Range(1, whole.Log.LineCount).All(n => whole.Log.Text(n) == cut.Log.Text(n))
            && a.StageLines.SequenceEqual(b.StageLines)
            && a.Attempts.Select(x => (x.FirstLine, x.LastLine, x.Outcome, x.LastStage))
                .SequenceEqual(b.Attempts.Select(x => (x.FirstLine, x.LastLine, x.Outcome, x.LastStage)));
    }

    [Theory]
    [InlineData("10%\r55%\r100% done", "100% done")]
    [InlineData("\rfresh", "fresh")]
    [InlineData("abc\b\b\bxyz", "xyz")]
    [InlineData("typo\b \bes", "types")]
    [InlineData("one\u001b[3Dtwo", "two")]
    [InlineData("progress\u001b[2K\rdone", "done")]
    [InlineData("left\u001b[20Gright", "left               right")]
    [InlineData("a\u0000b\u0007c", "abc")]
    [InlineData("a\tb", "a       b")]
    [InlineData("title \u001b]0;stolen\u0007stays", "title stays")]
    [InlineData("wide\u001b[999999999Cx", null)]
    public void A_line_is_shown_as_a_terminal_leaves_it(string raw, string? shown)
    {
        var text = LineText.Shown(Encoding.UTF8.GetBytes(raw));
        if (shown is null)
            Assert.InRange(text.Length, 5, 5000);
        else
            Assert.Equal(shown, text);
    }

    [Property]
    public bool Any_bytes_are_shown_without_a_throw_and_without_a_control_character(byte[] bytes) =>
        !LineText.Shown(bytes ?? []).Any(char.IsControl) || LineText.Shown(bytes!).All(c => !char.IsControl(c) || c >= 0x80);

    [Fact]
    public void Every_byte_can_be_seen() =>
        Assert.Equal("‹ESC›[1m‹NUL›ok‹CR›\\xFFä", LineText.Signs([0x1B, .. "[1m\0ok\r"u8, 0xFF, .. "ä"u8]));

    [Theory]
    [InlineData("Hit any key to stop autoboot:  3 ", "20", "the space bar")]
    [InlineData("Press SPACE to abort autoboot in 2 seconds", "20", "the space bar")]
    [InlineData("Press ESC for boot menu.", "1B", "Esc")]
    [InlineData("Autoboot in 3 s, press <Ctrl-C> to stop", "03", "Ctrl+C")]
    [InlineData("Hit ENTER to stop autoboot: 2", "0D", "Enter")]
    [InlineData("Press 'x' to interrupt the boot", "78", "the key X")]
    [InlineData("Enter \"stop\" to stop autoboot in 5 seconds", "73746F70", "the word stop")]
    public void The_loaders_own_line_tells_its_key(string line, string bytes, string name)
    {
        var key = LoaderStop.Of(line);
        Assert.Equal((bytes, name), (Convert.ToHexString(key!.Bytes), key.Name));
    }

    [Theory]
    [InlineData("[    1.0] Starting kernel")]
    [InlineData("Booting from device mmc 0")]
    [InlineData("press the button")]
    public void Other_lines_ask_for_no_key(string line) => Assert.Null(LoaderStop.Of(line));

    [Fact]
    public void A_loader_is_stopped_with_its_key_until_there_is_a_prompt()
    {
        var run = SequenceRun.StopLoader(60);
        Assert.Null(run.Advance(0, "U-Boot SPL 2024.01\n"));
        Assert.Equal(" "u8.ToArray(), run.Advance(1000, "Hit any key to stop autoboot:  2 ")!.Value.Bytes);
        Assert.Null(run.Advance(1020, ""));
        Assert.Equal(" "u8.ToArray(), run.Advance(1080, "")!.Value.Bytes);
        Assert.Null(run.Advance(1100, "\n=> "));
        Assert.Equal((SequenceState.Done, "The loader was stopped with the space bar."), (run.State, run.Says));
    }

    [Fact]
    public void A_loader_that_never_counts_is_not_typed_to()
    {
        var run = SequenceRun.StopLoader(2);
        Assert.Null(run.Advance(0, ""));
        Assert.Null(run.Advance(2001, "Starting kernel ...\n"));
        Assert.Equal(SequenceState.TimedOut, run.State);
    }

    [Theory]
    [InlineData(@"ls\r", "6C730D")]
    [InlineData(@"\e[A\t\\\x03", "1B5B41095C03")]
    [InlineData(@"\q\xZZ", "5C715C785A5A")]
    [InlineData("é😀", "C3A9F09F9880")]
    public void Keys_are_written_as_text(string text, string bytes) => Assert.Equal(bytes, Convert.ToHexString(Sequence.Keys(text)));

    [Fact]
    public void A_sequence_that_cannot_run_is_a_problem()
    {
        Assert.NotNull(Sequence.Checked(new("", [new(null, "x")])).Problem);
        Assert.NotNull(Sequence.Checked(new("a", [])).Problem);
        Assert.NotNull(Sequence.Checked(new("a", [new(null, "")])).Problem);
        Assert.NotNull(Sequence.Checked(new("a", [new("x", null, 0)])).Problem);
        Assert.Equal("a", Sequence.Checked(new(" a ", [new("x", "y")])).Value!.Name);
    }

    [Theory]
    [InlineData("Password: ", true)]
    [InlineData("[sudo] password for fallow: ", true)]
    [InlineData("Enter passphrase for /dev/mmcblk0p2: ", true)]
    [InlineData("Retype new password: ", true)]
    [InlineData("orchard login: ", false)]
    [InlineData("the password was changed", false)]
    [InlineData("fallow@orchard:~$ ", false)]
    public void A_question_for_a_secret_is_known(string line, bool secret) => Assert.Equal(secret, Prompts.AsksForSecret(line));

    [Fact]
    public void Work_that_takes_its_time_is_known_until_it_is_over()
    {
        WaitingWork[] works = [new("grow", ["resize2fs"], ["is now"], "Growing", 180, true)];
        Assert.Equal("Growing", WaitingWork.Of(Log((0, "a\r\nresize2fs 1.47.0\r\n")), works)!.Value.Work.Says);
        Assert.Null(WaitingWork.Of(Log((0, "resize2fs 1.47.0\r\nThe filesystem is now 7000 blocks\r\n")), works));
        Assert.Null(WaitingWork.Of(Log((0, "nothing\r\n")), works));
    }

    [Theory]
    [InlineData("Retrieving file: /extlinux/extlinux.conf")]
    [InlineData("[    0.700000] Unpacking initramfs...")]
    [InlineData("Setting up swapspace version 1, size = 512 MiB")]
    [InlineData("[    2.200000] Rebooting in 10 seconds..")]
    [InlineData("systemd[1]: systemd-fsck-root.service - File System Check on Root Device was skipped")]
    public void Lines_of_every_boot_are_no_work_that_takes_its_time(string line)
    {
        var works = DataFile
            .Read<Dictionary<string, List<WaitingWork>>>(
                "work.yaml",
                File.ReadAllText(Path.Combine(Knowledge.Data, "knowledge/work.yaml")),
                File.ReadAllText(Path.Combine(Knowledge.Root, "docs/formats/work.schema.json"))
            )
            .Value!["works"];
        Assert.Null(WaitingWork.Of(Log((0, line + "\r\n")), works));
    }

    private static readonly byte[] Text = Encoding.ASCII.GetBytes(
        string.Concat(Enumerable.Range(0, 12).Select(n => $"[    {n}.112233] mmc0: new high speed SDHC card at address aaa{n}\r\n"))
    );

    [Theory]
    [InlineData(1_500_000, 115_200)]
    [InlineData(115_200, 57_600)]
    [InlineData(9600, 115_200)]
    public void The_speed_that_reads_what_arrives_is_told(int board, int port)
    {
        var hint = LineHint.Of(LineModel.Receive(Text, board, port), new(port));
        Assert.Equal(("speed", board), (hint!.Kind, hint.Settings!.Speed));
        Assert.Contains(board.ToString(System.Globalization.CultureInfo.InvariantCulture), hint.Says);
    }

    [Fact]
    public void Wrong_levels_seven_bits_and_an_open_pin_look_different()
    {
        Assert.Null(LineHint.Of(Text, new(115200)));
        Assert.Equal("inverted", LineHint.Of(LineModel.Receive(Text, 1, 1, inverted: true), new(115200))!.Kind);
        var even = Text.Select(b => int.IsOddInteger(int.PopCount(b)) ? (byte)(b | 0x80) : b).ToArray();
        Assert.Equal(new LineSettings(115200, 7, Parity.Even), LineHint.Of(even, new(115200))!.Settings);
        var noise = new byte[600];
        new Random(4).NextBytes(noise);
        Assert.Equal("ground", LineHint.Of(noise, new(115200))!.Kind);
    }
}
