using System.Text.Json;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Tests.Diagnosing;

/// <summary>A capture that ended says nothing of the board: it began late, was ended by a person, a kill or the end of a file.</summary>
public class CutLogTests(ITestOutputHelper output)
{
    private static IEnumerable<(string Name, byte[] Log)> GoodLogs()
    {
        var beside = Path.Combine(Knowledge.Root, "../shared/bootlogs");
        var folder = Directory.Exists(beside) ? beside : Path.Combine(Knowledge.Root, "tests/logs");
        foreach (var path in Directory.GetDirectories(folder).Order())
            if (
                File.Exists(Path.Combine(path, "truth.json"))
                && JsonDocument.Parse(File.ReadAllText(Path.Combine(path, "truth.json"))).RootElement.GetProperty("cause").GetString()
                    == "none"
            )
                yield return (Path.GetFileName(path), File.ReadAllBytes(Path.Combine(path, "console.log")));
    }

    private static (BootReading Reading, Diagnosis Diagnosis) Of(ReadOnlySpan<byte> log, Ending ending, int arrival = -1)
    {
        var reader = new BootReader(Knowledge.Rules) { Ending = ending };
        reader.Add(log, arrival);
        return reader.Diagnose();
    }

    [Theory]
    [InlineData("\r\norchard login: ", false, false)]
    [InlineData("\r\norchard login: ", true, true)]
    [InlineData("[  OK  ] Reached target multi-user.target - Multi-User System.\r\n\r\norchard login: ", false, false)]
    [InlineData("U-Boot 2024.01 (Jan 01 2024)\r\n\r\norchard login: ", false, true)]
    [InlineData("[    0.000000] Linux version 6.1.90 (gcc 12.2.0) #1 SMP\r\n\r\norchard login: ", false, true)]
    public void A_boot_counts_when_its_start_was_seen(string log, bool power, bool seen)
    {
        var reader = new BootReader(Knowledge.Rules) { Ending = Ending.OfFile };
        if (power)
            reader.Log.CountFrom(0, TimeOrigin.Power);
        reader.Add(System.Text.Encoding.UTF8.GetBytes(log), power ? 10 : -1);
        var (reading, diagnosis) = reader.Diagnose();
        Assert.Equal(Outcome.ReachedLogin, diagnosis.Outcome);
        Assert.Equal((seen, seen), (reading.StartSeen, BootSummary.IsCounted(reading, diagnosis)));
    }

    [Theory]
    [InlineData("platform regulatory.0: firmware: failed to load regulatory.db (-2)")]
    [InlineData("platform regulatory.0: Direct firmware load for regulatory.db failed with error -2")]
    [InlineData("cfg80211: failed to load regulatory.db")]
    public void What_most_systems_print_at_every_boot_accuses_no_good_one(string line)
    {
        var (name, log) = GoodLogs().First(l => l.Name.Contains("first-boot", StringComparison.Ordinal));
        var text = System.Text.Encoding.UTF8.GetString(log);
        var at = text.IndexOf("Run /init", StringComparison.Ordinal);
        Assert.True(at > 0, name);
        at = text.IndexOf('\n', at) + 1;
        var (_, diagnosis) = Of(System.Text.Encoding.UTF8.GetBytes(text[..at] + $"[    5.214567] {line}\r\n" + text[at..]), Ending.OfFile);
        Assert.Equal((Outcome.ReachedLogin, RuleBook.None), (diagnosis.Outcome, diagnosis.Causes[0].Id));
        Assert.DoesNotContain(diagnosis.Causes, c => c.Id == "network-no-interface");
    }

    [Theory]
    [InlineData("DRAM:  2 GiB", 2L << 30)]
    [InlineData("DRAM:  . GiB", null)]
    [InlineData("DRAM:  .... MiB", null)]
    public void Memory_that_is_garbled_is_not_known(string line, long? bytes)
    {
        var (reading, _) = Of(System.Text.Encoding.UTF8.GetBytes($"U-Boot 2024.01 (Jan 01 2024)\r\n{line}\r\n"), Ending.OfFile);
        Assert.Equal(bytes, reading.Facts.MemoryBytes);
    }

