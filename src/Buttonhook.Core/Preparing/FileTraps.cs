using System.Text;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Preparing;

/// <summary>Something in a file that came back from an editor and that a loader or the kernel would stumble over.</summary>
/// <param name="Line">From 1; 0 for the whole file.</param>
/// <param name="Mended">Whether the clean text leaves it out; what is not mended is for the person to decide.</param>
public sealed record FileTrap(int Line, string Text, bool Mended);

/// <summary>The traps of a file and the text without them.</summary>
public sealed record CheckedFile(IReadOnlyList<FileTrap> Traps, string Clean);

/// <summary>Traps that editors lay in first-boot files: hidden endings, Windows line ends, byte-order marks, bent quotes, blanks that are none, second lines, tabs.</summary>
public static class FileTraps
{
    private static readonly Dictionary<char, (string Name, string Instead)> Bent = new()
    {
        ['\u2018'] = ("a bent single quote", "'"),
        ['\u2019'] = ("a bent single quote", "'"),
        ['\u201C'] = ("a bent double quote", "\""),
        ['\u201D'] = ("a bent double quote", "\""),
        ['\u201E'] = ("a low double quote", "\""),
        ['\u2013'] = ("a long dash", "-"),
        ['\u2014'] = ("a long dash", "--"),
        ['\u00A0'] = ("a blank that does not break", " "),
        ['\u202F'] = ("a narrow blank", " "),
        ['\u2007'] = ("a wide blank", " "),
        ['\u200B'] = ("a character without width", ""),
        ['\uFEFF'] = ("a byte-order mark", ""),
        ['\t'] = ("a tab", " "),
    };

    /// <summary>The name without an ending that an editor hid (.txt behind a name that has its own, or behind a marker); null when the name is right.</summary>
    public static string? HiddenEnding(string name, IReadOnlyCollection<string> expected)
    {
        var file = name[(name.LastIndexOf('/') + 1)..];
        return expected.FirstOrDefault(e =>
            !e.Equals(file, StringComparison.OrdinalIgnoreCase)
            && new[] { ".txt", ".TXT", ".rtf", ".bak" }.Any(x => file.Equals(e + x, StringComparison.OrdinalIgnoreCase))
        );
    }

    /// <summary>Checks the bytes of a text file.</summary>
    /// <param name="oneLine">Whether the file must be one line (a kernel command line).</param>
    /// <param name="keepTabs">Whether tabs may stay (menus, scripts).</param>
    /// <param name="console">The console of the board that it is for, or null when that is not known.</param>
    public static CheckedFile Check(ReadOnlySpan<byte> bytes, bool oneLine, bool keepTabs, ConsolePort? console = null)
    {
        var traps = new List<FileTrap>();
        string text;
        if (bytes is [0xFF, 0xFE, ..])
        {
            traps.Add(new(0, "It is UTF-16 with a byte-order mark; loaders read plain bytes.", true));
            text = Encoding.Unicode.GetString(bytes[2..]);
        }
        else if (bytes is [0xFE, 0xFF, ..])
        {
            traps.Add(new(0, "It is UTF-16 with a byte-order mark; loaders read plain bytes.", true));
            text = Encoding.BigEndianUnicode.GetString(bytes[2..]);
        }
        else
            text = Encoding.UTF8.GetString(bytes);
        if (text.Contains('\r'))
        {
            traps.Add(new(0, "Its lines end as on Windows; a loader takes the extra character as part of a name.", true));
            text = text.Replace("\r\n", "\n", StringComparison.Ordinal).Replace('\r', '\n');
        }
        var clean = new StringBuilder(text.Length);
        var line = 1;
        for (var i = 0; i < text.Length; i++)
        {
            var c = text[i];
            // A blank beside a comma or an equals sign came into the middle of a word: it goes, since a real blank would cut the word.
            if (c is '\u00A0' or '\u202F' or '\u2007' && (Beside(text, i - 1) || Beside(text, i + 1)))
            {
                traps.Add(new(line, $"Line {line} holds {Bent[c].Name} in the middle of a word.", true));
                continue;
            }
            if (Bent.TryGetValue(c, out var found) && !(c == '\t' && keepTabs))
            {
                traps.Add(new(line, $"Line {line} holds {found.Name}.", true));
                clean.Append(found.Instead);
                continue;
            }
            if (c == '\uFFFD' || (c < ' ' && c is not ('\n' or '\t')))
                traps.Add(new(line, $"Line {line} holds a character that is no text.", false));
            if (c == '\n')
                line++;
            clean.Append(c);
        }
        var result = clean.ToString();
        if (oneLine)
        {
            var lines = result.Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
            if (lines.Length > 1)
                traps.Add(new(2, $"It has {lines.Length} lines; only the first one counts. Here they are joined.", true));
            var joined = string.Join(' ', lines);
            var words = new KernelCommandLine(joined);
            // Inside quotation marks blanks belong to the word.
            if (words.ToString() != joined)
                traps.Add(new(1, "Two blanks stand together.", true));
            result = Arguments(words, console, traps) + "\n";
        }
        else if (result.Length > 0 && !result.EndsWith('\n'))
        {
            traps.Add(new(line, "The last line has no end; some loaders leave it out.", true));
            result += "\n";
        }
        return new([.. traps.Distinct()], result);
    }

    private static bool Beside(string text, int at) => at >= 0 && at < text.Length && text[at] is ',' or '=';

    /// <summary>What is wrong with the words themselves: those that are mended, and those that only a person can decide.</summary>
    private static KernelCommandLine Arguments(KernelCommandLine line, ConsolePort? console, List<FileTrap> traps)
    {
        var roots = line.All("root").ToList();
        if (roots.Count > 1)
        {
            traps.Add(
                new(
                    1,
                    $"root= stands {roots.Count} times ({string.Join(", ", roots)}); the last one counts, the others are taken out.",
                    true
                )
            );
            line = line.Set("root", roots[^1]);
        }
        var wait = line.Words.ToList().IndexOf("rootwait");
        if (line.Words.Take(Math.Max(0, wait)).FirstOrDefault(w => KernelCommandLine.NameOf(w) == "modules-load") is { } modules)
        {
            traps.Add(new(1, $"{modules} stands before rootwait; it must come behind it.", true));
            line = line.Remove("modules-load").Insert(modules, "rootwait");
        }
        foreach (var word in line.Words.Where(w => w.StartsWith(',') || w.StartsWith('=') || w.EndsWith(',') || w.EndsWith('=')))
            traps.Add(new(1, $"“{word}” is half a word: a blank stands where none belongs.", false));
        if (console?.Device is { } device && line.Last("console") is { } last && last.Split(',')[0] != device)
        {
            var there = line.All("console").Any(c => c.Split(',')[0] == device);
            traps.Add(
                new(
                    1,
                    $"The last console= is {last}; the last one gets the messages of the start, and this board's console is {device}."
                        + (there ? $" {device} is put last." : ""),
                    there
                )
            );
            if (there)
                line = line.ConsoleLast(device);
        }
        foreach (var finding in line.Findings())
            traps.Add(new(1, finding, false));
        return line;
    }
}
