using System.Globalization;
using System.IO.Compression;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Consoles;

/// <summary>A log that was read from a file of another program.</summary>
/// <param name="Entries">What the board printed, and what was typed to it, with milliseconds from its begin; -1 without times.</param>
/// <param name="Kind">What the times came from in plain words; null for a plain log, whose bytes are those of the file.</param>
/// <param name="Original">The file as it came, where times were taken out of it; null for a plain log.</param>
public sealed record ImportedLog(string Name, IReadOnlyList<JournalEntry> Entries, string? Kind, byte[]? Original);

/// <summary>Reads the usual forms of a console log: plain, stamped line by line, script(1) with its timing, asciicast 2 and 3, and several of them in a zip.</summary>
public static partial class LogImport
{
    private const int MostFiles = 200;

    /// <summary>Reads one file; a file that is none of the forms with times is a plain log.</summary>
    public static ImportedLog Read(string name, byte[] bytes)
    {
        if (Cast(name, bytes) is { } cast)
            return cast;
        if (LineStamps.Read(bytes) is var (pieces, kind))
            return new(name, [.. pieces.Select(p => (JournalEntry)p)], $"times of each line ({kind})", bytes);
        return new(name, [new StoredPiece(-1, bytes)], null, null);
    }

    /// <summary>Whether a file is more than a plain log, as its beginning tells: a recording, a zip, or stamped line by line.</summary>
    public static bool IsSpecial(ReadOnlySpan<byte> start) =>
        start.StartsWith("PK\u0003\u0004"u8)
        || start.StartsWith("{\"version\""u8)
        || start.StartsWith("{ \"version\""u8)
        || IsStamped(start);

    private static bool IsStamped(ReadOnlySpan<byte> start) => LineStamps.KindOf(start) is not null;

    /// <summary>Reads files that came together: a timing file and its typescript are one log, whatever their names.</summary>
    public static IReadOnlyList<ImportedLog> ReadTogether(IReadOnlyList<(string Name, byte[] Bytes)> files)
    {
        var timings = files.Where(f => IsTiming(f.Bytes)).ToList();
        var logs = new List<ImportedLog>();
        var used = new HashSet<string>();
        foreach (var (name, bytes) in files.Except(timings))
        {
            var timing = timings
                .Where(t => !used.Contains(t.Name))
                .OrderByDescending(t => Common(t.Name, name))
                .FirstOrDefault(t => Typescript(name, bytes, t.Bytes) is not null);
            if (timing.Bytes is not null)
            {
                used.Add(timing.Name);
                logs.Add(Typescript(name, bytes, timing.Bytes)!);
            }
            else
                logs.Add(Read(name, bytes));
        }
        return logs;
    }

    private static int Common(string a, string b) => a.Zip(b).TakeWhile(p => p.First == p.Second).Count();

    /// <summary>The files of a zip; a problem when it is damaged, has too many, or unpacks to more than is allowed.</summary>
    /// <param name="most">Bytes of all together.</param>
    public static Answer<IReadOnlyList<(string Name, byte[] Bytes)>> Unzip(byte[] zip, long most)
    {
        try
        {
            using var archive = new ZipArchive(new MemoryStream(zip, false));
            var entries = archive
                .Entries.Where(e => e.Name.Length > 0 && !e.FullName.StartsWith("__MACOSX", StringComparison.Ordinal))
                .ToList();
            if (entries.Count is 0 or > MostFiles)
                return new Problem(
                    $"A zip of logs holds 1 to {MostFiles} files.",
                    $"This one holds {entries.Count}.",
                    "Pack those that matter."
                );
            var files = new List<(string, byte[])>();
            long total = 0;
            var buffer = new byte[81920];
            foreach (var entry in entries)
            {
                using var content = new MemoryStream();
                using var stream = entry.Open();
                int count;
                while ((count = stream.Read(buffer)) > 0)
                {
                    // What a zip says of its sizes is not believed.
                    if ((total += count) > most)
                        return new Problem(
                            $"A zip of logs unpacks to {Sizes.Binary(most)} at most.",
                            "This one unpacks to more.",
                            "Pack fewer together, or drop them one by one."
                        );
                    content.Write(buffer, 0, count);
                }
                files.Add((entry.Name, content.ToArray()));
            }
            return new(files, null);
        }
        catch (Exception e) when (e is InvalidDataException or IOException or NotSupportedException)
        {
            return new Problem("The file should be a whole zip.", $"It cannot be unpacked: {e.Message}", "Pack it once more.");
        }
    }

