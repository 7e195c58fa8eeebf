namespace Buttonhook.Core.Consoles;

/// <summary>How a sequence stands.</summary>
public enum SequenceState
{
    /// <summary>It waits for a text.</summary>
    Waiting,

    /// <summary>Every step is done.</summary>
    Done,

    /// <summary>What it waited for did not come in time.</summary>
    TimedOut,

    /// <summary>What must not come came.</summary>
    Failed,

    /// <summary>A person ended it.</summary>
    Ended,
}

/// <summary>A sequence that runs.</summary>
public sealed class SequenceRun : TypingRun
{
    /// <summary>What arrived since the last step and is kept to be compared.</summary>
    private const int Remembered = 4096;

    /// <summary>How often the key that stops a loader is typed, and how long at most.</summary>
    private const int StopEvery = 60,
        StopFor = 8000;
    private readonly Sequence sequence;
    private readonly int stopSeconds;
    private string arrived = "";
    private int step;
    private int? since;
    private LoaderStop? key;
    private int pressedAt;
    private int firstPressed;

    /// <summary>A run of a sequence.</summary>
    public SequenceRun(Sequence sequence)
        : base(sequence.Name) => this.sequence = sequence;

    private SequenceRun(int seconds)
        : this(new Sequence("Stop the loader", []))
    {
        stopSeconds = seconds;
    }

    /// <summary>A run that waits for a loader's countdown, takes the key from its line, and types it until there is a prompt or a menu.</summary>
    /// <param name="seconds">How long it waits for the countdown.</param>
    public static SequenceRun StopLoader(int seconds) => new(seconds);

    /// <inheritdoc/>
    public override (byte[] Bytes, bool Secret)? Advance(int now, string text)
    {
        if (State != SequenceState.Waiting)
            return null;
        since ??= now;
        arrived += text;
        if (arrived.Length > Remembered)
            arrived = arrived[^Remembered..];
        return stopSeconds > 0 ? Stop(now) : Step(now);
    }

    private (byte[], bool)? Step(int now)
    {
        if (step == sequence.Steps.Count)
        {
            Finish(SequenceState.Done, "Done.");
            return null;
        }
        var current = sequence.Steps[step];
        if (!asked && !string.IsNullOrEmpty(current.WaitFor))
        {
            var (at, length) = Found(current.WaitFor);
            if (current.FailsOn is { } bad && Found(bad) is (>= 0 and var wrong, _) && (at < 0 || wrong < at))
            {
                Finish(SequenceState.Failed, $"Step {step + 1} of {sequence.Steps.Count}: the board answers {LineAt(wrong)}.");
                return null;
            }
            if (at < 0)
            {
                Says = $"Step {step + 1} of {sequence.Steps.Count}: waits for {current.WaitFor.Trim()}.";
                if (now - since > current.Seconds * 1000)
                    Finish(
                        SequenceState.TimedOut,
                        $"Step {step + 1} of {sequence.Steps.Count}: {current.WaitFor.Trim()} did not come within {current.Seconds} s."
                    );
                return null;
            }
            // A question that is asked may be asked again by the next step's words.
            if (!string.IsNullOrEmpty(current.Send))
                arrived = arrived[(at + length)..];
        }
        if (current.Secret && probedAt is null)
        {
            // A space comes back where what is typed is shown; it is taken away again before the secret.
            probedAt = now;
            arrived = "";
            asked = true;
            return (Sequence.Keys(Probe), true);
        }
        if (current.Secret)
        {
            if (now - probedAt < ComesBackWithin)
                return null;
            if (CameBack(arrived))
            {
                Finish(
                    SequenceState.Failed,
                    $"Step {step + 1} of {sequence.Steps.Count}: the board shows what is typed there, so the secret was not typed."
                );
                return (Sequence.Keys(TakeAway), false);
            }
        }
        step++;
        since = now;
        (probedAt, asked) = (null, false);
        if (step == sequence.Steps.Count)
            Finish(SequenceState.Done, "Done.");
        return string.IsNullOrEmpty(current.Send) ? null
            : current.Secret ? ([.. Sequence.Keys(TakeAway), .. Sequence.Keys(current.Send)], true)
            : (Sequence.Keys(current.Send), false);
    }

    private int? probedAt;

    /// <summary>Whether what the step waits for was seen; what comes behind it is the answer to the space.</summary>
    private bool asked;

    private string LineAt(int at)
    {
        var from = arrived.LastIndexOf('\n', at) + 1;
        var to = arrived.IndexOf('\n', at);
        return arrived[from..(to < 0 ? arrived.Length : to)].Trim();
    }

    private (int At, int Length) Found(string wanted)
    {
        foreach (var one in wanted.Split(" | "))
            if (
                one.Length > 0
                && arrived.IndexOf(one.TrimEnd() is { Length: > 1 } long_ ? long_ : one.TrimEnd() + " ", StringComparison.OrdinalIgnoreCase)
                    is >= 0
                        and var at
            )
                return (at, one.TrimEnd().Length);
        return (-1, 0);
    }

    private (byte[], bool)? Stop(int now)
    {
        var lines = arrived.Split('\n');
        if (key is null)
        {
            key = lines.Reverse().Take(4).Select(l => LoaderStop.Of(l.TrimEnd('\r'))).FirstOrDefault(k => k is not null);
            if (key is null)
            {
                Says = "Waits for the loader's countdown.";
                if (now - since > stopSeconds * 1000)
                    Finish(SequenceState.TimedOut, $"No countdown of a loader came within {stopSeconds} s: nothing was typed.");
                return null;
            }
            arrived = "";
            (firstPressed, pressedAt) = (now, now);
            Says = $"Types {key.Name}, as the loader asks.";
            return (key.Bytes, false);
        }
        if (LoaderStop.IsPrompt(lines[^1].TrimEnd('\r')) || lines.Any(l => l.Contains("GNU GRUB", StringComparison.Ordinal)))
        {
            Finish(SequenceState.Done, $"The loader was stopped with {key.Name}.");
            return null;
        }
        if (now - firstPressed > StopFor)
        {
            Finish(SequenceState.TimedOut, $"{key.Name} was typed for {StopFor / 1000} s, and no prompt came.");
            return null;
        }
        if (now - pressedAt < StopEvery)
            return null;
        pressedAt = now;
        return (key.Bytes, false);
    }
}
