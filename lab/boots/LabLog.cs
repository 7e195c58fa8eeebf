using System.Formats.Tar;
using System.IO.Compression;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;

namespace Buttonhook.Lab;

/// <summary>A log of the lab with its truth.</summary>
/// <param name="System">The system that it comes from; what is judged was never taught by the same one.</param>
/// <param name="Cause">What was broken, "none" for a good boot.</param>
/// <param name="Accept">Every cause that the log alone can support.</param>
/// <param name="Outcomes">How it may be said to have ended.</param>
/// <param name="KeyLines">Lines that prove it, from 1.</param>
internal sealed record LabLog(
    string System,
    string Name,
    string Cause,
    IReadOnlyList<string> Accept,
    IReadOnlyList<string> Outcomes,
    IReadOnlyList<int> KeyLines,
    byte[] Log
)
{
    private static readonly JsonSerializerOptions Json = new() { PropertyNamingPolicy = JsonNamingPolicy.CamelCase };

    /// <summary>All that a packed file holds, in its order.</summary>
    public static List<LabLog> Read(string packed)
    {
        using var file = File.OpenRead(packed);
        using var plain = new BrotliStream(file, CompressionMode.Decompress);
        using var tar = new TarReader(plain);
        var logs = new List<LabLog>();
        Making.Truth? truth = null;
        while (tar.GetNextEntry(true) is { } entry)
        {
            using var bytes = new MemoryStream();
            entry.DataStream?.CopyTo(bytes);
            if (entry.Name.EndsWith(".json", StringComparison.Ordinal))
                truth = JsonSerializer.Deserialize<Making.Truth>(bytes.ToArray(), Json)!;
            else if (entry.Name.EndsWith(".log", StringComparison.Ordinal))
                logs.Add(Of(truth!, bytes.ToArray()));
        }
        return logs;
    }

    /// <summary>All that a folder of the lab holds.</summary>
    public static List<LabLog> ReadFolder(string folder) =>
        [
            .. Directory
                .GetFiles(folder, "*.json")
                .Order(StringComparer.Ordinal)
                .Select(f =>
                    Of(
                        JsonSerializer.Deserialize<Making.Truth>(File.ReadAllText(f), Json)!,
                        File.ReadAllBytes(Path.ChangeExtension(f, ".log"))
                    )
                ),
        ];

    /// <summary>Logs with truth of another collection: folders with console.log and truth.json; empty where it is not there.</summary>
    public static List<LabLog> ReadCases(string folder) =>
        !Directory.Exists(folder)
            ? []
            :
            [
                .. Directory
                    .GetDirectories(folder)
                    .Where(d => File.Exists(Path.Combine(d, "truth.json")))
                    .Order(StringComparer.Ordinal)
                    .Select(d =>
                    {
                        using var truth = JsonDocument.Parse(File.ReadAllText(Path.Combine(d, "truth.json")));
                        var root = truth.RootElement;
                        IReadOnlyList<string> Texts(string name, string one) =>
                            root.TryGetProperty(name, out var list)
                                ? [.. list.EnumerateArray().Select(e => e.GetString()!)]
                                : [root.GetProperty(one).GetString()!];
                        var name = Path.GetFileName(d);
                        return new LabLog(
                            $"shared-{name.Split('-')[0]}",
                            name,
                            root.GetProperty("cause").GetString()!,
                            Texts("accept", "cause"),
                            Texts("acceptOutcome", "outcome"),
                            [.. root.GetProperty("key_lines").EnumerateArray().Select(e => e.GetInt32())],
                            File.ReadAllBytes(Path.Combine(d, "console.log"))
                        );
                    }),
            ];

    private static LabLog Of(Making.Truth truth, byte[] log) =>
        new(truth.System, $"{truth.System}.{truth.Name}", truth.Cause, truth.Accept, truth.Outcomes, truth.KeyLines, log);

    /// <summary>Packs a folder: truth, bytes and times of each log, those of one system side by side.</summary>
    public static (int Logs, long Bytes) Pack(string folder, string packed)
    {
        var count = 0;
        using (var file = File.Create(packed))
        using (var small = new BrotliStream(file, new BrotliCompressionOptions { Quality = 11 }))
        using (var tar = new TarWriter(small, TarEntryFormat.Ustar))
            foreach (var truth in Directory.GetFiles(folder, "*.json").Order(StringComparer.Ordinal))
            {
                count++;
                foreach (var end in (string[])[".json", ".log", ".times"])
                {
                    var path = Path.ChangeExtension(truth, end);
                    using var data = new MemoryStream(File.ReadAllBytes(path));
                    tar.WriteEntry(
                        new UstarTarEntry(TarEntryType.RegularFile, Path.GetFileName(path))
                        {
                            DataStream = data,
                            ModificationTime = DateTimeOffset.UnixEpoch,
                        }
                    );
                }
            }
        return (count, new FileInfo(packed).Length);
    }

    /// <summary>Packs the plain good boot of each system, for who has no good boot of his own.</summary>
    public static (int Logs, long Bytes) PackGood(string folder, string packed)
    {
        var good = ReadFolder(folder)
            .Where(l => l.Cause == "none" && l.Name.EndsWith(".good-boot", StringComparison.Ordinal))
            .OrderBy(l => l.System, StringComparer.Ordinal)
            .ToList();
        using (var file = File.Create(packed))
        using (var small = new BrotliStream(file, new BrotliCompressionOptions { Quality = 11 }))
        using (var tar = new TarWriter(small, TarEntryFormat.Ustar))
            foreach (var log in good)
            {
                using var data = new MemoryStream(log.Log);
                tar.WriteEntry(
                    new UstarTarEntry(TarEntryType.RegularFile, $"{log.System}, Linux {Kernel(log.Log)}")
                    {
                        DataStream = data,
                        ModificationTime = DateTimeOffset.UnixEpoch,
                    }
                );
            }
        return (good.Count, new FileInfo(packed).Length);
    }

    /// <summary>The first two numbers of the kernel's version.</summary>
    private static string Kernel(byte[] log) => Regex.Match(Encoding.Latin1.GetString(log), @"Linux version (\d+\.\d+)").Groups[1].Value;
}
