namespace Buttonhook.Core.Preparing;

/// <summary>Names that somebody else keeps a list of: time zones (IANA) and countries (ISO 3166-1 alpha-2), each as <c>data/knowledge/names</c> holds them.</summary>
public sealed record RealNames(IReadOnlySet<string> TimeZones, IReadOnlySet<string> Countries)
{
    /// <summary>The names of a list file: one a line; empty lines and lines that begin with # are left out.</summary>
    public static IReadOnlySet<string> Read(string text) =>
        text.Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
            .Where(l => !l.StartsWith('#'))
            .ToHashSet(StringComparer.Ordinal);

    /// <summary>The name of a list that is nearest to what was typed, by its last part, or null.</summary>
    public static string? Near(IReadOnlySet<string> names, string typed)
    {
        var last = typed[(typed.LastIndexOf('/') + 1)..].Replace(' ', '_');
        return last.Length < 3
            ? null
            : names.FirstOrDefault(n => n.EndsWith("/" + last, StringComparison.OrdinalIgnoreCase))
                ?? names.FirstOrDefault(n => n.Contains(last, StringComparison.OrdinalIgnoreCase));
    }
}
