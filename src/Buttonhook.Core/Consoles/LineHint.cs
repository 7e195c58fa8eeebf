namespace Buttonhook.Core.Consoles;

/// <summary>What is wrong with the line itself at the moment, and what to do about it.</summary>
/// <param name="Kind">speed, inverted, frame, ground, noise, one-way, or password.</param>
/// <param name="Settings">What would read it, where that can be told; else null.</param>
public sealed record LineHint(string Kind, string Says, LineSettings? Settings)
{
    /// <summary>How much of what arrived last is judged: two seconds of the slowest usual console print as much.</summary>
    public const int JudgedBytes = 1024;

    /// <summary>A typed line is echoed at once by every prompt; a board that is busy takes its time.</summary>
    public const int EchoWithin = 3000;

    /// <summary>Judges what arrived last; null while it reads as text.</summary>
    /// <param name="recent">The newest bytes, up to <see cref="JudgedBytes"/>.</param>
    /// <param name="line">How the line is set; null where there is none to set.</param>
    public static LineHint? Of(ReadOnlySpan<byte> recent, LineSettings? line)
    {
        var quality = new LineQuality();
        quality.Add(recent);
        var verdict = quality.Judge();
        switch (verdict.Fault)
        {
            case LineFault.Speed:
                var likely = line is null ? null : Likely(line.Speed * verdict.RateRatio);
                return new(
                    "speed",
                    likely is { } speed && speed != line!.Speed
                        ? $"What arrives is no text: the board seems to run at {speed}, this port at {line.Speed}."
                        : "What arrives is no text: the board runs at another speed than this port.",
                    likely is { } other && other != line!.Speed ? line with { Speed = other } : null
                );
            case LineFault.Inverted:
                return new(
                    "inverted",
                    "What arrives is text with its levels swapped: an RS-232 plug on a 3.3 V console, or the reverse. No setting reads it. Take power away and use an adapter of the other kind: RS-232 levels can destroy a 3.3 V pin.",
                    null
                );
            case LineFault.Frame:
                return new(
                    "frame",
                    "The speed is right, the frame is not: what arrives reads as seven bits with parity.",
                    line is null or { DataBits: 7 } ? null : line with { DataBits = 7, Parity = ParityOf(recent) }
                );
            case LineFault.NoText:
                return new(
                    "ground",
                    "What arrives is noise without any pattern: an open pin, or no common ground. Check whether GND of the adapter is on GND of the board, and the receiving wire on its TX pin.",
                    null
                );
            case LineFault.Noise:
                return new(
                    "noise",
                    "Single bytes are wrong: a poor ground, long wires, or a speed that is a little off. Shorten the wires and look at GND.",
                    null
                );
            default:
                return null;
        }
    }

    /// <summary>It prints, but does not hear: something was typed at a prompt, and nothing came back.</summary>
    public static LineHint OneWay { get; } =
        new(
            "one-way",
            "It prints, but does not hear you: what was typed brought no echo. Look at the wire from the adapter's TX to the board's RX, and whether flow control is off.",
            null
        );

    /// <summary>What the last, unfinished line asks for that a person may not expect; null for nothing.</summary>
    public static LineHint? OfPrompt(string prompt) =>
        Prompts.AsksForNewPassword(prompt)
            ? new("password", "The system wants its password changed before it lets anybody in: under More it is done in one go.", null)
            : null;

    /// <summary>The usual rate nearest to a computed one (within 12 %), or null.</summary>
    private static int? Likely(double rate)
    {
        var nearest = LineQuality.UsualRates.MinBy(r => Math.Abs(Math.Log(r / rate)));
        return Math.Abs(nearest / rate - 1) < 0.12 ? nearest : null;
    }

    private static Parity ParityOf(ReadOnlySpan<byte> bytes)
    {
        var even = 0;
        foreach (var b in bytes)
            if (int.IsEvenInteger(int.PopCount(b)))
                even++;
        return even > bytes.Length * 0.9 ? Parity.Even
            : even < bytes.Length * 0.1 ? Parity.Odd
            : Parity.None;
    }
}
