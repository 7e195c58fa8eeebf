using System.Text;

namespace Buttonhook.Core.Consoles;

/// <summary>
/// A dialogue with a board, led by what the board asks and not by a count of steps. A question is the unfinished line behind which nothing more
/// comes. A secret is typed only where a question was asked since the last thing that was typed, and where a space that is typed first does not
/// come back: what a question is called differs by language, that it is silent does not.
/// </summary>
public abstract class Dialogue : TypingRun
{
    /// <summary>A line is a question when nothing came behind it for so long, in milliseconds.</summary>
    private const int Settles = 300;

    private const int Remembered = 4096;
    private readonly int patience;
    private string arrived = "";
    private int? changedAt;
    private int typedAt;
    private string? secret;

    /// <summary>A dialogue.</summary>
    /// <param name="seconds">How long it waits for the next question.</param>
    protected Dialogue(string name, int seconds)
        : base(name) => patience = seconds * 1000;

    /// <summary>The text that arrived since the last thing that was typed.</summary>
    protected string Arrived => arrived;

    /// <summary>The last whole line that says something, or null.</summary>
    protected string? LastLine => arrived.Split('\n').SkipLast(1).Select(l => l.Trim()).LastOrDefault(l => l.Length > 0);

    /// <inheritdoc/>
    public override (byte[] Bytes, bool Secret)? Advance(int now, string text)
    {
        if (State != SequenceState.Waiting)
            return null;
        if (changedAt is null)
            typedAt = now;
        if (changedAt is null || text.Length > 0)
            changedAt = now;
        arrived += text;
        if (arrived.Length > Remembered)
            arrived = arrived[^Remembered..];
        var quiet = now - changedAt.Value;
        if (secret is { } waiting)
            return now - typedAt < ComesBackWithin ? null : AfterProbe(now, waiting);
        var line = arrived[(arrived.LastIndexOf('\n') + 1)..].TrimStart('\r');
        var typed = Answer(quiet >= Settles && line.Trim().Length > 0 ? line : null, now - typedAt, quiet);
        if (State != SequenceState.Waiting)
            return null;
        if (typed is { } keys)
            return Type(now, keys.Text, keys.Secret);
        if (now - Math.Max(typedAt, changedAt.Value) > patience)
            Finish(SequenceState.TimedOut, $"{TimedOut} within {patience / 1000} s. {Newest}");
        return null;
    }

    /// <summary>What the board showed last, for who has to go on by hand.</summary>
    private string Newest =>
        arrived.Trim().Length == 0 ? "The board is silent." : $"It shows {Short(arrived.Trim().Split('\n')[^1].Trim())}.";

    /// <summary>What is said when no question came in time, without a full stop.</summary>
    protected abstract string TimedOut { get; }

    /// <summary>What to answer; null to wait. It may finish the dialogue instead.</summary>
    /// <param name="question">The question that the board waits behind; null while there is none.</param>
    /// <param name="since">Milliseconds since something was typed.</param>
    /// <param name="quiet">Milliseconds since something came.</param>
    protected abstract (string Text, bool Secret)? Answer(string? question, int since, int quiet);

    private (byte[], bool)? Type(int now, string text, bool isSecret)
    {
        if (isSecret)
        {
            // The space is taken away again before the secret is typed.
            (secret, text) = (text, Probe);
        }
        arrived = "";
        (typedAt, changedAt) = (now, now);
        return (Encoding.UTF8.GetBytes(text), isSecret);
    }

    private (byte[], bool)? AfterProbe(int now, string text)
    {
        secret = null;
        if (CameBack(arrived))
        {
            Finish(SequenceState.Failed, "The board shows what is typed there: the secret was not typed.");
            return (Encoding.UTF8.GetBytes(TakeAway), false);
        }
        arrived = "";
        (typedAt, changedAt) = (now, now);
        return (Encoding.UTF8.GetBytes($"{TakeAway}{text}\r"), true);
    }

    /// <summary>A question as it is shown in a sentence.</summary>
    protected static string Short(string text) => $"“{(text.Trim() is { Length: > 60 } long_ ? long_[..60] + " …" : text.Trim())}”";

    /// <summary>Whether a line may be a question for something that is typed silently: it ends as questions do.</summary>
    protected static bool MayBeSilent(string question) =>
        Prompts.AsksForSecret(question) || question.TrimEnd() is [.., ':' or '?' or '>' or '\uFF1A'];
}

/// <summary>Logs in: wakes a silent console, gives the name where a name is asked for and comes back, and the password where it is silent.</summary>
public sealed class LogIn(string user, string password) : Dialogue("Log in", 40)
{
    private const int WakeAfter = 1000;
    private const int MostWakes = 4;
    private const int NameComesBack = 2000;
    private const int UnknownPrompt = 5000;
    private Step step;
    private int wakes;
    private int names;

    private enum Step
    {
        Begin,
        Name,
        Password,
        End,
    }

