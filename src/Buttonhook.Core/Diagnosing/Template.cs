using System.Text.RegularExpressions;

namespace Buttonhook.Core.Diagnosing;

/// <summary>Text of the rule book with places for what the evidence holds, written {name|words when it is not known}.</summary>
public static partial class Template
{
    /// <summary>The text with every place filled from <paramref name="values"/>, or with its own words.</summary>
    public static string Fill(string text, IReadOnlyDictionary<string, string> values) =>
        Place().Replace(text, m => values.GetValueOrDefault(m.Groups[1].Value, m.Groups[2].Value));

    /// <summary>The text with every place in its own words, for the rule book page.</summary>
    public static string Plain(string text) => Fill(text, new Dictionary<string, string>());

    [GeneratedRegex(@"\{(\w+)\|([^}]*)\}")]
    private static partial Regex Place();
}
