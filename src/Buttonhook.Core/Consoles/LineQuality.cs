namespace Buttonhook.Core.Consoles;

/// <summary>What the bytes themselves say about the line.</summary>
public enum LineFault
{
    /// <summary>Reads as text.</summary>
    None,

    /// <summary>The rates differ.</summary>
    Speed,

    /// <summary>The levels are swapped.</summary>
    Inverted,

    /// <summary>Right rate, wrong data bits or parity.</summary>
    Frame,

    /// <summary>Single bytes are wrong.</summary>
    Noise,

    /// <summary>No console text, and none seen through any line that is known here: another kind of data, an open pin, a damaged file.</summary>
    NoText,
}

/// <summary>The judgement of a line: which fault, and for a speed fault the board's rate divided by the receiver's (1 when unknown).</summary>
public readonly record struct LineVerdict(LineFault Fault, double RateRatio, double UnreadableShare)
{
    /// <summary>The wrong lines that it may be, the likeliest first; null where the bytes read as text, or were not told by their values.</summary>
    public IReadOnlyList<LikelyLine>? Likely { get; init; }

    /// <summary>How many more bytes would tell it surely; 0 when there are enough.</summary>
    public int MoreBytes { get; init; }

    /// <summary>The likely lines in words, with how sure each is; null without any.</summary>
    public string? Says =>
        Likely is not { Count: > 0 } likely
            ? null
            : $"it reads as {string.Join(", or ", likely.Select(l => $"{l} ({l.Share * 100:0} %)"))}{(MoreBytes > 0 ? $"; {MoreBytes} more bytes would tell it better" : "")}";
}

/// <summary>A wrong line that bytes fit.</summary>
/// <param name="RateRatio">The board's rate divided by the receiver's; 1 for swapped levels.</param>
/// <param name="Share">How sure, 0 to 1.</param>
public sealed record LikelyLine(LineFault Fault, double RateRatio, double Share)
{
    /// <summary>The line in words, with the usual rates that differ so.</summary>
    public override string ToString() =>
        Fault == LineFault.Inverted ? "swapped levels"
        : Pairs() is { Length: > 0 } pairs ? $"{RateRatio:0.##} times the set rate, as {pairs} does"
        : $"{RateRatio:0.##} times the set rate";

    /// <summary>The two commonest pairs of usual rates with this ratio.</summary>
    private string Pairs() =>
        string.Join(
            " or ",
            LineQuality
                .UsualRates.SelectMany(
                    s => LineQuality.UsualRates.Where(r => Math.Abs((double)s / r / RateRatio - 1) < 0.02),
                    (s, r) => (s, r)
                )
                .OrderByDescending(p => p.r == 115_200 || p.s == 115_200)
                .Take(2)
                .Select(p => string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{p.s} heard at {p.r}"))
        );
}

/// <summary>Counts bytes as they arrive and judges the line from the counts.</summary>
public sealed class LineQuality
{
    private const double Smoothing = 0.1;

    /// <summary>With fewer bytes nothing is said, and with fewer than the second number only where many of them are no text.</summary>
    private const int FewestBytes = 12,
        EnoughBytes = 24;

    /// <summary>From this share of bytes that are no text on, few bytes are enough.</summary>
    private const double MostlyBad = 0.3;

    /// <summary>How much better than an even spread a byte must fit a wrong line, in natural log units a byte.</summary>
    private const double LeastFit = 0.5;

    /// <summary>
    /// How far the bytes must crowd on few values, as the excess of chi-square over its mean per byte: text seen through a wrong line
    /// gave 2.8 and more on real captures, random and packed bytes 0.4 and less from 24 bytes on.
    /// </summary>
    private const double LeastCrowding = 1;
    private readonly long[] counts = new long[256];
    private long total;
    private long badText;
    private int utf8Left;
    private byte maybeFrame;
    private long frames;
    private long straightFrames;

    /// <summary>Line-drawing characters of code page 437, with which firmware and menus draw frames on a serial console.</summary>
    private static readonly bool[] Frames = FramesOf(
        "\xB0\xB1\xB2\xB3\xB4\xB9\xBA\xBB\xBC\xBF\xC0\xC1\xC2\xC3\xC4\xC5\xC8\xC9\xCA\xCB\xCC\xCD\xCE\xD9\xDA\xDB"
    );

