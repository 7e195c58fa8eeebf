using System.IO.Hashing;
using System.Runtime.InteropServices;
using System.Text;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Consoles;

/// <summary>What stays of a console line from boot to boot: its words, without times, numbers, addresses and the names of devices and hosts.</summary>
public static partial class LineShape
{
    /// <summary>The line with each of these replaced by a sign: a stamp in front by nothing, every word that holds a digit by "#".</summary>
    public static string Of(string text)
    {
        text = Stamp().Replace(text, "");
        var shape = new StringBuilder(text.Length);
        foreach (var word in text.Split((char[])[' ', '\t'], StringSplitOptions.RemoveEmptyEntries))
        {
            if (shape.Length > 0)
                shape.Append(' ');
            shape.Append(word.AsSpan().IndexOfAnyInRange('0', '9') >= 0 ? "#" : word);
        }
        var said = shape.ToString();
        // "orchard-7 login:" is that of every host; a countdown counts.
        if (said.EndsWith("login:", StringComparison.Ordinal))
            return "login:";
        return said.StartsWith("Hit any key to stop autoboot", StringComparison.Ordinal) ? "Hit any key to stop autoboot" : said;
    }

    /// <summary>A number that stands for the shape of a line; 0 for a line without words.</summary>
    public static long Number(string text) =>
        Of(text) is { Length: > 0 } shape && shape != "#" ? (long)XxHash3.HashToUInt64(MemoryMarshal.AsBytes(shape.AsSpan())) : 0;

    [GeneratedRegex(@"^\s*(?:\[\s*\d+\.\d+\]|<\d+>)\s*")]
    private static partial Regex Stamp();
}
