using System.Text;
using Buttonhook.App.Keeping;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Practising;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>A round that is begun.</summary>
/// <param name="BoardId">A board of the bench that is practised on; null for one that is drawn.</param>
/// <param name="Level">1 to 3.</param>
/// <param name="FaultId">The fault that one person hides for another; null to draw one.</param>
public sealed record PracticeBegin(string? BoardId, int Level, string? FaultId);

/// <summary>Something that can be looked at or mended, and what it costs.</summary>
public sealed record PracticeChoice(string Id, string Name, int Minutes);

/// <summary>A past round in a line.</summary>
/// <param name="Shortest">The minutes of the shortest way.</param>
public sealed record PracticeRow(
    string Id,
    string Nickname,
    string Fault,
    int Level,
    bool Won,
    int Minutes,
    int Shortest,
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
/// <param name="Shortest">Null until it is over.</param>
/// <param name="Better">Minutes that the newest rounds of this level took beyond the shortest way, against those before; null without enough of them.</param>
public sealed record PracticeRoundView(
    string Id,
    string Nickname,
    string Board,
    int Level,
    bool ByPerson,
    int Minutes,
    int MostMinutes,
    int BootMinutes,
    IReadOnlyList<PracticeStepView> Steps,
    IReadOnlyList<PracticeChoice> Looks,
    IReadOnlyList<PracticeChoice> Mends,
    bool? Won,
    string? Fault,
    ShortestWay? Shortest,
    string? Better
);

/// <summary>What is looked at or mended, by its id.</summary>
public sealed record PracticeOf(string Id);

/// <summary>Practice: a simulated board with a hidden fault.</summary>
public static class PracticeEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapPractice(this RouteGroupBuilder api)
    {
        api.MapGet("/practice", (Practices practices) => practices.All()).Produces<PracticeView>();
        api.MapPost("/practice", (PracticeBegin input, Practices practices) => Answered(practices.Begin(input)))
            .Produces<PracticeRoundView>();
        api.MapGet(
                "/practice/{id}",
                (string id, Practices practices) => practices.Of(id) is { } view ? Results.Ok(view) : Problems.Missing("This round")
            )
            .Produces<PracticeRoundView>();
        api.MapPost("/practice/{id}/look", (string id, PracticeOf input, Practices practices) => Answered(practices.Look(id, input.Id)))
            .Produces<PracticeRoundView>();
        api.MapPost("/practice/{id}/boot", (string id, Practices practices) => Answered(practices.Boot(id))).Produces<PracticeRoundView>();
        api.MapPost("/practice/{id}/mend", (string id, PracticeOf input, Practices practices) => Answered(practices.Mend(id, input.Id)))
            .Produces<PracticeRoundView>();
        api.MapPost("/practice/{id}/end", (string id, Practices practices) => Answered(practices.GiveUp(id))).Produces<PracticeRoundView>();
    }

    private static IResult Answered(Answer<PracticeRoundView> answer) =>
        answer.Value is { } view ? Results.Ok(view) : answer.Problem!.Answer();
}
