using System.Globalization;
using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>
/// The shapes of the lines that good boots of the lab print (<see cref="LineShape"/>), with in how many systems each was met: what good
/// boots print is no evidence, however it sounds, and a log whose lines were hardly ever met is new.
/// </summary>
public sealed class KnownShapes
{
    private readonly Dictionary<uint, byte> systems;

    /// <summary>Of shapes by number, each with the systems that print it (1 to 255).</summary>
    public KnownShapes(IEnumerable<(long Shape, int Systems)> shapes)
    {
        systems = [];
        foreach (var (shape, count) in shapes)
            systems[Short(shape)] = (byte)Math.Min(255, Math.Max(systems.GetValueOrDefault(Short(shape)), count));
    }

    private KnownShapes(Dictionary<uint, byte> systems) => this.systems = systems;

    /// <summary>Knows nothing: then nothing is new either.</summary>
    public static KnownShapes None { get; } = new(new Dictionary<uint, byte>());

    /// <summary>How many shapes it knows.</summary>
    public int Count => systems.Count;

    /// <summary>Tells one set of shapes from another, whatever their order.</summary>
    public ulong Version => systems.Aggregate(0UL, (sum, s) => sum + ((ulong)s.Key << 8 | s.Value) * 0x9E3779B97F4A7C15);

    /// <summary>In how many systems of the lab good boots print lines of this shape; 0 for none.</summary>
    public int SystemsWith(long shape) => systems.GetValueOrDefault(Short(shape));

    /// <summary>The file: a line for each shape, eight hexadecimal digits of its number and the systems, behind lines that begin with "#". A line of another form is a problem that names it.</summary>
    public static Answer<KnownShapes> Read(string text)
    {
        var read = new Dictionary<uint, byte>();
        var number = 0;
        foreach (var line in text.AsSpan().EnumerateLines())
        {
            number++;
            if (line.IsEmpty || line[0] == '#')
                continue;
            if (
                line.Length < 10
                || !uint.TryParse(line[..8], NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var shape)
                || !byte.TryParse(line[9..], NumberStyles.None, CultureInfo.InvariantCulture, out var count)
            )
                return new Problem(
                    "shapes.tsv should hold eight hexadecimal digits, a tab and a number in each line.",
                    $"Line {number} does not.",
                    "Make it anew (./buttonhook lab fit)."
                );
            read[shape] = count;
        }
        return new KnownShapes(read);
    }

    /// <summary>The file, in the order of the numbers.</summary>
    public string Write() =>
        "# Shapes of the lines that good boots of the lab print, and in how many systems (lab/boots). Made by `./buttonhook lab fit`.\n"
        + string.Concat(systems.OrderBy(s => s.Key).Select(s => string.Create(CultureInfo.InvariantCulture, $"{s.Key:x8}\t{s.Value}\n")));

    private static uint Short(long shape) => (uint)(shape ^ (shape >> 32));
}

/// <summary>What of a capture was never met in a good boot of the lab.</summary>
/// <param name="Lines">Lines with words that were looked at.</param>
/// <param name="Novel">How many of them were never met.</param>
/// <param name="First">The first of them, up to twenty, with their text.</param>
public sealed record Novelty(int Lines, int Novel, IReadOnlyList<NovelLine> First)
{
    /// <summary>From this share of unknown lines on, a log is called new.</summary>
    private const double NewShare = 0.6;

    /// <summary>Fewer lines than these say nothing of how known a system is.</summary>
    private const int Fewest = 12;

    /// <summary>Whether so much of it is unknown that the rules may not fit it.</summary>
    public bool IsNew => Lines >= Fewest && Novel > NewShare * Lines;
}

/// <summary>A line that no good boot of the lab prints.</summary>
public sealed record NovelLine(int Line, string Text);

/// <summary>Compares the lines of a capture with those that good boots of the lab print.</summary>
internal sealed partial class ShapeWatch(KnownShapes known)
{
    /// <summary>Lines that are looked up, from the first: a boot is shorter, and what is longer repeats itself.</summary>
    private const int MostLines = 4000;

    /// <summary>In so many systems of the lab good boots must print a line before it is taken for harmless.</summary>
    private const int SystemsOfHarmless = 2;
    private const int MostNovel = 20;
    private const int MostHarmless = 200;
    private const int LongestText = 300;
    private readonly List<NovelLine> novel = [];
    private readonly HashSet<int> usual = [];
    private readonly List<HarmlessLine> harmless = [];
    private int lines;
    private int novelLines;

    /// <summary>Lines that frighten, and that good boots print as well.</summary>
    public IReadOnlyList<HarmlessLine> Harmless => harmless;

    /// <summary>How much of the capture was never met.</summary>
    public Novelty Novelty => new(lines, novelLines, novel);

    /// <summary>Whether good boots print the line, which then is no evidence.</summary>
    public bool IsUsual(int line) => usual.Contains(line);

    /// <summary>Takes the next line.</summary>
    public void Watch(ReadOnlySpan<char> said, int line)
    {
        if (known.Count == 0 || line > MostLines)
            return;
        var text = said.ToString();
        if (LineShape.Number(text) is not (not 0 and var shape))
            return;
        lines++;
        var systems = known.SystemsWith(shape);
        if (systems == 0)
        {
            novelLines++;
            if (novel.Count < MostNovel)
                novel.Add(new(line, text.Length > LongestText ? text[..LongestText] : text));
        }
        else if (systems >= SystemsOfHarmless)
        {
            usual.Add(line);
            if (harmless.Count < MostHarmless && Frightens().IsMatch(text))
                harmless.Add(new(line, text, $"Good boots of {systems} systems print such a line."));
        }
    }

    [GeneratedRegex(
        @"(?i)\b(fail|error|warn|unable|cannot|can't|could not|not found|missing|invalid|bad|unknown|timed out|denied|refused|unsupported|deprecated)"
    )]
    private static partial Regex Frightens();
}
