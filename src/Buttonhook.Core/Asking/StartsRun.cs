using System.Text;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Asking;

/// <summary>How a board is to be started again and again.</summary>
/// <param name="Times">How many new starts, 1 to 100.</param>
/// <param name="ByHand">Whether a person restarts it when told; else it is told to restart itself.</param>
/// <param name="UntilFailure">Whether the first start that does not come up ends it.</param>
/// <param name="User">Who logs in where a login waits; empty for nobody.</param>
/// <param name="Password">Theirs; typed where it is asked for, and kept nowhere.</param>
public sealed record StartsAsked(int Times, bool ByHand, bool UntilFailure, string User, string Password);

/// <summary>How a capture stands, as a series of starts needs it.</summary>
/// <param name="Starts">How many starts it holds so far.</param>
/// <param name="Up">Whether the newest reached its login.</param>
/// <param name="Over">Whether the newest waits for somebody, or has been silent for longer than is usual.</param>
/// <param name="Listener">Who waits at the console.</param>
public sealed record StartSeen(int Starts, bool Up, bool Over, Listener Listener);

/// <summary>
/// Starts a board again and again: by its own restart, for which it logs in where it must, or by a person's hand when told. Each start is
/// awaited to its login or its end before the next one.
/// </summary>
/// <param name="look">Looks how the capture stands now.</param>
public sealed class StartsRun(StartsAsked asked, Func<StartSeen> look) : TypingRun("Start it again and again")
{
    /// <summary>Nothing came for so long before anything is decided; how often the capture is looked at; how long a restart is waited for; milliseconds.</summary>
    private const int Settles = 1000,
        LookEvery = 300,
        RestartsWithin = 180_000;

    /// <summary>How many starts may be asked for at once.</summary>
    public const int Most = 100;

    private TypingRun? inner;
    private int? before;
    private int changedAt;
    private int lookedAt;
    private int restartedAt;
    private int awaited;
    private int failed;
    private int judged;
    private int woken = -1;
    private bool hand;

    /// <inheritdoc/>
    public override bool EndsAtAnyKey => true;

    /// <inheritdoc/>
    public override (byte[] Bytes, bool Secret)? Advance(int now, string text)
    {
        if (State != SequenceState.Waiting)
            return null;
        if (before is null)
            (changedAt, lookedAt) = (now, now - LookEvery);
        if (text.Length > 0)
            changedAt = now;
        if (inner is not null)
            return Inner(now, text);
        if (now - lookedAt < LookEvery || before is not null && awaited == 0 && now - changedAt < Settles)
            return null;
        lookedAt = now;
        var seen = look();
        before ??= seen.Starts;
        if (awaited > 0 && seen.Starts < awaited)
        {
            if (!hand && now - restartedAt > RestartsWithin)
                Finish(SequenceState.Failed, $"The board did not restart within {RestartsWithin / 60_000} min. {Tally()}");
            return null;
        }
        (awaited, hand) = (0, false);
        return now - changedAt < Settles ? null : Judge(now, seen);
    }

    private (byte[], bool)? Judge(int now, StartSeen seen)
    {
        var number = seen.Starts - before!.Value;
        if (!seen.Up && !seen.Over)
        {
            Says = number == 0 ? "Waits for the start that is under way." : $"Start {number} of {asked.Times} is under way. {Tally()}";
            return null;
        }
        // Starts that went by between two looks did not come up: the board restarted by itself.
        while (judged < number)
            failed += ++judged < number || !seen.Up ? 1 : 0;
        if (failed > 0 && asked.UntilFailure)
            Finish(SequenceState.Done, $"Ended at the first start that did not come up. {Tally()}");
        else if (judged >= asked.Times)
            Finish(SequenceState.Done, $"All {asked.Times} starts are over. {Tally()}");
        else
            return Restart(now, seen);
        return null;
    }

    private string Tally() => judged == 0 ? "" : $"{judged - failed} of {judged} came up.";

