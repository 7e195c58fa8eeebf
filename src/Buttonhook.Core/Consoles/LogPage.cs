namespace Buttonhook.Core.Consoles;

/// <summary>A piece of a capture exactly as received, and milliseconds since the begin of the capture (-1 when unknown).</summary>
public readonly record struct StoredPiece(int Milliseconds, byte[] Bytes);

/// <summary>Where one run of whole pieces lies in a capture, and what is known of it without reading it again.</summary>
/// <param name="FirstPiece">The pieces of a capture are counted from 0.</param>
/// <param name="Offset">The byte of the capture at which it begins.</param>
/// <param name="LineEndsBefore">How many line feeds stand before it.</param>
/// <param name="FirstArrival">Milliseconds from the begin of the capture to its first byte; -1 when unknown.</param>
/// <param name="LongestGap">The longest time between two of its pieces, the step from the page before included, in milliseconds.</param>
/// <param name="Hash">XXH3 (64 bits) of its bytes: what is read again later is what was received.</param>
public readonly record struct LogPage(
    int FirstPiece,
    int Pieces,
    long Offset,
    int Bytes,
    int LineEndsBefore,
    int LineEnds,
    int FirstArrival,
    int LastArrival,
    int LongestGap,
    ulong Hash
);

/// <summary>Bytes that were stored cannot be read again as they were.</summary>
/// <param name="page">Where they lie.</param>
public sealed class DamagedPageException(LogPage page)
    : Exception($"Bytes {page.Offset} to {page.Offset + page.Bytes} are not as they were received.")
{
    /// <summary>Where they lie.</summary>
    public LogPage Page { get; } = page;
}
