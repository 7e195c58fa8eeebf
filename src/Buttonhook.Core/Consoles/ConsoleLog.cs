using System.IO.Hashing;

namespace Buttonhook.Core.Consoles;

/// <summary>
/// The bytes of one capture exactly as received, with the arrival time of each piece and where each line starts (lines end at LF). It may
/// be longer than memory: full pages are let go when they can be read again, and an index of a few numbers a page stays.
/// </summary>
public sealed class ConsoleLog
{
    /// <summary>A page is closed behind the piece that fills it.</summary>
    private const int PageBytes = 1 << 16;

    /// <summary>How much of the pages that were closed stays in memory when they can be read again.</summary>
    private const int BytesInMemory = 2 << 20;

    /// <summary>A longer line is read as its first MiB; its bytes are kept as all others.</summary>
    private const int LongestLine = 1 << 20;

    private sealed record Content(byte[] Bytes, int[] LineEnds, (int Offset, int Milliseconds)[] Arrivals);

    private readonly Func<int, int, IEnumerable<StoredPiece>>? again;
    private readonly List<LogPage> closed = [];
    private readonly Dictionary<int, Content> inMemory = [];
    private readonly LinkedList<int> lastUsed = [];
    private long bytesInMemory;

    // The page that still grows.
    private readonly List<int> lineEnds = [];
    private readonly List<(int Offset, int Milliseconds)> arrivals = [];
    private byte[] bytes = new byte[4096];
    private int filled;
    private int pieces;
    private int longestGap;
    private LogPage before;

    /// <summary>An empty log.</summary>
    /// <param name="again">Reads so many pieces again from one on (counted from 0); null keeps everything in memory.</param>
    /// <param name="pages">The pages of a log that was read before; they need <paramref name="again"/>.</param>
    public ConsoleLog(Func<int, int, IEnumerable<StoredPiece>>? again = null, IReadOnlyList<LogPage>? pages = null)
    {
        this.again = again;
        closed.AddRange(pages ?? []);
        if (closed.Count > 0)
            before = closed[^1];
    }

    private long ClosedBytes => before.Offset + before.Bytes;
    private int ClosedLineEnds => before.LineEndsBefore + before.LineEnds;

    /// <summary>How many bytes arrived.</summary>
    public long Length => ClosedBytes + filled;

    /// <summary>How many lines are ended by LF.</summary>
    public int CompleteLines => ClosedLineEnds + lineEnds.Count;

    /// <summary>How many lines there are, a last one without LF included.</summary>
    public int LineCount => StartOf(CompleteLines + 1) < Length ? CompleteLines + 1 : CompleteLines;

    private int NewestArrival =>
        arrivals.Count > 0 ? arrivals[^1].Milliseconds
        : closed.Count > 0 ? before.LastArrival
        : -1;

    /// <summary>Whether arrival times are known (a dropped log file has none).</summary>
    public bool HasTimes => NewestArrival >= 0;

    /// <summary>Milliseconds from the begin of the capture to the moment that all times count from; they are negative before.</summary>
    public int PowerAt { get; private set; }

    /// <summary>What the moment is that times count from.</summary>
    public TimeOrigin Origin { get; private set; }

    /// <summary>Lets times count from a moment, in milliseconds from the begin of the capture; one that tells less than the present one is passed over.</summary>
    public void CountFrom(int milliseconds, TimeOrigin origin)
    {
        if (origin < Origin)
            return;
        (PowerAt, Origin) = (milliseconds, origin);
    }

    private readonly List<(int From, int To)> gaps = [];

    /// <summary>Notes that nothing could be heard for a while: that silence is none of the board's.</summary>
    public void NoteGap(int from, int to) => gaps.Add((from, to));

    /// <summary>How long it was quiet between two moments, less the time in which nothing could be heard.</summary>
    private int Quiet(int from, int to)
    {
        var quiet = to - from;
        foreach (var gap in gaps)
            quiet -= Math.Max(0, Math.Min(to, gap.To) - Math.Max(from, gap.From));
        return quiet;
    }

    /// <summary>Milliseconds from power to the newest byte, or null without times.</summary>
    public int? LastArrival => HasTimes ? NewestArrival - PowerAt : null;

    /// <summary>Every page, the growing one included.</summary>
    public IReadOnlyList<LogPage> Pages => filled == 0 && pieces == 0 ? [.. closed] : [.. closed, Growing()];

