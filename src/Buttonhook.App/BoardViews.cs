using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>A button of the placket.</summary>
/// <param name="State">open, reached, now, stopped, hidden or flawed.</param>
/// <param name="UsualFrom">Seconds since power when this stage is usually reached at the earliest, from good boots of this pair; null without one.</param>
public sealed record PlacketStage(Stage Stage, string State, double? Seconds, int? Line, double? UsualFrom, double? UsualTo);

/// <summary>What a board on the bench waits for, in the order in which a person is needed.</summary>
public enum BoardWaits
{
    /// <summary>It stopped, or its card is half written: somebody must look.</summary>
    Look,

    /// <summary>It works, and its settings are not kept yet.</summary>
    Keep,

    /// <summary>Nothing is in the way of a boot.</summary>
    Boot,

    /// <summary>It boots, or its card is being written.</summary>
    Time,

    /// <summary>An image or a written card is missing.</summary>
    Card,

    /// <summary>Its working settings are kept.</summary>
    Nothing,
}

/// <summary>A board as it lies on the bench.</summary>
/// <param name="Waits">What it waits for.</param>
/// <param name="Word">Its state in plain words.</param>
/// <param name="Seconds">Seconds since power that belong to the state, or null.</param>
public sealed record BoardSummary(
    string Id,
    string Nickname,
    string Model,
    IReadOnlyList<PlacketStage> Placket,
    BoardWaits Waits,
    string Word,
    double? Seconds,
    bool Live,
    bool Simulated,
    NextThing Next
);

/// <summary>One stitch of the seam.</summary>
public sealed record SeamState(SeamStep Step, bool Done);

/// <summary>Everything about one board.</summary>
/// <param name="Version">Counts the changes of the board; a save names the one that it began from.</param>
/// <param name="Capturing">Whether a boot of it is being captured at the moment.</param>
public sealed record BoardView(
    Board Board,
    BoardModel Model,
    string Sentence,
    string ToldBy,
    string? ImageTitle,
    IReadOnlyList<SeamState> Seam,
    IReadOnlyDictionary<SeamStep, NextThing> Next,
    IReadOnlyList<PlacketStage> Placket,
    string Word,
    string? LatestBootId,
    bool SettingsKept,
    string? FaultId,
    Proof Proof,
    bool StandIn,
    IReadOnlyList<ChangeView> Changes,
    CapturePort? Port,
    int Version,
    bool Capturing
);

/// <summary>A change on the card or bench of a board.</summary>
/// <param name="Edit">The line that was changed, or null when only words tell of it.</param>
/// <param name="Proven">Whether a later boot proved it, in plain words.</param>
public sealed record ChangeView(long Id, string CauseId, string Text, DateTimeOffset MadeAt, ChangedLine? Edit, string Proven);

/// <summary>A serial port and its speed in bits per second.</summary>
public sealed record CapturePort(string Path, int Speed);

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
    IReadOnlyList<PlacketStage> Placket,
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
    Consoles.TypingState? Typing,
    string Prompt,
    bool AsksForSecret,
    bool ReadByPage
);

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