    private static bool IsTiming(byte[] bytes)
    {
        var lines = 0;
        using var reader = new StreamReader(new MemoryStream(bytes, false));
        while (lines < 100 && reader.ReadLine() is { } line)
        {
            if (!TimingLine().IsMatch(line))
                return false;
            lines++;
        }
        return lines > 0;
    }

    /// <summary>A typescript of script(1) with its timing file, classic ("seconds bytes") or with kinds in front (O output, I input, H header, S signal).</summary>
    private static ImportedLog? Typescript(string name, byte[] typescript, byte[] timing)
    {
        var content = typescript.AsSpan();
        if (content.StartsWith("Script started on "u8) && content.IndexOf((byte)'\n') is >= 0 and var end)
            content = content[(end + 1)..];
        var entries = new List<JournalEntry>();
        double at = 0;
        using var reader = new StreamReader(new MemoryStream(timing, false));
        while (reader.ReadLine() is { } line)
        {
            if (TimingLine().Match(line) is not { Success: true } match)
                return null;
            at += double.Parse(match.Groups[2].Value, CultureInfo.InvariantCulture);
            if (match.Groups[1].Value is "H" or "S" or "I")
                continue;
            if (
                !int.TryParse(match.Groups[3].Value, NumberStyles.None, CultureInfo.InvariantCulture, out var count)
                || count > content.Length
            )
                return null;
            if (count > 0)
                entries.Add(new StoredPiece((int)Math.Round(at * 1000), content[..count].ToArray()));
            content = content[count..];
        }
        // The farewell of script(1) is not of the console; anything else is.
        if (!content.IsEmpty && content.IndexOf("Script done on "u8) is < 0 or > 2)
            entries.Add(new StoredPiece((int)Math.Round(at * 1000), content.ToArray()));
        return entries.Count == 0 ? null : new(name, entries, "times of its timing file", typescript);
    }

    private static ImportedLog? Cast(string name, byte[] bytes)
    {
        if (bytes.Length == 0 || bytes[0] != '{')
            return null;
        using var reader = new StreamReader(new MemoryStream(bytes, false));
        var version = reader.ReadLine() is { } header ? VersionOf(header) : null;
        if (version is not (2 or 3))
            return null;
        var entries = new List<JournalEntry>();
        double at = 0;
        while (reader.ReadLine() is { } line)
        {
            if (line.Length == 0 || line[0] == '#')
                continue;
            try
            {
                using var json = JsonDocument.Parse(line);
                var row = json.RootElement;
                var time = row[0].GetDouble();
                at = version == 3 ? at + time : time;
                var text = row[2].GetString() ?? "";
                var ms = (int)Math.Clamp(Math.Round(at * 1000), 0, int.MaxValue);
                switch (row[1].GetString())
                {
                    case "o" when text.Length > 0:
                        entries.Add(new StoredPiece(ms, Encoding.UTF8.GetBytes(text)));
                        break;
                    case "i" when text.Length > 0:
                        var typed = Encoding.UTF8.GetBytes(text);
                        entries.Add(new JournalEvent(ms, EventKind.Typed, LineText.Signs(typed), null, typed));
                        break;
                    case "m":
                        entries.Add(new JournalEvent(ms, EventKind.Mark, text.Length == 0 ? "A mark" : text[..Math.Min(text.Length, 200)]));
                        break;
                }
            }
            catch (Exception e) when (e is JsonException or InvalidOperationException or IndexOutOfRangeException)
            {
                // A recording that was cut in its last line is whole before it.
                break;
            }
        }
        return entries.Any(e => e.Event is null) ? new(name, entries, $"times of its recording (asciicast {version})", bytes) : null;
    }

    private static int? VersionOf(string header)
    {
        try
        {
            using var json = JsonDocument.Parse(header);
            return json.RootElement.TryGetProperty("version", out var version) && version.TryGetInt32(out var number) ? number : null;
        }
        catch (JsonException)
        {
            return null;
        }
    }

    [GeneratedRegex(@"^(?:([OIHS]) )?(\d{1,9}\.\d{1,9}) (\S.*)$")]
    private static partial Regex TimingLine();
}
