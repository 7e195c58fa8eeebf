using Buttonhook.App.Boards;
using Buttonhook.Core.Practising;

namespace Buttonhook.App.Keeping;

/// <summary>A round that is begun.</summary>
/// <param name="BoardId">A board of the bench that is practised on; null for one that is drawn.</param>
/// <param name="Level">1 to 3.</param>
/// <param name="FaultId">The fault that one person hides for another; null to draw one.</param>
public sealed record PracticeBegin(string? BoardId, int Level, string? FaultId);

/// <summary>Something that can be looked at or mended, and what it costs.</summary>
public sealed record PracticeChoice(string Id, string Name, int Minutes);

/// <summary>A past round in a line.</summary>
/// <param name="Lost">Minutes that were given away; null for rounds of earlier versions.</param>
public sealed record PracticeRow(
    string Id,
    string Nickname,
    string Fault,
    int Level,
    bool Won,
    int Minutes,
    double? Lost,
    DateTimeOffset StartedAt
);

/// <summary>Two faults that were taken for each other.</summary>
public sealed record MixedUp(string Meant, string Was, int Times);

/// <summary>How practice stands.</summary>
/// <param name="Going">The round that goes on, or null.</param>
/// <param name="Faults">Faults that can be hidden for another person.</param>
public sealed record PracticeView(
    string? Going,
    IReadOnlyList<PracticeRow> Past,
    IReadOnlyList<MixedUp> MixedUp,
    IReadOnlyList<FaultChoice> Faults
);

/// <summary>A step that was done.</summary>
/// <param name="Log">What the console showed, line by line; null for what was no boot.</param>
/// <param name="Right">Of a mending, whether it was the fault; null for what was none.</param>
public sealed record PracticeStepView(PracticeKind Kind, string Name, int Minutes, string Tells, IReadOnlyList<string>? Log, bool? Right);

/// <summary>A round as it stands.</summary>
/// <param name="Board">What the board is, in a sentence.</param>
/// <param name="Fault">Null until it is over.</param>
/// <param name="Judged">What each step gave away; null until it is over, and for rounds of earlier versions.</param>
/// <param name="Better">What the newest rounds of this level gave away, against those before; null without enough of them.</param>
public sealed record PracticeRoundView(
    string Id,
    string Nickname,
    string Board,
    int Level,
    int Minutes,
    int MostMinutes,
    int BootMinutes,
    IReadOnlyList<PracticeStepView> Steps,
    IReadOnlyList<PracticeChoice> Looks,
    IReadOnlyList<PracticeChoice> Mends,
    bool? Won,
    string? Fault,
    JudgedRound? Judged,
    string? Better
);
