using System.Globalization;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Identifying;

/// <summary>What the print on a board says; what it does not say is null.</summary>
/// <param name="Name">The words before the revision and the figures.</param>
/// <param name="Revision">Behind "rev", "revision", "ver" or "v", such as "1.2".</param>
/// <param name="MemoryMiB">Of the memory, not of the flash: "2GB" is 2048 MiB.</param>
/// <param name="Volts">Of its supply.</param>
/// <param name="Amps">Of its supply, behind its volts.</param>
public sealed partial record BoardPrint(string? Name, string? Revision, int? MemoryMiB, double? Volts, double? Amps)
{
    /// <summary>Reads a print as it is typed off; words that say nothing more are its name.</summary>
    public static BoardPrint Read(string print)
    {
        var rest = print.Trim();
        string? Take(Regex form, Action<Match> use)
        {
            if (form.Match(rest) is not { Success: true } found)
                return null;
            use(found);
            // What stands behind the first figure is no part of the name.
            rest = rest[..found.Index] + "\n" + rest[(found.Index + found.Length)..];
            return found.Value;
        }
        (double? volts, double? amps, int? memory, string? revision) = (null, null, null, null);
        Take(
            Supply(),
            m =>
            {
                volts = Number(m.Groups["volts"].Value);
                amps = m.Groups["amps"].Success ? Number(m.Groups["amps"].Value) : null;
            }
        );
        while (Take(Flash(), _ => { }) is not null) { }
        Take(
            Memory(),
            m =>
            {
                var size = Number(m.Groups["size"].Value) * (m.Groups["unit"].Value is "G" or "g" ? 1024 : 1);
                memory = size is >= 1 and <= 1 << 20 ? (int)size : null;
            }
        );
        Take(RevisionOf(), m => revision = m.Groups["revision"].Value.TrimEnd('.', ','));
        var name = rest.Split('\n')[0].Trim(' ', ',', ';', '-', '/', '(');
        return new(name.Length == 0 ? null : name, revision, memory, volts, amps);
    }

    private static double Number(string text) => double.Parse(text.Replace(',', '.'), CultureInfo.InvariantCulture);

    [GeneratedRegex(
        @"\b(?<volts>\d{1,2}(?:[.,]\d{1,2})?) ?V(?: ?DC)?\b(?:\s*[/,;=@-]?\s*(?<amps>\d{1,2}(?:[.,]\d{1,2})?) ?A\b)?",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex Supply();

    [GeneratedRegex(
        @"\b\d{1,4} ?[GM]i?B? ?(?:e\.?MMC|flash|NAND|SSD|micro ?SD|SD)\b|\b(?:e\.?MMC|flash|NAND|SSD) ?\d{1,4} ?[GM]i?B?\b",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex Flash();

    [GeneratedRegex(@"\b(?<size>\d{1,5}) ?(?<unit>[GM])(?:i?B)?\b(?: ?(?:LP)?DDR\w*| ?RAM)?", RegexOptions.IgnoreCase)]
    private static partial Regex Memory();

    [GeneratedRegex(
        @"(?:\b(?:rev(?:ision)?|ver(?:sion)?)\.?:?\s*|\bv(?=\d))(?<revision>[A-Za-z]?\d[\w.]*|[A-Za-z]\d*)\b",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex RevisionOf();
}
