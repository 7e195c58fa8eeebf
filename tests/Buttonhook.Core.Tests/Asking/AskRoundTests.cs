using System.Text;
using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Simulating;

namespace Buttonhook.Core.Tests.Asking;

public class AskRoundTests
{
    private sealed record Played(AskRound Round, IReadOnlyList<string> Typed, Diagnosis Before);

    /// <summary>Boots a simulated board until it waits, lets a person type, and asks it.</summary>
    private static Played Ask(SimulationPlan plan, params string[] first)
    {
        var board = new PlayedBoard(plan);
        foreach (var line in first)
            board.Enter(line);
        var context = board.Context();
        var round = new AskRound(Knowledge.Rules.Book, context, _ => { });
        var typed = board.Play(round);
        Assert.NotEqual(SequenceState.Waiting, round.State);
        return new(round, typed, context.Diagnosis);
    }

    [Theory]
    [InlineData("spindle-2", "root-not-found")]
    [InlineData("quill-v", "root-not-found")]
    [InlineData("spindle-2", "no-boot-medium")]
    [InlineData("spindle-2", "boot-files-missing")]
    [InlineData("spindle-2", "dtb-missing")]
    [InlineData("spindle-2", "image-truncated")]
    public void A_round_at_the_prompt_of_a_stopped_board_ends_at_its_cause(string model, string fault)
    {
        var (round, typed, before) = Ask(Bench.Plan(model, fault));
        Assert.True(round.State == SequenceState.Done, round.Says);
        Assert.Contains(round.Diagnosis.Causes[0].Id, SimulatedFaults.Find(fault)!.ClearedBy);
        Assert.InRange(round.Steps.Count, 1, 6);
        Assert.Contains(round.Steps, s => s.ResultId is not null);
        Assert.True(round.Diagnosis.Causes[0].Probability >= before.Causes[0].Probability - 0.01);
        // Each line that was typed holds a command that only reads, and nothing else but the marks around it.
        Assert.All(
            typed.Zip(round.Steps),
            t =>
            {
                Assert.True(SafeCommand.Reads(t.Second.Command, round.Listener!.Kind), t.Second.Command);
                Assert.Contains(t.Second.Command, t.First);
                Assert.True(t.First.Length <= t.Second.Command.Length + 44);
            }
        );
        Assert.Equal(typed.Count, round.Steps.Count);
    }

    [Fact]
    public void An_emergency_shell_is_asked_once_somebody_logged_in()
    {
        var plan = Bench.Plan("spindle-2", "fstab-device-missing");
        var (refused, nothing, _) = Ask(plan);
        Assert.Equal(SequenceState.Failed, refused.State);
        Assert.Empty(nothing);
        Assert.Contains("root's password", refused.Says);
        var (round, _, _) = Ask(plan, "orchard");
        Assert.Equal(ListenerKind.RescueShell, round.Listener!.Kind);
        Assert.Equal("fstab-device-missing", round.Diagnosis.Causes[0].Id);
        Assert.Equal(SequenceState.Done, round.State);
    }

    [Theory]
    [InlineData("service-failed")]
    [InlineData("disk-full")]
    public void A_user_s_shell_tells_what_failed(string fault)
    {
        var (round, _, _) = Ask(Bench.Plan("spindle-2", fault), "keeper", "orchard");
        Assert.Equal(ListenerKind.UserShell, round.Listener!.Kind);
        Assert.True(round.Diagnosis.Causes[0].Id == fault, string.Join("; ", round.Steps.Select(s => $"{s.Command}: {s.Says}")));
    }

    [Fact]
    public void At_a_login_nothing_is_typed_and_the_way_is_told()
    {
        var (round, typed, _) = Ask(Bench.Plan("spindle-2", "disk-full"));
        Assert.Empty(typed);
        Assert.Equal(SequenceState.Failed, round.State);
        Assert.Contains("Log in first", round.Says);
    }

    private static readonly string Stopped =
        "[    0.000000] Linux version 6.1.0\n[    0.000000] Kernel command line: root=UUID=1234-abcd ro console=ttyS0\n"
        + "[    2.100000] mmcblk0: mmc0:4567 CARD 1.00 GiB\nBegin: Waiting for root file system ... done.\n"
        + "Gave up waiting for root file system device.  Common problems:\nALERT!  UUID=1234-abcd does not exist.  Dropping to a shell!\n(initramfs) ";

