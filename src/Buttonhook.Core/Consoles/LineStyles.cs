using System.Globalization;

namespace Buttonhook.Core.Consoles;

/// <summary>A stretch of a console line in a colour of its own, or thick.</summary>
/// <param name="From">The first character, counted from 0.</param>
/// <param name="Length">Characters, at least 1.</param>
/// <param name="Colour">One of the eight names of ECMA-48 ("red"), which the page draws in a shade that can be read, or "#rrggbb" where a system asks for that very colour; null for the colour of all text.</param>
public sealed record ColouredRun(int From, int Length, string? Colour, bool Bold);

/// <summary>What the colour sequences of one line ask for (SGR of ECMA-48; 38;5 and 38;2 of ISO 8613-6). Backgrounds are left out: text stays readable on the console's own ground.</summary>
internal sealed class LineStyles
{
    /// <summary>The ground of the console, as the page draws it in both themes.</summary>
    private const int Ground = 0x1D1A17;

    /// <summary>Contrast from which text can be read (WCAG 2.2, 1.4.3).</summary>
    private const double Readable = 4.5;

    private const int MostChanges = 500;

    private static readonly string[] Names = ["black", "red", "green", "yellow", "blue", "magenta", "cyan", "white"];

    private readonly List<(int At, string? Colour, bool Bold)> changes = [];
    private string? colour;
    private bool bold;

    /// <summary>Takes the parameters of one sequence that stands before a character; what is not known is passed over.</summary>
    public void Set(ReadOnlySpan<byte> parameters, int at)
    {
        if (changes.Count >= MostChanges)
            return;
        var numbers = Numbers(parameters);
        for (var n = 0; n < numbers.Count; n++)
            switch (numbers[n])
            {
                case 0:
                    (colour, bold) = (null, false);
                    break;
                case 1:
                    bold = true;
                    break;
                case 22:
                    bold = false;
                    break;
                case >= 30 and <= 37 and var plain:
                    colour = Named(plain - 30);
                    break;
                case >= 90 and <= 97 and var bright:
                    colour = Named(bright - 90);
                    break;
                case 39:
                    colour = null;
                    break;
                case 38 or 48 when numbers.ElementAtOrDefault(n + 1) == 5:
                    if (numbers[n] == 38)
                        colour = Indexed(numbers.ElementAtOrDefault(n + 2));
                    n += 2;
                    break;
                case 38 or 48 when numbers.ElementAtOrDefault(n + 1) == 2:
                    if (numbers[n] == 38 && n + 4 < numbers.Count)
                        colour = Exact(numbers[n + 2], numbers[n + 3], numbers[n + 4]);
                    n += 4;
                    break;
            }
        changes.Add((at, colour, bold));
    }

    /// <summary>The stretches that differ from plain text, in order.</summary>
    public IReadOnlyList<ColouredRun> Runs(int length)
    {
        var runs = new List<ColouredRun>();
        for (var n = 0; n < changes.Count; n++)
        {
            var (from, colour, bold) = changes[n];
            var end = Math.Min(length, n + 1 < changes.Count ? changes[n + 1].At : length);
            if (end > from && (colour is not null || bold))
                runs.Add(new(from, end - from, colour, bold));
        }
        return runs;
    }

    private static List<int> Numbers(ReadOnlySpan<byte> parameters)
    {
        var numbers = new List<int>();
        foreach (var part in parameters.SplitAny(";:"u8))
            numbers.Add(int.TryParse(parameters[part], NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : 0);
        return numbers;
    }

    /// <summary>Black is the ground itself, and white is plain text.</summary>
    private static string? Named(int index) => index is 0 or 7 ? null : Names[index];

    /// <summary>A colour of the 256 that terminals number: 16 names, a cube of 6 steps a side, 24 greys.</summary>
    private static string? Indexed(int index)
    {
        static int Step(int n) => n == 0 ? 0 : 55 + 40 * n;
        return index switch
        {
            >= 0 and < 16 => Named(index % 8),
            < 232 => Exact(Step((index - 16) / 36), Step((index - 16) / 6 % 6), Step((index - 16) % 6)),
            < 256 => Exact(8 + 10 * (index - 232), 8 + 10 * (index - 232), 8 + 10 * (index - 232)),
            _ => null,
        };
    }

    /// <summary>The very colour where it can be read on the console's ground, else the colour of all text.</summary>
    private static string? Exact(int red, int green, int blue)
    {
        if (red is < 0 or > 255 || green is < 0 or > 255 || blue is < 0 or > 255)
            return null;
        var rgb = (red << 16) | (green << 8) | blue;
        return Contrast(rgb, Ground) >= Readable ? $"#{rgb:x6}" : null;
    }

    /// <summary>Contrast of two colours, 1 to 21 (WCAG 2.2, relative luminance).</summary>
    private static double Contrast(int one, int other)
    {
        static double Part(int value)
        {
            var share = value / 255.0;
            return share <= 0.04045 ? share / 12.92 : Math.Pow((share + 0.055) / 1.055, 2.4);
        }
        static double Luminance(int rgb) => 0.2126 * Part(rgb >> 16) + 0.7152 * Part((rgb >> 8) & 255) + 0.0722 * Part(rgb & 255);
        var (a, b) = (Luminance(one), Luminance(other));
        return (Math.Max(a, b) + 0.05) / (Math.Min(a, b) + 0.05);
    }
}
