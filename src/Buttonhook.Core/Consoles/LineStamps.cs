using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Consoles;

/// <summary>Times that another program put in front of the lines of a log: found, read and taken away.</summary>
public static partial class LineStamps
{
    /// <summary>How many lines are looked at to tell whether a log is stamped.</summary>
    private const int LookedAt = 2000;

    /// <summary>Fewer stamped lines than this may be chance.</summary>
    private const int FewestLines = 3;

    /// <summary>The share of lines that must have a stamp, and of stamps that must not go back.</summary>
    private const double MostLines = 0.9,
        MostForward = 0.97;

    private const double Day = 86_400;

    internal sealed record Kind(string Name, Regex Pattern, Func<Match, double?> Seconds, bool OfDay, bool Stays);

    /// <summary>A kernel stamps its own lines in every capture: only a list of nothing else is one with times.</summary>
    private const double MostOfKernel = 0.98;

    private static readonly Kind[] Kinds =
    [
        new("date and time", Absolute(), m => Date(m.Groups[1].Value), false, false),
        new("the system journal's time", Journal(), m => Journalled(m.Groups[1].Value), false, false),
        new("time of day", Clock(), m => OfDay(m.Groups[1].Value), true, false),
        new("seconds in brackets", Relative(), m => Number(m.Groups[1].Value), false, false),
        new("seconds", Plain(), m => Number(m.Groups[1].Value), false, false),
        new("the kernel's time", Kernel(), m => Number(m.Groups[1].Value), false, true),
    ];

    /// <summary>The lines without their stamps, with milliseconds from the first one; and what the stamps are. Null for a log that has none.</summary>
    /// <param name="log">The whole log.</param>
    public static (IReadOnlyList<StoredPiece> Pieces, string Kind)? Read(ReadOnlySpan<byte> log) =>
        Stamped(log) is { } kind ? (Parted(log, kind), kind.Name) : null;

    /// <summary>What the stamps of a log are, as its beginning tells; null for none.</summary>
    public static string? KindOf(ReadOnlySpan<byte> start) => Stamped(start)?.Name;

    private static Kind? Stamped(ReadOnlySpan<byte> log)
    {
        var head = new List<string>();
        var rest = log;
        while (!rest.IsEmpty && head.Count < LookedAt)
        {
            var line = Next(ref rest).TrimEnd("\r\n"u8);
            if (!line.IsEmpty)
                head.Add(Encoding.UTF8.GetString(line[..Math.Min(line.Length, 200)]));
        }
        return Kinds.FirstOrDefault(k => Fits(k, head));
    }

    private static bool Fits(Kind kind, List<string> lines)
    {
        int stamped = 0,
            forward = 0;
        var last = double.MinValue;
        foreach (var line in lines)
        {
            if (kind.Pattern.Match(line) is not { Success: true } match || kind.Seconds(match) is not { } seconds)
                continue;
            stamped++;
            if (seconds >= last || kind.OfDay && last - seconds > Day / 2)
                forward++;
            last = seconds;
        }
        return stamped >= FewestLines
            && stamped >= lines.Count * (kind.Stays ? MostOfKernel : MostLines)
            && forward >= stamped * MostForward;
    }

    private static List<StoredPiece> Parted(ReadOnlySpan<byte> log, Kind kind)
    {
        var pieces = new List<StoredPiece>();
        var clock = new StampClock(kind);
        while (!log.IsEmpty)
        {
            var line = clock.Part(Next(ref log), out var milliseconds);
            pieces.Add(new(milliseconds, line.ToArray()));
        }
        return pieces;
    }

    /// <summary>What takes the stamps off the lines of a log whose beginning is stamped, one after the other; null for a log that has none.</summary>
    /// <param name="start">Its beginning: as many lines as tell, a few hundred kB.</param>
    internal static StampClock? Parter(ReadOnlySpan<byte> start) => Stamped(start) is { } kind ? new(kind) : null;

    /// <summary>Counts the time of a stamped log on.</summary>
    internal sealed class StampClock(Kind kind)
    {
        private const int LongestStamp = 200;

        /// <summary>How far the time was counted: where a part of the log is read again, it goes on from there.</summary>
        public Moment At { get; set; }

