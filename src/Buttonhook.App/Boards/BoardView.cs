using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Guiding;
using Buttonhook.Storage;

namespace Buttonhook.App.Boards;

/// <summary>A board as it lies on the bench.</summary>
/// <param name="Waits">What it waits for.</param>
/// <param name="Word">Its state in plain words.</param>
/// <param name="Seconds">Seconds since power that belong to the state, or null.</param>
public sealed record BoardSummary(
    string Id,
    string Nickname,
    string Model,
    IReadOnlyList<BarStage> StageBar,
    BoardWaits Waits,
    string Word,
    double? Seconds,
    bool Live,
    bool Simulated,
    NextThing Next
);

/// <summary>One of the steps of the work.</summary>
public sealed record StepState(WorkStep Step, bool Done);

/// <summary>Everything about one board.</summary>
/// <param name="Version">Counts the changes of the board; a save names the one that it began from.</param>
/// <param name="LastConsole">Null where no capture of it had a port that can be opened again.</param>
/// <param name="Capturing">Whether a boot of it is being captured at the moment.</param>
public sealed record BoardView(
    Board Board,
    BoardProfile Model,
    string Sentence,
    string ToldBy,
    string? ImageTitle,
    IReadOnlyList<StepState> Steps,
    IReadOnlyDictionary<WorkStep, NextThing> Next,
    IReadOnlyList<BarStage> StageBar,
    string Word,
    string? LatestBootId,
    bool SettingsKept,
    string? FaultId,
    Proof Proof,
    bool StandIn,
    IReadOnlyList<ChangeView> Changes,
    CapturePort? Port,
    int Version,
    bool Capturing,
    LastConsole? LastConsole
);

/// <summary>How the console of a board was opened last, to be offered again.</summary>
/// <param name="Source">As it was asked for ("/dev/ttyUSB0", "tcp:10.20.0.9:4000").</param>
/// <param name="Readable">Whether something of the boot was read with it.</param>
public sealed record LastConsole(string Source, int Speed, string Frame, FlowControl Flow, bool Readable);

/// <summary>A change on the card or bench of a board.</summary>
/// <param name="Edit">The line that was changed, or null when only words tell of it.</param>
/// <param name="Proven">Whether a later boot proved it, in plain words.</param>
public sealed record ChangeView(long Id, string CauseId, string Text, DateTimeOffset MadeAt, ChangedLine? Edit, string Proven);

/// <summary>A serial port and its speed in bits per second.</summary>
public sealed record CapturePort(string Path, int Speed);

/// <summary>A fault that can be put into a simulated board.</summary>
public sealed record FaultChoice(string Id, string Name);
