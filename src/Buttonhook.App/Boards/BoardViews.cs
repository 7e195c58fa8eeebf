using Buttonhook.App.Consoles;
using Buttonhook.App.Keeping;
using Buttonhook.App.Matching;
using Buttonhook.App.Preparing;
using Buttonhook.Core;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Guiding;
using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Boards;

/// <summary>Boards as the page shows them.</summary>
public sealed class BoardViews(
    BoardStore boards,
    BootStore boots,
    Captures captures,
    Catalogue catalogue,
    Standings standings,
    GoodBootsLike good,
    BoardMatches matches,
    Fixes fixes,
    StandInImages files
)
{
    /// <summary>All boards.</summary>
    public IReadOnlyList<BoardSummary> Bench()
    {
        var latest = boots.Latest();
        return [.. boards.All().Select(b => Summary(b, latest.GetValueOrDefault(b.Board.Id)))];
    }

    private BoardSummary Summary(BenchBoard bench, Boot? newest)
    {
        var boot = Standings.OfThisCard(bench, newest);
        var state = standings.StateOf(bench, boot);
        var model = catalogue.Model(bench.Board.ModelId);
        var on = model?.Carrier is { } carrier
            ? $"{carrier} + {model.Name}"
            : $"{model?.Name ?? bench.Board.ModelId}, rev {bench.Board.RevisionId}";
        var bar = BarOf(bench.Board.ModelId, boot, state);
        var proof = standings.ProofOf(bench, boot is null ? [] : [boot], state);
        return new(
            bench.Board.Id,
            bench.Board.Nickname,
            bench.Board.MemoryMiB is { } memory ? $"{on}, {Sizes.Memory(memory)}" : on,
            bar,
            BoardStanding.Waits(state, proof),
            BoardStanding.Word(bench.Board.ImageId, state, proof),
            state is null or { Kept: true } or { Uncounted: true }
                ? null
                : state.LoginSeconds ?? captures.Summary(boot!)?.LastArrival / 1000.0,
            state?.Live == true,
            bench.Board.Simulated,
            NextThings.For(WorkStep.Boot, bench.Board, catalogue, matches.Of(bench.Board), state, proof)
        );
    }

    /// <summary>One board, or null.</summary>
    public BoardView? Board(string id)
    {
        if (boards.Find(id) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return null;
        var all = captures.Of(id);
        var newest = all.FirstOrDefault();
        var boot = Standings.OfThisCard(bench, newest);
        var state = standings.StateOf(bench, boot);
        var fitting = matches.Of(bench.Board);
        var image = catalogue.Image(bench.Board.ImageId);
        var proof = standings.ProofOf(bench, all, state);
        var enough = SupplyCheck.Check(bench.Board.Connected, model.Power, catalogue, proof.Sag).Enough;
        bool Done(WorkStep step) => BoardStanding.Done(step, bench.Board.ToldBy.Count > 0, image is not null, enough, state, proof);
        return new(
            bench.Board,
            model,
            catalogue.Describe(bench.Board) + ".",
            ToldBy(bench.Board.ToldBy),
            image?.Title,
            [.. Enum.GetValues<WorkStep>().Select(s => new StepState(s, Done(s)))],
            Enum.GetValues<WorkStep>().ToDictionary(s => s, s => NextThings.For(s, bench.Board, catalogue, fitting, state, proof)),
            BarOf(bench.Board.ModelId, boot, state),
            BoardStanding.Word(bench.Board.ImageId, state, proof),
            newest?.Id,
            state is { Kept: true },
            bench.FaultId,
            proof,
            image is not null && files.IsStandIn(image),
            [.. bench.Changes.Select(c => new ChangeView(c.Id, c.CauseId, c.Text, c.MadeAt, c.Edit, fixes.Later(c, bench, all).Says))],
            PortOf(all),
            bench.Version,
            captures.RunningOn(id) is not null,
            LastConsoleOf(all)
        );
    }

    private IReadOnlyList<BarStage> BarOf(string modelId, Boot? boot, BootState? state) =>
        StageBar.Of(
            catalogue.Model(modelId)?.Hidden ?? [],
            boot is null ? [] : captures.Summary(boot)?.Stages ?? [],
            state,
            boot is null ? [] : [.. good.To(boot, timed: true).Boots.Select(b => b.Stages)]
        );

    /// <summary>The port and speed that this board was captured at last, when the port is there.</summary>
    private static CapturePort? PortOf(IReadOnlyList<Boot> all) =>
        all.Select(b =>
                b.Source.Split(' ') is [var path, "at", var speed, "8N1"] && path.StartsWith("/dev/", StringComparison.Ordinal)
                    ? new CapturePort(path, int.Parse(speed, System.Globalization.CultureInfo.InvariantCulture))
                    : null
            )
            .FirstOrDefault(p => p is not null && File.Exists(p.Path));

    /// <summary>The newest console of a board that something was read from, else the newest.</summary>
    private static LastConsole? LastConsoleOf(IReadOnlyList<Boot> all)
    {
        var opened = all.Where(b => b.Port is not null).ToList();
        bool Readable(Boot boot) => boot.LastStage is not null && boot.Outcome is not Outcome.Garbled;
        var last = opened.Find(Readable) ?? opened.FirstOrDefault();
        return last is not { Port: { } port } ? null : new(port.Source, port.Line.Speed, port.Line.Frame, port.Line.Flow, Readable(last));
    }

    private static string ToldBy(IReadOnlyList<string> sources) =>
        sources.Count == 0
            ? "Not told by anything yet."
            : $"Told {Words.ToldBy(sources)}{(sources.Contains("mark") ? "." : "; the mark is not entered yet.")}";
}
