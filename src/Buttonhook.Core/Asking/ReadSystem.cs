using System.Text;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Asking;

/// <summary>Reads a running system for the record: logs in where a login waits, then types commands that only read, one after another, each between its marks.</summary>
/// <param name="commands">What is typed, each with the name that its answer begins with; one that is not known to read is never typed.</param>
/// <param name="user">Who logs in where a login waits; empty for nobody.</param>
/// <param name="password">Theirs; kept nowhere.</param>
/// <param name="look">Looks who waits at the console now.</param>
public sealed class ReadSystem(IReadOnlyList<(string Name, string Command)> commands, string user, string password, Func<Listener> look)
    : TypingRun("Read this system")
{
    /// <summary>Nothing came for so long before anything is typed; an answer is waited for; milliseconds.</summary>
    private const int Settles = 500,
        Most = 20_000;

    private const int MostBytes = 1 << 20;
    private readonly StringBuilder arrived = new();
    private LogIn? login;
    private bool logged;
    private bool woken;
    private int? began;
    private int changedAt;
    private int typedAt;
    private int next;
    private bool answering;

    /// <inheritdoc/>
    public override bool EndsAtAnyKey => true;

    /// <inheritdoc/>
    public override (byte[] Bytes, bool Secret)? Advance(int now, string text)
    {
        if (State != SequenceState.Waiting)
            return null;
        if (began is null)
            (began, changedAt) = (now, now);
        if (text.Length > 0)
            changedAt = now;
        if (login is not null)
            return LoggingIn(now, text);
        arrived.Append(text);
        if (answering && arrived.Length > MostBytes)
            Finish(SequenceState.Failed, $"The answer to {commands[next - 1].Command} does not end.");
        else if (answering && !AnswerMarks.HasEnd(arrived.ToString()))
        {
            if (now - typedAt > Most)
                Finish(SequenceState.TimedOut, $"No answer to {commands[next - 1].Command} came within {Most / 1000} s.");
        }
        else if (now - changedAt >= Settles)
            return Next(now);
        else if (now - typedAt > Most && now - began > Most)
            Finish(SequenceState.TimedOut, "The board prints all the time: nothing was typed.");
        return null;
    }

    private (byte[], bool)? LoggingIn(int now, string text)
    {
        var typed = login!.Advance(now, text);
        if (login.State is SequenceState.Failed or SequenceState.TimedOut)
            Finish(SequenceState.Failed, login.Says);
        if (login.State != SequenceState.Waiting)
            (login, logged, changedAt) = (null, true, now);
        return typed;
    }

    private (byte[], bool)? Next(int now)
    {
        var listener = look();
        if (next == 0 && listener.Kind == ListenerKind.Login && user.Length > 0 && !logged)
        {
            Says = "Logs in.";
            login = new(user, password);
            return null;
        }
        // The kernel printed behind the prompt, or the console sleeps: an Enter brings it again.
        if (next == 0 && !woken && listener.Kind is ListenerKind.Nobody or ListenerKind.Unknown)
        {
            (woken, changedAt) = (true, now);
            return ("\r"u8.ToArray(), false);
        }
        if (listener.Kind is not (ListenerKind.UserShell or ListenerKind.RescueShell))
        {
            Finish(
                SequenceState.Failed,
                listener.Kind == ListenerKind.Login
                    ? "The board waits at its login: give a name and a password, or log in first."
                    : $"A user's shell should wait at the console; {listener.Words} does. Nothing more was typed."
            );
            return null;
        }
        while (next < commands.Count && !SafeCommand.Reads(commands[next].Command, listener.Kind))
            next++;
        if (next == commands.Count)
        {
            Finish(SequenceState.Done, "Read.");
            return null;
        }
        var (name, command) = commands[next++];
        Says = $"{next} of {commands.Count}: {command}";
        arrived.Clear();
        (answering, typedAt, changedAt) = (true, now, now);
        return (Encoding.ASCII.GetBytes(AnswerMarks.Around(command, name) + "\r"), false);
    }
}
