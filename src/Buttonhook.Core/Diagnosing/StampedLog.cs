using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>The lines of a stamped log that may be longer than memory: read once in order, and any of them again.</summary>
/// <param name="log">A stream that can seek; it stays open as long as lines may be asked for again.</param>
internal sealed class StampedLog(Stream log, LineStamps.StampClock clock)
{
    /// <summary>So many lines lie between two places from which is read again.</summary>
    private const int LinesBetween = 256;
    private readonly List<(long Offset, LineStamps.StampClock.Moment At)> places = [];

    /// <summary>Gives every line to a reader, without what stands before it, as a piece of its own.</summary>
    public void ReadInto(BootReader reader)
    {
        var line = 0;
        foreach (var (bytes, offset) in LinesFrom(0))
        {
            if (line++ % LinesBetween == 0)
                places.Add((offset, clock.At));
            reader.Add(clock.Part(bytes.Span, out var milliseconds), milliseconds);
        }
    }

    /// <summary>So many pieces again, from one on, counted from 0.</summary>
    public IEnumerable<StoredPiece> Again(int first, int count)
    {
        var (offset, at) = places[first / LinesBetween];
        // The time that the reading itself has come to is kept.
        var now = clock.At;
        var pieces = new List<StoredPiece>(count);
        var before = first % LinesBetween;
        clock.At = at;
        foreach (var (bytes, _) in LinesFrom(offset).Take(before + count))
        {
            var part = clock.Part(bytes.Span, out var milliseconds);
            if (before-- <= 0)
                pieces.Add(new(milliseconds, part.ToArray()));
        }
        clock.At = now;
        return pieces;
    }

    /// <summary>Lines with their ends, and where in the file each begins; what is read elsewhere meanwhile does not matter.</summary>
    private IEnumerable<(ReadOnlyMemory<byte> Line, long Offset)> LinesFrom(long offset)
    {
        var piece = new byte[LogDiagnosis.PieceBytes];
        var filled = 0;
        var begin = offset;
        while (true)
        {
            log.Position = begin + filled;
            var read = log.ReadAtLeast(piece.AsMemory(filled).Span, piece.Length - filled, false);
            filled += read;
            var at = 0;
            for (var end = Next(piece, at, filled); end >= 0; end = Next(piece, at, filled))
            {
                yield return (piece.AsMemory(at, end + 1 - at), begin + at);
                at = end + 1;
            }
            if (read == 0)
            {
                if (at < filled)
                    yield return (piece.AsMemory(at, filled - at), begin + at);
                yield break;
            }
            // The begin of a line is kept; one that is longer than all that is held gets more room.
            piece.AsSpan(at, filled - at).CopyTo(piece);
            (begin, filled) = (begin + at, filled - at);
            if (filled == piece.Length)
                Array.Resize(ref piece, piece.Length * 2);
        }
    }

    private static int Next(byte[] piece, int from, int to) =>
        piece.AsSpan(from, to - from).IndexOf((byte)'\n') is >= 0 and var found ? from + found : -1;
}
