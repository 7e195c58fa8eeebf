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
            TopOf(boot, said),
            login is { } ms ? (int)Math.Round(ms / 1000.0) : null,
            bench.ChangedAt > boot.StartedAt,
            settings.Of(bench.Board.Id).Any(s => s.BootId == boot.Id),
            said.SagLine is { } sag ? new(boot.Number, sag, said.SagVolts) : null
        );
    }

    /// <summary>The likeliest cause with what a person found by looking.</summary>
    private RankedCause? TopOf(Boot boot, BootSummary said)
    {
        // A boot that needs no mending is what its log says.
        if (said.Outcome is Outcome.ReachedLogin or Outcome.Cut)
            return said.Top;
        var (known, answers) = (KnownOf(boot), boots.Answers(boot.Id));
        return known.Count + answers.Count == 0 ? said.Top
            : DiagnosisOf(boot, known, answers)?.Causes[0] is { Id: not (RuleBook.None or RuleBook.SomethingElse) } top ? top
            : null;
    }

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

    private IReadOnlyList<PlacketStage> Placket(
        string modelId,
        Boot? boot,
        BootState? state,
        BootReading? reading,
        IReadOnlyList<Boot>? good = null
    )
    {
        var hidden = catalogue.Model(modelId)?.Hidden ?? [];
        good ??= boot is null ? [] : GoodLike(boot).Boots;
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

    /// <summary>The good boots to compare a boot with.</summary>
    public (IReadOnlyList<Boot> Boots, string? Of) GoodLike(Boot boot) =>
        boots.GoodLike(
            boot,
            catalogue.Model(boot.ModelId) is { } model
                ? [.. catalogue.Models.Where(m => m.InstructionSet == model.InstructionSet).Select(m => m.Id)]
                : [boot.ModelId]
        );

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
        var noted = capture?.Noted ?? [];
        if (boots.Find(id) is not { } boot || boards.Find(boot.BoardId) is not { } bench)
            return null;
        var (good, of) = GoodLike(boot);
        var look = captures.With(
            id,
            r => new Look(
                r.Reading,
                r.Diagnosis.Outcome,
                r.Log.Length,
                r.Log.LineCount,
                r.Log.LastArrival,
                r.Log.PowerAt,
                r.Log.Origin,
                r.Log.HasTimes,
                live ? Pauses.Newest(r.Log) : [],
                live ? WaitingWork.Of(r.Log, knowledge.Works) : null,
                live ? LineHint.Of(r.Log.Newest(LineHint.JudgedBytes), capture!.Line) : null
            )
        );
        if (look is null)
            return null;
        var state = StateOf(bench, boot)!;
        return new(
            boot.Id,
            boot.BoardId,
            boot.Number,
            boot.Source,
            boot.StartedAt,
            live,
            state.Settled,
            state is { Live: true, Settled: false } ? "Booting" : Words.Of(look.Outcome, look.Reading.LastStage),
            look.Outcome,
            look.Reading.LastStage,
            Placket(boot.ModelId, boot, state, look.Reading, good),
            look.Reading.Attempts,
            look.Reading.Facts,
            look.Bytes,
            look.Lines,
            live ? capture!.Now / 1000.0 : look.LastArrival / 1000.0,
            live && capture!.Quiet is { } quiet ? QuietOf(quiet, look, good, of, state.Settled) : null,
            good.Count,
            of,
            boot.EndedWhy ?? capture?.EndedWhy,
            capture?.Trouble,
            EventsOf(Together(boots.Events(id), noted), look.PowerAt),
            look.HasTimes || live ? look.Origin : null,
            live ? capture!.Line : null,
            live ? look.Hint ?? (capture!.BringsNoEcho ? LineHint.OneWay : LineHint.OfPrompt(capture.Prompt)) : null,
            capture?.Typing,
            live ? capture!.Prompt : "",
            live && Prompts.AsksForSecret(capture!.Prompt),
            live && capture!.Source is Consoles.BrowserSource
        );
    }

    private sealed record Look(
        BootReading Reading,
        Outcome Outcome,
        long Bytes,
        int Lines,
        int? LastArrival,
        int PowerAt,
        TimeOrigin Origin,
        bool HasTimes,
        IReadOnlyList<long> Newest,
        (WaitingWork Work, int Line)? Work,
        LineHint? Hint
    );

    /// <summary>What is longer than half as much again as ever before, and five seconds more, is worth a worry.</summary>
    private const double WorryShare = 1.5,
        WorrySeconds = 5;

    /// <summary>The silence now, against that of good boots at this very point, else their longest, else what the work takes.</summary>
    private QuietView QuietOf(int milliseconds, Look look, IReadOnlyList<Boot> good, string? of, bool settled)
    {
        var here = good.Count > 0 && look.Newest.Count > 0 ? boots.Pauses([.. good.Select(b => b.Id)], look.Newest) : [];
        var known = look.Newest.Select(s => here.FirstOrDefault(p => p.Shape == s)).FirstOrDefault(p => p.Boots > 0);
        double? usual =
            known.Boots > 0 ? known.Milliseconds / 1000.0
            : good.Max(b => b.LongestQuiet) is { } longest ? Math.Ceiling(longest / 1000.0)
            : null;
        var quiet = milliseconds / 1000.0;
        var work =
            look.Work is var (waiting, line) && !settled ? new WorkView(waiting.Says, line, waiting.UsualSeconds, waiting.KeepPower) : null;
        var patience = Math.Max(work?.UsualSeconds ?? 0, usual is { } u ? Math.Max(u * WorryShare, u + WorrySeconds) : 0);
        return new(
            quiet,
            usual,
            known.Boots > 0 ? $"behind this line, in {known.Boots} good {(known.Boots == 1 ? "boot" : "boots")} of {of}"
                : usual is not null ? $"anywhere in {good.Count} good {(good.Count == 1 ? "boot" : "boots")} of {of}"
                : null,
            patience > 0 ? patience : null,
            work
        );
    }

    /// <summary>What is stored, and behind it what waits for the disk.</summary>
    private static IReadOnlyList<JournalEvent> Together(IReadOnlyList<JournalEvent> stored, IReadOnlyList<JournalEvent> noted) =>
        noted.Count == 0
            ? stored
            : [.. stored, .. noted.Where(n => !stored.Any(s => (s.Milliseconds, s.Kind, s.Text) == (n.Milliseconds, n.Kind, n.Text)))];

    private const int MostEvents = 400;

    /// <summary>What happened, with keys that were typed in one go as one entry.</summary>
    private static List<EventView> EventsOf(IReadOnlyList<JournalEvent> events, int powerAt)
    {
        var shown = new List<EventView>();
        JournalEvent? before = null;
        foreach (var e in events)
        {
            var text = e.Text;
            if (
                e.Kind == EventKind.Typed
                && before is { Kind: EventKind.Typed }
                && e.Milliseconds - before.Milliseconds < 2000
                && !shown[^1].Text.EndsWith("‹CR›", StringComparison.Ordinal)
                && shown[^1].Text.Length + text.Length < 200
            )
                shown[^1] = shown[^1] with { Text = shown[^1].Text + text };
            else
                shown.Add(new((e.Milliseconds - powerAt) / 1000.0, e.Kind, text));
            before = e;
        }
        return shown.Count > MostEvents ? shown[^MostEvents..] : shown;
    }
}