    private static bool[] FramesOf(string characters)
    {
        var set = new bool[256];
        foreach (var c in characters)
            set[c] = true;
        return set;
    }

    /// <summary>Rates met in practice, in bits per second.</summary>
    public static IReadOnlyList<int> UsualRates { get; } = [9600, 19200, 38400, 57600, 74880, 115200, 230400, 460800, 921600, 1_500_000];

    /// <summary>Counts a piece.</summary>
    public void Add(ReadOnlySpan<byte> piece)
    {
        total += piece.Length;
        foreach (var b in piece)
        {
            counts[b]++;
            // Nearly every byte of a console is this.
            if (Plain[b] && utf8Left == 0)
                continue;
            if (utf8Left > 0)
            {
                if ((b & 0xC0) == 0x80)
                {
                    utf8Left--;
                    continue;
                }
                if (maybeFrame == 0)
                    badText++;
                else
                    CountFrame(maybeFrame);
                utf8Left = 0;
            }
            if (b < 0x80)
            {
                if (!IsText(b))
                    badText++;
            }
            else if (b is >= 0xC2 and < 0xF5)
            {
                maybeFrame = Frames[b] ? b : (byte)0;
                utf8Left =
                    b < 0xE0 ? 1
                    : b < 0xF0 ? 2
                    : 3;
            }
            else if (Frames[b])
                CountFrame(b);
            else
                badText++;
        }
    }

    private void CountFrame(byte b)
    {
        frames++;
        if (b is 0xC4 or 0xB3 or 0xCD or 0xBA)
            straightFrames++;
    }

    /// <summary>Bytes that are no text; frames count as text when they are mostly straight lines, as drawn ones are and garbage is not.</summary>
    private long Bad => badText + (straightFrames < 0.7 * frames ? frames : 0);

    private static readonly bool[] Plain = [.. Enumerable.Range(0, 256).Select(IsText)];

    private static bool IsText(int b) => b is >= 32 and < 127 or '\r' or '\n' or '\t' or '\b' or 0x1B or 0x07 or 0x0E or 0x0F;

    /// <summary>Judges what was counted; with fewer than 12 bytes, and with fewer than 24 that are mostly text, the answer is None.</summary>
    public LineVerdict Judge()
    {
        if (total < FewestBytes || total < EnoughBytes && Bad < MostlyBad * total)
            return new(LineFault.None, 1, 0);
        var share = Bad / (double)total;
        if (share < 0.002 || Bad < 8 && Bad < MostlyBad * total)
            return new(LineFault.None, 1, share);
        if (IsSevenBit())
            return new(LineFault.Frame, 1, share);
        if (share < 0.08)
            return new(LineFault.Noise, 1, share);
        var ranked = Hypotheses.Value.Select(h => (Of: h, Fit: h.Likelihood(counts))).OrderByDescending(h => h.Fit).ToList();
        var best = ranked[0];
        if (Crowding < LeastCrowding && best.Fit + total * Math.Log(256) < LeastFit * total)
            return new(LineFault.NoText, 1, share);
        // Bytes of one line depend on each other: what each says counts a part only, so that few bytes leave several rates open.
        var weights = ranked.Select(h => (h.Of, Weight: Math.Exp(Independent * (h.Fit - best.Fit)))).ToList();
        var sum = weights.Sum(w => w.Weight);
        return new(best.Of.Fault, best.Of.Ratio, share)
        {
            MoreBytes = (int)Math.Max(0, SureBytes - total),
            Likely =
            [
                .. weights
                    .GroupBy(w => (w.Of.Fault, w.Of.Ratio))
                    .Select(g => new LikelyLine(g.Key.Fault, g.Key.Ratio, g.Sum(w => w.Weight) / sum))
                    .OrderByDescending(l => l.Share)
                    .Take(MostShown)
                    .Where(l => l.Share >= LeastShown),
            ],
        };
    }

    /// <summary>How much of a byte's word counts by itself.</summary>
    private const double Independent = 0.12;

    private const int MostShown = 4;

