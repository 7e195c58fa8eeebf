namespace Buttonhook.Core.Consoles;

/// <summary>The bytes of one capture exactly as received, with the arrival time of each piece and where each line starts (lines end at LF).</summary>
public sealed class ConsoleLog
{
    private readonly List<int> lineStarts = [0];
    private readonly List<(int Offset, int Milliseconds)> arrivals = [];
    private byte[] bytes = new byte[4096];

    /// <summary>How many bytes arrived.</summary>
    public int Length { get; private set; }

    /// <summary>How many lines there are, a last one without LF included.</summary>
    public int LineCount => lineStarts[^1] < Length ? lineStarts.Count : lineStarts.Count - 1;

    /// <summary>How many lines are ended by LF.</summary>
    public int CompleteLines => lineStarts.Count - 1;

    /// <summary>Whether arrival times are known (a dropped log file has none).</summary>
    public bool HasTimes => arrivals.Count > 0 && arrivals[^1].Milliseconds >= 0;

    /// <summary>Milliseconds from the begin of the capture to power: all times count from there, and are negative before.</summary>
    public int PowerAt { get; set; }

    /// <summary>Milliseconds from power to the newest byte, or null without times.</summary>
    public int? LastArrival => HasTimes ? arrivals[^1].Milliseconds - PowerAt : null;

    /// <summary>All bytes.</summary>
    public ReadOnlySpan<byte> Bytes => bytes.AsSpan(0, Length);

    /// <summary>Appends a piece that arrived <paramref name="milliseconds"/> after the begin of the capture; -1 when no time is known. At most 2 GiB in all.</summary>
    public void Append(ReadOnlySpan<byte> piece, int milliseconds)
    {
        if (piece.IsEmpty)
            return;
        if (Length + piece.Length > bytes.Length)
            Array.Resize(ref bytes, (int)Math.Min(Array.MaxLength, Math.Max(bytes.Length * 2L, Length + (long)piece.Length)));
        piece.CopyTo(bytes.AsSpan(Length));
        arrivals.Add((Length, milliseconds));
        for (var at = 0; piece[at..].IndexOf((byte)'\n') is >= 0 and var next; at += next + 1)
            lineStarts.Add(Length + at + next + 1);
        Length += piece.Length;
    }

    /// <summary>The longest time between two pieces up to and with a line (null: the whole capture), in milliseconds; null without times.</summary>
    public int? LongestQuiet(int? untilLine)
    {
        if (!HasTimes)
            return null;
        var end = untilLine is { } line && line < lineStarts.Count ? lineStarts[line] : Length;
        int longest = 0,
            before = 0;
        foreach (var (offset, milliseconds) in arrivals)
        {
            if (offset >= end)
                break;
            // What was quiet before power says nothing.
            longest = Math.Max(longest, milliseconds - Math.Max(before, PowerAt));
            before = milliseconds;
        }
        return longest;
    }

    /// <summary>The raw bytes of a line, counted from 1; empty beyond the end.</summary>
    public ReadOnlySpan<byte> Raw(int line)
    {
        if (line < 1 || line > LineCount)
            return [];
        var end = line < lineStarts.Count ? lineStarts[line] : Length;
        return Bytes[lineStarts[line - 1]..end];
    }

    /// <summary>The readable text of a line, counted from 1.</summary>
    public string Text(int line) => LineText.Clean(Raw(line));

    /// <summary>Milliseconds from power to the first byte of a line, or null without times.</summary>
    public int? Arrival(int line)
    {
        if (!HasTimes || line < 1 || line > LineCount)
            return null;
        var offset = lineStarts[line - 1];
        int low = 0,
            high = arrivals.Count - 1;
        while (low < high)
        {
            var middle = (low + high + 1) / 2;
            if (arrivals[middle].Offset <= offset)
                low = middle;
            else
                high = middle - 1;
        }
        return arrivals[low].Milliseconds - PowerAt;
    }
}
