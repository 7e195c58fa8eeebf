using System.Text.RegularExpressions;

namespace Buttonhook.Core.Consoles;

/// <summary>The key that stops a loader, as the loader itself tells it.</summary>
/// <param name="Bytes">What is typed.</param>
/// <param name="Name">The key as a person calls it.</param>
public sealed partial record LoaderStop(byte[] Bytes, string Name)
{
    /// <summary>The key that a countdown line asks for; null for a line that is none.</summary>
    public static LoaderStop? Of(string line)
    {
        if (Secret().Match(line) is { Success: true } word)
            return new(System.Text.Encoding.ASCII.GetBytes(word.Groups[1].Value), $"the word {word.Groups[1].Value}");
        if (Named().Match(line) is not { Success: true } asked)
            return AnyKey().IsMatch(line) ? new(" "u8.ToArray(), "the space bar") : null;
        return asked.Groups[1].Value.ToUpperInvariant() switch
        {
            "ENTER" or "RETURN" => new("\r"u8.ToArray(), "Enter"),
            "ESC" or "ESCAPE" => new([0x1B], "Esc"),
            "SPACE" or "SPACEBAR" => new(" "u8.ToArray(), "the space bar"),
            "TAB" => new([0x09], "Tab"),
            "DEL" or "DELETE" => new([0x7F], "Delete"),
            "F2" => new([0x1B, (byte)'O', (byte)'Q'], "F2"),
            "F12" => new([0x1B, (byte)'[', (byte)'2', (byte)'4', (byte)'~'], "F12"),
            ['C', 'T', 'R', 'L', '-' or '+' or ' ', >= 'A' and <= 'Z' and var letter] => new([(byte)(letter & 0x1F)], $"Ctrl+{letter}"),
            ['^', >= 'A' and <= 'Z' and var letter] => new([(byte)(letter & 0x1F)], $"Ctrl+{letter}"),
            [var one] => new([(byte)asked.Groups[1].Value[0]], $"the key {one}"),
            _ => null,
        };
    }

    /// <summary>Whether a line is a prompt of a loader that was stopped, or its menu.</summary>
    public static bool IsPrompt(string line) => Prompt().IsMatch(line);

    [GeneratedRegex(
        @"(?i)\b(?:hit|press) any key (?:to|within)\b.{0,40}(?:stop|interrupt|abort|menu|autoboot|boot)|\bautoboot\b.{0,60}\bany key\b"
    )]
    private static partial Regex AnyKey();

    /// <summary>"Press ESC to stop", "Hit SPACE key to abort autoboot", "Press &lt;Ctrl-C&gt; to interrupt", "Press 'x' for the menu".</summary>
    [GeneratedRegex(
        @"(?i)\b(?:hit|press|type|push)\s+(?:the\s+)?[<'""\[\(]{0,2}(ctrl[-+ ][a-z]|\^[a-z]|enter|return|escape|esc|spacebar|space|tab|delete|del|f2|f12|(?<=[<'""\[\(])[a-z]|[a-z](?=\s+(?:key|to|for)))[>'""\]\)]{0,2}(?:\s+key)?(?:\s+\w+)?\s+(?:to|for|within)\b.{0,60}(?:stop|interrupt|abort|menu|autoboot|setup|prompt|shell|cancel|boot)"
    )]
    private static partial Regex Named();

    /// <summary>'Enter "stop" to stop autoboot': a word.</summary>
    [GeneratedRegex(@"(?i)\b(?:enter|type)\s+[""']([a-z0-9]{2,16})[""']\s+to\s+(?:stop|abort|interrupt)")]
    private static partial Regex Secret();

    [GeneratedRegex(@"(?:^|\s)(?:=>|[\w.-]{1,24}(?:=>|[>#])|grub>|grub rescue>|Shell>)\s*$|GNU GRUB|Use the .{0,20} keys to select")]
    private static partial Regex Prompt();
}
