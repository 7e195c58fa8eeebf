using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;

namespace Buttonhook.Core.Tests.Asking;

public class ReadSystemTests
{
    private static CommandBook Book { get; } =
        CommandBook
            .Read(
                "read.yaml",
                File.ReadAllText(Path.Combine(Knowledge.Data, "knowledge/commands/read.yaml")),
                File.ReadAllText(Path.Combine(Knowledge.Root, "docs/formats/commands.schema.json"))
            )
            .Value!;

    private static List<(string, string)> Commands { get; } = [.. Book.Reading.Select(c => (c.Setting!, c.Text))];

    private static Listener Who(PlayedBoard board)
    {
        var context = board.Context();
        return Listener.Of(context.Before, board.Prompt, context.Reached);
    }

    private static Dictionary<string, string?> Told(ConsoleLog log) => SystemReads.Of(log, Book).ToDictionary(t => t.Setting, t => t.Value);

    private static ConsoleLog LogOf(string text)
    {
        var reader = new BootReader(Knowledge.Rules);
        reader.Add(System.Text.Encoding.UTF8.GetBytes(text), 0);
        return reader.Log;
    }

    [Fact]
    public void Every_command_is_known_to_read_and_has_a_proof() =>
        Assert.All(
            Book.Commands,
            c =>
            {
                Assert.True(SafeCommand.Reads(c.Text, ListenerKind.UserShell), c.Text);
                Assert.True(SettingNames.IsId(c.Setting!), c.Setting);
                Assert.NotNull(c.Proof);
            }
        );

    [Fact]
    public void A_system_is_read_in_one_press_each_answer_with_its_line()
    {
        var board = new PlayedBoard(Bench.Plan("spindle-2", null));
        var run = new ReadSystem(Commands, "root", "orchard", () => Who(board));
        board.Play(run, secrets: true);
        Assert.True(run.State == SequenceState.Done, run.Says);
        var log = board.Reader.Log;
        var told = SystemReads.Of(log, Book);
        Assert.Equal(Commands.Select(c => c.Item1), told.Select(t => t.Setting));
        Assert.All(told, t => Assert.False(string.IsNullOrEmpty(t.Value), t.Setting));
        Assert.All(told.Where(t => t.Value != "none"), t => Assert.False(log.Text(t.Line).Contains("echo bh:", StringComparison.Ordinal)));
        var by = Told(log);
        Assert.Equal("none", by["system.failed"]);
        Assert.Equal("47.2 °C", by["system.heat"]);
        Assert.StartsWith("mmcblk0 29.7 GiB", by["system.media"], StringComparison.Ordinal);
        Assert.StartsWith("eth0 inet 10.20.0.", by["network.read"], StringComparison.Ordinal);
    }

    [Fact]
    public void Nothing_is_typed_where_no_user_s_shell_waits()
    {
        foreach (
            var kind in new[]
            {
                ListenerKind.Login,
                ListenerKind.Secret,
                ListenerKind.LoaderShell,
                ListenerKind.Editor,
                ListenerKind.InitialShell,
            }
        )
        {
            var run = new ReadSystem(Commands, "", "", () => new(kind, "x "));
            for (var now = 0; now < 3000; now += 100)
                Assert.Null(run.Advance(now, ""));
            Assert.Equal(SequenceState.Failed, run.State);
        }
    }

    [Fact]
    public void A_command_that_is_not_known_to_read_is_left_out()
    {
        var run = new ReadSystem([("system.x", "rm -rf /")], "", "", () => new(ListenerKind.UserShell, "root@pear:~# "));
        for (var now = 0; now < 3000; now += 100)
            Assert.Null(run.Advance(now, ""));
        Assert.Equal(SequenceState.Done, run.State);
    }

    [Fact]
    public void Lines_of_the_kernel_in_between_and_missing_commands_tell_nothing()
    {
        var told = Told(
            LogOf(
                """
                root@pear:~# echo bh:$((6*6)):system.failed; systemctl --failed --no-legend --plain --no-pager; echo bh:$((6*7))
                bh:36:system.failed
                -sh: systemctl: not found
                bh:42
                root@pear:~# echo bh:$((6*6)):system.clock; date -u +%Y-%m-%dT%H:%M; echo bh:$((6*7))
                bh:36:system.clock
                [   61.204410] eth0: link becomes ready
                2026-03-04T05:06
                bh:42
                root@pear:~# echo bh:$((6*6)):system.heat; cat /sys/class/thermal/thermal_zone0/temp; echo bh:$((6*7))
                bh:36:system.heat
                45000bh:42
                root@pear:~# echo bh:$((6*6)):system.kernel; uname -r; echo bh:$((6*7))
                bh:36:system.kernel
                6.1.0
                """
            )
        );
        Assert.Null(told["system.failed"]);
        Assert.Equal("2026-03-04T05:06", told["system.clock"]);
        Assert.Equal("45 °C", told["system.heat"]);
        // An answer without its end was cut short.
        Assert.False(told.ContainsKey("system.kernel"));
    }

    [Fact]
    public void Of_several_readings_the_last_counts_and_lines_that_wrap_are_no_answer()
    {
        var told = Told(
            LogOf(
                "$ echo bh:$((6*6)):system.kernel; uname -r; echo bh:$((6*7))\r\nbh:36:system.kernel\r\n6.1.0\r\nbh:42\r\n"
                    + "$ echo bh:$((6*6)):system.kernel; uname -r; ec \rcho bh:$((6*7))\r\nbh:36:system.kernel\r\n6.6.1-2-arm64\r\nbh:42\r\n$ "
            )
        );
        Assert.Equal("6.6.1-2-arm64", told["system.kernel"]);
    }
}
