using System.Text;
using System.Text.RegularExpressions;

namespace Buttonhook.Core;

/// <summary>A kernel command line as a list of words (Linux Documentation/admin-guide/kernel-parameters): read, edited as a structure, and written as one line with single spaces.</summary>
public sealed partial class KernelCommandLine
{
    private readonly IReadOnlyList<string> words;

    /// <summary>Reads a line; blanks inside double quotes belong to a word, and line ends are blanks.</summary>
    public KernelCommandLine(string text)
        : this(Split(text)) { }

    private KernelCommandLine(IReadOnlyList<string> words) => this.words = words;

    /// <summary>What root= names on a command line; null without one.</summary>
    public static string? RootOf(string? commandLine) =>
        commandLine?.Split(' ').LastOrDefault(a => a.StartsWith("root=", StringComparison.Ordinal)) is { Length: > 5 } root
            ? root[5..]
            : null;

    /// <summary>The command line that a line of the kernel's log tells; null for any other line.</summary>
    public static string? Printed(string line) => Told().Match(line) is { Success: true } told ? told.Groups[1].Value.Trim() : null;

    // Documentation/admin-guide/kernel-parameters: "Kernel command line:" of all machines; x86 prints it without the first word as well.
    [GeneratedRegex(@"(?:Kernel command line|\] Command line): (.+)$")]
    private static partial Regex Told();

    private static List<string> Split(string text)
    {
        var list = new List<string>();
        var word = new StringBuilder();
        var quoted = false;
        foreach (var c in text)
        {
            if (c == '"')
                quoted = !quoted;
            if (!quoted && c is ' ' or '\t' or '\n')
            {
                if (word.Length > 0)
                    list.Add(word.ToString());
                word.Clear();
            }
            else
                word.Append(c);
        }
        if (word.Length > 0)
            list.Add(word.ToString());
        return list;
    }

    /// <summary>The word that names a console ("console=ttyS2,1500000"); without a rate the kernel's driver takes its own.</summary>
    public static string ConsoleWord(string device, int? speed) => speed is null ? $"console={device}" : $"console={device},{speed}";

    /// <summary>All words in order.</summary>
    public IReadOnlyList<string> Words => words;

    /// <summary>The value of the last argument of this name, or null; the last one counts for the kernel.</summary>
    public string? Last(string name) => All(name).LastOrDefault();

    /// <summary>All values of this name in order.</summary>
    public IEnumerable<string> All(string name) =>
        words.Where(w => w.StartsWith(name + "=", StringComparison.Ordinal)).Select(w => w[(name.Length + 1)..]);

    /// <summary>Whether a word stands alone on it.</summary>
    public bool Has(string word) => words.Any(w => w.TrimEnd('\r') == word);

    /// <summary>The name of a word: what stands before its first equals sign.</summary>
    public static string NameOf(string word) => word.Split('=', 2)[0];

    /// <summary>With one argument of this name at the place of the last one it had, or at the end; <paramref name="value"/> null makes it a word that stands alone.</summary>
    public KernelCommandLine Set(string name, string? value)
    {
        var word = Word(name, value);
        var list = words.ToList();
        var at = list.FindLastIndex(w => NameOf(w) == name);
        if (at < 0)
            list.Add(word);
        else
            list[at] = word;
        for (var i = at - 1; i >= 0; i--)
            if (NameOf(list[i]) == name)
                list.RemoveAt(i);
        return new(list);
    }

    /// <summary>With a word right behind the last one named <paramref name="after"/>, or at the end when that is not there; a word that is there already stays where it is.</summary>
    public KernelCommandLine Insert(string word, string? after = null)
    {
        if (words.Contains(word))
            return this;
        var list = words.ToList();
        var at = after is null ? -1 : list.FindLastIndex(w => NameOf(w) == after);
        list.Insert(at < 0 ? list.Count : at + 1, word);
        return new(list);
    }

    /// <summary>Without any word of this name.</summary>
    public KernelCommandLine Remove(string name) => new([.. words.Where(w => NameOf(w) != name)]);

    /// <summary>With this serial console as the last <c>console=</c>, which is the one that becomes <c>/dev/console</c>; screens (tty0, tty1) stay before it.</summary>
    public KernelCommandLine WithConsole(string device, int speed)
    {
        if (
            Last("console") is { } last
            && (last == $"{device},{speed}" || last.StartsWith($"{device},{speed}n8", StringComparison.Ordinal))
        )
            return this;
        var list = words.Where(w => !w.StartsWith($"console={device},", StringComparison.Ordinal) && w != $"console={device}").ToList();
        var at = list.FindLastIndex(w => NameOf(w) == "console");
        var word = ConsoleWord(device, speed);
        if (at >= 0)
            list.Insert(at + 1, word);
        else
            list.Insert(words.Count > 0 && list.FindLastIndex(w => NameOf(w) == "root") is var root and >= 0 ? root : list.Count, word);
        return new(list);
    }

    /// <summary>With the <c>console=</c> of this device behind all others; unchanged when there is none.</summary>
    public KernelCommandLine ConsoleLast(string device)
    {
        var list = words.ToList();
        var ours = list.FindLast(w => w == $"console={device}" || w.StartsWith($"console={device},", StringComparison.Ordinal));
        var last = list.FindLastIndex(w => NameOf(w) == "console");
        if (ours is null || list[last] == ours)
            return this;
        list.Insert(last + 1, ours);
        list.Remove(ours);
        return new(list);
    }

    /// <summary>What is wrong with the line as sentences: quotes that do not close, arguments that stand twice, words that must stand behind rootwait.</summary>
    public IReadOnlyList<string> Findings()
    {
        var list = new List<string>();
        if (words.Sum(w => w.Count(c => c == '"')) % 2 != 0)
            list.Add("A double quote does not close: everything behind it is one word.");
        foreach (var twice in words.Where(w => NameOf(w) is not "console").GroupBy(NameOf).Where(g => g.Count() > 1))
            list.Add($"{twice.Key} stands {twice.Count()} times; the last one counts.");
        if (words.Any(w => w.Any(c => c > 126 || (c < 32 && c != '\r'))))
            list.Add("It holds a character that is no plain one: the kernel takes it as part of a word.");
        var wait = words.ToList().FindIndex(w => w == "rootwait");
        var modules = words.ToList().FindIndex(w => NameOf(w) == "modules-load");
        if (wait >= 0 && modules >= 0 && modules < wait)
            list.Add("modules-load stands before rootwait; it must come behind it.");
        return list;
    }

    private static string Word(string name, string? value) =>
        value is null ? name
        : value.Contains(' ') && !value.Contains('"') ? $"{name}=\"{value}\""
        : $"{name}={value}";

    /// <summary>One line, single spaces, no line end.</summary>
    public override string ToString() => string.Join(' ', words.Select(w => w.TrimEnd('\r')));
}
