using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Keeping;

namespace Buttonhook.Core.Tests.Asking;

public class StartsTests
{
    private static StartsRun RunOf(PlayedBoard board, StartsAsked asked) => new(asked, () => SeenOf(board));

    private static StartSeen SeenOf(PlayedBoard board)
    {
        board.Reader.Ending = new(Core.Diagnosing.CaptureEnd.Live, 0);
        var context = board.Context();
        var read = board.Reader.Result();
        return new(
            read.Reading.Attempts.Count,
            read.Reading.LastStage == Stage.Login,
            read.Reading.Waiting,
            Listener.Of(context.Before, board.Prompt, read.Reading.LastStage)
        );
    }

    private static Starts StartsOf(PlayedBoard board) => Starts.Of(board.Reader.Result(), Knowledge.Rules);

    [Fact]
    public void A_board_restarts_itself_and_logs_in_again_until_all_starts_are_over()
    {
        var board = new PlayedBoard(Bench.Plan("spindle-2", null));
        var run = RunOf(board, new(5, false, false, "root", "orchard"));
        var typed = board.Play(run, secrets: true);
        Assert.Equal(SequenceState.Done, run.State);
        Assert.Equal("All 5 starts are over. 5 of 5 came up.", run.Says);
        Assert.Equal(5, typed.Count(t => t == "sudo reboot"));
        var starts = StartsOf(board);
        Assert.Equal((6, 6), (starts.Up, starts.Counted));
        Assert.Equal("6 of 6 starts reached the login (at least 72 % expected)", starts.Says);
        // The times of each start count from its own begin.
        var login = starts.Times.Single(t => t.Stage == Stage.Login);
        Assert.Equal(6, login.Seconds.Count(s => s is > 1 and < 300));
        Assert.InRange(login.Middle, login.Least, login.Most);
        Assert.Empty(starts.Shared);
    }

    [Fact]
    public void What_the_starts_that_failed_share_is_told()
    {
        var board = new PlayedBoard(Bench.Plan("spindle-2", "card-loose"));
        var run = RunOf(board, new(7, false, false, "root", "orchard"));
        board.Play(run, secrets: true);
        Assert.True(run.State == SequenceState.Done, run.Says);
        var starts = StartsOf(board);
        Assert.Equal(
            [StartCame.Up, StartCame.Up, StartCame.Failed, StartCame.Up, StartCame.Up, StartCame.Failed, StartCame.Up, StartCame.Up],
            starts.All.Select(s => s.Came)
        );
        Assert.Equal((6, 8), (starts.Up, starts.Counted));
        Assert.Equal(2, starts.Shared[0].Starts);
        Assert.Equal("Card not seen; the last stage was second loader.", starts.Shared[0].Says);
        Assert.Contains(starts.Shared, s => s.Says.Contains("Card did not respond", StringComparison.Ordinal));
        Assert.All(starts.All.Where(s => s.Came == StartCame.Failed), s => Assert.Equal(Stage.SecondLoader, s.LastStage));
    }

    [Fact]
    public void It_ends_at_the_first_failure_when_that_was_asked_for()
    {
        var board = new PlayedBoard(Bench.Plan("spindle-2", "card-loose"));
        var run = RunOf(board, new(10, false, true, "root", "orchard"));
        board.Play(run, secrets: true);
        Assert.Equal(SequenceState.Done, run.State);
        Assert.Equal("Ended at the first start that did not come up. 1 of 2 came up.", run.Says);
    }

    [Fact]
    public void Without_a_name_it_says_what_it_lacks_and_types_nothing()
    {
        var board = new PlayedBoard(Bench.Plan("spindle-2", null));
        var run = RunOf(board, new(3, false, false, "", ""));
        Assert.Empty(board.Play(run));
        Assert.Equal(SequenceState.Failed, run.State);
        Assert.StartsWith("The board waits at its login: give a name and a password", run.Says);
    }

