using System.Text;
using Buttonhook.Core;
using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;

namespace Buttonhook.App.Consoles;

/// <summary>What is typed by itself at the moment.</summary>
/// <param name="Name">Paste, or the name of the sequence.</param>
/// <param name="State">waiting, done, timed-out, failed, ended.</param>
/// <param name="Share">How much of a paste is typed, 0 to 1; null of a sequence.</param>
public sealed record TypingState(string Name, SequenceState State, string Says, double? Share);

// What goes to the board: keys, slow pastes, sequences; and whether it is heard.
public sealed partial class Capture
{
    private static readonly TimeSpan Tick = TimeSpan.FromMilliseconds(20);
    private readonly Lock typing = new();
    private readonly StringBuilder heard = new();
    private CancellationTokenSource? typingStop;
    private string unfinished = "";
    private long secretAt = -1;
    private int? echoExpectedAt;
    private int? lastHeard;

    /// <summary>What is typed by itself, or was last; null for nothing.</summary>
    public TypingState? Typing { get; private set; }

    /// <summary>Whether a line that was typed at a prompt brought no echo.</summary>
    public bool BringsNoEcho =>
        echoExpectedAt is { } at && !(lastHeard >= at) && lostAt is null && source.Now - at > LineHint.EchoWithin && storedBytes > 0;

    /// <summary>Hears what was read, for who waits for a text.</summary>
    private void Hear(JournalEntry entry)
    {
        if (entry.Event is not null || entry.Piece.Bytes.Length == 0)
            return;
        lastHeard = entry.Milliseconds;
        lock (Reader)
            unfinished = EndOf(Reader.Log.Newest(LongestPrompt));
        lock (heard)
        {
            if (Typing is not { State: SequenceState.Waiting, Share: null })
                return;
            var rest = entry.Piece.Bytes.AsSpan();
            for (var end = rest.IndexOf((byte)'\n'); end >= 0; end = rest.IndexOf((byte)'\n'))
            {
                heard.Append(LineText.Clean(rest[..end])).Append('\n');
                rest = rest[(end + 1)..];
            }
            heard.Append(LineText.Clean(rest));
        }
    }

    /// <summary>No prompt is longer, in bytes; a line without an end is not read again and again.</summary>
    private const int LongestPrompt = 256;

    private static string EndOf(ReadOnlySpan<byte> newest) => LineText.Clean(newest[(newest.LastIndexOf((byte)'\n') + 1)..]);

    /// <summary>The last, unfinished line of the console.</summary>
    public string Prompt => unfinished;

    /// <summary>Sends typed bytes to the board. What answers a question for a password is not kept.</summary>
    public Problem? Type(byte[] bytes)
    {
        if (current is { EndsAtAnyKey: true, State: SequenceState.Waiting })
            StopTyping();
        return Send(bytes, false);
    }

    /// <summary>What types by itself, or did last.</summary>
    private TypingRun? current;

    /// <summary>The round in which the board is or was asked last; null before the first.</summary>
    public AskRound? Round { get; private set; }

    /// <summary>Begins a round; one thing is typed at a time.</summary>
    public Problem? Ask(AskRound round)
    {
        if (Run(round) is { } problem)
            return problem;
        Round = round;
        return null;
    }

    /// <summary>Notes that something is tried that holds until the board restarts: what follows counts for no boot.</summary>
    public void NoteTried(string says) => Note(new(source.Now, EventKind.Tried, $"Until the board restarts: {says}"));

    private Problem? Send(byte[] bytes, bool secret)
    {
        // An echo may be back before the port says that it took the bytes: what is asked, and when, is from before.
        var (asked, at) = (unfinished, source.Now);
        Watch(bytes, asked, at, secret);
        if (source.Type(bytes) is { } problem)
        {
            lock (echoes)
                echoes.Withdraw();
            return problem;
        }
        ExpectEcho(asked, at);
        // What is known for a secret waits for no echo.
        Settle(e => e.Settled(source.Now));
        return null;
    }

    private readonly EchoWatch echoes = new();
    private Timer? echoTimer;
    private static readonly TimeSpan LookForEcho = TimeSpan.FromMilliseconds(250);

    /// <summary>What was typed goes into the journal when it came back from the board; what does not is a secret.</summary>
    /// <param name="asked">The unfinished line that it is the answer to.</param>
    /// <param name="at">When it is typed, in milliseconds from the begin.</param>
    private void Watch(byte[] bytes, string asked, int at, bool secret)
    {
        lock (echoes)
        {
            echoes.Type(bytes, at, Interlocked.Read(ref arrivedBytes), asked, secret || Prompts.AsksForSecret(asked));
            echoTimer ??= new(_ => Settle(e => e.Settled(source.Now)), null, LookForEcho, LookForEcho);
        }
    }

    private void Settle(Func<EchoWatch, IReadOnlyList<EchoWatch.Known>> look)
    {
        lock (echoes)
        {
            foreach (var known in look(echoes))
                if (known.Event is { } happened && (happened.Kind == EventKind.Typed || FirstOfASecret()))
                    Note(happened);
            if (echoes.Waits)
                return;
            echoTimer?.Dispose();
            echoTimer = null;
        }
    }