    /// <summary>Appends a piece that arrived <paramref name="milliseconds"/> after the begin of the capture; -1 when no time is known. An empty one only counts.</summary>
    public void Append(ReadOnlySpan<byte> piece, int milliseconds)
    {
        pieces++;
        if (piece.IsEmpty)
            return;
        if (filled + piece.Length > bytes.Length)
            Array.Resize(ref bytes, Math.Max(bytes.Length * 2, filled + piece.Length));
        piece.CopyTo(bytes.AsSpan(filled));
        if (Origin == TimeOrigin.FirstByte && milliseconds >= 0 && Length == 0)
            PowerAt = milliseconds;
        longestGap = Math.Max(longestGap, Quiet(Math.Max(0, NewestArrival), milliseconds));
        arrivals.Add((filled, milliseconds));
        for (var at = 0; piece[at..].IndexOf((byte)'\n') is >= 0 and var next; at += next + 1)
            lineEnds.Add(filled + at + next);
        filled += piece.Length;
        if (filled >= PageBytes)
            Close();
    }

    private LogPage Growing() =>
        new(
            before.FirstPiece + before.Pieces,
            pieces,
            ClosedBytes,
            filled,
            ClosedLineEnds,
            lineEnds.Count,
            arrivals.Count > 0 ? arrivals[0].Milliseconds : NewestArrival,
            NewestArrival,
            longestGap,
            XxHash3.HashToUInt64(bytes.AsSpan(0, filled))
        );

    private void Close()
    {
        var page = Growing();
        Remember(closed.Count, new(bytes[..filled], [.. lineEnds], [.. arrivals]));
        closed.Add(page);
        before = page;
        lineEnds.Clear();
        arrivals.Clear();
        filled = pieces = longestGap = 0;
    }

    private void Remember(int page, Content content)
    {
        inMemory[page] = content;
        if (again is null)
            return;
        lastUsed.AddFirst(page);
        bytesInMemory += content.Bytes.Length;
        while (bytesInMemory > BytesInMemory && lastUsed.Count > 1)
        {
            var oldest = lastUsed.Last!.Value;
            lastUsed.RemoveLast();
            bytesInMemory -= inMemory[oldest].Bytes.Length;
            inMemory.Remove(oldest);
        }
    }

    /// <summary>The content of a closed page, read again when it was let go; throws <see cref="DamagedPageException"/> when it is not what was received.</summary>
    private Content Read(int page)
    {
        if (inMemory.TryGetValue(page, out var known))
        {
            if (again is not null && lastUsed.First!.Value != page)
            {
                lastUsed.Remove(page);
                lastUsed.AddFirst(page);
            }
            return known;
        }
        var about = closed[page];
        var all = new byte[about.Bytes];
        var ends = new List<int>(about.LineEnds);
        var times = new List<(int, int)>();
        var at = 0;
        foreach (var piece in again!(about.FirstPiece, about.Pieces))
        {
            if (piece.Bytes.Length == 0)
                continue;
            if (at + piece.Bytes.Length > all.Length)
                throw new DamagedPageException(about);
            piece.Bytes.CopyTo(all, at);
            times.Add((at, piece.Milliseconds));
            at += piece.Bytes.Length;
        }
        if (at != all.Length || XxHash3.HashToUInt64(all) != about.Hash)
            throw new DamagedPageException(about);
        for (var i = 0; i < all.Length; i++)
            if (all[i] == '\n')
                ends.Add(i);
        var content = new Content(all, [.. ends], [.. times]);
        Remember(page, content);
        return content;
    }

    /// <summary>Reads every page that was let go again; throws <see cref="DamagedPageException"/> at the first that is not as it was received.</summary>
    public void Check(CancellationToken token)
    {
        for (var page = 0; page < closed.Count; page++)
        {
            token.ThrowIfCancellationRequested();
            _ = Read(page);
        }
    }

    private int PageAt(long offset) => Last(closed, p => p.Offset <= offset);

    /// <summary>The last of the entries, of which the first ones are true and the rest are not; -1 when none is.</summary>
    private static int Last<T>(IReadOnlyList<T> entries, Func<T, bool> isTrue)
    {
        int low = -1,
            high = entries.Count - 1;
        while (low < high)
        {
            var middle = (low + high + 1) / 2;
            if (isTrue(entries[middle]))
                low = middle;
            else
                high = middle - 1;
        }
        return low;
    }

    /// <summary>The byte at which a line starts, counted from 1; that of the first line without LF is the start of an unfinished line.</summary>
    private long StartOf(int line)
    {
        if (line == 1)
            return 0;
        var end = line - 2;
        if (end >= ClosedLineEnds)
            return ClosedBytes + lineEnds[end - ClosedLineEnds] + 1;
        var page = Last(closed, p => p.LineEndsBefore <= end);
        return closed[page].Offset + Read(page).LineEnds[end - closed[page].LineEndsBefore] + 1;
    }

