using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>What a person noted while a board booted, and what was typed without an echo, as signals.</summary>
internal sealed class SeenByEyes(RuleBook book)
{
    private const string Off = ": off";

    private readonly List<string> words = [];

    /// <summary>When the oldest line was typed at a prompt that has no answer yet.</summary>
    private int? typed;
    private int heardAt = -1;
    private bool echoed;
    private bool unheard;

    /// <summary>Takes what was noted, in the order in which it happened.</summary>
    /// <param name="atPrompt">Whether the last line waits for something to be typed.</param>
    public void Note(JournalEvent happened, bool atPrompt)
    {
        if (happened.Kind == EventKind.Mark)
            words.Add(happened.Text.Trim());
        // An echo may stand before what it answers: what was typed is kept once the port took it.
        if (happened.Kind is not (EventKind.Typed or EventKind.Secret) || heardAt >= happened.Milliseconds)
            return;
        Pass(happened.Milliseconds);
        if (atPrompt)
            typed ??= happened.Milliseconds;
    }

    /// <summary>Takes that something arrived.</summary>
    public void Hear(int milliseconds)
    {
        heardAt = milliseconds;
        Pass(milliseconds);
        echoed |= typed is not null && !unheard;
        typed = null;
    }

    /// <summary>Adds what follows from it.</summary>
    /// <param name="quiet">How long nothing arrived since, up to now or to the end; null when that is not known.</param>
    public void Add(SignalSet set, int? quiet)
    {
        if (!echoed && (unheard || typed is not null && quiet > LineHint.EchoWithin))
            set.Add(Signals.TypedUnheard);
        foreach (var rule in book.Seen ?? [])
            if (
                words.FindLastIndex(w => Says(w, rule.Regex)) is >= 0 and var at
                && !(rule.Ends is { } ends && words.Skip(at + 1).Any(w => Says(w, ends)))
            )
                set.Add(rule.Signal, words[at]);
        // One of the board's own lights, by its name: what it was before, and that it is off now.
        var dark = words.FindLastIndex(w => w.EndsWith(Off, StringComparison.Ordinal));
        if (dark < 0)
            return;
        var light = words[dark][..^Off.Length] + ":";
        if (words.Skip(dark + 1).Any(w => w.StartsWith(light, StringComparison.Ordinal)))
            return;
        if (words.Take(dark).Any(w => w.StartsWith(light, StringComparison.Ordinal) && !w.EndsWith(Off, StringComparison.Ordinal)))
            set.Add(Signals.LightWentOut, words[dark]);
    }

    /// <summary>As every rule: in a time that grows with the words only.</summary>
    private static bool Says(string words, string regex) =>
        Regex.IsMatch(words, regex, RegexOptions.CultureInvariant | RegexOptions.NonBacktracking);

    private void Pass(int milliseconds)
    {
        if (milliseconds - typed > LineHint.EchoWithin)
            unheard = true;
    }
}