    /// <summary>A prompt echoes; a board at work does not. The oldest line without an answer counts.</summary>
    private void ExpectEcho(string asked, int at)
    {
        if (Prompts.Echoes(asked) && !(echoExpectedAt > lastHeard))
            echoExpectedAt = at;
    }

    /// <summary>Key by key at one prompt is one secret.</summary>
    private bool FirstOfASecret()
    {
        var at = storedBytes;
        return Interlocked.Exchange(ref secretAt, at) != at;
    }

    /// <summary>Types a text slowly, for loaders that lose what comes too fast; it goes on by itself and can be ended.</summary>
    /// <param name="characterPause">Milliseconds behind each character, 0 to 1000.</param>
    /// <param name="linePause">Milliseconds behind each line, 0 to 10,000.</param>
    public Problem? Paste(string text, int characterPause, int linePause)
    {
        if (Begin(new("Paste", SequenceState.Waiting, "Types.", 0)) is not { } stop)
            return Busy();
        _ = Task.Run(async () =>
        {
            var lines = text.ReplaceLineEndings("\r").Split('\r');
            long done = 0;
            try
            {
                for (var n = 0; n < lines.Length; n++)
                {
                    var line = Encoding.UTF8.GetBytes(n < lines.Length - 1 ? lines[n] + "\r" : lines[n]);
                    if (line.Length == 0)
                        continue;
                    if (await Typed(line, characterPause, stop.Token) is { } problem)
                    {
                        Finish(stop, SequenceState.Failed, problem.ToString());
                        return;
                    }
                    done += lines[n].Length + 1;
                    Typing = new(
                        "Paste",
                        SequenceState.Waiting,
                        $"Line {n + 1} of {lines.Length}.",
                        Math.Min(1, done / (double)Math.Max(1, text.Length))
                    );
                    changed(this);
                    if (n < lines.Length - 1)
                        await Task.Delay(linePause, stop.Token);
                }
                Finish(stop, SequenceState.Done, "All of it is typed.");
            }
            catch (OperationCanceledException)
            {
                Finish(stop, SequenceState.Ended, $"Ended by you after {done} of {text.Length} characters.");
            }
        });
        return null;
    }

    private async Task<Problem?> Typed(byte[] line, int characterPause, CancellationToken stop)
    {
        if (characterPause == 0)
            return Send(line, false);
        for (var n = 0; n < line.Length; n++)
        {
            if (Send([line[n]], false) is { } problem)
                return problem;
            await Task.Delay(characterPause, stop);
        }
        return null;
    }

    /// <summary>Runs a sequence; one at a time.</summary>
    public Problem? Run(TypingRun run)
    {
        if (Begin(new(run.Name, SequenceState.Waiting, run.Says, null)) is not { } stop)
            return Busy();
        current = run;
        lock (heard)
            heard.Clear().Append(unfinished);
        Note(new(source.Now, EventKind.Sequence, $"{run.Name}: begins"));
        _ = Task.Run(async () =>
        {
            while (run.State == SequenceState.Waiting)
            {
                string text;
                lock (heard)
                {
                    text = heard.ToString();
                    heard.Clear();
                }
                if (stop.IsCancellationRequested)
                    run.End();
                else if (
                    run.Advance((int)(Environment.TickCount64 & int.MaxValue), text) is var (bytes, secret)
                    && Send(bytes, secret) is { } problem
                )
                {
                    // Who waits for the run itself must not wait for ever.
                    run.Fail(problem.ToString());
                    break;
                }
                if (Typing?.Says != run.Says && run.State == SequenceState.Waiting)
                {
                    Typing = new(run.Name, run.State, run.Says, null);
                    changed(this);
                }
                await Task.Delay(Tick);
            }
            Finish(stop, run.State, run.Says);
        });
        return null;
    }

    private CancellationTokenSource? Begin(TypingState state)
    {
        lock (typing)
        {
            if (typingStop is not null)
                return null;
            typingStop = new();
            Typing = state;
            changed(this);
            return typingStop;
        }
    }

    private void Finish(CancellationTokenSource stop, SequenceState state, string says)
    {
        lock (typing)
        {
            if (typingStop == stop)
                typingStop = null;
            Typing = Typing! with
            {
                State = state,
                Says = says,
                Share =
                    Typing.Share is null ? null
                    : state == SequenceState.Done ? 1
                    : Typing.Share,
            };
        }
        Note(new(source.Now, EventKind.Sequence, $"{Typing.Name}: {char.ToLowerInvariant(says[0])}{says[1..].TrimEnd('.')}"));
        changed(this);
    }

    private Problem Busy() =>
        new("One thing is typed at a time.", $"{Typing?.Name} is still being typed.", "Wait until it is over, or end it.");

    /// <summary>Ends what is typed by itself.</summary>
    public void StopTyping()
    {
        lock (typing)
            typingStop?.Cancel();
    }
}
