using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>Moves proven systems off their cards, and notes copies of cards.</summary>
public sealed class Moves(
    BoardStore boards,
    MoveStore store,
    Captures captures,
    Catalogue catalogue,
    KnowledgeFiles knowledge,
    TimeProvider clock
)
{
    /// <summary>The move of a board as it stands; null when the board or its model is not there.</summary>
    public MoveView? Of(string boardId)
    {
        if (boards.Find(boardId) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return null;
        var move = store.Of(boardId);
        return new MoveView(
            SeenIn(
                boardId,
                move,
                sight => MovePlan.All(bench.Board, model, catalogue.Image(bench.Board.ImageId), catalogue, sight),
                out var bootId
            ),
            captures.Running(bootId ?? "") is not null ? bootId : null,
            move?.Target,
            move?.Device,
            move is null ? null : ProofOf(move),
            store.Copies(boardId)
        );
    }

    /// <summary>Plans with what the newest boot of a board showed of its disks; of a move that was begun, with what it was begun with.</summary>
    private T SeenIn<T>(string boardId, Move? move, Func<MoveSight, T> plan, out string? bootId)
        where T : class
    {
        var newest = captures.Of(boardId).FirstOrDefault(b => b.LastStage == Stage.Login);
        bootId = newest?.Id;
        MoveSight Sight(ConsoleLog? log) =>
            new(
                move?.Look ?? (log is null ? null : DiskLook.In(log)),
                move?.Device,
                $"{boardId} {move?.BegunAt:O}",
                knowledge.Commands,
                move is null || newest?.StartedAt < move.BegunAt ? log : null,
                move?.Target
            );
        return newest is null ? plan(Sight(null)) : captures.With(newest.Id, r => plan(Sight(r.Log)))!;
    }

    private MoveProof ProofOf(Move move)
    {
        var boot = captures.Of(move.BoardId).FirstOrDefault(b => b.StartedAt > move.BegunAt);
        if (boot is null)
            return new(null, "Not proven yet: no boot since the move was begun.", null, null, null);
        var mounted = captures.MountedIn(boot.Id);
        var (took, says) = MovePlan.Proof(move.Target, move.MountedBefore, mounted?.Value);
        return new(took, says, boot.Id, boot.Number, mounted?.Line);
    }

    /// <summary>Begins a move of a board that is there; a problem when it cannot be, or when no boot reached the login yet.</summary>
    /// <param name="device">The disk that was chosen, as the running system names it.</param>
    /// <param name="confirm">Its size in whole GB, as a person typed it.</param>
    public Problem? Begin(string boardId, MoveTarget target, string? device, string? confirm)
    {
        var board = boards.Find(boardId)!.Board;
        DiskLook? look = null;
        var plan = SeenIn(
            boardId,
            null,
            sight =>
            {
                look = sight.Look;
                return MovePlan.For(target, board, catalogue.Model(board.ModelId)!, catalogue.Image(board.ImageId), catalogue, sight);
            },
            out _
        );
        if (plan.Possible == false)
            return new($"{plan.Name} should be there.", plan.Says[0], "Choose another medium, or correct the board's profile.");
        var good = captures.Of(boardId).FirstOrDefault(b => b.LastStage == Stage.Login);
        if (good is null)
            return new("A system is moved after it reached the login from its card.", "No boot of this board did.", "Boot it first.");
        if (look is null)
            return new(
                "A system is copied from the disk that it says it runs from.",
                "It was not asked for its disks yet.",
                "Send the first step, and look at what it answers."
            );
        if (plan.Candidates.FirstOrDefault(c => c.Device == device) is not { } chosen)
            return new(
                "The target should be one of the disks that the system shows.",
                $"{device ?? "None"} is chosen.",
                "Choose one of the list."
            );
        if (chosen.Refused is { } refused)
            return new($"{chosen.Device} should be free to be erased.", refused, "Choose another disk.");
        if (confirm?.Trim() != chosen.Confirm)
            return new(
                $"{chosen.Device} is erased by this; its size in GB is typed to say that it is the one.",
                string.IsNullOrWhiteSpace(confirm) ? "Nothing was typed." : $"“{confirm}” was typed.",
                "Look at the list and type the number beside the disk."
            );
        store.Begin(new(boardId, target, captures.MountedIn(good.Id)?.Value, clock.GetUtcNow(), chosen.Device, look));
        return null;
    }

    /// <summary>Leaves a system on its card.</summary>
    public Problem? Forget(string boardId)
    {
        store.Forget(boardId);
        return null;
    }

    /// <summary>Notes a copy; a problem without a place, or with a sum or a size that is none.</summary>
    public Problem? AddCopy(string boardId, CopyInput input)
    {
        var place = input.Place.Trim();
        var sum = input.Sha256?.Trim().ToLowerInvariant() is { Length: > 0 } given ? given : null;
        if (place.Length is 0 or > 400)
            return new("A copy lies somewhere.", "No place is given.", "Say where, such as a path or a drawer.");
        if (sum is not null && (sum.Length != 64 || !sum.All(char.IsAsciiHexDigit)))
            return new(
                "A SHA-256 has 64 hexadecimal digits.",
                $"This one has {sum.Length} letters.",
                "Take it from sha256sum, or leave it out."
            );
        if (input.Bytes is < 0)
            return new("A size is above 0.", $"It is {input.Bytes}.", "Leave it out.");
        store.AddCopy(boardId, place, sum, input.Bytes, clock.GetUtcNow());
        return null;
    }
}
