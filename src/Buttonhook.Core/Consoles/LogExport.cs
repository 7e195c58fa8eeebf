using System.Globalization;
using System.IO.Compression;
using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;

namespace Buttonhook.Core.Consoles;

/// <summary>Writes a capture in open forms. Times count from its first byte.</summary>
public static class LogExport
{
    private static readonly JsonSerializerOptions Plain = new() { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    /// <summary>The lines as a terminal shows them, without control characters.</summary>
    public static void Text(ConsoleLog log, Stream into)
    {
        for (var line = 1; line <= log.LineCount; line++)
            into.Write(Encoding.UTF8.GetBytes(LineText.Shown(log.Raw(line)) + "\n"));
    }

    /// <summary>The lines, each behind the seconds since the first byte: "      12.345  text". A log without times is written as plain text.</summary>
    public static void Timed(ConsoleLog log, Stream into)
    {
        if (!log.HasTimes)
        {
            Text(log, into);
            return;
        }
        var first = log.Arrival(1) ?? 0;
        for (var line = 1; line <= log.LineCount; line++)
        {
            var seconds = Math.Max(0, (log.Arrival(line) ?? first) - first) / 1000.0;
            into.Write(
                Encoding.UTF8.GetBytes(
                    string.Create(CultureInfo.InvariantCulture, $"{seconds, 12:0.000}  {LineText.Shown(log.Raw(line))}\n")
                )
            );
        }
    }

    /// <summary>asciicast, version 2: output, what was typed, and marks. Bytes that are no UTF-8 become U+FFFD, since the format holds text.</summary>
    /// <param name="startedAt">When the capture began.</param>
    public static async Task Cast(IEnumerable<JournalEntry> journal, DateTimeOffset startedAt, string title, Stream into)
    {
        async Task Line(object value) => await into.WriteAsync(Encoding.UTF8.GetBytes(JsonSerializer.Serialize(value, Plain) + "\n"));
        await Line(
            new Dictionary<string, object>
            {
                ["version"] = 2,
                ["width"] = 80,
                ["height"] = 24,
                ["timestamp"] = startedAt.ToUnixTimeSeconds(),
                ["title"] = title,
            }
        );
        var decoder = Encoding.UTF8.GetDecoder();
        var characters = new char[4096];
        int? first = null;
        var last = 0.0;
        foreach (var entry in journal)
        {
            if (entry.Milliseconds >= 0)
                first ??= entry.Milliseconds;
            var at = last = Math.Max(last, (Math.Max(0, entry.Milliseconds) - (first ?? 0)) / 1000.0);
            if (entry.Event is { } happened)
            {
                if (happened is { Kind: EventKind.Typed, Bytes: { } typed })
                    await Line(new object[] { at, "i", Encoding.UTF8.GetString(typed) });
                else
                    await Line(new object[] { at, "m", happened.Text });
                continue;
            }
            // A character that was cut between two pieces comes with the second one.
            if (characters.Length < entry.Piece.Bytes.Length + 4)
                characters = new char[entry.Piece.Bytes.Length + 4];
            var count = decoder.GetChars(entry.Piece.Bytes, characters, flush: false);
            if (count > 0)
                await Line(new object[] { at, "o", new string(characters, 0, count) });
        }
        if (decoder.GetChars([], characters, flush: true) is > 0 and var rest)
            await Line(new object[] { last, "o", new string(characters, 0, rest) });
    }

    /// <summary>A zip of a typescript and its timing file, as script(1) writes and scriptreplay(1) plays them: the bytes exactly, the times to the millisecond.</summary>
    public static void Typescript(IEnumerable<JournalEntry> journal, DateTimeOffset startedAt, string name, Stream into)
    {
        using var zip = new ZipArchive(into, ZipArchiveMode.Create, leaveOpen: true);
        var timing = new StringBuilder();
        using (var typescript = zip.CreateEntry($"{name}.typescript").Open())
        {
            typescript.Write(
                Encoding.UTF8.GetBytes(
                    string.Create(CultureInfo.InvariantCulture, $"Script started on {startedAt:yyyy-MM-dd HH:mm:sszzz}\n")
                )
            );
            int? last = null;
            foreach (var entry in journal)
            {
                if (entry.Event is not null)
                    continue;
                var at = Math.Max(0, entry.Milliseconds);
                timing.Append(
                    CultureInfo.InvariantCulture,
                    $"{Math.Max(0, at - (last ?? at)) / 1000.0:0.000000} {entry.Piece.Bytes.Length}\n"
                );
                last = Math.Max(at, last ?? 0);
                typescript.Write(entry.Piece.Bytes);
            }
        }
        using var times = zip.CreateEntry($"{name}.timing").Open();
        times.Write(Encoding.UTF8.GetBytes(timing.ToString()));
    }
}
