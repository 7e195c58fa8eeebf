using System.Globalization;
using System.IO.Hashing;
using System.Text;

namespace Buttonhook.Core.Keeping;

/// <summary>
/// Working settings as one short text for a square code or a message: what one needs at the bench. The text is
/// <c>buttonhook.settings/2;NAME;id=value;…;sum</c>; in names and values <c>%</c>, <c>;</c>, <c>=</c> and control characters stand as %XX of their UTF-8 bytes; the sum is CRC-32 (ISO 3309) of all before its semicolon, eight hexadecimal digits.
/// </summary>
public static class ShortForm
{
    /// <summary>What it begins with.</summary>
    public const string Begin = "buttonhook.settings/2";

    /// <summary>Letters that a square code carries whose dots are wide enough to be read from paper: 38 mm on a card, 26 mm on a small label.</summary>
    public const int OnCard = 900,
        OnLabel = 300;

    private const int LongestValue = 120;

    /// <summary>What one needs at the bench, in the order of need: what does not fit any more is left out.</summary>
    private static readonly string[] Wanted =
    [
        "board.model",
        "board.revision",
        "board.memory",
        "image.name",
        "image.sha256",
        "card.label",
        "console.port",
        "console.adapter",
        "supply.name",
        "supply.cable",
        "before.switch",
        "before.order",
        "system.kernel",
        "system.mounted",
        "system.root",
        "system.host",
        "time.login",
        "met.fixed",
        "met.changed",
        "first.recipe",
        "network.address",
        "system.command-line",
        "more.quirk",
    ];

    /// <summary>The short text.</summary>
    /// <param name="most">About how many letters it may have, from 100 on.</param>
    public static string Write(WorkingSettings s, int most = OnCard)
    {
        most = Math.Max(most, 100);
        var text = new StringBuilder(Begin).Append(';').Append(Escape(s.Nickname));
        foreach (var row in Wanted.SelectMany(kind => s.Settings.Where(r => r.Kind == kind && r.Counts is not null)))
        {
            var value = Escape(row.Counts!.Length > LongestValue ? Cut(row.Counts, LongestValue) + "…" : row.Counts);
            if (text.Length + row.Id.Length + value.Length + 2 <= most)
                text.Append(';').Append(row.Id).Append('=').Append(value);
        }
        if (s.Notes.Length > 0 && text.Length + 10 < most)
        {
            var notes = Cut(s.Notes, most);
            // An escape is three letters for one: what is left decides.
            while (Escape(notes).Length > most - text.Length - 6)
                notes = Cut(notes, notes.Length - 1);
            text.Append(";notes=").Append(Escape(notes));
        }
        var sum = Sum(text.ToString());
        return text.Append(';').Append(sum).ToString();
    }

    /// <summary>Reads a short text; damage, another format and a newer one are problems. Line breaks and spaces around it do not matter.</summary>
    public static Answer<WorkingSettings> Read(string text)
    {
        text = text.Trim().ReplaceLineEndings("");
        if (!text.StartsWith("buttonhook.settings/", StringComparison.Ordinal))
            return new Problem(
                $"A short text begins with {Begin}.",
                "This one does not.",
                "Copy it whole, from its first letter to its last."
            );
        if (!text.StartsWith(Begin + ";", StringComparison.Ordinal))
            return new Problem(
                $"This Buttonhook reads {Begin}.",
                $"The text says {text.Split(';')[0]}.",
                "Update Buttonhook, or take the settings as JSON."
            );
        var end = text.LastIndexOf(';');
        if (Sum(text[..end]) != text[(end + 1)..])
            return new Problem(
                "The sum at the end of the text should fit.",
                "It does not: letters were lost or changed.",
                "Copy or read it again."
            );
        var parts = text[..end].Split(';');
        var settings = new List<Setting>();
        var notes = "";
        foreach (var part in parts.Skip(2))
        {
            var equals = part.IndexOf('=', StringComparison.Ordinal);
            if (equals < 1 || Unescape(part[(equals + 1)..]) is not { } value)
                return new Problem("Each part of the text is id=value.", $"One is “{part}”.", "Take the text again from where it came.");
            var id = part[..equals];
            if (id == "notes")
                notes = value;
            else if (SettingNames.IsId(id) && value.Length <= WorkingSettings.LongestValue)
                settings.Add(new(id, SettingNames.Of(id), value, Standing.Claimed, "the short text"));
            else
                return new Problem("Each part of the text is id=value.", $"“{id}” is no id.", "Take the text again from where it came.");
        }
        if (settings.DistinctBy(s => s.Id).Count() != settings.Count)
            return new Problem("Each setting stands once in the text.", "One stands twice.", "Take the text again from where it came.");
        return Unescape(parts.ElementAtOrDefault(1) ?? "") is { Length: > 0 } name
            ? new WorkingSettings(WorkingSettings.FormatName, name, settings, [], null, notes, null, null)
            : new Problem("The text should name its board.", "It does not.", "Take the text again from where it came.");
    }

    /// <summary>The first letters, without half a letter at the end.</summary>
    private static string Cut(string text, int most) =>
        text.Length <= most ? text
        : most > 0 && char.IsHighSurrogate(text[most - 1]) ? text[..(most - 1)]
        : text[..most];

    private static string Sum(string text) => Crc32.HashToUInt32(Encoding.UTF8.GetBytes(text)).ToString("x8", CultureInfo.InvariantCulture);

    private static string Escape(string text)
    {
        var into = new StringBuilder();
        foreach (var rune in text.EnumerateRunes())
            if (rune.Value is '%' or ';' or '=' || rune.Value < ' ' || Rune.IsWhiteSpace(rune) && rune.Value != ' ')
                foreach (var b in Encoding.UTF8.GetBytes(rune.ToString()))
                    into.Append(CultureInfo.InvariantCulture, $"%{b:X2}");
            else
                into.Append(rune.ToString());
        return into.ToString();
    }

    private static string? Unescape(string text)
    {
        var bytes = new List<byte>();
        var raw = Encoding.UTF8.GetBytes(text);
        for (var i = 0; i < raw.Length; i++)
            if (raw[i] != '%')
                bytes.Add(raw[i]);
            else if (
                i + 2 < raw.Length
                && byte.TryParse(Encoding.ASCII.GetString(raw, i + 1, 2), NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var b)
            )
            {
                bytes.Add(b);
                i += 2;
            }
            else
                return null;
        return Encoding.UTF8.GetString([.. bytes]);
    }
}
