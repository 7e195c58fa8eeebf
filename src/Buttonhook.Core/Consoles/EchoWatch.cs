using System.Text;

namespace Buttonhook.Core.Consoles;

/// <summary>
/// Tells which of what was typed came back from the board. What came back stands in the log in any case and may be kept as typed; what did not
/// is taken for a secret, whatever the question for it looked like: prompts for secrets have no common form, but all of them are silent.
/// A line counts as a whole: one letter of it that did not come back makes all of it a secret.
/// </summary>
public sealed class EchoWatch
{
    /// <summary>An echo that comes later is no echo, in milliseconds: the farthest bridge answers sooner.</summary>
    public const int EchoWithin = 1000;

    /// <summary>A line that is not ended by Enter is judged after so many milliseconds without a key.</summary>
    private const int LineWithin = 3000;
    private const int LongestLine = 4096;

    private readonly List<Typed> typed = [];
    private readonly StringBuilder line = new();
    private Escape escape;

    private enum Escape
    {
        None,
        Begun,
        Sequence,
        String,
    }

    private enum Echo
    {
        /// <summary>It may still come as the very next thing.</summary>
        Next,

        /// <summary>Something else came first: only the same prompt with the whole line behind it counts now.</summary>
        Redrawn,

        Came,
        Missing,
    }

    /// <summary>A stretch of letters that were typed without a key between them.</summary>
    private sealed class Letters(byte[] bytes)
    {
        public readonly byte[] Bytes = bytes;
        public int Came;
        public Echo Echo;
    }

    private sealed record Typed(
        int At,
        long AtByte,
        byte[] Bytes,
        string Prompt,
        IReadOnlyList<Letters> Letters,
        bool EndsLine,
        object? Tag
    );

    /// <summary>What is known now of something that was typed.</summary>
    /// <param name="Kept">Whether it came back and may be kept.</param>
    /// <param name="First">Whether it begins a secret: of several keys only the first one tells that there was one.</param>
    /// <param name="Tag">What the caller gave for it.</param>
    public sealed record Known(int At, long AtByte, byte[] Bytes, bool Kept, bool First, object? Tag)
    {
        /// <summary>As it goes into the journal: what came back with its bytes; of a secret only that there was one, once.</summary>
        public JournalEvent? Event =>
            Kept ? new(At, EventKind.Typed, Shown(Bytes), AtByte, Bytes)
            : First ? new(At, EventKind.Secret, SecretWords, AtByte)
            : null;
    }

    /// <summary>How a secret is told in the journal.</summary>
    public const string SecretWords = "Something was typed that did not come back; it is not kept";

    private const int LongestShown = 200;

    private static string Shown(byte[] bytes) =>
        LineText.Signs(bytes.AsSpan(0, Math.Min(bytes.Length, LongestShown))) + (bytes.Length > LongestShown ? " …" : "");

    /// <summary>Whether anything is waited for.</summary>
    public bool Waits => typed.Count > 0;

    /// <summary>Takes what is typed, before it is sent: an echo may be back before the port says that it took the bytes.</summary>
    /// <param name="prompt">The unfinished line that it answers.</param>
    /// <param name="secret">Whether it is known for a secret, and not kept even if it comes back.</param>
    public void Type(byte[] bytes, int at, long atByte, string prompt, bool secret, object? tag = null)
    {
        if (typed.Count == 0)
        {
            // While nothing was waited for, nothing was read.
            line.Clear();
            escape = Escape.None;
        }
        var letters = LettersOf(bytes);
        if (secret)
            letters.ForEach(l => l.Echo = Echo.Missing);
        typed.Add(new(at, atByte, bytes, prompt, letters, bytes.AsSpan().IndexOfAny((byte)'\r', (byte)'\n') >= 0, tag));
    }

    /// <summary>Takes back the newest that was typed: the port did not take it.</summary>
    public void Withdraw() => typed.RemoveAt(typed.Count - 1);

    /// <summary>The letters of what was typed: keys that move or end (control bytes, escape sequences as keys send them) hold no secret.</summary>
    private static List<Letters> LettersOf(byte[] bytes)
    {
        var all = new List<Letters>();
        var one = new List<byte>();
        void End()
        {
            if (one.Count > 0)
                all.Add(new([.. one]));
            one.Clear();
        }
        for (var at = 0; at < bytes.Length; at++)
            if (bytes[at] == 0x1B && at + 1 < bytes.Length && bytes[at + 1] is (byte)'[' or (byte)'O')
            {
                End();
                for (at += 2; at < bytes.Length && bytes[at] is < 0x40 or > 0x7E; at++) { }
            }
            else if (bytes[at] is < 0x20 or 0x7F)
                End();
            else
                one.Add(bytes[at]);
        End();
        return all;
    }

