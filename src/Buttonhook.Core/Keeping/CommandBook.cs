using System.Text.RegularExpressions;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Keeping;

/// <summary>As whom a command runs.</summary>
public enum CommandAs
{
    /// <summary>As it stands, in the session's own shell.</summary>
    Bare,

    /// <summary>In a shell of its own (sh), as the session's user.</summary>
    Session,

    /// <summary>In a shell of its own, as root: with sudo in front where the session is not root's.</summary>
    Root,
}

/// <summary>A command that is handed out for a real system.</summary>
/// <param name="Family">The tool that a system must have for it; null for every system.</param>
/// <param name="Text">Words in braces are filled in: {user}, {host}, {name}, {country}.</param>
/// <param name="Proof">What a line of the answer looks like that shows that it took, or null.</param>
/// <param name="Failed">What a line looks like that shows that it did not, or null.</param>
/// <param name="Setting">The setting of the record that its proof fills, of a command that only reads; null for any other.</param>
/// <param name="Otherwise">What an empty answer of such a command means; null when that tells nothing.</param>
/// <param name="Ran">The systems of the lab that ran it and showed its proof.</param>
public sealed record KnownCommand(
    string Id,
    CommandAs As,
    string Text,
    string? Family = null,
    string? Proof = null,
    string? Failed = null,
    IReadOnlyList<string>? Ran = null,
    string? Setting = null,
    string? Otherwise = null
)
{
    /// <summary>As it is sent.</summary>
    /// <param name="sudo">Whether root is reached by sudo.</param>
    /// <param name="words">What stands for the words in braces.</param>
    public string Line(bool sudo, params (string Word, string For)[] words)
    {
        var text = Filled(Text, words);
        return As switch
        {
            CommandAs.Bare => text,
            CommandAs.Session => $"sh -c {FirstBootScript.Quote(text)}",
            _ => $"{(sudo ? "sudo " : "")}sh -c {FirstBootScript.Quote(text)}",
        };
    }

    /// <summary>The expression of its proof, or null.</summary>
    public Regex? Proves(params (string Word, string For)[] words) => Expression(Proof, words);

    /// <summary>The expression of its failure, or null.</summary>
    public Regex? Fails(params (string Word, string For)[] words) => Expression(Failed, words);

    private static Regex? Expression(string? pattern, (string Word, string For)[] words) =>
        pattern is null
            ? null
            : new(
                Filled(pattern, [.. words.Select(w => (w.Word, Regex.Escape(w.For)))]),
                RegexOptions.NonBacktracking | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
            );

    private static string Filled(string text, (string Word, string For)[] words) =>
        words.Aggregate(text, (t, w) => t.Replace($"{{{w.Word}}}", w.For, StringComparison.Ordinal));
}

/// <summary>All commands that are handed out for a real system (data/knowledge/commands).</summary>
public sealed record CommandBook(IReadOnlyList<KnownCommand> Commands)
{
    /// <summary>Reads a file of them.</summary>
    public static Answer<CommandBook> Read(string name, string yaml, string schema) => DataFile.Read<CommandBook>(name, yaml, schema);

    /// <summary>A command by its name, for a system with these tools; the first of its families that fits. Null when none does.</summary>
    /// <param name="tools">What the system has; null when that is not known, and then the first one.</param>
    public KnownCommand? Of(string id, IReadOnlySet<string>? tools) =>
        Commands.FirstOrDefault(c => c.Id == id && (tools is null || c.Family is null || tools.Contains(c.Family)));

    /// <summary>The commands that read a running system for the record, in order.</summary>
    public IEnumerable<KnownCommand> Reading => Commands.Where(c => c.Setting is not null);
}
