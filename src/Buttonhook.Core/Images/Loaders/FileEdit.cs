using System.Text.RegularExpressions;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>A change of one line of one text file inside an image, which Prepare can write.</summary>
/// <param name="Partition">Its partition number.</param>
/// <param name="Path">The file, from the root of that partition.</param>
/// <param name="Line">The line, from 1; 0 appends a new line at the end.</param>
/// <param name="Before">The words to replace, or null to append <paramref name="After"/> to the line.</param>
/// <param name="After">What stands there instead; empty takes the words out.</param>
public sealed partial record FileEdit(int Partition, string Path, int Line, string? Before, string After)
{
    [GeneratedRegex(@"^p(?<partition>\d+):(?<path>/.*?)(?::(?<line>\d+))?$", RegexOptions.CultureInvariant)]
    private static partial Regex Place();

    /// <summary>An edit at a place as findings name it (p1:/path:line); null for a place that is no text file.</summary>
    public static FileEdit? At(string? where, string? before, string after)
    {
        if (where is null || Place().Match(where) is not { Success: true } place)
            return null;
        var path = place.Groups["path"].Value;
        return path.EndsWith(".scr", StringComparison.OrdinalIgnoreCase)
            ? null
            : new(
                int.Parse(place.Groups["partition"].ValueSpan),
                path,
                place.Groups["line"].Success ? int.Parse(place.Groups["line"].ValueSpan) : 1,
                before,
                after
            );
    }

    /// <summary>The text with this change made, line ends kept; null when the line, or the words to replace, are not there.</summary>
    public string? Apply(string text)
    {
        var end = text.Contains("\r\n", StringComparison.Ordinal) ? "\r\n" : "\n";
        if (Line == 0)
            return (text.Length == 0 || text.EndsWith('\n') ? text : text + end) + After + end;
        var lines = text.Split('\n');
        if (Line > lines.Length)
            return null;
        var line = lines[Line - 1];
        var tail = line.EndsWith('\r') ? "\r" : "";
        var body = line.TrimEnd('\r');
        if (Before is null)
            body = body.TrimEnd() + " " + After;
        else
        {
            var at = body.IndexOf(Before, StringComparison.Ordinal);
            if (at < 0)
                return null;
            body = body[..at] + After + body[(at + Before.Length)..];
            if (After.Length == 0)
                body = body.Replace("  ", " ", StringComparison.Ordinal).TrimEnd();
        }
        lines[Line - 1] = body + tail;
        return string.Join('\n', lines);
    }
}
