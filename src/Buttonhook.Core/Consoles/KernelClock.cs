using System.Text.RegularExpressions;

namespace Buttonhook.Core.Consoles;

/// <summary>Follows the times in front of a kernel's lines: where they start anew, the board was restarted, also when no loader printed a line.</summary>
internal sealed partial class KernelClock
{
    /// <summary>A clock that falls by more than this, in seconds, was started anew; lines of several processors differ by less.</summary>
    private const double LeastFall = 1.5;

    /// <summary>A kernel that starts counts from 0; a line of its first seconds is met even when its first lines were lost.</summary>
    private const double Young = 10;
    private readonly List<(int Before, int Line)> falls = [];

    /// <summary>A processor that is started prints its first lines with a clock of its own: behind so many lines at most the old time goes on.</summary>
    private const int LinesOfProcessor = 4;

    private (int Before, int Line, double From, int Lines)? pending;
    private double last;
    private int lastLine;

    /// <summary>The line that was taken last.</summary>
    private int before;

    /// <summary>Where it starts anew: the last line with the old time, and the first with the new one.</summary>
    public IReadOnlyList<(int Before, int Line)> Falls => pending is { Lines: > 0 } fall ? [.. falls, (fall.Before, fall.Line)] : falls;

    /// <summary>Takes the next line, with the time in front of it or null for none. What a person lists of the kernel's own log is no restart.</summary>
    /// <param name="textOf">The text of a line before it.</param>
    public void Watch(double? time, int line, Func<int, string> textOf)
    {
        if (time is { } now)
        {
            // A digit that was lost on the line looks like a fall; the next time tells: behind a restart it goes on from the new one.
            if (pending is { } fall)
            {
                var back = now >= fall.From && now - last > LeastFall;
                if (back || now < last - LeastFall || now >= Math.Max(Young, fall.From / 2) && fall.Lines == 0)
                {
                    if (now >= fall.From - LeastFall)
                        last = fall.From;
                    pending = null;
                }
                else if (fall.Lines + 1 < LinesOfProcessor)
                    pending = fall with { Lines = fall.Lines + 1 };
                else
                {
                    falls.Add((fall.Before, fall.Line));
                    pending = null;
                }
            }
            if (
                now < Young
                && last - now > Math.Max(LeastFall, last / 2)
                && pending is null
                && !Listing().IsMatch(before > 0 ? textOf(before) : "")
            )
                pending = (lastLine, line, last, 0);
            (last, lastLine) = (now, line);
        }
        before = line;
    }

    /// <summary>The seconds in front of a kernel's line ("[    1.234567] "), or null.</summary>
    public static double? TimeOf(ReadOnlySpan<char> text)
    {
        if (text.Length < 12 || text[0] != '[')
            return null;
        var end = text[..Math.Min(text.Length, 20)].IndexOf(']');
        if (end < 9 || text[end - 7] != '.')
            return null;
        var number = text[1..end].TrimStart(' ');
        if (number.Length > 13)
            return null;
        long digits = 0,
            parts = 0;
        foreach (var c in number)
            if (char.IsAsciiDigit(c))
                (digits, parts) = (digits * 10 + c - '0', parts * 10);
            else if (c == '.' && parts == 0)
                parts = 1;
            else
                return null;
        return digits / (double)parts;
    }

    [GeneratedRegex(@"[#$] .{0,80}\b(dmesg|journalctl|kern\.log|syslog)\b")]
    private static partial Regex Listing();
}
