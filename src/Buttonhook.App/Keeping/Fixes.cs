using Buttonhook.App.Consoles;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>What was corrected on cards and benches, and which later boots prove it.</summary>
public sealed class Fixes(BoardStore boards, Captures captures)
{
    private List<ConfirmedCause>? confirmed;

    /// <summary>Causes that a later boot confirmed: its fix was noted after a boot that showed it, and the next one passed that stage.</summary>
    public IReadOnlyList<ConfirmedCause> Confirmed() =>
        confirmed ??= [
            .. boards
                .All()
                .Where(b => b.Changes.Count > 0)
                .SelectMany(bench =>
                {
                    var all = captures.Of(bench.Board.Id);
                    return bench.Changes.Select(change =>
                        Later(change, bench, all).Proof is { } good
                        && all.Where(b => b.CardNumber == bench.CardNumber && b.StartedAt <= change.MadeAt).MaxBy(b => b.Number)
                            is { } failed
                            ? new ConfirmedCause(
                                failed,
                                change.CauseId,
                                $"Confirmed: {change.Text.TrimEnd('.')}, and boot {good.Number} went on."
                            )
                            : null
                    );
                })
                .OfType<ConfirmedCause>(),
        ];

    /// <summary>What was corrected on the card of a board, with the boot that proved it.</summary>
    public IReadOnlyList<Mended> Of(BenchBoard bench)
    {
        var all = captures.Of(bench.Board.Id);
        return
        [
            .. bench.Changes.Select(c => new Mended(
                captures.Book.Cause(c.CauseId)?.Name ?? c.CauseId,
                c.Text,
                Later(c, bench, all).Proof?.Number
            )),
        ];
    }

    /// <summary>Everything that was corrected on any card, and whether a later boot proved it.</summary>
    public IEnumerable<NotedFix> All() =>
        boards
            .All()
            .SelectMany(b =>
                Of(b)
                    .Zip(
                        b.Changes,
                        (mended, change) =>
                            new NotedFix(
                                b.Board.ModelId,
                                b.Board.RevisionId,
                                b.Board.ImageId,
                                change.CauseId,
                                change.Text,
                                mended.ProvenBy is not null
                            )
                    )
            );

    /// <summary>What the boots behind a change say of it.</summary>
    /// <param name="all">The boots of that board.</param>
    public LaterBoots Later(ProfileChange change, BenchBoard bench, IReadOnlyList<Boot> all) =>
        new(
            change.CauseId,
            captures.Book.Cause(change.CauseId)?.Stage,
            [
                .. all.Where(b => b.CardNumber == bench.CardNumber && b.StartedAt > change.MadeAt && b.Counts)
                    .OrderBy(b => b.Number)
                    .Select(b => new LaterBoot(b.Number, b.TopCause, b.Outcome!.Value, b.LastStage)),
            ]
        );
}

/// <summary>A cause that a later boot confirmed.</summary>
/// <param name="Boot">The boot that failed by it.</param>
public sealed record ConfirmedCause(Boot Boot, string CauseId, string Says);
