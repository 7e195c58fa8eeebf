using Buttonhook.App.Boards;
using Buttonhook.App.Preparing;
using Buttonhook.Core.Preparing;

namespace Buttonhook.App.Keeping;

/// <summary>One board of a batch as it stands.</summary>
/// <param name="Gone">Whether it is no longer on the bench; then only its id is known.</param>
/// <param name="Host">The host name that is set for it.</param>
/// <param name="Says">The host name that it says itself, or null.</param>
/// <param name="LoginSeconds">From power to the login of its newest boot.</param>
/// <param name="Cause">The name of the cause that leads for its newest boot; null for none.</param>
/// <param name="Differs">What of its newest boot is not as the record says.</param>
public sealed record BatchBoardView(
    string BoardId,
    bool Gone,
    string Nickname,
    string? Host,
    string? Says,
    BoardSummary? Summary,
    CardState Card,
    int Boots,
    double? LoginSeconds,
    string? Cause,
    IReadOnlyList<string> Addresses,
    IReadOnlyList<string> Differs
);

/// <summary>A batch with its boards.</summary>
/// <param name="Source">The board and version that it repeats.</param>
/// <param name="Same">What is the same for every board.</param>
/// <param name="Own">What each board has for itself.</param>
public sealed record BatchView(
    string Id,
    string Name,
    DateTimeOffset MadeAt,
    string Source,
    string SourceBoardId,
    IReadOnlyList<string> Same,
    IReadOnlyList<string> Own,
    IReadOnlyList<BatchBoardView> Boards,
    IReadOnlyList<CardSlot> Slots
);