    /// <summary>Takes what the board printed; gives what is known by it, in the order in which it was typed.</summary>
    public IReadOnlyList<Known> Receive(ReadOnlySpan<byte> bytes, int now)
    {
        if (typed.Count == 0)
            return [];
        foreach (var b in bytes)
            Receive(b);
        return Settled(now);
    }

    private void Receive(byte b)
    {
        switch (escape)
        {
            case Escape.Begun:
                escape = b switch
                {
                    (byte)'[' => Escape.Sequence,
                    (byte)']' or (byte)'P' or (byte)'_' or (byte)'^' => Escape.String,
                    _ => Escape.None,
                };
                return;
            case Escape.Sequence:
                if (b is >= 0x40 and <= 0x7E)
                    escape = Escape.None;
                return;
            case Escape.String:
                if (b is 0x07 or (byte)'\\')
                    escape = Escape.None;
                return;
        }
        switch (b)
        {
            case 0x1B:
                escape = Escape.Begun;
                return;
            case (byte)'\n' or (byte)'\r':
                line.Clear();
                // A line has ended: what was typed for it and has not come back comes no more as the very next thing.
                foreach (var letters in Next())
                    letters.Echo = Echo.Redrawn;
                return;
            case (byte)'\b' when line.Length > 0:
                line.Length--;
                return;
            case < 0x20 or 0x7F:
                return;
        }
        if (line.Length < LongestLine)
            line.Append((char)b);
        foreach (var letters in Next())
        {
            if (letters.Bytes[letters.Came] == b)
            {
                if (++letters.Came == letters.Bytes.Length)
                    letters.Echo = Echo.Came;
                break;
            }
            letters.Echo = Echo.Redrawn;
        }
        Redrawn();
    }

    /// <summary>What is waited for as the very next thing: of each that was typed the letters up to its first key.</summary>
    private List<Letters> Next() =>
        [
            .. typed
                .Select(t => t.Letters.FirstOrDefault(l => l.Echo is Echo.Next or Echo.Missing))
                .OfType<Letters>()
                .Where(l => l.Echo == Echo.Next),
        ];

    /// <summary>A line behind the same prompt that ends with what was typed: drawn again by a line editor, or behind what was printed in between.</summary>
    private void Redrawn()
    {
        foreach (var one in typed.Where(t => t.Letters.Any(l => l.Echo == Echo.Redrawn) && t.Prompt.Trim().Length > 0))
        {
            var letters = one.Letters.First(l => l.Echo == Echo.Redrawn);
            var shown = Bytes(one.Prompt.TrimStart());
            if (
                line.Length == shown.Length + letters.Bytes.Length
                && line.ToString() is var now
                && now.StartsWith(shown, StringComparison.Ordinal)
                && now.AsSpan(shown.Length).SequenceEqual(Encoding.Latin1.GetString(letters.Bytes))
            )
                letters.Echo = Echo.Came;
        }
    }

    private static string Bytes(string text) => Encoding.Latin1.GetString(Encoding.UTF8.GetBytes(text));

    /// <summary>What is known now that so much time has passed.</summary>
    public IReadOnlyList<Known> Settled(int now)
    {
        Miss(typed.Where(t => now - t.At > EchoWithin));
        return Lines(now);
    }

    /// <summary>The end of a capture: what has not come back by now does not.</summary>
    public IReadOnlyList<Known> End()
    {
        Miss(typed);
        return Lines(int.MaxValue);
    }

    private static void Miss(IEnumerable<Typed> late)
    {
        foreach (var letters in late.SelectMany(t => t.Letters).Where(l => l.Echo != Echo.Came))
            letters.Echo = Echo.Missing;
    }

    private List<Known> Lines(int now)
    {
        var known = new List<Known>();
        while (typed.Count > 0)
        {
            // A line, up to the Enter that ends it.
            var end = typed.FindIndex(t => t.EndsLine) + 1;
            if (end == 0 && now - typed[^1].At > LineWithin)
                end = typed.Count;
            var group = typed.Take(end).ToList();
            var letters = group.SelectMany(t => t.Letters).ToList();
            if (group.Count == 0 || letters.Exists(l => l.Echo is not (Echo.Came or Echo.Missing)))
                break;
            var kept = letters.TrueForAll(l => l.Echo == Echo.Came);
            known.AddRange(group.Select((t, n) => new Known(t.At, t.AtByte, t.Bytes, kept, !kept && n == 0, t.Tag)));
            typed.RemoveRange(0, end);
        }
        return known;
    }
}