    [Fact]
    public void A_good_boot_that_was_cut_anywhere_accuses_nobody()
    {
        var accused = new List<string>();
        var tried = 0;
        foreach (var (name, log) in GoodLogs())
            for (var share = 1; share < 20; share++)
                foreach (var whole in new[] { false, true })
                {
                    var at = log.Length * share / 20;
                    if (whole)
                        at = log.AsSpan(0, at).LastIndexOf((byte)'\n') + 1;
                    if (at < 200)
                        continue;
                    // A file that ends right behind the loader's last word looks like a board that is silent from there on.
                    if (log.AsSpan(0, at).EndsWith("Starting kernel ...\r\n\r\n"u8))
                        continue;
                    tried++;
                    var (_, told) = Of(log.AsSpan(0, at), Ending.OfFile);
                    if (
                        told.Outcome is not (Outcome.Cut or Outcome.ReachedLogin)
                        || told.Causes[0].Id is not (RuleBook.None or RuleBook.SomethingElse)
                    )
                        accused.Add(
                            $"{name} at {share * 5} %{(whole ? ", whole line" : "")}: {told.Outcome} {told.LastStage}, {told.Causes[0].Id} {told.Causes[0].Probability:0.00}"
                        );
                }
        output.WriteLine($"{tried} cuts, {accused.Count} accused");
        foreach (var line in accused)
            output.WriteLine(line);
        Assert.Empty(accused);
    }

    [Fact]
    public void A_good_boot_whose_capture_began_late_is_a_good_boot()
    {
        foreach (var (name, log) in GoodLogs())
            for (var share = 1; share < 9; share++)
            {
                var (_, told) = Of(log.AsSpan(log.Length * share / 10), Ending.OfFile);
                Assert.True(
                    told.Causes[0].Id is RuleBook.None or RuleBook.SomethingElse,
                    $"{name} from {share * 10} %: {told.Outcome}, {told.Causes[0].Id} {told.Causes[0].Probability:0.00}"
                );
            }
    }

    [Fact]
    public void Stamps_of_a_capture_program_are_no_lost_bytes()
    {
        var log = GoodLogs().First(l => l.Name == "amd64-good-boot-1").Log;
        var lines = System.Text.Encoding.Latin1.GetString(log).Split('\n');
        var stamped = string.Join('\n', lines.Select((l, i) => $"{i * 0.013:0.000000}  {l}"));
        var (_, told) = Of(System.Text.Encoding.Latin1.GetBytes(stamped), Ending.OfFile);
        Assert.DoesNotContain(told.Causes, c => c.Id == "console-bytes-lost");
    }

    [Theory]
    [InlineData(CaptureEnd.Person, 3_000, null, Outcome.Cut)]
    [InlineData(CaptureEnd.Server, null, null, Outcome.Cut)]
    [InlineData(CaptureEnd.Port, 20_000, null, Outcome.Cut)]
    [InlineData(CaptureEnd.Live, 59_000, null, Outcome.Cut)]
    [InlineData(CaptureEnd.Live, 61_000, null, Outcome.Stopped)]
    [InlineData(CaptureEnd.Person, 61_000, null, Outcome.Stopped)]
    [InlineData(CaptureEnd.Person, 35_000, 4_000, Outcome.Stopped)]
    [InlineData(CaptureEnd.Person, 61_000, 40_000, Outcome.Cut)]
    public void Silence_says_something_once_it_was_longer_than_is_usual(CaptureEnd how, int? quiet, int? usual, Outcome expected)
    {
        var log = GoodLogs().First(l => l.Name == "amd64-good-boot-1").Log;
        var half = log.AsSpan(0, log.AsSpan(0, log.Length / 3).LastIndexOf((byte)'\n') + 1);
        var (_, told) = Of(half, new(how, quiet, usual), 1000);
        Assert.Equal(expected, told.Outcome);
        if (expected == Outcome.Stopped)
            Assert.Equal("kernel-hang", told.Causes[0].Id);
        else
            Assert.Equal(RuleBook.SomethingElse, told.Causes[0].Id);
    }

    [Fact]
    public void Random_bytes_are_no_console_text_and_get_no_other_words()
    {
        var bytes = new byte[30_000];
        new Random(3).NextBytes(bytes);
        var (_, told) = Of(bytes, Ending.OfFile);
        Assert.Equal((Outcome.Garbled, "This is no console text"), (told.Outcome, told.Causes[0].Name));
        Assert.DoesNotContain("capture ended", told.NextCheck.Why);
        Assert.Single(told.Causes);
    }

    [Fact]
    public void What_lines_prove_is_told_however_the_capture_ended()
    {
        var panic =
            "[    2.0] x\r\n[    3.1] Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0)\r\n[    3.2] CPU: 0"u8;
        var (_, told) = Of(panic, new(CaptureEnd.Person, 500), 1000);
        Assert.Equal(Outcome.Stopped, told.Outcome);
        Assert.NotEqual(RuleBook.SomethingElse, told.Causes[0].Id);
    }
}
