using System.IO.Compression;
using System.Text;
using Buttonhook.Core.Consoles;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Consoles;

/// <summary>Logs in and out in the forms of other programs.</summary>
public sealed class LogFormTests
{
    private static readonly DateTimeOffset At = new(2026, 11, 26, 9, 0, 0, TimeSpan.Zero);

    private static string TextOf(ImportedLog log) =>
        Encoding.UTF8.GetString([.. log.Entries.Where(e => e.Event is null).SelectMany(e => e.Piece.Bytes)]);

    private static List<int> TimesOf(ImportedLog log) => [.. log.Entries.Where(e => e.Event is null).Select(e => e.Milliseconds)];

    private static ImportedLog Read(string text) => LogImport.Read("log", Encoding.UTF8.GetBytes(text));

    [Theory]
    [InlineData("2026-11-26T09:00:00.100Z one\n2026-11-26T09:00:00.350Z two\n2026-11-26T09:00:02.100Z three\n", "0 250 2000")]
    [InlineData("[2026-11-26 09:00:00.100] one\r\n[2026-11-26 09:00:00.350] two\r\n[2026-11-26 09:00:02.100] three\r\n", "0 250 2000")]
    [InlineData(
        "Nov 26 09:00:00 orchard kernel: one\nNov 26 09:00:01 orchard kernel: two\nNov 26 09:01:02 orchard kernel: three\n",
        "0 1000 62000"
    )]
    [InlineData("23:59:59.900 one\n00:00:00.150 two\n00:00:01.900 three\n", "0 250 2000")]
    [InlineData("[09:00:00] one\n[09:00:01] two\n[09:00:02] three\n", "0 1000 2000")]
    [InlineData("[+0.100] one\n[+0.350] two\n[+2.100] three\n", "0 250 2000")]
    [InlineData("       0.100  one\n       0.350  two\n       2.100  three\n", "0 250 2000")]
    public void Times_in_front_of_lines_become_times_and_the_lines_stay(string log, string times)
    {
        var read = Read(log);
        Assert.NotNull(read.Kind);
        Assert.Equal(["one", "two", "three"], TextOf(read).Split((char[])['\r', '\n'], StringSplitOptions.RemoveEmptyEntries));
        Assert.Equal(times, string.Join(' ', TimesOf(read)));
    }

    [Fact]
    public void A_list_of_the_kernels_own_lines_keeps_them_and_takes_its_times()
    {
        var text = "[    0.000000] Booting\n[    0.250000] More\n[    2.000000] End\n";
        var read = Read(text);
        Assert.Equal(text, TextOf(read));
        Assert.Equal("0 250 2000", string.Join(' ', TimesOf(read)));
    }

    [Theory]
    [InlineData("U-Boot 2024.01\n[    0.000000] Linux version 6.1\n[    0.100000] more\norchard login: ")]
    [InlineData("12 apples\n13 pears\n14 plums\n")]
    [InlineData("one\ntwo\nthree\n")]
    [InlineData("2026-11-26T09:00:00Z only one line\n")]
    [InlineData("")]
    public void A_log_without_times_stays_as_it_is(string log)
    {
        var read = Read(log);
        Assert.Null(read.Kind);
        Assert.Equal(log, TextOf(read));
    }

    [Property]
    public bool A_typescript_with_timing_gives_back_every_byte_and_every_millisecond(byte[][] pieces, ushort[] gaps)
    {
        var journal = Journal(pieces, gaps);
        using var zip = new MemoryStream();
        LogExport.Typescript(journal, At, "boot-1", zip);
        if (journal.Count == 0)
            return true;
        var read = LogImport.ReadTogether(LogImport.Unzip(zip.ToArray(), 1 << 26).Value!);
        var first = journal[0].Milliseconds;
        return read.Count == 1
            && read[0].Entries.SelectMany(e => e.Piece.Bytes).SequenceEqual(journal.SelectMany(e => e.Piece.Bytes))
            && TimesOf(read[0]).SequenceEqual(journal.Select(e => e.Milliseconds - first));
    }

    [Property]
    public async Task<bool> An_asciicast_gives_back_the_text_the_times_and_what_was_typed(string[] texts, ushort[] gaps)
    {
        // What is not to be had in UTF-8 is told as U+FFFD by the format itself.
        var whole = texts
            .Where(t => t is { Length: > 0 })
            .Select(t => Encoding.UTF8.GetBytes(t))
            .Where(b => Encoding.UTF8.GetString(b).Length > 0);
        var journal = Journal([.. whole], gaps);
        if (journal.Count == 0)
            return true;
        journal.Add(new JournalEvent(journal[^1].Milliseconds + 5, EventKind.Typed, "ls␍", null, "ls\r"u8.ToArray()));
        using var file = new MemoryStream();
        await LogExport.Cast(journal, At, "Boot 1", file);
        var read = LogImport.Read("boot.cast", file.ToArray());
        return read.Entries.Where(e => e.Event is null)
                .SelectMany(e => e.Piece.Bytes)
                .SequenceEqual(journal.Where(e => e.Event is null).SelectMany(e => e.Piece.Bytes))
            && TimesOf(read).SequenceEqual(journal.Where(e => e.Event is null).Select(e => e.Milliseconds - journal[0].Milliseconds))
            && read.Entries.Single(e => e.Event is not null).Event!.Bytes!.SequenceEqual("ls\r"u8.ToArray());
    }