    private long EndOf(int line) => line <= CompleteLines ? StartOf(line + 1) : Length;

    /// <summary>Where the line behind the one that was asked for last starts: as a rule it is the next to be asked for.</summary>
    private (int Line, long Start) following = (1, 0);

    /// <summary>The longest time between two pieces up to and with a line (null: the whole capture), in milliseconds; null without times.</summary>
    public int? LongestQuiet(int? untilLine)
    {
        if (!HasTimes)
            return null;
        var end = untilLine is { } line ? EndOf(line) : Length;
        int longest = 0,
            last = 0;
        // What was quiet before power says nothing.
        void Through(IEnumerable<(int Offset, int Milliseconds)> pieces, long from)
        {
            foreach (var (offset, milliseconds) in pieces)
            {
                if (from + offset >= end)
                    return;
                longest = Math.Max(longest, Quiet(Math.Max(last, PowerAt), milliseconds));
                last = milliseconds;
            }
        }
        for (var page = 0; page < closed.Count && closed[page].Offset < end; page++)
        {
            var about = closed[page];
            if (about.Offset + about.Bytes > end || (last < PowerAt && about.LastArrival > PowerAt))
                Through(Read(page).Arrivals, about.Offset);
            else if (last >= PowerAt)
                longest = Math.Max(longest, about.LongestGap);
            last = about.LastArrival;
        }
        if (ClosedBytes < end)
            Through(arrivals, ClosedBytes);
        return longest;
    }

    /// <summary>The raw bytes of a line, counted from 1, up to its first MiB; empty beyond the end.</summary>
    public ReadOnlySpan<byte> Raw(int line)
    {
        if (line < 1 || line > CompleteLines && line > LineCount)
            return [];
        var start = following.Line == line ? following.Start : StartOf(line);
        var end = EndOf(line);
        if (line <= CompleteLines)
            following = (line + 1, end);
        return Bytes(start, (int)Math.Min(LongestLine, end - start));
    }

    private ReadOnlySpan<byte> Bytes(long start, int count)
    {
        if (start >= ClosedBytes)
            return bytes.AsSpan((int)(start - ClosedBytes), count);
        var page = PageAt(start);
        var from = (int)(start - closed[page].Offset);
        if (from + count <= closed[page].Bytes)
            return Read(page).Bytes.AsSpan(from, count);
        var whole = new byte[count];
        for (var at = 0; at < count; page++)
        {
            var part = page < closed.Count ? Read(page).Bytes.AsSpan(from) : bytes.AsSpan(from, filled - from);
            part = part[..Math.Min(part.Length, count - at)];
            part.CopyTo(whole.AsSpan(at));
            at += part.Length;
            from = 0;
        }
        return whole;
    }

    private long lineFrom;

    /// <summary>Notes that what comes from here on comes through another line.</summary>
    public void NoteLine() => lineFrom = Length;

    /// <summary>The newest bytes that came through the line as it is, as many as asked for or as there are.</summary>
    public ReadOnlySpan<byte> Newest(int most)
    {
        var count = (int)Math.Min(most, Length - lineFrom);
        return count == 0 ? [] : Bytes(Length - count, count);
    }

    /// <summary>Bytes from one on, as many as asked for or as there are.</summary>
    public ReadOnlySpan<byte> From(long offset, int most) =>
        offset < 0 || offset >= Length ? [] : Bytes(offset, (int)Math.Min(most, Length - offset));

    /// <summary>All bytes in order, page by page.</summary>
    public IEnumerable<ReadOnlyMemory<byte>> Everything()
    {
        for (var page = 0; page < closed.Count; page++)
            yield return Read(page).Bytes;
        yield return bytes.AsMemory(0, filled);
    }

    /// <summary>The readable text of a line, counted from 1.</summary>
    public string Text(int line) => LineText.Clean(Raw(line));

    /// <summary>The same in a buffer where it needs no cleaning; good until the buffer is used again.</summary>
    public ReadOnlySpan<char> Text(int line, ref char[] buffer) => LineText.Clean(Raw(line), ref buffer);

    /// <summary>Milliseconds from power to the first byte of a line, or null without times.</summary>
    public int? Arrival(int line)
    {
        if (!HasTimes || line < 1 || line > LineCount)
            return null;
        var offset = StartOf(line);
        var (times, from) = offset >= ClosedBytes ? (arrivals, ClosedBytes) : Of(PageAt(offset));
        (IReadOnlyList<(int Offset, int Milliseconds)>, long) Of(int page) => (Read(page).Arrivals, closed[page].Offset);
        return times[Last(times, t => from + t.Offset <= offset)].Milliseconds - PowerAt;
    }
}
