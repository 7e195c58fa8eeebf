using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Simulating;

namespace Buttonhook.Core.Tests.Simulating;

public class SimulatedBoardTests
{
    private static readonly string[] Models = ["spindle-2", "quill-v", "core-4", "bridle-x", "thimble"];

    /// <summary>Faults that a board of this kind cannot show: a PC carries its own device tree, its firmware its own memory settings.</summary>
    private static readonly Dictionary<string, string[]> Without = new()
    {
        ["bridle-x"] = ["dtb-missing", "dram-init-failed", "image-truncated"],
    };

    public static TheoryData<string, string> Faults()
    {
        var data = new TheoryData<string, string>();
        foreach (var model in Models)
        foreach (var fault in SimulatedFaults.All)
            if (!Without.GetValueOrDefault(model, []).Contains(fault.Id))
                data.Add(model, fault.Id);
        return data;
    }

    [Theory]
    [MemberData(nameof(Faults))]
    public void Each_fault_on_each_board_is_found_from_its_log(string model, string fault)
    {
        var (_, diagnosis) = LogDiagnosis.Of(Bench.Log(Bench.Plan(model, fault)), Knowledge.Rules);
        Assert.Contains(diagnosis.Causes[0].Id, SimulatedFaults.Find(fault)!.ClearedBy);
    }

    [Theory]
    [InlineData("spindle-2")]
    [InlineData("quill-v")]
    [InlineData("core-4")]
    [InlineData("bridle-x")]
    [InlineData("thimble")]
    public void A_board_without_fault_reaches_the_login_and_is_not_accused(string model)
    {
        var (reading, diagnosis) = LogDiagnosis.Of(Bench.Log(Bench.Plan(model)), Knowledge.Rules);
        Assert.Equal(Outcome.ReachedLogin, diagnosis.Outcome);
        Assert.Equal(RuleBook.None, diagnosis.Causes[0].Id);
        Assert.Equal("quince", reading.Facts.Hostname);
        Assert.NotNull(reading.Facts.BootMedium);
        Assert.Single(reading.Facts.Addresses);
    }

    [Theory]
    [InlineData("console-arg-missing", "console=tty0")]
    [InlineData("root-not-found", "root=PARTUUID=5e1c04aa-02")]
    [InlineData(null, "console=ttyS2,")]
    public void A_stopped_loader_tells_the_command_line_that_the_kernel_would_get(string? fault, string words)
    {
        var board = new SimulatedBoard(Bench.Plan("spindle-2", fault));
        var now = 0;
        var text = new StringBuilder();
        void Take() => board.Advance(now += 50).ToList().ForEach(p => text.Append(Encoding.UTF8.GetString(p.Bytes)));
        while (!text.ToString().Contains("autoboot") && now < 60_000)
            Take();
        board.Type("\r"u8, now);
        board.Type("printenv bootargs\r"u8, now += 500);
        for (var n = 0; n < 40; n++)
            Take();
        Assert.Matches($"(?m)^bootargs=.*{System.Text.RegularExpressions.Regex.Escape(words)}", text.ToString());
    }

    [Fact]
    public void A_key_in_the_count_down_stops_the_loader_and_boot_goes_on()
    {
        var board = new SimulatedBoard(Bench.Plan("spindle-2"));
        var now = 0;
        var text = new StringBuilder();
        while (!text.ToString().Contains("autoboot"))
            foreach (var piece in board.Advance(now += 50))
                text.Append(Encoding.UTF8.GetString(piece.Bytes));
        board.Type(" "u8, now);
        Assert.EndsWith("=> ", Text(board, now + 500));
        board.Type("printenv bootargs\r"u8, now + 600);
        Assert.Contains("root=PARTUUID=8be0771f-02", Text(board, now + 1200));
        board.Type("boot\r"u8, now + 1300);
        Assert.Contains("login:", Text(board, now + 100_000));
    }

    [Fact]
    public void Logging_in_gives_a_shell_that_does_not_echo_the_password()
    {
        var board = new SimulatedBoard(Bench.Plan("quill-v"));
        Text(board, 100_000);
        board.Type("fallow\rsecret\rhostname\r"u8, 100_001);
        var text = Text(board, 101_000);
        Assert.DoesNotContain("secret", text);
        Assert.Contains("hostname\r\nquince\r\n", text);
    }