    private static List<JournalEntry> Journal(byte[][] pieces, ushort[] gaps)
    {
        var journal = new List<JournalEntry>();
        var at = 40;
        foreach (var (piece, n) in (pieces ?? []).Where(p => p is { Length: > 0 }).Select((p, n) => (p, n)))
        {
            journal.Add(new StoredPiece(at, piece));
            at += gaps is { Length: > 0 } ? gaps[n % gaps.Length] : 0;
        }
        return journal;
    }

    [Fact]
    public void A_timed_text_is_read_back_with_its_lines_and_times()
    {
        var log = new ConsoleLog();
        log.Append("one\r\n"u8, 1000);
        log.Append("two\r\n"u8, 1250);
        log.Append("three\r\n"u8, 3000);
        using var file = new MemoryStream();
        LogExport.Timed(log, file);
        var read = LogImport.Read("x", file.ToArray());
        Assert.Equal("one\ntwo\nthree\n", TextOf(read));
        Assert.Equal("0 250 2000", string.Join(' ', TimesOf(read)));
    }

    [Fact]
    public void Asciicast_3_counts_from_event_to_event_and_a_cut_line_ends_it()
    {
        var read = Read(
            "{\"version\":3,\"term\":{\"cols\":80,\"rows\":24}}\n[0.5,\"o\",\"one\\r\\n\"]\n# a remark\n[1.5,\"o\",\"two\\r\\n\"]\n[0.1,\"o\",\"thr"
        );
        Assert.Equal("one\r\ntwo\r\n", TextOf(read));
        Assert.Equal("500 2000", string.Join(' ', TimesOf(read)));
    }

    [Fact]
    public void A_timing_file_with_kinds_is_read_too()
    {
        var read = LogImport.ReadTogether([
            ("session.timing", "H 0.000000 START_TIME 2026-11-26\nO 0.100000 5\nI 0.200000 1\nO 0.300000 4\n"u8.ToArray()),
            ("session", "Script started on 2026-11-26 09:00:00+00:00\none\r\ntwo\n\nScript done on 2026\n"u8.ToArray()),
        ]);
        Assert.Equal("one\r\ntwo\n", TextOf(Assert.Single(read)));
        Assert.Equal("100 600", string.Join(' ', TimesOf(read[0])));
    }

    [Fact]
    public void A_zip_that_unpacks_to_too_much_or_is_damaged_is_a_problem()
    {
        using var zip = new MemoryStream();
        using (var archive = new ZipArchive(zip, ZipArchiveMode.Create, true))
        {
            using var entry = archive.CreateEntry("../../climbs.log").Open();
            entry.Write(new byte[1 << 20]);
        }
        Assert.Contains("more", LogImport.Unzip(zip.ToArray(), 1 << 19).Problem!.Came);
        Assert.Equal("climbs.log", Assert.Single(LogImport.Unzip(zip.ToArray(), 1 << 21).Value!).Name);
        Assert.NotNull(LogImport.Unzip([.. "PK\u0003\u0004"u8, 1, 2, 3], 1 << 20).Problem);
    }

    [Property]
    public bool Any_bytes_are_a_log_of_some_form(byte[] bytes) => LogImport.Read("x", bytes ?? []).Entries.Count >= 0;

    [Property]
    public bool Two_rows_of_shapes_are_laid_beside_each_other_whole_and_in_order(byte[] left, byte[] right)
    {
        long[] l = [.. (left ?? []).Select(b => (long)(b % 7))],
            r = [.. (right ?? []).Select(b => (long)(b % 7))];
        var runs = LogAlignment.Of(l, r);
        int atLeft = 1,
            atRight = 1;
        foreach (var run in runs)
        {
            if (run.LeftFrom != atLeft || run.RightFrom != atRight || run.LeftCount + run.RightCount == 0)
                return false;
            if (run.Same && !l.Skip(run.LeftFrom - 1).Take(run.LeftCount).SequenceEqual(r.Skip(run.RightFrom - 1).Take(run.RightCount)))
                return false;
            (atLeft, atRight) = (atLeft + run.LeftCount, atRight + run.RightCount);
        }
        return atLeft == l.Length + 1 && atRight == r.Length + 1;
    }

    [Fact]
    public void A_line_that_is_missing_and_one_that_is_new_are_where_they_part()
    {
        var runs = LogAlignment.Of([1, 2, 3, 4, 5, 6], [1, 2, 9, 4, 5, 7, 6]);
        Assert.Equal(
            [
                new(true, 1, 2, 1, 2),
                new(false, 3, 1, 3, 1),
                new(true, 4, 2, 4, 2),
                new(false, 6, 0, 6, 1),
                new AlignedRun(true, 6, 1, 7, 1),
            ],
            runs
        );
    }
}