    private (byte[], bool)? Restart(int now, StartSeen seen)
    {
        if (asked.ByHand)
            return ByHand(seen, "");
        switch (seen.Listener.Kind)
        {
            case ListenerKind.Login when asked.User.Length == 0:
                Finish(SequenceState.Failed, "The board waits at its login: give a name and a password, or log in, and start again.");
                return null;
            case ListenerKind.Login:
                inner = new LogIn(asked.User, asked.Password);
                return null;
            // The kernel printed behind the prompt, or the console sleeps: an Enter brings it again.
            case ListenerKind.Nobody or ListenerKind.Unknown when seen.Up && woken != judged:
                (woken, changedAt) = (judged, now);
                return ("\r"u8.ToArray(), false);
            case ListenerKind.UserShell:
                inner = new RestartItself(seen.Listener.Prompt.TrimEnd().EndsWith('#') ? "reboot" : "sudo reboot", asked.Password);
                return Await(now, seen, null);
            default:
                return Command(seen.Listener.Kind) is { } command
                    ? Await(now, seen, command)
                    : ByHand(
                        seen,
                        seen.Up ? "Nobody there takes a command. " : $"Start {judged} did not come up, and nobody there takes a command. "
                    );
        }
    }

    /// <summary>What restarts a board at its listener; null for nothing that does.</summary>
    private static string? Command(ListenerKind kind) =>
        kind switch
        {
            ListenerKind.LoaderShell or ListenerKind.FirmwareShell => "reset",
            ListenerKind.LoaderCommandLine or ListenerKind.RescueShell => "reboot",
            ListenerKind.InitialShell => "reboot -f",
            _ => null,
        };

    private (byte[], bool)? Await(int now, StartSeen seen, string? command)
    {
        (awaited, restartedAt) = (seen.Starts + 1, now);
        Says = $"Start {judged + 1} of {asked.Times}: the board restarts. {Tally()}";
        return command is null ? null : (Encoding.ASCII.GetBytes(command + "\r"), false);
    }

    private (byte[], bool)? ByHand(StartSeen seen, string why)
    {
        (awaited, hand) = (seen.Starts + 1, true);
        Says = $"{why}Restart the board now, by its reset button or its supply: start {judged + 1} of {asked.Times}. {Tally()}";
        return null;
    }

    private (byte[], bool)? Inner(int now, string text)
    {
        var typed = inner!.Advance(now, text);
        if (inner.State is SequenceState.Failed or SequenceState.TimedOut)
            Finish(SequenceState.Failed, $"{inner.Says} {Tally()}");
        if (inner.State != SequenceState.Waiting)
            (inner, changedAt) = (null, now);
        return typed;
    }

    /// <summary>Tells a shell to restart its system, and gives the password where that is asked for.</summary>
    private sealed class RestartItself(string command, string password) : Dialogue("Restart", (RestartsWithin / 1000) - 30)
    {
        /// <summary>A question for a password comes within this time.</summary>
        private const int AsksWithin = 4000;
        private static readonly string[] Refusals =
        [
            "not found",
            "permission denied",
            "not permitted",
            "must be",
            "not in the sudoers",
            "failed",
        ];
        private bool typed;
        private bool given;

        protected override string TimedOut => "No restart came";

        protected override (string Text, bool Secret)? Answer(string? question, int since, int quiet)
        {
            if (!typed)
            {
                typed = true;
                return (command + "\r", false);
            }
            if (question is not null && Prompts.AsksForSecret(question))
            {
                if (given || password.Length == 0)
                {
                    Finish(
                        SequenceState.Failed,
                        given
                            ? "The board refuses the password."
                            : $"The board asks {Short(question)}: give the password, or log in as root."
                    );
                    return null;
                }
                given = true;
                return (password, true);
            }
            // A shell that shows its prompt again may be about to go down all the same; one that says why it will not is not.
            if (question is not null && LastLine is { } line && Refusals.Any(r => line.Contains(r, StringComparison.OrdinalIgnoreCase)))
                Finish(SequenceState.Failed, $"The board does not restart: {Short(line)}.");
            else if (since > AsksWithin)
                Finish(SequenceState.Done, "Done.");
            return null;
        }
    }
}
