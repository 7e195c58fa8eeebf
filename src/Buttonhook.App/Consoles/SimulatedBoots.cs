using Buttonhook.App.Preparing;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App.Consoles;

/// <summary>What simulated boards play: their bench, the fault put into them, and the very card that was written for them.</summary>
public sealed class SimulatedBoots(
    BootStore boots,
    Captures captures,
    Catalogue catalogue,
    CardStarts cardStarts,
    BenchOptions options,
    MoveStore moves,
    TimeProvider clock
)
{
    /// <summary>What a simulated board plays next: the fault put into it unless it was corrected, else what follows from the bench.</summary>
    public SimulationPlan Plan(BenchBoard bench, int seed, int? listenSpeed = null)
    {
        var model = catalogue.Model(bench.Board.ModelId)!;
        var image = catalogue.Image(bench.Board.ImageId);
        var hidden = SimulatedFaults.Find(bench.FaultId);
        if (hidden is not null && hidden.ClearedBy.Any(bench.Corrected.Contains))
            hidden = null;
        var card = cardStarts.Of(bench.Board, catalogue);
        var implied = SimulatedFaults.Implied(bench.Board, model, image, catalogue, bench.Corrected);
        // What is on a card that was written is read from that card.
        SimulatedFault? Besides(SimulatedFault? fault) =>
            card is not null && fault is not null && CardStarts.IsOnCard(fault.Id) ? null : fault;
        var onCard = card?.Fault is { } written && !written.ClearedBy.Any(bench.Corrected.Contains) ? written : null;
        var fault = Besides(hidden) ?? onCard ?? Besides(implied);
        var first = captures.Of(bench.Board.Id).All(b => b.CardNumber != bench.CardNumber || b.LastStage < Stage.Services);
        var plan = new SimulationPlan(
            bench.Board,
            model,
            image,
            fault?.Id,
            listenSpeed ?? model.Console.Speed ?? SimulationPlan.RehearsalSpeed,
            seed,
            first,
            card?.HostName,
            card?.Drive ?? MovedTo(bench),
            clock.GetUtcNow()
        );
        var menu = (card?.Systems ?? [])
            .Select(s =>
                catalogue.Image(s.System.ImageId) is { } laid
                    ? new MenuEntry(laid with { RootPartUuid = s.System.PartUuid }, s.System.Root, s.Fault?.Id)
                    : null
            )
            .OfType<MenuEntry>()
            .ToList();
        return plan.WithMenu(menu, Besides(hidden)?.Id, options.Pace);
    }

    /// <summary>The disk that a simulated board's root was copied to, as its own console shows that it was; null while it was not.</summary>
    private string? MovedTo(BenchBoard bench)
    {
        if (moves.Of(bench.Board.Id) is not { Device: { } disk } move)
            return null;
        bool SaysSo(string text) => text.StartsWith($"all files are on {disk}", StringComparison.Ordinal);
        bool Copied(Boot boot) =>
            captures.With<object>(boot.Id, r => Enumerable.Range(1, r.Log.LineCount).Any(n => SaysSo(r.Log.Text(n)))) is true;
        return captures.Of(bench.Board.Id).Take(3).Any(Copied) || Moved(bench, move) ? disk["/dev/".Length..] : null;
    }

    /// <summary>Whether an earlier boot since the move was begun already ran from the new medium.</summary>
    private bool Moved(BenchBoard bench, Move move) =>
        boots
            .Of(bench.Board.Id)
            .Where(b => b.StartedAt > move.BegunAt)
            .Take(3)
            .Any(b => captures.MountedIn(b.Id) is { } mounted && mounted.Value != move.MountedBefore);
}
