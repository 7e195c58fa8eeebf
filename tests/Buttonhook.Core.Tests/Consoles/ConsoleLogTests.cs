using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Consoles;

public class ConsoleLogTests
{
    [Fact]
    public void Lines_are_counted_from_one_and_an_unfinished_one_counts()
    {
        var log = new ConsoleLog();
        log.Append("first\r\nsecond\r\nlogin: "u8, 10);
        Assert.Equal(3, log.LineCount);
        Assert.Equal(2, log.CompleteLines);
        Assert.Equal("second", log.Text(2));
        Assert.Equal("login: ", log.Text(3));
        Assert.Equal("", log.Text(4));
    }

    [Fact]
    public void Each_line_has_the_time_of_its_first_byte()
    {
        var log = new ConsoleLog();
        log.Append("a\nb"u8, 5);
        log.Append("c\nd\n"u8, 9);
        Assert.Equal(5, log.Arrival(2));
        Assert.Equal(9, log.Arrival(3));
        Assert.Null(log.Arrival(4));
        Assert.Equal(5, log.LongestQuiet(null));
    }

    [Fact]
    public void A_log_without_times_has_none()
    {
        var log = new ConsoleLog();
        log.Append("a\nb\n"u8, -1);
        Assert.Null(log.Arrival(1));
        Assert.Null(log.LongestQuiet(null));
    }

    [Property]
    public bool Every_byte_is_kept_however_the_pieces_fall(byte[] bytes, int cut)
    {
        var at = bytes.Length == 0 ? 0 : Math.Abs(cut % bytes.Length);
        var log = new ConsoleLog();
        log.Append(bytes.AsSpan(0, at), 1);
        log.Append(bytes.AsSpan(at), 2);
        var lines = Enumerable.Range(1, log.LineCount).SelectMany(n => log.Raw(n).ToArray());
        return log.Bytes.SequenceEqual(bytes) && lines.SequenceEqual(bytes);
    }

    [Property(MaxTest = 30)]
    public bool A_live_boot_and_a_stored_log_are_read_the_same(FsCheck.PositiveInt seed)
    {
        var log = Bench.Log(Bench.Plan("quill-v", seed.Get % 2 == 0 ? "root-not-found" : null, seed.Get));
        var random = new Random(seed.Get);
        var live = new BootReader(Knowledge.Rules);
        for (var at = 0; at < log.Length; )
        {
            var piece = Math.Min(log.Length - at, random.Next(1, 400));
            live.Add(log.AsSpan(at, piece), -1);
            live.Read();
            at += piece;
        }
        var (reading, diagnosis) = live.Diagnose();
        var (whole, judged) = LogDiagnosis.Of(log, Knowledge.Rules);
        return reading.Outcome == whole.Outcome
            && reading.StageLines.SequenceEqual(whole.StageLines)
            && diagnosis.Causes.Select(c => (c.Id, c.Probability)).SequenceEqual(judged.Causes.Select(c => (c.Id, c.Probability)));
    }

    [Fact]
    public void What_was_said_of_a_boot_is_said_anew_only_when_something_arrived()
    {
        var reader = new BootReader(Knowledge.Rules);
        reader.Add("U-Boot 2023.01 (Jun 22 2026)\r\n"u8, 10);
        var first = reader.Diagnose();
        Assert.Same(first.Diagnosis, reader.Diagnose().Diagnosis);
        Assert.Same(first.Reading, reader.Read());
        reader.Add("orchard login: "u8, 900);
        var second = reader.Diagnose();
        Assert.NotSame(first.Diagnosis, second.Diagnosis);
        Assert.Equal((Outcome.Cut, Outcome.ReachedLogin), (first.Diagnosis.Outcome, second.Diagnosis.Outcome));
    }

    [Fact]
    public void After_a_restart_times_count_from_the_new_start()
    {
        var reader = new BootReader(Knowledge.Rules);
        reader.Add("U-Boot 2024.01\r\n"u8, 1000);
        reader.Add("[    0.000000] Linux version 6.1\r\n"u8, 4000);
        reader.Add("U-Boot 2024.01\r\n"u8, 61_000);
        reader.Add("[    0.000000] Linux version 6.1\r\n"u8, 64_500);
        Assert.Equal([0, 3500], reader.Read().StageLines.Select(s => s.Milliseconds));
    }

    [Fact]
    public void A_line_that_is_repeated_for_ever_stays_small()
    {
        var reader = new BootReader(Knowledge.Rules);
        var piece = Encoding.ASCII.GetBytes(
            string.Concat(Enumerable.Repeat("[    5.000000] I/O error, dev sda, sector 1 op 0x0:(READ)\r\n", 1000))
        );
        for (var i = 0; i < 20; i++)
            reader.Add(piece, -1);
        var (_, diagnosis) = reader.Diagnose();
        Assert.Equal("medium-io-errors", diagnosis.Causes[0].Id);
        Assert.True(diagnosis.Causes[0].Evidence.Count <= 12);
    }
}
