using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Asking;

/// <summary>
/// Asks the board: types commands that only read, one after another, each because its answer is expected to tell most for its time, until one cause
/// stands or nothing more is learnt here. It types nothing while bytes come, and nothing to who is not known to take commands.
/// </summary>
public sealed partial class AskRound : TypingRun
{
    /// <summary>A listener waits when nothing came for so long; an answer has ended when its prompt stands for so long; milliseconds.</summary>
    private const int Settles = 600,
        Ends = 150,
        MostWait = 20_000,
        MostAnswer = 40_000,
        EchoWithin = 3000;
    private const int MostBytes = 1 << 20,
        MostQuestions = 12;

    private readonly RuleBook book;
    private readonly Action<AskStep> answered;
    private readonly List<string> before;
    private readonly Dictionary<string, string> told;
    private readonly HashSet<Way> tried = new(ReferenceEqualityComparer.Instance);
    private readonly Stage? reached;
    private readonly StringBuilder arrived = new();
    private Dictionary<string, string> facts;
    private Phase phase = Phase.Settling;
    private int? began;
    private int changedAt;
    private int typedAt;
    private string enterAt = "";
    private NextQuestion? asking;

    private enum Phase
    {
        Settling,
        Entered,
        Answering,
    }

    /// <summary>A round.</summary>
    /// <param name="answered">Is told each answer when it is whole.</param>
    public AskRound(RuleBook book, AskContext context, Action<AskStep> answered)
        : base("Ask the board")
    {
        this.book = book;
        this.answered = answered;
        before = [.. context.Before];
        told = new(context.Told);
        reached = context.Reached;
        facts = new(context.Facts);
        Diagnosis = context.Diagnosis;
    }

    /// <inheritdoc/>
    public override bool EndsAtAnyKey => true;

    /// <summary>Who waits at the console; null before that is known.</summary>
    public Listener? Listener { get; private set; }

    /// <summary>What was asked, in order; the last one may still be waited for.</summary>
    public IReadOnlyList<AskStep> Steps { get; private set; } = [];

    /// <summary>The ranking with the answers so far.</summary>
    public Diagnosis Diagnosis { get; private set; }

    /// <summary>Whether a cause stands.</summary>
    private bool Solved => NextQuestion.Stands(Diagnosis);

    /// <inheritdoc/>
    public override (byte[] Bytes, bool Secret)? Advance(int now, string text)
    {
        if (State != SequenceState.Waiting)
            return null;
        if (began is null)
            (began, changedAt) = (now, now);
        if (text.Length > 0)
            changedAt = now;
        arrived.Append(text);
        var quiet = now - changedAt;
        return phase switch
        {
            Phase.Settling => Settle(now, quiet),
            Phase.Entered => Entered(now, quiet),
            _ => Answering(now, quiet),
        };
    }

    private (byte[], bool)? Settle(int now, int quiet)
    {
        Says = "Waits until the board is quiet.";
        if (quiet < Settles)
        {
            if (now - began > MostWait)
                Finish(SequenceState.TimedOut, "The board prints all the time: nothing was typed.");
            return null;
        }
        var line = LastLine(arrived.ToString());
        Listener = Listener.Of(before, line, reached);
        if (Listener.TakesCommands)
            return Next(now);
        // What is not known gets an Enter, once: the same line again is a prompt.
        if (Listener.Kind is ListenerKind.Unknown or ListenerKind.Nobody)
        {
            (phase, typedAt, changedAt, enterAt) = (Phase.Entered, now, now, line);
            Keep();
            return ("\r"u8.ToArray(), false);
        }
        Finish(SequenceState.Failed, $"{Words.Capital(Listener.Words)} waits there: nothing was typed. {Way(Listener.Kind)}");
        return null;
    }

    private (byte[], bool)? Entered(int now, int quiet)
    {
        Says = "Waits for what comes back to Enter.";
        if (quiet < Settles || now - typedAt < Settles * 2)
        {
            if (now - typedAt > MostWait)
                Finish(SequenceState.TimedOut, "The board prints on after Enter: it takes no commands now.");
            return null;
        }
        var line = LastLine(arrived.ToString());
        Keep();
        Listener = Listener.Of(before, line, reached, again: line.Length > 0 && line.Trim() == enterAt.Trim());
        if (Listener.TakesCommands)
            return Next(now);
        Finish(
            SequenceState.Failed,
            Listener.Kind == ListenerKind.Nobody
                ? "Nothing came back to Enter: nobody listens at this console, or it does not hear you."
                : $"{Words.Capital(Listener.Words)} waits there, and no command was typed. {Way(Listener.Kind)}"
        );
        return null;
    }

    private static string Way(ListenerKind kind) =>
        kind switch
        {
            ListenerKind.Login => "Log in first, then ask again.",
            ListenerKind.Secret => "Answer it yourself, then ask again.",
            ListenerKind.Maintenance => "Press Enter, or type root's password, then ask again.",
            ListenerKind.LockedMaintenance => "Start with init=/bin/sh on the command line, or correct the card on a computer.",
            ListenerKind.LoaderMenu => "Press c for its command line, then ask again.",
            ListenerKind.Pager => "Press q to leave it, then ask again.",
            ListenerKind.Editor or ListenerKind.Installer => "Leave it first, then ask again.",
            _ => "Press Enter and see whether the same line comes again.",
        };