        /// <summary>The first time of the log, the newest since then, and the midnights that were passed.</summary>
        internal readonly record struct Moment(double? First, double Last, double Days);

        /// <summary>A line without its stamp, with milliseconds from the first one.</summary>
        public ReadOnlySpan<byte> Part(ReadOnlySpan<byte> line, out int milliseconds)
        {
            var (first, last, days) = At;
            if (TimeOf(line, out var length) is { } seconds)
            {
                first ??= seconds;
                if (kind.OfDay && seconds + days * Day < last - Day / 2 + first)
                    days++;
                last = Math.Max(last, seconds + days * Day - first.Value);
                At = new(first, last, days);
                line = line[length..];
            }
            milliseconds = (int)Math.Min(int.MaxValue, Math.Round(last * 1000));
            return line;
        }

        private double? TimeOf(ReadOnlySpan<byte> line, out int length)
        {
            length = 0;
            Span<char> letters = stackalloc char[LongestStamp];
            letters = letters[..Encoding.Latin1.GetChars(line[..Math.Min(line.Length, LongestStamp)], letters)];
            if (kind.Stays)
                return KernelClock.TimeOf(letters);
            if (kind.Pattern.Match(letters.ToString()) is not { Success: true } match || kind.Seconds(match) is not { } seconds)
                return null;
            length = match.Length;
            return seconds;
        }
    }

    private static ReadOnlySpan<byte> Next(ref ReadOnlySpan<byte> rest)
    {
        var end = rest.IndexOf((byte)'\n');
        var line = end < 0 ? rest : rest[..(end + 1)];
        rest = rest[line.Length..];
        return line;
    }

    private static double? Number(string text) =>
        double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var seconds) ? seconds : null;

    private static double? Date(string text) =>
        DateTimeOffset.TryParse(
            text.Replace(',', '.'),
            CultureInfo.InvariantCulture,
            DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal,
            out var at
        )
            ? at.ToUnixTimeMilliseconds() / 1000.0
            : null;

    /// <summary>"Nov 26 12:00:00.123" of no year: that it is one without a leap day matters for no boot.</summary>
    private static double? Journalled(string text) =>
        DateTime.TryParseExact(
            text.Replace("  ", " ", StringComparison.Ordinal),
            ["MMM d HH:mm:ss", "MMM d HH:mm:ss.FFFFFF"],
            CultureInfo.InvariantCulture,
            DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal,
            out var at
        )
            ? (at - DateTime.UnixEpoch).TotalSeconds
            : null;

    private static double? OfDay(string text) =>
        TimeSpan.TryParse(text.Replace(',', '.'), CultureInfo.InvariantCulture, out var time) ? time.TotalSeconds : null;

    [GeneratedRegex(
        @"^[\[\(]?(\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:[.,]\d{1,7})?\d*(?:Z| ?[+-]\d\d:?\d\d)?)[\]\)]?(?:\s?[|:>-])?(?:[ \t]|(?=\r?\n)|$)"
    )]
    private static partial Regex Absolute();

    [GeneratedRegex(@"^([A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d(?:\.\d{1,6})?) \S{1,64} (?:kernel: )?")]
    private static partial Regex Journal();

    [GeneratedRegex(@"^[\[\(]?(\d\d:\d\d:\d\d(?:[.,]\d{1,7})?)\d*[\]\)]?(?:\s?[|:>-])?(?:[ \t]|(?=\r?\n)|$)")]
    private static partial Regex Clock();

    [GeneratedRegex(@"^(?:\[\s*\+?\s*|\+)(\d{1,7}\.\d{1,4})\d*\s?s?\]?(?:\s?[|:>])?(?:[ \t]|(?=\r?\n)|$)(?<!\[\s*\d+\.\d{6}\] )")]
    private static partial Regex Relative();

    [GeneratedRegex(@"^\s{0,12}(\d{1,7}\.\d{1,6})s?(?:\s?[|:>])?(?:  ?|\t|(?=\r?\n)|$)")]
    private static partial Regex Plain();

    [GeneratedRegex(@"^\[\s*(\d{1,7}\.\d{6})\](?: |$)")]
    private static partial Regex Kernel();
}
