using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Asking;

public class TrialTests
{
    private static readonly string Schema = File.ReadAllText(Path.Combine(Knowledge.Root, "docs/formats/trials.schema.json"));

    private static readonly string Shipped = File.ReadAllText(Path.Combine(Knowledge.Data, "knowledge/trials/trials.yaml"));

    private static TrialBook Book { get; } = TrialBook.Read([("trials.yaml", Shipped)], Schema, Knowledge.Rules.Book).Value!;

    private static OfferedTrial? Offered(PlayedBoard board)
    {
        var context = board.Context();
        return Book.For(context, Listener.Of(context.Before, board.Prompt, context.Reached)).FirstOrDefault();
    }

    private static TrialVerdict Verdict(PlayedBoard board, int line, string cause, int? quiet)
    {
        var said = BootSummary.Of(board.Reader.Result());
        return TrialOutcome.Of(said, said.Top?.Id, line, cause, quiet);
    }

    private static TrialRun RunOf(OfferedTrial offered, PlayedBoard board)
    {
        var context = board.Context();
        return new(
            offered,
            Listener.Of(context.Before, board.Prompt, context.Reached).Kind,
            context.Before,
            context.Reached,
            () => board.Reader.Note(new(board.Now, EventKind.Tried, offered.Says))
        );
    }

    [Theory]
    [InlineData("spindle-2", "root-not-found", "", "exit")]
    [InlineData("quill-v", "root-not-found", "", "exit")]
    [InlineData("spindle-2", "fstab-device-missing", "orchard", "systemctl default")]
    public void What_is_tried_lets_the_board_start_until_it_restarts(string model, string fault, string first, string last)
    {
        var board = new PlayedBoard(Bench.Plan(model, fault));
        if (first.Length > 0)
            board.Enter(first);
        var context = board.Context();
        board.Play(new AskRound(Knowledge.Rules.Book, context, _ => { }));
        board.Wait();
        var offered = Offered(board)!;
        Assert.Equal(fault, offered.CauseId);
        var line = board.Reader.Log.LineCount;
        var run = RunOf(offered, board);
        var typed = board.Play(run);
        Assert.True(run.State == SequenceState.Done, run.Says);
        Assert.Equal(offered.Lines, typed);
        Assert.Equal(last, typed[^1]);
        board.Wait();
        var (reading, diagnosis) = board.Reader.Diagnose();
        Assert.Equal(TrialVerdict.Proved, Verdict(board, line, fault, 0));
        // A boot that a hand helped counts nowhere, however well it ended.
        Assert.True(reading.Helped);
        Assert.False(BootSummary.IsCounted(reading, diagnosis));
        Assert.NotNull(offered.Edit);
        // After a restart the fault is back, and that boot is its own.
        board.Enter("root");
        board.Enter("orchard");
        board.Enter("reboot");
        var again = board.Reader.Diagnose();
        Assert.False(again.Reading.Helped);
        Assert.NotEqual(Core.Consoles.Outcome.ReachedLogin, again.Reading.Outcome);
        // Not before it has stood still for a while is it said that it stopped as before.
        Assert.Equal(TrialVerdict.Watched, Verdict(board, board.Reader.Log.LineCount, fault, 5000));
        Assert.Equal(TrialVerdict.NoHelp, Verdict(board, board.Reader.Log.LineCount, fault, TrialOutcome.StandsStill));
        Assert.Equal(TrialVerdict.NoHelp, Verdict(board, board.Reader.Log.LineCount, fault, null));
    }

    [Fact]
    public void The_edit_that_lasts_names_the_root_as_it_is_named_now()
    {
        var board = new PlayedBoard(Bench.Plan("spindle-2", "root-not-found"));
        Assert.Null(Offered(board));
        board.Enter("blkid");
        var edit = Offered(board)!.Edit!;
        Assert.Equal(EditPlace.CommandLine, edit.Where);
        Assert.Equal("root=PARTUUID=5e1c04aa-02", edit.Before);
        Assert.Matches("^root=PARTUUID=[0-9a-f]{8}-02$", edit.After);
        Assert.NotEqual(edit.Before, edit.After);
    }

    [Fact]
    public void A_refusal_ends_it_and_nothing_more_is_typed()
    {
        var offered = new OfferedTrial("t", "root-not-found", "Root not found", "Try.", ["first", "second"], "Nothing.", null);
        var tried = 0;
        var run = new TrialRun(offered, ListenerKind.InitialShell, ["ALERT!"], Stage.Root, () => tried++);
        Assert.Null(run.Advance(0, "(initramfs) "));
        Assert.Equal("first\r", System.Text.Encoding.ASCII.GetString(run.Advance(800, "")!.Value.Bytes));
        Assert.Null(run.Advance(900, "first\r\nsh: first: not found\r\n(initramfs) "));
        Assert.Null(run.Advance(1700, ""));
        Assert.Equal(SequenceState.Failed, run.State);
        Assert.Contains("sh: first: not found", run.Says);
        Assert.Equal(1, tried);
    }

