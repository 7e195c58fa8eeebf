using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Guiding;

namespace Buttonhook.App.Consoles;

/// <summary>One boot as it is shown.</summary>
/// <param name="Quiet">The silence now; null when the capture has ended, and while the console is away.</param>
/// <param name="GoodBoots">How many good boots it is compared with.</param>
/// <param name="GoodOf">What they have in common with it ("this board and image"); null without any.</param>
/// <param name="Since">What times count from; null without times.</param>
/// <param name="Line">How the line is set; null of a console without one, and when the capture has ended.</param>
/// <param name="Hint">What is wrong with the line at the moment, or null.</param>
/// <param name="Typing">What is typed by itself, or was last; or null.</param>
/// <param name="Prompt">The last, unfinished line while it is live.</param>
/// <param name="AsksForSecret">Whether that line asks for something that is not kept.</param>
/// <param name="ReadByPage">Whether a page reads its port.</param>
/// <param name="EndOfLog">Null for a boot that was captured here, and while it goes on.</param>
public sealed record BootView(
    string Id,
    string BoardId,
    int Number,
    string Source,
    DateTimeOffset StartedAt,
    bool Live,
    bool Settled,
    string Word,
    Outcome Outcome,
    Stage? LastStage,
    IReadOnlyList<BarStage> StageBar,
    IReadOnlyList<Attempt> Attempts,
    Facts Facts,
    long ByteCount,
    int LineCount,
    double? NowSeconds,
    QuietView? Quiet,
    int GoodBoots,
    string? GoodOf,
    string? EndedWhy,
    Problem? Waiting,
    IReadOnlyList<EventView> Events,
    TimeOrigin? Since,
    LineSettings? Line,
    LineHint? Hint,
    TypingState? Typing,
    string Prompt,
    bool AsksForSecret,
    bool ReadByPage,
    Ended? EndOfLog
);

/// <summary>What is known of the end of a log that came as a file.</summary>
public enum Ended
{
    /// <summary>Nobody said whether the board stood still.</summary>
    NotTold,

    /// <summary>The board stood still there.</summary>
    StoodStill,

    /// <summary>Only the capture ended there.</summary>
    CaptureOver,
}

/// <summary>How long it has been quiet, and how long it has been before.</summary>
/// <param name="UsualSeconds">The longest silence of good boots at this point, or anywhere; null without one.</param>
/// <param name="Basis">Where that was, in plain words; null without one.</param>
/// <param name="WorrySeconds">From when on it is longer than it should be; null where nothing tells.</param>
/// <param name="Work">What the system is at, as far as its last lines tell.</param>
public sealed record QuietView(double Seconds, double? UsualSeconds, string? Basis, double? WorrySeconds, WorkView? Work);

/// <summary>Work that takes its time.</summary>
/// <param name="Line">The line that began it.</param>
/// <param name="KeepPower">Whether taking power meanwhile can leave the card broken.</param>
public sealed record WorkView(string Says, int Line, int UsualSeconds, bool KeepPower);

/// <summary>One event of the time line, in seconds from where times count.</summary>
public sealed record EventView(double Seconds, EventKind Kind, string Text);
