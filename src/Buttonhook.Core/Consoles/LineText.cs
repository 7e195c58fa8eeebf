using System.Text;

namespace Buttonhook.Core.Consoles;

/// <summary>Turns the bytes of one console line into the text a person reads: escape sequences out, backspaces applied, lone carriage returns and cursor moves as a space.</summary>
public static class LineText
{
    private enum State
    {
        Text,
        Escape,
        Control,
        String,
        StringEscape,
        Charset,
    }

    /// <summary>Cleans one line; never throws. Sequences follow ECMA-48 (ESC [ … final byte, ESC ] … BEL or ESC \) and the two- and three-byte forms. Bytes that are not UTF-8 become U+FFFD.</summary>
    public static string Clean(ReadOnlySpan<byte> line) => Read(line, null);

    /// <summary>The text of one line and the stretches of it that the system colours or thickens (ECMA-48, SGR); never throws. A line begins without a colour.</summary>
    public static (string Text, IReadOnlyList<ColouredRun> Runs) Coloured(ReadOnlySpan<byte> line)
    {
        if (!line.Contains((byte)0x1B))
            return (Read(line, null), []);
        var styles = new LineStyles();
        var text = Read(line, styles);
        return (text, styles.Runs(text.Length));
    }

    private static string Read(ReadOnlySpan<byte> line, LineStyles? styles)
    {
        line = line.TrimEnd("\r\n"u8);
        if (line.IndexOfAnyInRange((byte)0, (byte)31) < 0 && !line.Contains((byte)127))
            return Encoding.UTF8.GetString(line);
        var bytes = line.Length <= 4096 ? stackalloc byte[line.Length] : new byte[line.Length];
        var length = 0;
        var sequence = 0;
        var state = State.Text;
        for (var at = 0; at < line.Length; at++)
        {
            var b = line[at];
            switch (state)
            {
                case State.Text when b == 0x1B:
                    state = State.Escape;
                    break;
                case State.Text when b == '\b':
                    if (length > 0)
                        length--;
                    break;
                case State.Text when b is (byte)'\r' or (byte)'\t':
                    Space(bytes, ref length);
                    break;
                case State.Text:
                    if (b is >= 32 and not 127)
                        bytes[length++] = b;
                    break;
                case State.Escape:
                    sequence = at + 1;
                    state = b switch
                    {
                        (byte)'[' => State.Control,
                        (byte)']' or (byte)'P' or (byte)'_' or (byte)'^' => State.String,
                        (byte)'(' or (byte)')' or (byte)'#' or (byte)'%' => State.Charset,
                        0x1B => State.Escape,
                        _ => State.Text,
                    };
                    break;
                case State.Control when b is >= 0x40 and <= 0x7E:
                    if (b is (byte)'H' or (byte)'f' or (byte)'G' or (byte)'C' or (byte)'B')
                        Space(bytes, ref length);
                    if (b == 'm')
                        styles?.Set(line[sequence..at], Encoding.UTF8.GetCharCount(bytes[..length]));
                    state = State.Text;
                    break;
                case State.Control:
                    if (b == 0x1B)
                        state = State.Escape;
                    break;
                case State.String:
                    state =
                        b == 0x07 ? State.Text
                        : b == 0x1B ? State.StringEscape
                        : State.String;
                    break;
                case State.StringEscape:
                    state = b == '\\' ? State.Text : State.String;
                    break;
                default:
                    state = State.Text;
                    break;
            }
        }
        return Encoding.UTF8.GetString(bytes[..length]);
    }

    private static void Space(Span<byte> bytes, ref int length)
    {
        if (length > 0 && bytes[length - 1] != ' ')
            bytes[length++] = (byte)' ';
    }
}
