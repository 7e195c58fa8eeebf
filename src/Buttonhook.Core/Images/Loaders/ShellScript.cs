using System.Globalization;
using System.Text;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>A piece of a script of U-Boot's shell or of GRUB, and the line on which it begins.</summary>
public abstract record ShellPart(int Line);

/// <summary>A simple command as it is written.</summary>
/// <param name="After">"&amp;&amp;" or "||" when it depends on the command before it, or null.</param>
public sealed record ShellCommand(string Text, string? After, int Line) : ShellPart(Line);

/// <summary>if, elif and else: the first branch whose condition holds is played.</summary>
public sealed record ShellChoice(IReadOnlyList<ShellBranch> Branches, IReadOnlyList<ShellPart> Otherwise, int Line) : ShellPart(Line);

/// <summary>One condition with what follows from it.</summary>
public sealed record ShellBranch(IReadOnlyList<ShellPart> Condition, IReadOnlyList<ShellPart> Then);

/// <summary>for NAME in WORDS.</summary>
public sealed record ShellLoop(string Name, string Words, IReadOnlyList<ShellPart> Body, int Line) : ShellPart(Line);

/// <summary>while, or until: the body as long as the condition holds, or does not.</summary>
public sealed record ShellRepeat(IReadOnlyList<ShellPart> Condition, bool Until, IReadOnlyList<ShellPart> Body, int Line) : ShellPart(Line);

/// <summary>A named block in braces: GRUB's menuentry, submenu and function.</summary>
public sealed record ShellBlock(string Head, IReadOnlyList<ShellPart> Body, int Line) : ShellPart(Line);

/// <summary>
/// The grammar that the small shells of loaders share (U-Boot doc/usage/cmdline, hush; GRUB manual, chapter 6): commands parted by line
/// ends and semicolons, quotes, comments, "&amp;&amp;" and "||", if, for, while and until, and with braces GRUB's blocks.
/// </summary>
public sealed class ShellScript
{
    private const int Deepest = 50;
    private readonly List<(string Text, string? After, int Line)> statements = [];
    private int at;

    private ShellScript() { }

    /// <summary>What the script does, in order; a construct that is never closed is left out, and everything after it was part of it.</summary>
    public IReadOnlyList<ShellPart> Parts { get; private set; } = [];

    /// <summary>The first construct that is never closed, with its line, or null.</summary>
    public (string Head, int Line)? Unclosed { get; private set; }

    /// <summary>Reads a script; any text gives one.</summary>
    /// <param name="braces">GRUB's blocks are known.</param>
    public static ShellScript Read(string text, bool braces)
    {
        var script = new ShellScript();
        script.Split(text, braces);
        var parts = new List<ShellPart>();
        while (script.at < script.statements.Count)
        {
            parts.AddRange(script.List(0));
            // A word that closes nothing stands alone: it is passed over.
            script.at++;
        }
        script.Parts = parts;
        return script;
    }

    private void Split(string text, bool braces)
    {
        var current = new StringBuilder();
        string? after = null;
        int line = 1,
            began = 1;
        var quote = '\0';
        void End(string? next = null)
        {
            if (current.ToString().Trim(' ', '\t') is { Length: > 0 } statement)
                statements.Add((statement, after, began));
            current.Clear();
            after = next;
        }
        for (var i = 0; i < text.Length; i++)
        {
            var c = text[i];
            var more = i + 1 < text.Length ? text[i + 1] : '\0';
            if (current.Length == 0)
                began = line;
            if (c == '\n')
                line++;
            if (c == '\\' && quote != '\'' && more != '\0')
            {
                if (more == '\n')
                    line++;
                else
                    current.Append(c).Append(more);
                i++;
            }
            else if (quote != '\0')
            {
                quote = c == quote ? '\0' : quote;
                current.Append(c);
            }
            else if (c is '"' or '\'')
            {
                quote = c;
                current.Append(c);
            }
            else if (c == '#' && (current.Length == 0 || current[^1] is ' ' or '\t'))
            {
                // A comment; the line end after it is read as any other.
                while (i + 1 < text.Length && text[i + 1] != '\n')
                    i++;
            }
            else if (c is '\n' or ';')
                End();
            else if ((c == '&' && more == '&') || (c == '|' && more == '|'))
            {
                End(text.Substring(i, 2));
                i++;
            }
            else if (c == '$' && more == '{')
            {
                // A variable: its braces are no block's.
                var end = text.IndexOf('}', i);
                end = end < 0 || text.AsSpan(i, end - i).Contains('\n') ? i + 1 : end;
                current.Append(text, i, end - i + 1);
                i = end;
            }
            else if (braces && c == '{')
            {
                current.Append(c);
                End();
            }
            else if (braces && c == '}')
            {
                End();
                statements.Add(("}", null, line));
            }
            else
                current.Append(c);
        }
        End();
    }

