using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>What the newest boot says of a move.</summary>
/// <param name="Took">Null while no boot tells.</param>
public sealed record MoveProof(bool? Took, string Says, string? BootId, int? BootNumber, int? Line);

/// <summary>Moving a proven system off its card.</summary>
/// <param name="LiveBootId">The boot whose console a step can be sent to; null when none is captured.</param>
/// <param name="Begun">The target of the move that was begun; null when none was.</param>
/// <param name="Proof">Null before a move was begun.</param>
public sealed record MoveView(
    IReadOnlyList<MovePlan> Plans,
    string? LiveBootId,
    MoveTarget? Begun,
    string? Device,
    MoveProof? Proof,
    IReadOnlyList<ImageCopy> Copies
);

/// <summary>A copy of a card that a person made.</summary>
public sealed record CopyInput(string Place, string? Sha256, long? Bytes);
