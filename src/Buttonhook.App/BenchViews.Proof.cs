using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Matching;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>What is proven of a board.</summary>
public sealed partial class BenchViews
{
    /// <summary>What shows how far the work on a board is.</summary>
    public Proof ProofOf(BenchBoard bench)
    {
        var all = captures.Of(bench.Board.Id);
        return ProofOf(bench, all, StateOf(bench, OfThisCard(bench, all.FirstOrDefault())));
    }

    private Proof ProofOf(BenchBoard bench, IReadOnlyList<Boot> all, BootState? state)
    {
        var write = writer.Of(bench.Board.Id);
        if (write is not null && (write.CardNumber != bench.CardNumber || write.SlotId == Preparing.CardSlots.CopyId))
            write = null;
        var seen = all.FirstOrDefault(b =>
            b.CardNumber == bench.CardNumber && b.LastStage >= Stage.Kernel && (write is null || b.StartedAt > write.StartedAt)
        );
        var card =
            bench.Board.ImageId is null ? CardState.NoImage
            : write is { Running: true } ? CardState.BeingWritten
            : seen is not null ? CardState.Seen
            : write is { Step: Core.Preparing.WriteStep.Done } ? CardState.Written
            : bench.ToldWritten ? CardState.Told
            : write is { Erased: true } ? CardState.HalfWritten
            : CardState.Chosen;
        var says = card switch
        {
            CardState.BeingWritten => $"{write!.ImageTitle} is being written in {write.SlotName}.",
            CardState.HalfWritten => write!.Problem?.Came,
            _ => null,
        };
        return new(
            card,
            says,
            all.Any(b => b.LastStage is not null || b.Outcome is Outcome.Garbled) || state?.Outcome is Outcome.Garbled,
            state?.Sag
        );
    }

    private static List<Boot> Since(CardChange change, BenchBoard bench, IReadOnlyList<Boot> all) =>
        [
            .. all.Where(b => b.CardNumber == bench.CardNumber && b.StartedAt > change.MadeAt && b.Outcome is not (null or Outcome.Cut))
                .OrderBy(b => b.Number),
        ];

    /// <summary>The first later boot that proves a change: it does not show that cause, and passed the stage at which it strikes. Null without one.</summary>
    private Boot? ProvenIn(CardChange change, BenchBoard bench, IReadOnlyList<Boot> all) =>
        captures.Book.Cause(change.CauseId) is not { } cause
            ? null
            : Since(change, bench, all)
                .Find(b =>
                    b.TopCause != change.CauseId && (b.Outcome is Outcome.ReachedLogin or Outcome.Degraded || b.LastStage > cause.Stage)
                );

    /// <summary>What was corrected on the card of a board, with the boot that proved it.</summary>
    public IReadOnlyList<Core.Keeping.Mended> MendedOn(BenchBoard bench)
    {
        var all = captures.Of(bench.Board.Id);
        return
        [
            .. bench.Changes.Select(c => new Core.Keeping.Mended(
                captures.Book.Cause(c.CauseId)?.Name ?? c.CauseId,
                c.Text,
                ProvenIn(c, bench, all)?.Number
            )),
        ];
    }

    /// <summary>Everything that was corrected on any card, and whether a later boot proved it.</summary>
    public IEnumerable<(BenchBoard Bench, CardChange Change, bool Proven)> Fixes() =>
        boards.All().SelectMany(b => MendedOn(b).Zip(b.Changes, (mended, change) => (b, change, mended.ProvenBy is not null)));

    /// <summary>Whether a later boot proved a change, in words.</summary>
    private string ProvenBy(CardChange change, BenchBoard bench, IReadOnlyList<Boot> all)
    {
        var later = Since(change, bench, all);
        return ProvenIn(change, bench, all) is { } good
            ? good.Outcome is Outcome.ReachedLogin or Outcome.Degraded
                ? $"Proven: boot {good.Number} reached the login without it."
                : $"Proven: boot {good.Number} passed that stage without it, and stopped later."
            : later.LastOrDefault(b => b.TopCause == change.CauseId) is { } still
                ? $"Not proven: boot {still.Number} shows the same."
                : later.Count > 0
                    ? $"Boot {later[^1].Number} does not show it any more, and did not reach the login."
                    : "Not proven yet: no boot since.";
    }

    /// <summary>The port and speed that this board was captured at last, when the port is there.</summary>
    private static CapturePort? PortOf(IReadOnlyList<Boot> all) =>
        all.Select(b =>
                b.Source.Split(' ') is [var path, "at", var speed, "8N1"] && path.StartsWith("/dev/", StringComparison.Ordinal)
                    ? new CapturePort(path, int.Parse(speed, System.Globalization.CultureInfo.InvariantCulture))
                    : null
            )
            .FirstOrDefault(p => p is not null && File.Exists(p.Path));

    private static string ToldBy(IReadOnlyList<string> sources) =>
        sources.Count == 0
            ? "Not told by anything yet."
            : $"Told {Words.ToldBy(sources)}{(sources.Contains("mark") ? "." : "; the mark is not entered yet.")}";
}
