using Buttonhook.App.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Guiding;
using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Consoles;

/// <summary>Boots as the page shows them.</summary>
public sealed class BootViews(
    BoardStore boards,
    BootStore boots,
    Captures captures,
    Catalogue catalogue,
    KnowledgeFiles knowledge,
    Standings standings,
    GoodBootsLike alike
)
{
    /// <summary>One boot, or null.</summary>
    public BootView? Boot(string id)
    {
        // Why it ended is stored before the capture stops being live: asked in this order both fit together.
        var capture = captures.Running(id);
        var live = capture is { Live: true, Ending: false };
        var noted = capture?.Noted ?? [];
        if (boots.Find(id) is not { } boot || boards.Find(boot.BoardId) is not { } bench)
            return null;
        var (good, of) = alike.To(boot, timed: true);
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
        var state = standings.StateOf(bench, boot)!;
        return new(
            boot.Id,
            boot.BoardId,
            boot.Number,
            boot.Source,
            boot.StartedAt,
            live,
            state.Settled,
            state is { Live: true, Settled: false } ? "Booting"
                : state.HelpedUp ? StageWords.Helped
                : state.Attached ? StageWords.Attached(look.Reading.LastStage)
                : StageWords.Of(look.Outcome, look.Reading.LastStage),
            look.Outcome,
            look.Reading.LastStage,
            StageBar.Of(catalogue.Model(boot.ModelId)?.Hidden ?? [], look.Reading.StageLines, state, [.. good.Select(b => b.Stages)]),
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
            live && capture!.Source is BrowserSource,
            boot.EndKind switch
            {
                CaptureEnd.Unknown => Ended.NotTold,
                CaptureEnd.StoodStill => Ended.StoodStill,
                CaptureEnd.CaptureOver => Ended.CaptureOver,
                _ => null,
            }
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
        return new(
            quiet,
            usual,
            known.Boots > 0 ? $"behind this line, in {known.Boots} good {(known.Boots == 1 ? "boot" : "boots")} of {of}"
                : usual is not null ? $"anywhere in {good.Count} good {(good.Count == 1 ? "boot" : "boots")} of {of}"
                : null,
            Patience.Of(usual, work?.UsualSeconds),
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