    private static string First(string text) => text.Split([' ', '\t'], 2)[0];

    private static string Rest(string text) => text.Split([' ', '\t'], 2) is [_, var rest] ? rest.Trim(' ', '\t') : "";

    /// <summary>Takes the word off the statement; what stands behind it is a statement of its own.</summary>
    private void Take()
    {
        var (text, _, line) = statements[at];
        if (Rest(text) is { Length: > 0 } rest)
            statements[at] = (rest, null, line);
        else
            at++;
    }

    private bool Is(params string[] words) => at < statements.Count && words.Contains(First(statements[at].Text));

    /// <summary>The parts up to a word that closes or divides a construct.</summary>
    private List<ShellPart> List(int depth)
    {
        var parts = new List<ShellPart>();
        while (at < statements.Count && !Is("then", "elif", "else", "fi", "do", "done", "}"))
        {
            var (text, after, line) = statements[at];
            ShellPart? part;
            if (depth >= Deepest)
            {
                at++;
                continue;
            }
            switch (First(text))
            {
                case "if":
                    part = Choice(line, depth + 1);
                    break;
                case "for" when text.Split([' ', '\t'], 4, StringSplitOptions.RemoveEmptyEntries) is [_, var name, "in", ..] words:
                    at++;
                    part = Body("do", "done", depth + 1) is { } body
                        ? new ShellLoop(name, words.Length > 3 ? words[3] : "", body, line)
                        : null;
                    break;
                case "while" or "until":
                    Take();
                    var condition = List(depth + 1);
                    part = Body("do", "done", depth + 1) is { } again
                        ? new ShellRepeat(condition, First(text) == "until", again, line)
                        : null;
                    break;
                default:
                    at++;
                    part =
                        !text.EndsWith('{') ? new ShellCommand(text, after, line)
                        : Body(null, "}", depth + 1) is { } inside ? new ShellBlock(text[..^1].Trim(), inside, line)
                        : null;
                    break;
            }
            if (part is not null)
                parts.Add(part);
            else
                Unclosed ??= (text, line);
        }
        return parts;
    }

    private List<ShellPart>? Body(string? begin, string end, int depth)
    {
        if (begin is not null)
        {
            if (!Is(begin))
                return null;
            Take();
        }
        var body = List(depth);
        if (!Is(end))
            return null;
        Take();
        return body;
    }

    private ShellChoice? Choice(int line, int depth)
    {
        var branches = new List<ShellBranch>();
        do
        {
            Take();
            var condition = List(depth);
            if (!Is("then"))
                return null;
            Take();
            branches.Add(new(condition, List(depth)));
        } while (Is("elif"));
        var otherwise = new List<ShellPart>();
        if (Is("else"))
        {
            Take();
            otherwise = List(depth);
        }
        if (!Is("fi"))
            return null;
        Take();
        return new(branches, otherwise, line);
    }
}

/// <summary>Plays a script: runs its commands in the order that their results lead to, and stops when told or after a bounded number of them.</summary>
public sealed class ShellPlayer(Func<ShellCommand, bool> command, Func<ShellBlock, bool> block, Func<bool> stop)
{
    private const int MostCommands = 20_000;
    private int commands;
    private bool ended;