    /// <summary>A round against a shell that a test plays: by command, what comes back behind the echo.</summary>
    private static AskRound Against(Func<string, string?> shell, string prompt = "(initramfs) ")
    {
        var reader = new BootReader(Knowledge.Rules);
        reader.Add(Encoding.UTF8.GetBytes(Stopped), -1);
        var (reading, diagnosis) = reader.Diagnose();
        var log = reader.Log;
        var round = new AskRound(
            Knowledge.Rules.Book,
            new(
                [.. Enumerable.Range(1, log.CompleteLines).Select(log.Text)],
                reading.LastStage,
                diagnosis,
                new Dictionary<string, string>(),
                AskFacts.Of(log, diagnosis, null)
            ),
            _ => { }
        );
        var next = prompt;
        for (var now = 0; now < 400_000 && round.State == SequenceState.Waiting; now += 20)
        {
            var text = next;
            next = "";
            if (round.Advance(now, text) is { } keys)
            {
                var line = Encoding.UTF8.GetString(keys.Bytes).TrimEnd('\r');
                var command = line.Contains("; ")
                    ? line[(line.IndexOf("; ", StringComparison.Ordinal) + 2)..line.LastIndexOf("; ", StringComparison.Ordinal)]
                    : line;
                if (shell(command) is { } answer)
                    next =
                        $"{line}\r\n{(line.Contains("bh:") ? "bh:36\r\n" : "")}{answer}{(line.Contains("bh:") ? "bh:42\r\n" : "")}{prompt}";
            }
        }
        return round;
    }

    private const string Others = "/dev/mmcblk0p1: UUID=\"9999-0000\" TYPE=\"ext4\" PARTUUID=\"7c1d90aa-01\"\r\n";

    [Fact]
    public void Lines_of_the_kernel_in_between_are_told_apart_and_a_missing_command_is_an_answer()
    {
        var round = Against(c =>
            c == "blkid"
                ? $"[   93.120000] mmc0: error -110 UUID=1234-abcd\r\n{Others}[   93.500000] random: crng init done\r\n"
                : $"sh: {c.Split(' ')[0]}: not found\r\n"
        );
        var step = Assert.Single(round.Steps, s => s.Command == "blkid");
        Assert.Equal("others", step.ResultId);
        Assert.Equal([Others.TrimEnd()], step.Answer);
        Assert.Equal("root-not-found", round.Diagnosis.Causes[0].Id);
        Assert.All(round.Steps.Where(s => s.Command != "blkid"), s => Assert.Contains("no such command", s.Says));
    }

    [Fact]
    public void What_contradicts_a_proving_line_says_so_instead_of_moving_a_little()
    {
        var round = Against(c =>
            c == "blkid" ? "/dev/mmcblk0p2: UUID=\"1234-abcd\" TYPE=\"ext4\"\r\n" : $"sh: {c.Split(' ')[0]}: not found\r\n"
        );
        Assert.Equal("there", round.Steps.Single(s => s.Command == "blkid").ResultId);
        var settled = round.Diagnosis.Settled(new Dictionary<string, string>(), Knowledge.Rules.Book);
        var cleared = settled.Causes.Single(c => c.Id == "root-not-found");
        Assert.NotEqual("root-not-found", settled.Causes[0].Id);
        Assert.Equal(CauseState.Refuted, cleared.State);
        Assert.Contains("says the opposite", cleared.StateSays);
    }

    [Fact]
    public void An_answer_without_end_a_pager_a_restart_and_silence_end_the_round_in_words()
    {
        Assert.Contains("does not end", Against(_ => new string('x', 100) + string.Concat(Enumerable.Repeat("line\r\n", 200_000))).Says);
        Assert.Contains("pager", Against(_ => "line\r\n", "--More-- ").Says, StringComparison.OrdinalIgnoreCase);
        Assert.Contains("did not come back", Against(_ => null).Says);
        var restart = Raw("\r\n\r\nU-Boot 2024.01 (Jan 01 2024)\r\n\r\nDRAM: 1 GiB\r\n");
        Assert.Contains("restarted", restart.Says);
        Assert.Contains("pager", Raw("line 1\r\nline 2\r\n--More-- ").Says);
    }

    /// <summary>A round whose first command brings these bytes and nothing more.</summary>
    private static AskRound Raw(string answer)
    {
        var diagnosis = LogDiagnosis.Of(Encoding.UTF8.GetBytes(Stopped), Knowledge.Rules).Diagnosis;
        var round = new AskRound(
            Knowledge.Rules.Book,
            new(["Dropping to a shell!"], Stage.Root, diagnosis, new Dictionary<string, string>(), new Dictionary<string, string>()),
            _ => { }
        );
        var next = "(initramfs) ";
        for (var now = 0; now < 400_000 && round.State == SequenceState.Waiting; now += 20)
        {
            var text = next;
            next = "";
            if (round.Advance(now, text) is { } keys)
                next = Encoding.UTF8.GetString(keys.Bytes) + "\n" + answer;
        }
        return round;
    }

    [Fact]
    public void Nothing_is_typed_while_bytes_come_and_an_ended_round_types_no_more()
    {
        var diagnosis = LogDiagnosis.Of(Encoding.UTF8.GetBytes(Stopped), Knowledge.Rules).Diagnosis;
        AskRound New() =>
            new(
                Knowledge.Rules.Book,
                new(["Dropping to a shell!"], Stage.Root, diagnosis, new Dictionary<string, string>(), new Dictionary<string, string>()),
                _ => { }
            );
        var busy = New();
        for (var now = 0; now < 19_000; now += 100)
            Assert.Null(busy.Advance(now, "line\n(initramfs) "));
        var ended = New();
        Assert.Null(ended.Advance(0, "(initramfs) "));
        ended.End();
        Assert.Null(ended.Advance(5000, ""));
        Assert.Equal(SequenceState.Ended, ended.State);
    }
}