    private (byte[], bool)? Next(int now)
    {
        Keep();
        if (Steps.Count > 0 && Solved)
        {
            Finish(SequenceState.Done, $"{Diagnosis.Causes[0].Name}: {Words.Percent(Diagnosis.Causes[0].Probability)}.");
            return null;
        }
        if (
            Steps.Count >= MostQuestions
            || NextQuestion.Of(book, Diagnosis, told, facts, Listener!, tried, first: Steps.Count == 0) is not { } next
        )
        {
            Finish(
                SequenceState.Done,
                Steps.Count == 0
                    ? $"{Words.Capital(Listener!.Words)} can tell nothing more about these causes."
                    : $"Nothing more can be learnt here. {Diagnosis.Causes[0].Name} leads with {Words.Percent(Diagnosis.Causes[0].Probability)}."
            );
            return null;
        }
        asking = next;
        tried.Add(next.Way);
        Steps = [.. Steps, new(next.Question.Id, next.Asks, next.Command, next.Why, [], null, null, null, 0)];
        Says = $"Asks: {next.Command}";
        (phase, typedAt, changedAt) = (Phase.Answering, now, now);
        return (Encoding.ASCII.GetBytes(Marked(next.Command) + "\r"), false);
    }

    private string Marked(string command) => Listener!.IsPosix ? AnswerMarks.Around(command) : command;

    private (byte[], bool)? Answering(int now, int quiet)
    {
        if (arrived.Length > MostBytes)
        {
            Close(now, [], "The answer is longer than 1 MB; the rest was not waited for.");
            Finish(SequenceState.Failed, "The answer does not end. Look what the board prints.");
            return null;
        }
        // While bytes come nothing is decided: the whole answer is not looked at again for each of them.
        if (quiet < Ends && now - typedAt <= MostAnswer)
            return null;
        var text = arrived.ToString();
        var line = LastLine(text);
        var kind = line.Trim().Length == 0 ? ListenerKind.Nobody : Listener.Of([], line, reached).Kind;
        if (quiet >= Settles && kind == ListenerKind.Pager)
        {
            Close(now, [], "The board shows its answer page by page.");
            Finish(SequenceState.Failed, "A pager waits at the console: press q to leave it.");
            return null;
        }
        // A prompt may change from one command to the next (a clock, a folder): behind the mark of the end any prompt is one.
        var waits = Listener!.IsPosix
            ? line.Trim().Length > 0 && AnswerMarks.HasEnd(text)
            : line.Trim() == Listener.Prompt.Trim() && text.Contains('\n');
        if (quiet >= Ends && waits)
            return Read(now, text);
        if (now - typedAt > EchoWithin && text.Trim().Length == 0)
        {
            Close(now, [], "Nothing came back.");
            Finish(SequenceState.Failed, "The command did not come back: the board does not hear you, or stands still.");
            return null;
        }
        if (quiet > MostWait || now - typedAt > MostAnswer)
        {
            var again = Restart().IsMatch(text);
            Close(now, [], again ? "The board restarted." : "The answer did not end.");
            Finish(
                again ? SequenceState.Failed : SequenceState.TimedOut,
                again ? "The board restarted in the middle of the answer." : $"The prompt did not come back within {MostWait / 1000} s."
            );
        }
        return null;
    }

    private (byte[], bool)? Read(int now, string text)
    {
        var (question, way, command) = (asking!.Question, asking.Way, asking.Command);
        var lines = AnswerText.Lines(Body(text), way.Log);
        if (AnswerText.IsMissing(lines, command))
            Close(now, lines, $"{Words.Capital(Listener!.Words)} has no such command.");
        else if (AnswerText.Read(way, lines, facts) is { } read)
        {
            foreach (var (name, value) in read.Learnt)
                facts[name] = value;
            facts = AskFacts.Derived(facts);
            told[question.Id] = read.Result;
            var was = Diagnosis.Causes;
            Diagnosis = Diagnosis.Told(new Dictionary<string, string> { [question.Id] = read.Result }, book);
            Close(now, lines, question.Result(read.Result)!.Says, read.Result, MovedBy(was));
        }
        else
            Close(now, lines, "This answer cannot be read.");
        return Next(now);
    }

    private string Body(string text)
    {
        var lines = text.Split('\n');
        if (!Listener!.IsPosix)
            return string.Join('\n', lines.Skip(1).SkipLast(1));
        return string.Join('\n', lines.SkipWhile(l => !AnswerMarks.IsBegin(l)).Skip(1).TakeWhile(l => !AnswerMarks.IsEnd(l)));
    }

    private void Close(int now, IReadOnlyList<string> answer, string says, string? result = null, string? moved = null)
    {
        var step = Steps[^1] with { Answer = answer, Says = says, ResultId = result, Moved = moved, Milliseconds = now - typedAt };
        Steps = [.. Steps.SkipLast(1), step];
        asking = null;
        answered(step);
    }

    private string? MovedBy(IReadOnlyList<RankedCause> was)
    {
        var top = Diagnosis.Causes[0];
        var old = was.FirstOrDefault(c => c.Id == top.Id)?.Probability;
        return old is { } p && Math.Abs(p - top.Probability) < 0.005
            ? null
            : $"{top.Name}: {(old is { } o ? $"{Words.Percent(o)} → " : "now ")}{Words.Percent(top.Probability)}";
    }

    /// <summary>What was read goes to the lines before.</summary>
    private void Keep()
    {
        before.AddRange(arrived.ToString().Split('\n').SkipLast(1).Select(l => l.TrimEnd('\r')));
        arrived.Clear();
    }

    private static string LastLine(string text) => text[(text.LastIndexOf('\n') + 1)..].TrimStart('\r');

    [GeneratedRegex(@"(?m)^(?:\[\s*0\.0{6}\] |U-Boot (?:SPL )?\d|.*\] Linux version |Booting Linux on)")]
    private static partial Regex Restart();
}