    /// <summary>Plays nothing more, as exit does.</summary>
    public void End() => ended = true;

    /// <summary>Sets a variable of a loop.</summary>
    public required Action<string, string> Set { get; init; }

    /// <summary>The words of a loop as the shell takes them.</summary>
    public required Func<string, string[]> Words { get; init; }

    /// <summary>Plays the parts; the result is that of the last command.</summary>
    public bool Play(IReadOnlyList<ShellPart> parts)
    {
        var last = true;
        foreach (var part in parts)
        {
            if (ended || stop() || ++commands > MostCommands)
                return last;
            switch (part)
            {
                case ShellCommand { After: "&&" } when !last:
                case ShellCommand { After: "||" } when last:
                    break;
                case ShellCommand simple:
                    last = command(simple);
                    break;
                case ShellBlock named:
                    last = block(named);
                    break;
                case ShellChoice choice:
                    last = Play(choice.Branches.FirstOrDefault(b => Play(b.Condition))?.Then ?? choice.Otherwise);
                    break;
                case ShellLoop loop:
                    foreach (var word in Words(loop.Words))
                    {
                        Set(loop.Name, word);
                        last = Play(loop.Body);
                    }
                    break;
                case ShellRepeat repeat:
                    while (Play(repeat.Condition) != repeat.Until && !ended && !stop() && ++commands < MostCommands)
                        last = Play(repeat.Body);
                    break;
            }
        }
        return last;
    }
}

/// <summary>The command test, and its form in brackets, of both shells.</summary>
public static class ShellTest
{
    /// <summary>Judges the words behind "test"; what it does not know is false.</summary>
    /// <param name="file">Whether a file is there: the letter of the question (e, f, s, d) and the words that name it.</param>
    public static bool Of(ReadOnlySpan<string> words, Func<char, string[], bool> file)
    {
        // "or" binds weaker than "and"; both come only between whole tests.
        if (Part(words, "-o") is > 0 and var or)
            return Of(words[..or], file) || Of(words[(or + 1)..], file);
        if (Part(words, "-a") is > 0 and var and)
            return Of(words[..and], file) && Of(words[(and + 1)..], file);
        if (words is ["!", ..])
            return !Of(words[1..], file);
        if (words is [_, "=" or "==" or "!=" or "-eq" or "-ne" or "-lt" or "-gt" or "-le" or "-ge" or "<" or ">", _])
        {
            var (a, b) = (Number(words[0]), Number(words[2]));
            return words[1] switch
            {
                "=" or "==" => words[0] == words[2],
                "!=" => words[0] != words[2],
                "-eq" => a == b,
                "-ne" => a != b,
                "-lt" => a < b,
                "-gt" => a > b,
                "-le" => a <= b,
                "-ge" => a >= b,
                "<" => string.CompareOrdinal(words[0], words[2]) < 0,
                _ => string.CompareOrdinal(words[0], words[2]) > 0,
            };
        }
        return words switch
        {
            ["-n", var text] => text.Length > 0,
            ["-z", var text] => text.Length == 0,
            ["-e" or "-f" or "-s" or "-d", _, ..] => file(words[0][1], words[1..].ToArray()),
            [var text] => text.Length > 0 && text[0] != '-',
            _ => false,
        };
    }

    /// <summary>Where a joining word stands; a text that is compared with something is none.</summary>
    private static int Part(ReadOnlySpan<string> words, string joint)
    {
        for (var i = 1; i < words.Length - 1; i++)
            if (words[i] == joint && words[i - 1] is not ("=" or "==" or "!="))
                return i;
        return -1;
    }

    /// <summary>A number as strtol reads it with base 0: 0x begins one in base 16.</summary>
    private static long Number(string text) =>
        text.StartsWith("0x", StringComparison.OrdinalIgnoreCase)
            ? long.TryParse(text.AsSpan(2), NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var hex)
                ? hex
                : 0
            : long.TryParse(text, out var number)
                ? number
                : 0;
}