    [Fact]
    public void A_hand_is_told_when_and_nothing_is_typed()
    {
        var starts = 1;
        var (up, over) = (true, true);
        var run = new StartsRun(new(2, true, false, "", ""), () => new(starts, up, over, new(ListenerKind.Login, "pear login: ")));
        var now = 0;
        void Pass(int milliseconds)
        {
            for (var end = now + milliseconds; now < end; now += 100)
                Assert.Null(run.Advance(now, ""));
        }
        Pass(2000);
        Assert.StartsWith("Restart the board now, by its reset button or its supply: start 1 of 2.", run.Says);
        // It waits for as long as a person takes.
        Pass(600_000);
        Assert.Equal(SequenceState.Waiting, run.State);
        (starts, up, over) = (2, false, false);
        Pass(2000);
        Assert.StartsWith("Start 1 of 2 is under way.", run.Says);
        over = true;
        Pass(2000);
        Assert.StartsWith("Restart the board now, by its reset button or its supply: start 2 of 2. 0 of 1 came up", run.Says);
        (starts, up) = (3, true);
        Pass(2000);
        Assert.Equal(SequenceState.Done, run.State);
        Assert.Equal("All 2 starts are over. 1 of 2 came up.", run.Says);
    }

    [Fact]
    public void A_kernel_that_prints_behind_the_login_does_not_undo_it()
    {
        var listener = new Listener(ListenerKind.Unknown, "pear login: [  142.961540] kvm: Nested Virtualization enabled");
        var run = new StartsRun(new(2, false, false, "root", "orchard"), () => new(1, true, true, listener));
        string? typed = null;
        for (var now = 0; now < 3000 && typed is null; now += 100)
            typed = run.Advance(now, "") is var (bytes, _) ? System.Text.Encoding.ASCII.GetString(bytes) : null;
        Assert.Equal("\r", typed);
        listener = new(ListenerKind.UserShell, "root@pear:~# ");
        typed = null;
        for (var now = 3000; now < 6000 && typed is null; now += 100)
            typed = run.Advance(now, "") is var (bytes, _) ? System.Text.Encoding.ASCII.GetString(bytes) : null;
        Assert.Equal("reboot\r", typed);
    }

    [Fact]
    public void Starts_that_go_by_by_themselves_are_starts_that_failed()
    {
        var starts = 1;
        var run = new StartsRun(new(4, true, false, "", ""), () => new(starts, true, true, new(ListenerKind.Login, "pear login: ")));
        Assert.Null(run.Advance(0, ""));
        Assert.Null(run.Advance(1500, ""));
        starts = 4;
        Assert.Null(run.Advance(3000, ""));
        Assert.Null(run.Advance(4500, ""));
        Assert.Contains("1 of 3 came up.", run.Says);
    }

    [Theory]
    [InlineData("-sh: reboot: not found")]
    [InlineData("Call to Reboot failed: Interactive authentication required.")]
    [InlineData("frost is not in the sudoers file.")]
    public void A_shell_that_says_why_it_does_not_restart_ends_it(string answer)
    {
        var run = new StartsRun(new(2, false, false, "", ""), () => new(1, true, true, new(ListenerKind.UserShell, "root@pear:~# ")));
        string? typed = null;
        for (var now = 0; now < 3000 && typed is null; now += 100)
            typed = run.Advance(now, "") is var (bytes, _) ? System.Text.Encoding.ASCII.GetString(bytes) : null;
        Assert.Equal("reboot\r", typed);
        Assert.Null(run.Advance(3100, $"reboot\r\n{answer}\r\nroot@pear:~# "));
        Assert.Null(run.Advance(3500, ""));
        Assert.Equal(SequenceState.Failed, run.State);
        Assert.Contains(answer, run.Says);
    }

    [Fact]
    public void A_start_that_power_cut_short_counts_nowhere()
    {
        var good = "U-Boot 2024.01 (Jan 01 2024)\r\n[    0.000000] Linux version 6.6.1 (a@b)\r\npear login: ";
        var reader = new Core.Diagnosing.BootReader(Knowledge.Rules);
        reader.Add(System.Text.Encoding.ASCII.GetBytes(good), 100);
        reader.Note(new(20_000, EventKind.Power, JournalEvent.PowerApplied));
        reader.Add("\r\nU-Boot 2024.01 (Jan 01 2024)\r\n[    0.000000] Linux version 6.6.1 (a@b)\r\n"u8, 20_100);
        reader.Note(new(22_000, EventKind.Power, JournalEvent.PowerTaken));
        reader.Note(new(25_000, EventKind.Power, JournalEvent.PowerApplied));
        reader.Add(System.Text.Encoding.ASCII.GetBytes(good), 25_100);
        reader.Ending = new(Core.Diagnosing.CaptureEnd.Person, 1000);
        var starts = Starts.Of(reader.Result(), Knowledge.Rules);
        Assert.Equal([StartCame.Up, StartCame.CutShort, StartCame.Up], starts.All.Select(s => s.Came));
        Assert.Equal((2, 2), (starts.Up, starts.Counted));
    }
}
