using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Matching;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>How a boot stands, and how its placket looks.</summary>
public sealed partial class BenchViews
{
    private static Boot? OfThisCard(BenchBoard bench, Boot? boot) => boot?.CardNumber == bench.CardNumber ? boot : null;

    private BootState? StateOf(BenchBoard bench, Boot? boot)
    {
        if (boot is null)
            return null;
        if (captures.Summary(boot) is not { } said)
            return null;
        var live = captures.Running(boot.Id) is { Live: true, Ending: false };
        var login = said.Stages.FirstOrDefault(s => s.Stage == Stage.Login)?.Milliseconds;
        return new(
            live,
            !live || said.Waiting || said.Quiet,
            said.Outcome,
            said.LastStage,
            TopOf(boot.Id, said),
            login is { } ms ? (int)Math.Round(ms / 1000.0) : null,
            bench.ChangedAt > boot.StartedAt,
            settings.Of(bench.Board.Id).Any(s => s.BootId == boot.Id),
            said.SagLine is { } sag ? new(boot.Number, sag, said.SagVolts) : null
        );
    }

    /// <summary>The likeliest cause with what a person found by looking.</summary>
    private RankedCause? TopOf(string bootId, BootSummary said) =>
        boots.Answers(bootId) is { Count: > 0 } answers && captures.With(bootId, r => r.Diagnosis) is { } diagnosis
            ? diagnosis.Answered(answers).Causes[0] is { Id: not (RuleBook.None or RuleBook.SomethingElse) } top
                ? top
                : null
            : said.Top;

    private static BoardWaits Waits(BootState? state, Proof proof) =>
        state switch
        {
            _ when proof.Card is CardState.BeingWritten => BoardWaits.Time,
            _ when proof.Card is CardState.HalfWritten => BoardWaits.Look,
            null => proof.OnCard ? BoardWaits.Boot : BoardWaits.Card,
            { Kept: true } => BoardWaits.Nothing,
            { Live: true, Settled: false } => BoardWaits.Time,
            { Corrected: true } => BoardWaits.Boot,
            { Outcome: Outcome.ReachedLogin, Top: null or { Correction: null } } => BoardWaits.Keep,
            { Outcome: Outcome.Cut, Top: null } => BoardWaits.Boot,
            _ => BoardWaits.Look,
        };

    private static string Word(BenchBoard bench, BootState? state, Proof proof) =>
        state switch
        {
            _ when proof.Card is CardState.BeingWritten => "Card is being written",
            _ when proof.Card is CardState.HalfWritten => "Card half written",
            null when bench.Board.ImageId is null => "No image yet",
            null when !proof.OnCard => "Card not written yet",
            null => "Ready to boot",
            { Kept: true } => "Working settings",
            { Corrected: true } => "Corrected, boot again",
            { Live: true, Settled: false } => "Booting",
            { Outcome: Outcome.Degraded, Top: { } top } => top.Name,
            { Outcome: Outcome.ReachedLogin, Top: { Correction: not null } top } => top.Name,
            _ => Words.Of(state.Outcome ?? Outcome.Stopped, state.LastStage),
        };

    private IReadOnlyList<PlacketStage> Placket(string modelId, Boot? boot, BootState? state, BootReading? reading)
    {
        var hidden = catalogue.Model(modelId)?.Hidden ?? [];
        var good = boot is null ? [] : boots.Good(boot.ModelId, boot.RevisionId, boot.ImageId).Where(b => b.Id != boot.Id).ToList();
        var stages = reading?.StageLines ?? (boot is null ? [] : captures.Summary(boot)?.Stages ?? []);
        var last = state?.LastStage;
        return
        [
            .. Enum.GetValues<Stage>()
                .Select(stage =>
                {
                    var reached = stages.FirstOrDefault(s => s.Stage == stage);
                    var times = good.Select(b => b.Stages.FirstOrDefault(s => s.Stage == stage)?.Milliseconds).OfType<int>().ToList();
                    return new PlacketStage(
                        stage,
                        StateOf(stage, reached, state, last, hidden),
                        stage == Stage.Power && boot is not null && stages.Any(s => s.Milliseconds is not null) ? 0
                            : reached?.Milliseconds is { } ms ? Math.Round(ms / 1000.0, 1)
                            : null,
                        reached?.Line,
                        times.Count == 0 ? null : Math.Round(times.Min() / 1000.0, 1),
                        times.Count == 0 ? null : Math.Round(times.Max() / 1000.0, 1)
                    );
                }),
        ];
    }

    private static string StateOf(Stage stage, StageReached? reached, BootState? state, Stage? last, IReadOnlyList<string> hidden)
    {
        var name = System.Text.Json.JsonNamingPolicy.KebabCaseLower.ConvertName(stage.ToString());
        if (state is null)
            return hidden.Contains(name) ? "hidden" : "open";
        if (state.Outcome == Outcome.Garbled && last is null)
            return stage == Stage.Power ? "flawed" : "open";
        if (stage == Stage.Power)
            return last is null && state.Settled && state.Outcome != Outcome.Cut ? "stopped"
                : last is null ? "now"
                : "reached";
        if (stage == last)
        {
            if (stage == Stage.Login)
                return state.Outcome == Outcome.Degraded ? "flawed" : "reached";
            return state.Live && !state.Settled ? "now"
                : state.Outcome == Outcome.Cut ? "reached"
                : "stopped";
        }
        if (reached is not null)
            return "reached";
        return hidden.Contains(name) || stage < last ? "hidden" : "open";
    }

    /// <summary>One boot, or null.</summary>
    public BootView? Boot(string id)
    {
        // Why it ended is stored before the capture stops being live: asked in this order both fit together.
        var capture = captures.Running(id);
        var live = capture is { Live: true, Ending: false };
        if (boots.Find(id) is not { } boot || boards.Find(boot.BoardId) is not { } bench)
            return null;
        var looked = captures.With<Tuple<BootReading, Outcome, long, int, int?>>(
            id,
            r => Tuple.Create(r.Reading, r.Diagnosis.Outcome, r.Log.Length, r.Log.LineCount, r.Log.LastArrival)
        );
        if (looked is null)
            return null;
        var (reading, outcome, bytes, lines, lastArrival) = looked;
        var state = StateOf(bench, boot)!;
        var good = boots.Good(boot.ModelId, boot.RevisionId, boot.ImageId).Where(b => b.Id != id).ToList();
        return new(
            boot.Id,
            boot.BoardId,
            boot.Number,
            boot.Source,
            boot.StartedAt,
            live,
            state.Settled,
            state is { Live: true, Settled: false } ? "Booting" : Words.Of(outcome, reading.LastStage),
            outcome,
            reading.LastStage,
            Placket(boot.ModelId, boot, state, reading),
            reading.Attempts,
            reading.Facts,
            bytes,
            lines,
            live ? capture!.Now / 1000.0 : lastArrival / 1000.0,
            live ? (capture!.Now - (lastArrival ?? 0)) / 1000.0 : null,
            good.Max(b => b.LongestQuiet) is { } quiet ? Math.Ceiling(quiet / 1000.0) : null,
            good.Count,
            boot.EndedWhy ?? capture?.EndedWhy,
            capture?.Trouble,
            [.. boots.Notes(id).Select(n => n with { Milliseconds = n.Milliseconds - boot.PowerAt })],
            (capture?.Reader.Log.PowerAt ?? boot.PowerAt) > 0
        );
    }
}