    /// <inheritdoc/>
    protected override string TimedOut =>
        step switch
        {
            Step.Begin => "No question for a login came",
            Step.End => "Neither a shell nor another question came behind the password",
            _ => "No question for the password came",
        };

    /// <inheritdoc/>
    protected override (string Text, bool Secret)? Answer(string? question, int since, int quiet) =>
        step switch
        {
            Step.Begin => Begin(question, quiet),
            Step.Name => NameBack(since),
            Step.Password => Password(question),
            _ => End(question, quiet),
        };

    private (string, bool)? Begin(string? question, int quiet)
    {
        Says = "Waits for the question for a login.";
        if (question is null)
            return quiet > WakeAfter ? Wake() : null;
        if (Prompts.AsksForLogin(question))
        {
            step = Step.Name;
            return (user, false);
        }
        if (Prompts.IsShell(question))
        {
            Finish(SequenceState.Done, "Somebody is logged in already.");
            return null;
        }
        // Someone else's question for a secret: an empty answer ends it.
        if (Prompts.AsksForSecret(question))
            return Wake();
        Finish(SequenceState.Failed, $"Something else waits at the console: {Short(question)}. Nothing was typed.");
        return null;
    }

    private (string, bool)? Wake() => ++wakes > MostWakes ? null : ("\r", false);

    private (string, bool)? NameBack(int since)
    {
        Says = "Waits for the name to come back.";
        if (Arrived.Contains(user, StringComparison.Ordinal))
        {
            step = Step.Password;
            return ("\r", false);
        }
        if (since < NameComesBack)
            return null;
        // It was a silent question: what was typed is taken away, and an empty answer brings the next one.
        if (++names > 1)
        {
            Finish(SequenceState.Failed, "The name does not come back from the board: the password was not typed.");
            return null;
        }
        step = Step.Begin;
        return (TakeAway + "\r", false);
    }

    private (string, bool)? Password(string? question)
    {
        Says = "Waits for the question for the password.";
        if (question is null)
            return null;
        if (Prompts.IsShell(question))
        {
            Finish(SequenceState.Done, "No password was asked for.");
            return null;
        }
        if (Prompts.AsksForLogin(question) && !Prompts.AsksForSecret(question))
        {
            Finish(SequenceState.Failed, $"The board asks for the name again{(LastLine is { } line ? $": {Short(line)}" : "")}.");
            return null;
        }
        if (!MayBeSilent(question))
            return null;
        step = Step.End;
        return (password, true);
    }

    private (string, bool)? End(string? question, int quiet)
    {
        Says = "Waits for the shell.";
        if (question is null)
            return null;
        if (Prompts.IsShell(question))
            Finish(SequenceState.Done, "Done.");
        else if (Prompts.AsksForLogin(question) && !Prompts.AsksForSecret(question))
            Finish(SequenceState.Failed, $"The board did not let {user} in{(LastLine is { } line ? $": {Short(line)}" : "")}.");
        else if (MayBeSilent(question))
            Finish(SequenceState.Done, $"The board let {user} in and asks {Short(question)}.");
        else if (quiet > UnknownPrompt)
            Finish(SequenceState.Done, $"The board shows {Short(question)}.");
        return null;
    }
}

/// <summary>Answers a change of a password: the old one where it is asked for, the new one where that is.</summary>
/// <param name="old">Empty where the system does not ask for it.</param>
public sealed class ChangePassword(string old, string @new) : Dialogue("Change the password", 30)
{
    private readonly HashSet<string> answered = [];
    private int news;

    /// <inheritdoc/>
    protected override string TimedOut => news == 0 ? "No question for a password came" : "No end of the change came";

    /// <inheritdoc/>
    protected override (string Text, bool Secret)? Answer(string? question, int since, int quiet)
    {
        Says = answered.Count == 0 ? "Waits for the question." : "Waits for the next question.";
        if (question is null)
            return null;
        var line = LastLine is { } last ? $": {Short(last)}" : "";
        if (Prompts.IsShell(question) || Prompts.AsksForLogin(question) && !Prompts.AsksForSecret(question))
        {
            if (answered.Count == 0)
                Finish(SequenceState.Failed, $"The board asks for no password; it shows {Short(question)}.");
            else if (news == 0 || Prompts.RefusesPassword(Arrived))
                Finish(SequenceState.Failed, $"The board did not take it{line}.");
            else
                Finish(SequenceState.Done, $"Done{line}.");
            return null;
        }
        if (!MayBeSilent(question))
            return null;
        // The same question once more: the answer was refused, and would be again.
        if (!answered.Add(question.Trim()))
        {
            Finish(SequenceState.Failed, $"The board asks {Short(question)} again{line}.");
            return null;
        }
        if (old.Length > 0 && answered.Count == 1 && !Prompts.AsksForNewPassword(question))
            return (old, true);
        news++;
        return (@new, true);
    }
}
