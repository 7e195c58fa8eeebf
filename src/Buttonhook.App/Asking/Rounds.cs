using System.Text.Json;
using Buttonhook.App.Consoles;
using Buttonhook.App.Diagnosing;
using Buttonhook.Core;
using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Asking;

/// <summary>Rounds in which boards are asked: begins one at a running capture, keeps its answers, and shows them.</summary>
public sealed class Rounds(
    BoardStore boards,
    BootStore boots,
    Captures captures,
    Judgements judgements,
    Catalogue catalogue,
    KnowledgeFiles knowledge,
    TimeProvider clock
)
{
    /// <summary>Lines before the unfinished one that tell who waits.</summary>
    private const int LinesBefore = 200;

    /// <summary>Begins a round; what stands in the way is a problem in words, and nothing is typed then.</summary>
    public Problem? Begin(string bootId)
    {
        if (captures.Running(bootId) is not { Live: true, Ending: false } capture || ContextOf(capture) is not { } context)
            return Capture.IsOver;
        var round = new AskRound(
            captures.Book,
            context,
            step =>
            {
                if (step.ResultId is { } result)
                    boots.Tell(bootId, step.QuestionId, result, step.Command, clock.GetUtcNow());
            }
        );
        return capture.Ask(round);
    }

    /// <summary>What was asked in a boot, and what could be; null when there is no such boot.</summary>
    public AskedView? Of(string bootId)
    {
        if (boots.Find(bootId) is not { } boot)
            return null;
        var capture = captures.Running(bootId) is { Live: true } live ? live : null;
        var round = capture?.Round;
        var told = boots.Told(bootId).Where(t => t.Command is not null && round?.Steps.Any(s => s.QuestionId == t.Question) != true);
        var steps = told.Select(t => Kept(t)).OfType<AskStep>().Concat(round?.Steps ?? []).ToList();
        var tried = Tried(boot, capture);
        if (capture is null)
            return new(null, false, null, null, steps, null, null, tried);
        // Asked for again and again while a board prints or answers: only where somebody waits is the log judged for what could be asked.
        if (round is { State: SequenceState.Waiting })
            return new(round.Listener?.Words, round.Listener?.TakesCommands == true, round.State, round.Says, steps, null, null, tried);
        if (capture.Prompt.Trim().Length == 0)
            return new(Listener.Nobody.Words, false, round?.State, round?.Says, steps, null, null, tried);
        if (ContextOf(capture) is not { } context)
            return new(null, false, null, null, steps, null, null, tried);
        var listener = Listener.Of(context.Before, capture.Prompt, context.Reached);
        return new(
            listener.Words,
            listener.TakesCommands,
            round?.State,
            round?.Says,
            steps,
            NextQuestion.First(captures.Book, context, listener) is { } next
                ? new(next.Command, next.Asks, next.Why, next.Way.Seconds)
                : null,
            knowledge.Trials.For(context, listener).FirstOrDefault(),
            tried
        );
    }

    /// <summary>Types a trial that is offered now; what stands in the way is a problem in words, and nothing is typed then.</summary>
    public Problem? Try(string bootId, string trialId)
    {
        if (captures.Running(bootId) is not { Live: true, Ending: false } capture || ContextOf(capture) is not { } context)
            return Capture.IsOver;
        var listener = Listener.Of(context.Before, capture.Prompt, context.Reached);
        if (knowledge.Trials.For(context, listener).FirstOrDefault(t => t.Id == trialId) is not { } offered)
            return new(
                "What is tried should fit who waits at the console now.",
                $"{Words.Capital(listener.Words)} waits there.",
                "Look what is offered now."
            );
        return capture.Run(
            new TrialRun(
                offered,
                listener.Kind,
                context.Before,
                context.Reached,
                () =>
                {
                    int line;
                    lock (capture.Reader)
                        line = Math.Max(1, capture.Reader.Log.LineCount);
                    boots.Tried(bootId, offered.CauseId, line, JsonSerializer.Serialize(offered, DataFile.Json), clock.GetUtcNow());
                    // Where nothing is to be edited, the loader does what it would have done by itself.
                    if (offered.Edit is not null)
                        capture.NoteTried(offered.Says);
                }
            )
        );
    }

    /// <summary>Begins to start a board again and again; what stands in the way is a problem in words, and nothing is typed then.</summary>
    public Problem? StartAgain(string bootId, StartsAsked asked)
    {
        if (asked.Times is < 1 or > StartsRun.Most || asked.User.Length > 64 || asked.Password.Length > 200)
            return new(
                $"1 to {StartsRun.Most} starts can be asked for, with a name of up to 64 letters and a password of up to 200.",
                $"It is {asked.Times} {(asked.Times == 1 ? "start" : "starts")}, a name of {asked.User.Length} letters and a password of {asked.Password.Length}.",
                "Correct that."
            );
        if (captures.Running(bootId) is not { Live: true, Ending: false } capture)
            return Capture.IsOver;
        return capture.Run(
            new StartsRun(
                asked,
                () =>
                    captures.With(
                        bootId,
                        r => new StartSeen(
                            r.Reading.Attempts.Count,
                            r.Reading.LastStage == Stage.Login,
                            r.Reading.Waiting || r.Ending.ProvesSilence,
                            ListenerAt(capture, r)
                        )
                    )!
            )
        );
    }

    /// <summary>What a running system told when it was read, and whether it can be read now; null when there is no such boot.</summary>
    public SystemView? SystemOf(string bootId) =>
        boots.Find(bootId) is null
            ? null
            : captures.With(
                bootId,
                r =>
                {
                    var kind = captures.Running(bootId) is { Live: true, Ending: false } capture
                        ? ListenerAt(capture, r).Kind
                        : (ListenerKind?)null;
                    return new SystemView(
                        kind is ListenerKind.UserShell or ListenerKind.RescueShell,
                        kind is ListenerKind.Login,
                        [.. knowledge.Commands.Reading.Select(c => c.Text)],
                        SystemReads.Of(r.Log, knowledge.Commands)
                    );
                }
            );

    /// <summary>Begins to read a running system for the record; what stands in the way is a problem in words, and nothing is typed then.</summary>
    public Problem? ReadSystem(string bootId, string user, string password)
    {
        if (user.Length > 64 || password.Length > 200)
            return new("A name has up to 64 letters, a password up to 200.", "These have more.", "Correct them.");
        if (captures.Running(bootId) is not { Live: true, Ending: false } capture)
            return Capture.IsOver;
        return capture.Run(
            new ReadSystem(
                [.. knowledge.Commands.Reading.Select(c => (c.Setting!, c.Text))],
                user,
                password,
                () => captures.With(bootId, r => ListenerAt(capture, r))!
            )
        );
    }

    private static Listener ListenerAt(Capture capture, ReadCapture read) =>
        Listener.Of(LinesOf(read.Log), capture.Prompt, read.Reading.LastStage);

    private static List<string> LinesOf(ConsoleLog log)
    {
        var from = Math.Max(1, log.CompleteLines - LinesBefore + 1);
        return [.. Enumerable.Range(from, Math.Max(0, log.CompleteLines - from + 1)).Select(log.Text)];
    }

    private List<TriedView> Tried(Boot boot, Capture? capture)
    {
        var kept = boots.Trials(boot.Id);
        if (kept.Count == 0 || captures.Summary(boot) is not { } said)
            return [];
        var top = judgements.TopOf(boot, said)?.Id;
        // While the console is away nothing is heard, and that is no silence.
        int? quiet = capture is null ? null : capture.Quiet ?? 0;
        return
        [
            .. kept.Select(
                (t, n) =>
                {
                    var offered = JsonSerializer.Deserialize<OfferedTrial>(t.Offered, DataFile.Json)!;
                    // Of several only the last can be what the board went on with.
                    var verdict = n < kept.Count - 1 ? TrialVerdict.NoHelp : TrialOutcome.Of(said, top, (int)t.Line, t.Cause, quiet);
                    return new TriedView(offered, (int)t.Line, verdict, TrialOutcome.Says(verdict, offered, said.LastStage));
                }
            ),
        ];
    }

    private AskStep? Kept(ToldAnswer told) =>
        captures.Book.Question(told.Question) is { } question
            ? new(
                question.Id,
                Template.Plain(question.Asks),
                told.Command!,
                "",
                [],
                told.Result,
                question.Result(told.Result)?.Says ?? told.Result,
                null,
                0
            )
            : null;

    private AskContext? ContextOf(Capture capture)
    {
        var id = capture.Boot.Id;
        if (judgements.Of(id) is not { } diagnosis)
            return null;
        var console =
            boards.Find(capture.Boot.BoardId) is { } bench && catalogue.Model(bench.Board.ModelId) is { } model
                ? model.Console.Device
                : null;
        lock (capture.Reader)
        {
            var log = capture.Reader.Log;
            return new(LinesOf(log), diagnosis.LastStage, diagnosis, boots.Results(id), AskFacts.Of(log, diagnosis, console));
        }
    }
}