    [Fact]
    public void Nothing_is_typed_when_somebody_else_waits_by_then()
    {
        var offered = new OfferedTrial("t", "root-not-found", "Root not found", "Try.", ["exit"], "Nothing.", null);
        foreach (var prompt in new[] { "host login: ", "Password: ", "=> ", "" })
        {
            var run = new TrialRun(offered, ListenerKind.InitialShell, [], Stage.Root, () => Assert.Fail("Nothing was tried."));
            Assert.Null(run.Advance(0, prompt));
            Assert.Null(run.Advance(800, ""));
            Assert.Equal(SequenceState.Failed, run.State);
        }
    }

    [Theory]
    [InlineData("saveenv")]
    [InlineData("env save")]
    [InlineData("dd if=/dev/zero of={rootfound}")]
    [InlineData("echo root={rootfound} > /etc/fstab")]
    [InlineData("echo x >> /boot/cmdline.txt")]
    [InlineData("fsck -y {rootfound}")]
    [InlineData("mv /etc/fstab /etc/fstab.old")]
    [InlineData("sed -i s/a/b/ /etc/fstab")]
    [InlineData("systemctl mask a.mount")]
    [InlineData("echo {os}")]
    public void A_file_with_what_outlasts_a_restart_or_has_no_shape_is_not_read(string line)
    {
        var yaml = Shipped.Replace("      - systemctl default", $"      - \"{line}\"", StringComparison.Ordinal);
        Assert.NotEqual(Shipped, yaml);
        var read = TrialBook.Read([("trials.yaml", yaml)], Schema, Knowledge.Rules.Book);
        Assert.Null(read.Value);
        Assert.Contains("mount-table", read.Problem!.Expected);
    }

    [Property(MaxTest = 400)]
    public bool No_text_of_a_board_adds_a_word_a_separator_or_a_quote(NonNull<string> hostile, int where)
    {
        string[] starts = ["/dev/", "UUID=", "LABEL=", "/sbin/", ""];
        var text = starts[Math.Abs(where % starts.Length)] + hostile.Get;
        var facts = Book
            .Trials.SelectMany(t => t.Type.SelectMany(SafeCommand.PlacesOf).Concat(t.Needs ?? []))
            .Distinct()
            .ToDictionary(p => p, _ => text);
        int Signs(string line) => line.Count(c => c is < '!' or > '~' || ";$`\"'>&|()#*?".Contains(c));
        return Book.Trials.All(trial =>
            trial.With("c", "C", facts) is not { } offered
            || offered
                .Lines.Zip(trial.Type)
                .All(l =>
                    Signs(l.First)
                    == Signs(
                        SafeCommand
                            .PlacesOf(l.Second)
                            .Aggregate(l.Second, (t, p) => t.Replace("{" + p + "}", "x", StringComparison.Ordinal))
                    )
                )
        );
    }

    [Theory]
    [InlineData(
        "(initramfs) blkid\n/dev/vda1: UUID=\"0B7A-11C9\" TYPE=\"vfat\"\n/dev/vda2: LABEL=\"rootfs\" UUID=\"aa\" TYPE=\"ext4\" PARTUUID=\"f0570001-02\"",
        "PARTUUID=5e1c04aa-02",
        "/dev/vda2",
        "PARTUUID=f0570001-02",
        null
    )]
    [InlineData("/dev/vda2: UUID=\"aa-bb\" TYPE=\"ext4\" PARTUUID=\"f0570001-02\"", "UUID=aa-bb", null, null, "/dev/vda2")]
    [InlineData(" 179 0 31166976 mmcblk0\n 179 1 262144 mmcblk0p1\n 179 2 30900736 mmcblk0p2", "PARTUUID=5e1c04aa-02", null, null, null)]
    [InlineData("/dev/sda1: UUID=\"a-1\" TYPE=\"ext4\"\n/dev/sda2: UUID=\"a-2\" TYPE=\"ext4\"", "/dev/vda2", null, null, null)]
    [InlineData(
        "/dev/sda1: LABEL=\"root\" UUID=\"a-1\" TYPE=\"ext4\"\n/dev/sda2: UUID=\"a-2\" TYPE=\"ext4\"",
        "/dev/vda2",
        "/dev/sda1",
        "/dev/sda1",
        null
    )]
    [InlineData("nothing of that kind", "/dev/sda2", null, null, null)]
    public void Lists_of_partitions_tell_what_could_be_the_root(string printed, string named, string? found, string? with, string? there)
    {
        var read = LogDiagnosis
            .Read(System.Text.Encoding.UTF8.GetBytes($"[    0.000000] Kernel command line: root={named} ro\n{printed}\n"), Knowledge.Rules)
            .Result();
        var facts = AskFacts.Of(read.Log, read.Diagnosis, null);
        Assert.Equal(found, facts.GetValueOrDefault("rootfound"));
        Assert.Equal(with, facts.GetValueOrDefault("rootas"));
        Assert.Equal(there, facts.GetValueOrDefault("rootthere"));
    }
}
