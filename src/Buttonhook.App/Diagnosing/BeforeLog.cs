using Buttonhook.App.Boards;
using Buttonhook.App.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Diagnosing;

/// <summary>What is known of a board that has printed nothing yet.</summary>
public sealed class BeforeLog(BoardStore boards, Captures captures, Catalogue catalogue, Standings standings, Judgements judgements)
{
    /// <summary>What is known of a board that says nothing, before anybody looks; nothing for a board that is not there.</summary>
    public IReadOnlyList<Prior> PriorsOf(string boardId)
    {
        if (boards.Find(boardId) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return [];
        var known = judgements.Now(bench, model);
        var all = captures.Of(boardId);
        var proof = standings.ProofOf(bench, all);
        if (proof.Card is CardState.NoImage or CardState.Chosen or CardState.HalfWritten)
            known.Add(Prior.OfEmptyCard);
        if (all.Any(b => b.LastStage is not null && b.CardNumber == bench.CardNumber))
            known.Add(Prior.OfReadConsole);
        return known;
    }

    /// <summary>The lights of a board with what they mean, as its profile tells.</summary>
    public IReadOnlyList<string> LightsOf(string boardId) =>
        boards.Find(boardId) is { } bench && catalogue.Model(bench.Board.ModelId) is { } model
            ?
            [
                .. model
                    .Lights.Where(l => l.Meaning is not null)
                    .Select(l =>
                        $"{(l.Colour is { } colour ? $"{colour} " : "")}{l.Name}{(l.Pattern is { } pattern ? $", {pattern}" : "")}: {l.Meaning}"
                    ),
            ]
            : [];
}
