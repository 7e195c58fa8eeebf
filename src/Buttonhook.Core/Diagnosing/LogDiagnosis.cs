using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>Diagnoses a whole log in one go.</summary>
public static class LogDiagnosis
{
    /// <summary>Bytes that are read at once; also what the beginning is that tells whether lines are stamped.</summary>
    internal const int PieceBytes = 1 << 18;

    /// <summary>Reads all bytes of <paramref name="log"/> as one capture; never throws on bad bytes.</summary>
    public static (BootReading Reading, Diagnosis Diagnosis) Of(ReadOnlySpan<byte> log, RuleBookIndex index) => Read(log, index).Diagnose();

    /// <summary>A reader that holds the whole log; the stamps that another program put before each line are times and no text.</summary>
    public static BootReader Read(ReadOnlySpan<byte> log, RuleBookIndex index)
    {
        var reader = new BootReader(index);
        if (LineStamps.Read(log) is var (pieces, _))
            foreach (var piece in pieces)
                reader.Add(piece.Bytes, piece.Milliseconds);
        else
            reader.Add(log, -1);
        return reader;
    }

    /// <summary>The same of a log that may be longer than memory: it is read in pieces, and once more where a line is asked for again. The stream must be able to seek, and stays open as long as the reader is used.</summary>
    public static BootReader Read(Stream log, RuleBookIndex index)
    {
        var piece = new byte[PieceBytes];
        var length = Fill(log, piece);
        if (LineStamps.Parter(piece.AsSpan(0, length)) is { } clock)
        {
            var stamped = new StampedLog(log, clock);
            var timed = new BootReader(index, stamped.Again);
            if (length == piece.Length)
                timed.ReadAhead();
            stamped.ReadInto(timed);
            return timed;
        }
        var reader = new BootReader(index, (first, count) => Again(log, first, count));
        if (length == piece.Length)
            reader.ReadAhead();
        for (var at = 0L; length > 0; length = Fill(log, piece))
        {
            reader.Add(piece.AsSpan(0, length), -1);
            // What was looked up again meanwhile moved the place.
            at += length;
            log.Position = at;
        }
        return reader;
    }

    private static int Fill(Stream log, byte[] piece) => log.ReadAtLeast(piece, piece.Length, false);

    private static IEnumerable<StoredPiece> Again(Stream log, int first, int count)
    {
        log.Position = (long)first * PieceBytes;
        for (var i = 0; i < count; i++)
        {
            var piece = new byte[PieceBytes];
            var length = Fill(log, piece);
            if (length == 0)
                yield break;
            yield return new(-1, length == piece.Length ? piece : piece[..length]);
        }
    }
}
