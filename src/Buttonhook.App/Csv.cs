using Buttonhook.Core;

namespace Buttonhook.App;

/// <summary>Fields of comma-separated files.</summary>
internal static class Csv
{
    /// <summary>
    /// A field as RFC 4180 has it. What a spreadsheet would compute begins with an apostrophe, also behind blanks that some of them pass over;
    /// what turns text round stands as a mark.
    /// </summary>
    public static string Field(string text)
    {
        text = Directions.Shown(text);
        if (text.Length > 0 && (text[0] is '\t' or '\r' or '\n' || text.TrimStart() is ['=' or '+' or '-' or '@', ..]))
            text = "'" + text;
        return text.AsSpan().IndexOfAny(",\"\r\n") < 0 ? text : $"\"{text.Replace("\"", "\"\"")}\"";
    }
}
