using System.Text;

namespace Buttonhook.Core.Consoles;

/// <summary>One step of a sequence: it waits for a text, then sends one; either may be absent.</summary>
/// <param name="WaitFor">What must arrive first, letters large or small; null for nothing. Several are parted by " | ".</param>
/// <param name="Send">What is typed then, with \r, \n, \t, \e and \xNN for keys; null for nothing.</param>
/// <param name="Seconds">How long it waits at most, 1 to 3600.</param>
/// <param name="Secret">Whether what is typed must not be kept; it is typed only where the board does not show what is typed.</param>
/// <param name="FailsOn">What must not arrive instead: the sequence has failed then; null for nothing.</param>
public sealed record SequenceStep(string? WaitFor, string? Send, int Seconds = 30, bool Secret = false, string? FailsOn = null);

/// <summary>What the computer types by itself at the right moments.</summary>
public sealed record Sequence(string Name, IReadOnlyList<SequenceStep> Steps)
{
    private const int MostSteps = 40;
    private const int LongestText = 500;

    /// <summary>The sequence, or the problem with it.</summary>
    public static Answer<Sequence> Checked(Sequence sequence)
    {
        var name = sequence.Name.Trim();
        if (name.Length is 0 or > 60)
            return new Problem("A sequence has a name of 1 to 60 letters.", $"This one has {name.Length}.", "Name it after what it does.");
        if (sequence.Steps.Count is 0 or > MostSteps)
            return new Problem(
                $"A sequence has 1 to {MostSteps} steps.",
                $"This one has {sequence.Steps.Count}.",
                "Add a step, or make two of it."
            );
        foreach (var (step, n) in sequence.Steps.Select((s, n) => (s, n + 1)))
        {
            if (string.IsNullOrEmpty(step.WaitFor) && string.IsNullOrEmpty(step.Send))
                return new Problem(
                    "A step waits for a text, sends one, or both.",
                    $"Step {n} does neither.",
                    "Fill it in, or take it out."
                );
            if (step.Secret && string.IsNullOrEmpty(step.WaitFor))
                return new Problem(
                    "A secret is typed where a question for it was seen.",
                    $"Step {n} waits for none.",
                    "Say what the board asks, such as Password:."
                );
            if (step.WaitFor?.Length > LongestText || step.Send?.Length > LongestText)
                return new Problem(
                    $"A text of a step has up to {LongestText} letters.",
                    $"One of step {n} has more.",
                    "Make two steps of it."
                );
            if (step.Seconds is < 1 or > 3600)
                return new Problem("A step waits for 1 to 3600 seconds.", $"Step {n} waits for {step.Seconds}.", "Give a time in between.");
        }
        return sequence with { Name = name };
    }

    /// <summary>The bytes of a text with \r, \n, \t, \e, \\ and \xNN in it; anything else stands for itself.</summary>
    public static byte[] Keys(string text)
    {
        var bytes = new List<byte>();
        for (var at = 0; at < text.Length; at++)
        {
            if (text[at] == '\\' && at + 1 < text.Length)
            {
                var known = text[at + 1] switch
                {
                    'r' => 13,
                    'n' => 10,
                    't' => 9,
                    'e' => 27,
                    '\\' => 92,
                    'x'
                        when at + 3 < text.Length
                            && byte.TryParse(text.AsSpan(at + 2, 2), System.Globalization.NumberStyles.HexNumber, null, out var b) => b,
                    _ => -1,
                };
                if (known >= 0)
                {
                    bytes.Add((byte)known);
                    at += text[at + 1] == 'x' ? 3 : 1;
                    continue;
                }
            }
            var length = char.IsHighSurrogate(text[at]) && at + 1 < text.Length ? 2 : 1;
            bytes.AddRange(Encoding.UTF8.GetBytes(text.Substring(at, length)));
            at += length - 1;
        }
        return [.. bytes];
    }
}