    /// <summary>From so many bytes on every wrong rate was told in the tests with the bit-level model.</summary>
    private const int SureBytes = 80;

    private const double LeastShown = 0.05;

    /// <summary>Pearson's chi-square of the counts against an even spread over all 256 values, less its mean of 255, per byte: 0 for random bytes, 255 for one value alone.</summary>
    private double Crowding
    {
        get
        {
            var even = total / 256.0;
            return (counts.Sum(c => (c - even) * (c - even) / even) - 255) / total;
        }
    }

    /// <summary>True when the low seven bits read as text and bit 7 is the parity of the rest in every byte.</summary>
    private bool IsSevenBit()
    {
        long text = 0,
            even = 0,
            high = 0;
        for (var b = 0; b < 256; b++)
        {
            if (IsText(b & 0x7F))
                text += counts[b];
            if (int.IsEvenInteger(int.PopCount(b)))
                even += counts[b];
            if (b >= 0x80)
                high += counts[b];
        }
        return text > 0.97 * total && high > 0.2 * total && (even > 0.99 * total || even < 0.01 * total || high > 0.99 * total);
    }

    private sealed record Hypothesis(LineFault Fault, double Ratio, double[] LogShares)
    {
        public double Likelihood(long[] counts)
        {
            var sum = 0.0;
            for (var b = 0; b < 256; b++)
                sum += counts[b] * LogShares[b];
            return sum;
        }
    }

    /// <summary>Byte shares of ordinary boot text seen through each wrong line, from the bit-level model.</summary>
    private static readonly Lazy<IReadOnlyList<Hypothesis>> Hypotheses = new(() =>
    {
        var text = "\r\n\r\nU-Boot 2023.01 (Jun 22 2026 - 08:38:07 +0000)\r\n\r\nDRAM:  512 MiB\r\nCore:  47 devices, 13 uclasses\r\n"u8
            .ToArray()
            .Concat(
                "Loading Environment from Flash... *** Warning - bad CRC, using default environment\r\n\r\nHit any key to stop autoboot:  2 \b\b\b 1 \b\b\b 0 \r\n"u8.ToArray()
            )
            .Concat(
                "scanning bus for devices...\r\n            Capacity: 114.0 MB = 0.1 GB (233472 x 512)\r\nRetrieving file: /extlinux/extlinux.conf\r\n"u8.ToArray()
            )
            .Concat(
                "[    0.000000] Kernel command line: root=/dev/mmcblk0p2 rw console=ttyS0,115200\r\n[    2.996631] usb 1-1: new high-speed USB device number 2\r\n"u8.ToArray()
            )
            .Concat("[  OK  ] Started system log. Starting network ... done.\r\n\r\nwelcome, devbox login: "u8.ToArray())
            .ToArray();
        text =
        [
            .. Enumerable
                .Range(0, 10)
                .SelectMany(k => text.Select(b => b is >= (byte)'0' and <= (byte)'9' ? (byte)('0' + (b - '0' + k) % 10) : b)),
        ];
        var list = new List<Hypothesis>();
        void Try(LineFault fault, double ratio, bool inverted, int gap)
        {
            var counts = new double[256];
            var received = LineModel.Receive(text, ratio, 1, inverted, gap);
            if (received.Length < 100)
                return; // nothing to compare with: a much faster board gives the receiver no start bit
            foreach (var b in received)
                counts[b]++;
            var sum = received.Length + 256 * Smoothing;
            list.Add(new(fault, ratio, [.. counts.Select(c => Math.Log((c + Smoothing) / sum))]));
        }
        var ratios = UsualRates
            .SelectMany(s => UsualRates.Where(r => r != s).Select(r => Math.Round((double)s / r, 3)))
            .Where(r => r is > 0.025 and < 40)
            .Distinct();
        foreach (var ratio in ratios.Concat([0.9, 0.93, 0.95, 1.05, 1.07, 1.1]))
        {
            Try(LineFault.Speed, ratio, false, 0);
            Try(LineFault.Speed, ratio, false, 3);
        }
        foreach (var gap in (int[])[0, 1, 2, 3, 4, 8, 20])
            Try(LineFault.Inverted, 1, true, gap);
        return list;
    });
}