    /// <summary>What a board answers to a command, typed where it stands after so long.</summary>
    private static string Asked(string command, string? fault = null, string model = "quill-v")
    {
        var board = new SimulatedBoard(Bench.Plan(model, fault));
        Text(board, 150_000);
        if (fault is null or "disk-full")
            board.Type("fallow\rsecret\r"u8, 150_001);
        Text(board, 151_000);
        board.Type(Encoding.ASCII.GetBytes(command + "\r"), 151_001);
        return Text(board, 152_000);
    }

    [Theory]
    [InlineData("uname -a", "Linux quince 6.6.30 #1 SMP riscv64")]
    [InlineData("cat /proc/cmdline", "root=PARTUUID=")]
    [InlineData("ip -br addr", "10.20.0.")]
    [InlineData("df -h /", "/dev/mmcblk0p2   29G")]
    [InlineData("free", "8192")]
    [InlineData("help", "Try uname -a")]
    [InlineData("dance now", "-sh: dance: not found")]
    public void A_command_after_the_login_is_answered_from_the_board_and_its_image(string command, string answer) =>
        Assert.Contains(answer, Asked(command));

    [Fact]
    public void A_full_disk_shows_in_the_shell_too() => Assert.Contains("100% /", Asked("df -h /", "disk-full"));

    [Theory]
    [InlineData("blkid", "TYPE=\"ext4\" PARTUUID=")]
    [InlineData("cat /proc/cmdline", "root=PARTUUID=")]
    [InlineData("help", "Try blkid")]
    [InlineData("dance", "sh: dance: not found")]
    public void The_rescue_shell_answers_what_helps_there(string command, string answer) =>
        Assert.Contains(answer, Asked(command, "root-not-found"));

    [Fact]
    public void A_restart_from_the_shell_plays_the_boot_again()
    {
        var board = new SimulatedBoard(Bench.Plan("quill-v"));
        Text(board, 150_000);
        board.Type("fallow\rsecret\rreboot\r"u8, 150_001);
        var text = Text(board, 300_000);
        Assert.Contains("login:", text);
        Assert.Contains("U-Boot", text);
    }

    [Fact]
    public void A_console_at_another_speed_shows_garbage()
    {
        var log = Bench.Log(Bench.Plan("spindle-2", listen: 9600));
        Assert.Equal(Outcome.Garbled, LogDiagnosis.Of(log, Knowledge.Rules).Diagnosis.Outcome);
    }

    [Fact]
    public void The_same_seed_plays_the_same_boot_and_another_seed_another_pace()
    {
        var first = new SimulatedBoard(Bench.Plan("core-4", seed: 5)).Advance(400_000);
        var again = new SimulatedBoard(Bench.Plan("core-4", seed: 5)).Advance(400_000);
        var other = new SimulatedBoard(Bench.Plan("core-4", seed: 6)).Advance(400_000);
        Assert.Equal(first.Select(p => p.Milliseconds), again.Select(p => p.Milliseconds));
        Assert.NotEqual(first[^1].Milliseconds, other[^1].Milliseconds);
    }

    [Fact]
    public void What_follows_from_the_bench_is_played_until_it_is_corrected()
    {
        var board = Bench.Board("spindle-2", card: 32, image: "fallow-12-desktop-arm64");
        var model = Bench.Catalogue.Model("spindle-2")!;
        var image = Bench.Catalogue.Image(board.ImageId);
        Assert.Equal("console-arg-missing", SimulatedFaults.Implied(board, model, image, Bench.Catalogue, [])?.Id);
        Assert.Null(SimulatedFaults.Implied(board, model, image, Bench.Catalogue, ["console-arg-missing"]));
        Assert.Equal("no-boot-medium", SimulatedFaults.Implied(board, model, null, Bench.Catalogue, [])?.Id);
    }

    private static string Text(SimulatedBoard board, int until) =>
        string.Concat(board.Advance(until).Select(p => Encoding.UTF8.GetString(p.Bytes)));
}
