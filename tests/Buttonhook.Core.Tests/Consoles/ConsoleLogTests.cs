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
        log.CountFrom(0, TimeOrigin.Power);
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
        return log.Everything().SelectMany(p => p.ToArray()).SequenceEqual(bytes) && lines.SequenceEqual(bytes);
    }

    [Property(MaxTest = 60)]
    public bool A_log_longer_than_memory_reads_as_one_that_fits(int seed)
    {
        var random = new Random(seed);
        var pieces = new List<StoredPiece>();
        for (var at = 0; pieces.Sum(p => p.Bytes.Length) < 3 << 20; at += random.Next(0, 900))
        {
            var bytes = new byte[random.Next(0, 20) == 0 ? 0 : random.Next(1, 60_000)];
            random.NextBytes(bytes);
            // Lines of all lengths, some far longer than a page.
            for (var i = 0; i < bytes.Length; i++)
                if (bytes[i] == '\n' && random.Next(0, 300) != 0)
                    bytes[i] = (byte)'.';
            pieces.Add(new(at, bytes));
        }
        var whole = new ConsoleLog();
        var paged = new ConsoleLog((first, most) => pieces.Skip(first).Take(most));
        foreach (var piece in pieces)
        {
            whole.Append(piece.Bytes, piece.Milliseconds);
            paged.Append(piece.Bytes, piece.Milliseconds);
        }
        var kept = new ConsoleLog((first, most) => pieces.Skip(first).Take(most), paged.Pages);
        var power = random.Next(0, 20_000);
        foreach (var log in (ConsoleLog[])[whole, paged, kept])
            log.CountFrom(power, TimeOrigin.Power);
        var lines = Enumerable.Range(0, 12).Select(_ => random.Next(1, whole.LineCount + 1)).Append(whole.LineCount).ToList();
        return new[] { paged, kept }.All(log =>
            (log.Length, log.LineCount, log.CompleteLines, log.LastArrival, log.LongestQuiet(null))
                == (whole.Length, whole.LineCount, whole.CompleteLines, whole.LastArrival, whole.LongestQuiet(null))
            && lines.All(n =>
                log.Raw(n).SequenceEqual(whole.Raw(n)) && log.Arrival(n) == whole.Arrival(n) && log.LongestQuiet(n) == whole.LongestQuiet(n)
            )
        );
    }

    [Fact]
    public void Bytes_that_are_not_as_they_were_received_are_found()
    {
        var pieces = Enumerable
            .Range(0, 80)
            .Select(i => new StoredPiece(i, Encoding.ASCII.GetBytes(new string((char)('0' + i % 10), 70_000) + "\n")))
            .ToList();
        var first = new ConsoleLog();
        foreach (var piece in pieces)
            first.Append(piece.Bytes, piece.Milliseconds);
        pieces[33].Bytes[100] ^= 1;
        var log = new ConsoleLog((from, most) => pieces.Skip(from).Take(most), first.Pages);
        Assert.Equal(70_000, log.Text(33).Length);
        Assert.Equal(33, Assert.Throws<DamagedPageException>(() => log.Check(default)).Page.FirstPiece);
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
    public void A_board_that_restarts_for_ever_keeps_its_first_and_its_newest_starts()
    {
        var reader = new BootReader(Knowledge.Rules);
        for (var i = 0; i < 30_000; i++)
            reader.Add("U-Boot 2024.01\r\nDRAM:  512 MiB\r\n"u8, i);
        var (reading, diagnosis) = reader.Diagnose();
        Assert.Equal(Outcome.Rebooting, diagnosis.Outcome);
        Assert.Equal(1, reading.Attempts[0].FirstLine);
        Assert.Equal(60_000, reading.Attempts[^1].LastLine);
        Assert.InRange(reading.Attempts.Count, 1000, 12_000);
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
