using System.Text;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>Words of a line as the small shells of loaders take them (U-Boot's hush, GRUB's script language): quotes, variables, splitting.</summary>
public static class ShellWords
{
    /// <summary>
    /// The words of a line. Quotation marks of the line group and vanish; those that come out of a variable stay. A variable outside
    /// of quotes is split at blanks, one that is not set is empty; a backslash takes the meaning off the next character. Only blanks and tabs part words: a carriage return belongs to its word.
    /// </summary>
    public static string[] Of(string line, Func<string, string?> variable)
    {
        var words = new List<string>();
        var word = new StringBuilder();
        var begun = false;
        var quote = '\0';
        void End()
        {
            if (begun)
                words.Add(word.ToString());
            word.Clear();
            begun = false;
        }
        for (var i = 0; i < line.Length; i++)
        {
            var c = line[i];
            if (quote == '\0' && c is ' ' or '\t')
                End();
            else if (c == quote)
                quote = '\0';
            else if (c == '\\' && i + 1 < line.Length && (quote == '\0' || (quote == '"' && line[i + 1] is '"' or '$' or '\\')))
            {
                word.Append(line[++i]);
                begun = true;
            }
            else if (quote == '\0' && c is '"' or '\'')
            {
                quote = c;
                begun = true;
            }
            else if (c == '$' && quote != '\'' && Name(line, i + 1) is var (name, next))
            {
                i = next - 1;
                foreach (var v in variable(name) ?? "")
                    if (quote == '\0' && v is ' ' or '\t' or '\n')
                        End();
                    else
                    {
                        word.Append(v);
                        begun = true;
                    }
            }
            else
            {
                word.Append(c);
                begun = true;
            }
        }
        End();
        return [.. words];
    }

    /// <summary>The name of a variable at a place, as "{name}" or "name", with where the text goes on.</summary>
    private static (string Name, int Next)? Name(string line, int at)
    {
        var braced = at < line.Length && line[at] == '{';
        var start = braced ? at + 1 : at;
        var end = start;
        while (end < line.Length && (char.IsAsciiLetterOrDigit(line[end]) || line[end] == '_'))
            end++;
        if (end == start || (braced && (end == line.Length || line[end] != '}')))
            return null;
        return (line[start..end], braced ? end + 1 : end);
    }
}
