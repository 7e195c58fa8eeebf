using Buttonhook.App.Consoles;
using Buttonhook.App.Diagnosing;
using Buttonhook.App.Preparing;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Guiding;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Boards;

/// <summary>How far the work on a board is: its newest boot, and what is proven.</summary>
public sealed class Standings(SettingsStore settings, Captures captures, CardWriter writer, Judgements judgements)
{
    /// <summary>A boot if it is of the card that is in a board now, else null.</summary>
    public static Boot? OfThisCard(BenchBoard bench, Boot? boot) => boot?.CardNumber == bench.CardNumber ? boot : null;

    /// <summary>How a boot stands; null without one.</summary>
    public BootState? StateOf(BenchBoard bench, Boot? boot)
    {
        if (boot is null)
            return null;
        if (captures.Summary(boot) is not { } said)
            return null;
        var live = captures.Running(boot.Id) is { Live: true, Ending: false };
        var login = said.StartSeen && !said.Helped ? said.Stages.FirstOrDefault(s => s.Stage == Stage.Login)?.Milliseconds : null;
        return new(
            live,
            !live || said.Waiting || said.Quiet,
            said.Outcome,
            said.LastStage,
            judgements.TopOf(boot, said),
            login is { } ms ? (int)Math.Round(ms / 1000.0) : null,
            bench.ChangedAt > boot.StartedAt,
            settings.Of(bench.Board.Id).Any(s => s.BootId == boot.Id),
            said.SagLine is { } sag ? new(boot.Number, sag, said.SagVolts) : null,
            said.StartSeen,
            said.Helped
        );
    }

    /// <summary>What shows how far the work on a board is.</summary>
    public Proof ProofOf(BenchBoard bench) => ProofOf(bench, captures.Of(bench.Board.Id));

    /// <summary>What shows how far the work on a board is.</summary>
    /// <param name="all">Its boots, newest first.</param>
    public Proof ProofOf(BenchBoard bench, IReadOnlyList<Boot> all) =>
        ProofOf(bench, all, StateOf(bench, OfThisCard(bench, all.FirstOrDefault())));

    /// <summary>What shows how far the work on a board is.</summary>
    /// <param name="all">Its boots, newest first.</param>
    /// <param name="state">The newest one of its card.</param>
    public Proof ProofOf(BenchBoard bench, IReadOnlyList<Boot> all, BootState? state)
    {
        var write = writer.Of(bench.Board.Id);
        if (write is not null && (write.CardNumber != bench.CardNumber || write.SlotId == CardSlots.CopyId))
            write = null;
        var seen = all.FirstOrDefault(b =>
            b.CardNumber == bench.CardNumber && b.LastStage >= Stage.Kernel && (write is null || b.StartedAt > write.StartedAt)
        );
        var card = BoardStanding.Card(
            bench.Board.ImageId is not null,
            write is null ? null : (write.Running, write.Step == WriteStep.Done, write.Erased),
            seen is not null,
            bench.ToldWritten
        );
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
}
