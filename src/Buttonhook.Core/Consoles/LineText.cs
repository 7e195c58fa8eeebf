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

    /// <summary>The same without a string where the line holds nothing to clean, which most do not; what it gives is good until the buffer is used again.</summary>
    /// <param name="buffer">Where the text is put; it grows where it is too short.</param>
    public static ReadOnlySpan<char> Clean(ReadOnlySpan<byte> line, ref char[] buffer)
    {
        var plain = line.TrimEnd("\r\n"u8);
        if (plain.IndexOfAnyExceptInRange((byte)32, (byte)126) >= 0)
            return Read(line, null);
        if (plain.Length > buffer.Length)
            buffer = new char[Math.Max(plain.Length, 2 * buffer.Length)];
        System.Text.Ascii.ToUtf16(plain, buffer, out var length);
        return buffer.AsSpan(0, length);
    }

    /// <summary>The text of one line and the stretches of it that the system colours or thickens (ECMA-48, SGR); never throws. A line begins without a colour.</summary>
    public static (string Text, IReadOnlyList<ColouredRun> Runs) Coloured(ReadOnlySpan<byte> line)
    {
        if (MovesBack(line))
            return (Shown(line), []);
        if (!line.Contains((byte)0x1B))
            return (Read(line, null), []);
        var styles = new LineStyles();
        var text = Read(line, styles);
        return (text, styles.Runs(text.Length));
    }

    /// <summary>No terminal is wider; a cursor that is sent further stays there.</summary>
    private const int Widest = 4096;

    /// <summary>Whether something in the line writes over what stands there: a return within it, or a sequence that moves back, deletes or inserts.</summary>
    private static bool MovesBack(ReadOnlySpan<byte> line)
    {
        line = line.Trim("\r\n"u8);
        if (line.IndexOfAny((byte)'\r', (byte)'\b') >= 0)
            return true;
        for (var at = line.IndexOf("\u001b["u8); at >= 0; )
        {
            var rest = line[(at + 2)..];
            var end = rest.IndexOfAnyInRange((byte)0x40, (byte)0x7E);
            if (end >= 0 && "DGKPX@`"u8.Contains(rest[end]))
                return true;
            var next = rest.IndexOf("\u001b["u8);
            at = next < 0 ? -1 : at + 2 + next;
        }
        return false;
    }

    /// <summary>
    /// One line as a terminal shows it in the end: what was written over is gone (ECMA-48: CR, BS, HT, and the moves, deletions and
    /// insertions within a line). A move to another row begins a new stretch behind a space.
    /// </summary>
    public static string Shown(ReadOnlySpan<byte> line)
    {
        var text = Encoding.UTF8.GetString(line.TrimEnd("\r\n"u8));
        var cells = new List<char>(text.Length);
        int cursor = 0,
            start = 0;
        for (var at = 0; at < text.Length; at++)
            switch (text[at])
            {
                case '\r':
                    cursor = start;
                    break;
                case '\b':
                    cursor = Math.Max(start, cursor - 1);
                    break;
                case '\t':
                    cursor = Math.Min(start + Widest, start + (cursor - start) / 8 * 8 + 8);
                    break;
                case '\u001b' when at + 1 < text.Length && text[at + 1] == '[':
                    var end = at + 2;
                    while (end < text.Length && text[end] is < '\x40' or > '\x7e')
                        end++;
                    if (end < text.Length)
                        Move(cells, ref cursor, ref start, text[end], text.AsSpan(at + 2, end - at - 2));
                    at = end;
                    break;
                case '\u001b' when at + 1 < text.Length && text[at + 1] is ']' or 'P' or '_' or '^':
                    var close = text.AsSpan(at).IndexOfAny('\u0007', '\\');
                    at = close < 0 ? text.Length : at + close;
                    break;
                case '\u001b':
                    at += at + 1 < text.Length && text[at + 1] is '(' or ')' or '#' or '%' ? 2 : 1;
                    break;
                case >= ' ' and not '\x7f' and var c:
                    Pad(cells, cursor);
                    if (cursor < cells.Count)
                        cells[cursor] = c;
                    else
                        cells.Add(c);
                    cursor++;
                    break;
            }
        return new string([.. cells]).TrimEnd();
    }

    private static void Pad(List<char> cells, int upTo)
    {
        while (cells.Count < upTo)
            cells.Add(' ');
    }

    /// <summary>The first number of a control sequence, 1 without any.</summary>
    private static int Number(ReadOnlySpan<char> parameters)
    {
        var end = parameters.IndexOf(';');
        return int.TryParse(end < 0 ? parameters : parameters[..end], out var n) && n > 0 ? Math.Min(n, Widest) : 1;
    }

    private static void Move(List<char> cells, ref int cursor, ref int start, char final, ReadOnlySpan<char> parameters)
    {
        var n = Number(parameters);
        switch (final)
        {
            case 'C':
                cursor = Math.Min(start + Widest, cursor + n);
                break;
            case 'D':
                cursor = Math.Max(start, cursor - n);
                break;
            case 'G' or '`':
                cursor = start + n - 1;
                break;
            // Erase: what is behind the cursor, before it (1), or all of the line (2).
            case 'K':
                if (parameters is not "1" && cursor < cells.Count)
                    cells.RemoveRange(cursor, cells.Count - cursor);
                if (parameters is "1" or "2")
                    for (var i = start; i < Math.Min(cells.Count, cursor + 1); i++)
                        cells[i] = ' ';
                break;
            case 'P':
                if (cursor < cells.Count)
                    cells.RemoveRange(cursor, Math.Min(n, cells.Count - cursor));
                break;
            case '@':
                if (cursor < cells.Count && cells.Count < start + Widest)
                    cells.InsertRange(cursor, Enumerable.Repeat(' ', n));
                break;
            case 'X':
                for (var i = cursor; i < Math.Min(cells.Count, cursor + n); i++)
                    cells[i] = ' ';
                break;
            case 'H' or 'f' or 'A' or 'B' or 'd' or 'J':
                if (cells.Count > 0 && cells[^1] != ' ')
                    cells.Add(' ');
                cursor = start = cells.Count;
                break;
        }
    }

    /// <summary>The names of the control characters (ISO 646), by number.</summary>
    private static readonly string[] Controls =
    [
        .. "NUL SOH STX ETX EOT ENQ ACK BEL BS HT LF VT FF CR SO SI DLE DC1 DC2 DC3 DC4 NAK SYN ETB CAN EM SUB ESC FS GS RS US".Split(' '),
    ];

    /// <summary>The bytes of a line so that each can be seen: control characters by their names (‹ESC›), bytes that are no UTF-8 as \xNN.</summary>
    public static string Signs(ReadOnlySpan<byte> line)
    {
        var text = new StringBuilder(line.Length);
        while (!line.IsEmpty)
        {
            if (System.Text.Rune.DecodeFromUtf8(line, out var rune, out var length) != System.Buffers.OperationStatus.Done)
            {
                for (var i = 0; i < Math.Max(1, length); i++)
                    text.Append(System.Globalization.CultureInfo.InvariantCulture, $"\\x{line[i]:X2}");
                line = line[Math.Max(1, length)..];
                continue;
            }
            text.Append(
                rune.Value switch
                {
                    < 32 => $"‹{Controls[rune.Value]}›",
                    127 => "‹DEL›",
                    _ => rune.ToString(),
                }
            );
            line = line[length..];
        }
        return text.ToString();
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
