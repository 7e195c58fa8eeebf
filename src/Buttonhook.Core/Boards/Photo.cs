using System.Buffers.Binary;

namespace Buttonhook.Core.Boards;

/// <summary>A photo as it is kept: a JPEG without anything that tells of place, time, camera or person.</summary>
/// <param name="Bytes">The JPEG.</param>
/// <param name="Width">In pixels, up to <see cref="MostPixels"/>.</param>
/// <param name="Height">In pixels, up to <see cref="MostPixels"/>.</param>
public sealed record Photo(byte[] Bytes, int Width, int Height)
{
    /// <summary>The longest side in pixels; print of 1 mm can still be read on a board of 100 mm.</summary>
    public const int MostPixels = 2000;

    // Markers of ITU-T T.81, table B.1.
    private const byte Begin = 0xD8;
    private const byte End = 0xD9;
    private const byte Scan = 0xDA;
    private const byte FirstApplication = 0xE0;
    private const byte AdobeTransform = 0xEE;
    private const byte LastApplication = 0xEF;
    private const byte Comment = 0xFE;

    /// <summary>Reads a JPEG (ITU-T T.81, B.1) and leaves out application data (EXIF, GPS, thumbnails, profiles), comments and whatever follows its end. What is no JPEG, is cut short or is larger than <see cref="MostPixels"/> is a problem.</summary>
    public static Answer<Photo> Read(ReadOnlySpan<byte> jpeg)
    {
        var cut = new Problem("A photo should be a whole JPEG.", "This one is cut short or damaged.", "Take or choose it again.");
        if (jpeg.Length < 4 || jpeg[0] != 0xFF || jpeg[1] != Begin)
            return new Problem("A photo comes as JPEG.", "This is none.", "Choose a picture; the page makes a JPEG of it.");
        using var clean = new MemoryStream(jpeg.Length);
        clean.Write(jpeg[..2]);
        var (width, height) = (0, 0);
        for (var at = 2; ; )
        {
            if (at + 2 > jpeg.Length || jpeg[at] != 0xFF)
                return cut;
            var marker = jpeg[at + 1];
            if (marker == 0xFF)
            {
                at++;
                continue;
            }
            if (marker == End)
            {
                clean.Write(jpeg.Slice(at, 2));
                break;
            }
            // Markers that stand alone: restarts, TEM.
            if (marker is 0x01 or >= 0xD0 and <= 0xD7)
            {
                clean.Write(jpeg.Slice(at, 2));
                at += 2;
                continue;
            }
            if (at + 4 > jpeg.Length)
                return cut;
            var length = BinaryPrimitives.ReadUInt16BigEndian(jpeg[(at + 2)..]);
            var end = at + 2 + length;
            if (length < 2 || end > jpeg.Length)
                return cut;
            // Start of frame: precision, height, width (B.2.2).
            if (marker is >= 0xC0 and <= 0xCF and not (0xC4 or 0xC8 or 0xCC))
            {
                if (length < 7)
                    return cut;
                (height, width) = (
                    BinaryPrimitives.ReadUInt16BigEndian(jpeg[(at + 5)..]),
                    BinaryPrimitives.ReadUInt16BigEndian(jpeg[(at + 7)..])
                );
            }
            // What follows the header of a scan is its data, up to a marker that is no stuffed byte and no restart (B.1.1.5).
            if (marker == Scan)
                while (
                    end < jpeg.Length && !(jpeg[end] == 0xFF && end + 1 < jpeg.Length && jpeg[end + 1] is not (0 or >= 0xD0 and <= 0xD7))
                )
                    end++;
            var told = marker is >= FirstApplication and <= LastApplication and not AdobeTransform or Comment;
            if (!told)
                clean.Write(jpeg[at..end]);
            at = end;
        }
        return width == 0 || height == 0 ? cut
            : width > MostPixels || height > MostPixels
                ? new Problem($"A photo has up to {MostPixels} pixels a side.", $"This one has {width} × {height}.", "Scale it down first.")
            : new Photo(clean.ToArray(), width, height);
    }
}
