using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Asking;

/// <summary>Types the lines of a trial, each when the prompt is back, and stops at the first that the board refuses. What follows the last line is a boot, which is watched like any other.</summary>
/// <param name="kind">Who must wait when it begins.</param>
/// <param name="begins">Is told when the first line is typed: until then nothing was tried.</param>
public sealed partial class TrialRun(OfferedTrial trial, ListenerKind kind, IReadOnlyList<string> before, Stage? reached, Action begins)
    : TypingRun("Try it")
{
    /// <summary>A prompt waits when nothing came for so long, and is waited for so long; milliseconds.</summary>
    private const int Settles = 700,
        MostWait = 60_000;

    private readonly StringBuilder arrived = new();
    private int next;
    private int? began;
    private int changedAt;

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
        if (now - changedAt < Settles)
        {
            if (now - began > MostWait)
                Finish(SequenceState.TimedOut, "The board prints all the time: nothing more was typed.");
            return null;
        }
        var all = arrived.ToString();
        var line = all[(all.LastIndexOf('\n') + 1)..].TrimStart('\r');
        if (next > 0 && all.Split('\n').Skip(1).FirstOrDefault(l => Refused().IsMatch(l)) is { } refusal)
        {
            Finish(SequenceState.Failed, $"The board refused it: “{refusal.Trim()}”. Nothing more was typed.");
            return null;
        }
        var waiting = Listener.Of(before, line, reached).Kind;
        if (next == 0 ? waiting != kind : !Listener.IsShell(waiting))
        {
            if (next == 0)
                Finish(SequenceState.Failed, "Another program waits at the console now: nothing was typed.");
            else if (now - began > MostWait)
                Finish(SequenceState.TimedOut, $"The prompt did not come back within {MostWait / 1000} s: nothing more was typed.");
            return null;
        }
        if (next == 0)
            begins();
        var typed = trial.Lines[next++];
        arrived.Clear();
        (began, changedAt) = (now, now);
        Says = $"Types: {typed}";
        if (next == trial.Lines.Count)
            Finish(SequenceState.Done, "It is typed. The start that follows is watched.");
        return (Encoding.ASCII.GetBytes(typed + "\r"), false);
    }

    [GeneratedRegex(@"^(?:-?\S*sh: |mount: |mkdir: |grep: |cat: |systemctl: |switch_root: |\*\* |Failed to |Unknown command|[Ee]rror: )")]
    private static partial Regex Refused();
}
