using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>What the newest boot says of a move.</summary>
/// <param name="Took">Null while no boot tells.</param>
public sealed record MoveProof(bool? Took, string Says, string? BootId, int? BootNumber, int? Line);

/// <summary>Moving a proven system off its card.</summary>
/// <param name="Begun">The target of the move that was begun; null when none was.</param>
/// <param name="Proof">Null before a move was begun.</param>
public sealed record MoveView(IReadOnlyList<MovePlan> Plans, MoveTarget? Begun, MoveProof? Proof, IReadOnlyList<ImageCopy> Copies);

/// <summary>Where it is moved to.</summary>
public sealed record MoveBegin(MoveTarget Target);

/// <summary>A copy of a card that a person made.</summary>
public sealed record CopyInput(string Place, string? Sha256, long? Bytes);

/// <summary>Move and copies.</summary>
public static class MoveEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapMoving(this RouteGroupBuilder api)
    {
        api.MapGet("/boards/{id}/move", View).Produces<MoveView>();
        api.MapPost("/boards/{id}/move", Begin).Produces<MoveView>();
        api.MapDelete("/boards/{id}/move", Forget).Produces<MoveView>();
        api.MapPost("/boards/{id}/copies", AddCopy).Produces<MoveView>();
    }

    private static IResult View(string id, BoardStore boards, BootStore boots, MoveStore moves, Captures captures, Catalogue catalogue)
    {
        if (boards.Find(id) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return Problems.Missing("This board");
        var move = moves.Of(id);
        return Results.Ok(
            new MoveView(
                MovePlan.All(bench.Board, model, catalogue.Image(bench.Board.ImageId), catalogue),
                move?.Target,
                move is null ? null : ProofOf(move, boots, captures),
                moves.Copies(id)
            )
        );
    }

    private static MoveProof ProofOf(Move move, BootStore boots, Captures captures)
    {
        var boot = boots.Of(move.BoardId).FirstOrDefault(b => b.StartedAt > move.BegunAt);
        if (boot is null)
            return new(null, "Not proven yet: no boot since the move was begun.", null, null, null);
        var mounted = captures.With(boot.Id, r => RunFacts.Of(r.Log))?.Mounted;
        var (took, says) = MovePlan.Proof(move.Target, move.MountedBefore, mounted?.Value);
        return new(took, says, boot.Id, boot.Number, mounted?.Line);
    }

    private static IResult Begin(
        string id,
        MoveBegin input,
        BoardStore boards,
        BootStore boots,
        MoveStore moves,
        Captures captures,
        Catalogue catalogue,
        TimeProvider clock
    )
    {
        if (boards.Find(id) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return Problems.Missing("This board");
        var plan = MovePlan.For(input.Target, bench.Board, model, catalogue.Image(bench.Board.ImageId), catalogue);
        if (plan.Possible == false)
            return new Problem(
                $"{plan.Name} should be there.",
                plan.Says[0],
                "Choose another medium, or correct the board's card."
            ).Answer();
        var good = boots.Of(id).FirstOrDefault(b => captures.With(b.Id, r => r.Reading)?.LastStage == Core.Consoles.Stage.Login);
        if (good is null)
            return new Problem(
                "A system is moved after it reached the login from its card.",
                "No boot of this board did.",
                "Boot it first."
            ).Answer();
        var mounted = captures.With(good.Id, r => RunFacts.Of(r.Log))?.Mounted?.Value;
        moves.Begin(new(id, input.Target, mounted, clock.GetUtcNow()));
        return View(id, boards, boots, moves, captures, catalogue);
    }

    private static IResult Forget(string id, BoardStore boards, BootStore boots, MoveStore moves, Captures captures, Catalogue catalogue)
    {
        moves.Forget(id);
        return View(id, boards, boots, moves, captures, catalogue);
    }

    private static IResult AddCopy(
        string id,
        CopyInput input,
        BoardStore boards,
        BootStore boots,
        MoveStore moves,
        Captures captures,
        Catalogue catalogue,
        TimeProvider clock
    )
    {
        if (boards.Find(id) is null)
            return Problems.Missing("This board");
        var place = input.Place.Trim();
        var sum = input.Sha256?.Trim().ToLowerInvariant() is { Length: > 0 } given ? given : null;
        if (place.Length is 0 or > 400)
            return new Problem("A copy lies somewhere.", "No place is given.", "Say where, such as a path or a drawer.").Answer();
        if (sum is not null && (sum.Length != 64 || !sum.All(char.IsAsciiHexDigit)))
            return new Problem(
                "A SHA-256 has 64 hexadecimal digits.",
                $"This one has {sum.Length} letters.",
                "Take it from sha256sum, or leave it out."
            ).Answer();
        if (input.Bytes is < 0)
            return new Problem("A size is above 0.", $"It is {input.Bytes}.", "Leave it out.").Answer();
        moves.AddCopy(id, place, sum, input.Bytes, clock.GetUtcNow());
        return View(id, boards, boots, moves, captures, catalogue);
    }
}
