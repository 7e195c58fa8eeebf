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
    NextThing Next
);

/// <summary>One stitch of the seam.</summary>
public sealed record SeamState(SeamStep Step, bool Done);

/// <summary>Everything about one board.</summary>
/// <param name="Version">Counts the changes of the board; a save names the one that it began from.</param>
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
    int Version
);

/// <summary>A change on the card or bench of a board.</summary>
/// <param name="Edit">The line that was changed, or null when only words tell of it.</param>
/// <param name="Proven">Whether a later boot proved it, in plain words.</param>
public sealed record ChangeView(long Id, string CauseId, string Text, DateTimeOffset MadeAt, ChangedLine? Edit, string Proven);

/// <summary>A serial port and its speed in bits per second.</summary>
public sealed record CapturePort(string Path, int Speed);

/// <summary>One boot as it is shown.</summary>
/// <param name="UsualQuietSeconds">The longest silence in good boots of this pair, or null without one.</param>
/// <param name="PowerMarked">Whether a person marked when power was applied; else times count from the begin of the capture.</param>
/// <param name="QuietSeconds">Seconds since the last byte, now; null when the capture has ended.</param>
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
    double? QuietSeconds,
    double? UsualQuietSeconds,
    int GoodBoots,
    string? EndedWhy,
    Problem? Waiting,
    IReadOnlyList<BootNote> Notes,
    bool PowerMarked
);
