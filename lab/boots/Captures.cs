using System.Text;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Lab;

/// <summary>Captures as people make them, computed out of real logs: late, cut, stamped, wrapped, two boots in one file, lost bytes, noise, other line ends, a line with another speed.</summary>
internal static class Captures
{
    /// <summary>One in so many letters is lost or hit by noise.</summary>
    private const int Rare = 400;

    /// <summary>The logs and, of each, two captures; the same ones each time.</summary>
    public static IEnumerable<LabLog> With(IReadOnlyList<LabLog> logs)
    {
        var number = 0;
        foreach (var log in logs)
        {
            yield return log;
            if (log.Log.Length < 600)
                continue;
            for (var i = 0; i < 2; i++)
                if (Of(log, logs, (number * 2 + i) % 11, new Random(number * 7 + i)) is { } capture)
                    yield return capture;
            number++;
        }
    }

    private static LabLog? Of(LabLog log, IReadOnlyList<LabLog> all, int kind, Random random)
    {
        var lines = Encoding.Latin1.GetString(log.Log).Split('\n');
        LabLog As(string name, IEnumerable<string> text, Func<int, int?> moved) =>
            log with
            {
                Name = $"{log.Name}+{name}",
                Log = Encoding.Latin1.GetBytes(string.Join('\n', text)),
                KeyLines = [.. log.KeyLines.Select(moved).OfType<int>()],
            };
        LabLog Line(string name, string cause, byte[] bytes) =>
            log with
            {
                Name = $"{log.Name}+{name}",
                Log = bytes,
                Cause = cause,
                Accept = [cause],
                Outcomes = ["garbled"],
                KeyLines = [],
            };
        var first = log.KeyLines.Count > 0 ? log.KeyLines[0] : lines.Length;
        switch (kind)
        {
            case 0 when first > 12:
            {
                var skipped = random.Next(3, Math.Max(4, first / 2));
                return As("late", lines.Skip(skipped), l => l - skipped);
            }
            case 1 when (log.Cause == "none" || log.KeyLines.Count > 0) && first > 40 && !log.Outcomes.Contains("garbled"):
            {
                // It ended before anything was wrong: nobody is to be accused.
                var end = random.Next(first / 3, first * 2 / 3);
                // A good boot of a slow machine may stall and go on; what ends in the stall cannot be told from one that does not.
                if (lines.Take(end).Any(l => l.Contains("soft lockup", StringComparison.Ordinal)))
                    return null;
                return As("cut", lines.Take(end), _ => null) with
                {
                    Cause = "something-else",
                    Accept = ["something-else"],
                    Outcomes = ["cut"],
                };
            }
            case 2:
                return As(
                    "stamped",
                    lines.Select((t, i) => $"[2026-11-03 08:{i / 60 % 60:00}:{i % 60:00}.{i * 37 % 1000:000}] {t}"),
                    l => l
                );
            case 3:
                return As("seconds", lines.Select((t, i) => $"{i * 0.137, 10:0.000}  {t}"), l => l);
            case 4:
            {
                var at = new List<int>();
                var wrapped = new List<string>();
                foreach (var line in lines)
                {
                    var text = line.TrimEnd('\r');
                    at.Add(wrapped.Count + 1);
                    for (var i = 0; i < Math.Max(1, text.Length); i += 80)
                        wrapped.Add(text[i..Math.Min(text.Length, i + 80)]);
                }
                return As("wrapped", wrapped, l => at[l - 1]);
            }
            case 5 when log.Cause != "none" && !log.Outcomes.Contains("rebooting"):
            {
                var good = all.FirstOrDefault(l => l.System == log.System && l.Cause == "none");
                if (good is null)
                    return null;
                var before = Encoding.Latin1.GetString(good.Log).Split('\n');
                return As("second", [.. before, .. lines], l => l + before.Length);
            }
            case 6:
                return As("lost", lines.Select(t => new string([.. t.Where(_ => random.Next(Rare) > 0)])), l => l) with
                {
                    Accept = [.. log.Accept, "console-bytes-lost"],
                    Outcomes = [.. log.Outcomes, "garbled"],
                };
            case 7:
            {
                var noisy = log.Log.ToArray();
                for (var i = 0; i < noisy.Length; i++)
                    if (noisy[i] != '\n' && random.Next(60) == 0)
                        noisy[i] = (byte)(noisy[i] ^ (1 << random.Next(8)) | 0x80);
                return Line("noise", "console-line-noise", noisy) with
                {
                    Accept = ["console-line-noise", .. log.Accept],
                    Outcomes = ["garbled", .. log.Outcomes],
                };
            }
            case 8:
                return As("line-ends", lines.Select((t, i) => i % 3 == 0 ? t.TrimEnd('\r') : t.TrimEnd('\r') + "\r\r"), l => l);
            case 9:
            {
                (double Sent, double Heard)[] rates =
                [
                    (115200, 9600),
                    (115200, 57600),
                    (1500000, 115200),
                    (9600, 115200),
                    (115200, 230400),
                    (921600, 115200),
                    (38400, 115200),
                ];
                var (sent, heard) = rates[random.Next(rates.Length)];
                return Line(
                    "speed",
                    "console-speed-mismatch",
                    LineModel.Receive(log.Log.AsSpan(0, Math.Min(log.Log.Length, 6000)), sent, heard)
                );
            }
            case 10:
                return Line(
                    "levels",
                    "console-inverted-level",
                    LineModel.Receive(log.Log.AsSpan(0, Math.Min(log.Log.Length, 6000)), 115200, 115200, true)
                ) with
                {
                    Accept = ["console-inverted-level", "console-speed-mismatch"],
                };
            default:
                return null;
        }
    }
}
