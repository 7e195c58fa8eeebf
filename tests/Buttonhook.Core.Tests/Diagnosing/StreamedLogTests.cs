using System.Text;
using System.Text.Json;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Diagnosing;

/// <summary>A log that is read in pieces, and again where it is needed, says what it says when it is whole in memory.</summary>
public class StreamedLogTests
{
    private static string Said(Diagnosis diagnosis) => JsonSerializer.Serialize(diagnosis);

    private static byte[] Long(Func<int, string> line, int count) =>
        Encoding.UTF8.GetBytes(string.Concat(Enumerable.Range(0, count).Select(line)));

    private static string Body(int n) =>
        (n % 9000) switch
        {
            0 => "[    0.000000] Linux version 6.1.0\r\n",
            40 => "[    0.100000] Kernel command line: root=/dev/mmcblk0p3 console=ttyS0\r\n",
            8000 => "[    2.000000] VFS: Cannot open root device \"/dev/mmcblk0p3\" or unknown-block(0,0): error -6\r\n",
            8001 => "[    2.100000] Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0)\r\n",
            // A list of nothing but the kernel's lines would be one with times.
            var i when i % 10 == 3 => $"sentinel {n} says something\r\n",
            var i => $"[    {i / 5000.0:0.000000}] usb 1-{i % 7}: new high-speed device, sentinel ß {n}\r\n",
        };

    public static TheoryData<string> Forms => ["plain", "stamped", "kernel", "clock", "cut", "one-line", "empty"];

    [Theory]
    [MemberData(nameof(Forms))]
    public void It_says_the_same(string form)
    {
        var log = form switch
        {
            "plain" => Long(Body, 40_000),
            "stamped" => Long(n => $"{n / 2000.0:0.000} {Body(n)}", 30_000),
            "kernel" => Long(n => $"[{n / 5000.0, 12:0.000000}] sentinel {n} says something\n", 60_000),
            "clock" => Long(
                n => $"23:{50 + n / 4000:00}:{n / 67 % 60:00}.{n % 1000:000} {(n == 7 ? "U-Boot SPL 2025.01\n" : Body(n))}",
                30_000
            ),
            "cut" => Long(Body, 20_000)[..1_000_001],
            "one-line" => Long(_ => "never ends ", 60_000),
            _ => [],
        };
        var (_, whole) = LogDiagnosis.Of(log, Knowledge.Rules);
        using var stream = new MemoryStream(log);
        var reader = LogDiagnosis.Read(stream, Knowledge.Rules);
        Assert.Equal(Said(whole), Said(reader.Diagnose().Diagnosis));
        Assert.Equal(form is "stamped" or "kernel" or "clock", reader.Log.HasTimes);
        var inMemory = LogDiagnosis.Read(log, Knowledge.Rules);
        Assert.Equal((inMemory.Log.Length, inMemory.Log.LineCount), (reader.Log.Length, reader.Log.LineCount));
        Assert.Equal((inMemory.Log.Origin, inMemory.Log.PowerAt), (reader.Log.Origin, reader.Log.PowerAt));
        // Of what was let go any line can be had again, in any order.
        foreach (
            var line in new[] { 1, 2, reader.Log.LineCount, 17, reader.Log.LineCount / 2, 300, 1 }.Where(n => n <= reader.Log.LineCount)
        )
            Assert.Equal((inMemory.Log.Text(line), inMemory.Log.Arrival(line)), (reader.Log.Text(line), reader.Log.Arrival(line)));
        if (form == "plain")
        {
            Assert.Equal(LineText.Clean(Encoding.UTF8.GetBytes(Body(17))), reader.Log.Text(18));
            Assert.Equal(LineText.Clean(Encoding.UTF8.GetBytes(Body(39_000))), reader.Log.Text(39_001));
            Assert.Equal(LineText.Clean(Encoding.UTF8.GetBytes(Body(18))), reader.Log.Text(19));
        }
    }

    [Property]
    public bool A_line_in_a_buffer_reads_as_a_line_in_a_string(byte[] bytes, bool plain)
    {
        var line = plain ? [.. bytes.Select(b => (byte)(32 + b % 95)), (byte)'\r', (byte)'\n'] : bytes;
        var buffer = new char[4];
        return LineText.Clean(line, ref buffer).ToString() == LineText.Clean(line);
    }

    [Property]
    public bool Marks_between_two_lines_are_those_that_stand_there(byte[] lines, byte first, byte last)
    {
        var mark = new Mark("a", "b");
        var marks = lines.Order().Select(l => new MarkHit(mark, l, "", new Dictionary<string, string>(), null)).ToList();
        return Attempts.Between(marks, first, last).SequenceEqual(marks.Where(m => m.Line >= first && m.Line <= last));
    }
}
