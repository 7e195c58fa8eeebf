namespace Buttonhook.Core.Diagnosing;

/// <summary>How a capture came to its end.</summary>
public enum CaptureEnd
{
    /// <summary>Not known: a log that came as a file.</summary>
    Unknown,

    /// <summary>It has not ended.</summary>
    Live,

    /// <summary>A person ended it.</summary>
    Person,

    /// <summary>The server was stopped or killed.</summary>
    Server,

    /// <summary>The port went away.</summary>
    Port,

    /// <summary>Of a log that came as a file, a person says that the board stood still behind its last byte.</summary>
    StoodStill,

    /// <summary>Of a log that came as a file, a person says that only the capture ended there.</summary>
    CaptureOver,
}

/// <summary>What is known of the end of a capture: that a capture ended does not say that the board stopped.</summary>
/// <param name="QuietMilliseconds">How long it listened behind the last byte, in board time; null when that is not known.</param>
/// <param name="UsualQuietMilliseconds">The longest silence in good boots of this board and image; null without one.</param>
public sealed record Ending(CaptureEnd How, int? QuietMilliseconds = null, int? UsualQuietMilliseconds = null)
{
    /// <summary>Shorter silences are met in every boot.</summary>
    private const int ShortestProof = 30_000;

    /// <summary>A silence that says something when nothing is known of good boots: a minute.</summary>
    private const int WithoutRecord = 2 * ShortestProof;

    /// <summary>A log file.</summary>
    public static Ending OfFile { get; } = new(CaptureEnd.Unknown);

    /// <summary>A log file behind whose last byte the board stood still, as somebody says.</summary>
    public static Ending Still { get; } = new(CaptureEnd.StoodStill);

    /// <summary>Whether somebody listened at the end; of a file that is not known.</summary>
    public bool Measured => How != CaptureEnd.Unknown;

    /// <summary>Whether it listened into a silence that is not usual here: twice the longest one of good boots, at least half a minute; a minute without a good boot.</summary>
    public bool ProvesSilence =>
        How == CaptureEnd.StoodStill
        || QuietMilliseconds > (UsualQuietMilliseconds is { } usual ? Math.Max(ShortestProof, 2 * usual) : WithoutRecord);
}
