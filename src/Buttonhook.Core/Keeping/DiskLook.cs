using System.Globalization;
using System.Text.Json.Serialization;
using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Keeping;

/// <summary>A block device as lsblk(8) tells it.</summary>
/// <param name="Parent">The disk that it is a part of; empty for a disk.</param>
/// <param name="Start">Its first sector of 512 bytes; null for a disk, and where the kernel does not tell.</param>
public sealed record LookedDevice(
    string Name,
    string Type,
    long Bytes,
    bool ReadOnly,
    string FileSystem,
    string Mount,
    string Parent,
    string Model,
    string Bus,
    string Table,
    string Uuid,
    string PartUuid,
    string PartType,
    string Label,
    long? Start
)
{
    /// <summary>Its path.</summary>
    [JsonIgnore]
    public string Path => $"/dev/{Name}";
}

/// <summary>What the running system shows of its disks: where its root really lies, what is mounted, its mount table, and the files that name identifiers.</summary>
/// <param name="Line">The line that it ends with.</param>
/// <param name="Root">The source of the root, as it is mounted.</param>
/// <param name="UsedBytes">What the root holds.</param>
/// <param name="Tools">Programs that are there.</param>
public sealed partial record DiskLook(
    int Line,
    string Root,
    string RootType,
    string RootOptions,
    long UsedBytes,
    IReadOnlyList<LookedDevice> Devices,
    IReadOnlyList<string> Fstab,
    string CommandLine,
    IReadOnlyList<string> Files,
    IReadOnlyList<string> Tools
)
{
    private const int MostLines = 4000;

    /// <summary>The newest whole look in a log; null without one.</summary>
    public static DiskLook? In(ConsoleLog log)
    {
        for (var end = log.LineCount; end > Math.Max(0, log.LineCount - 20_000); end--)
        {
            if (log.Text(end).TrimEnd() != "look: end")
                continue;
            var lines = new List<string>();
            for (var at = end - 1; at > Math.Max(0, end - MostLines); at--)
            {
                var text = log.Text(at).TrimEnd();
                if (text == "look: begin")
                {
                    lines.Reverse();
                    return Of(lines, end);
                }
                lines.Add(text);
            }
            return null;
        }
        return null;
    }

    /// <summary>Reads the lines between begin and end; null where the root is not told. Lines of the kernel in between are passed over.</summary>
    public static DiskLook? Of(IReadOnlyList<string> lines, int line)
    {
        var starts = new Dictionary<string, long>();
        foreach (var text in lines)
            if (Start().Match(text) is { Success: true } start)
                starts[start.Groups[1].Value] = long.TryParse(
                    start.Groups[2].Value,
                    NumberStyles.None,
                    CultureInfo.InvariantCulture,
                    out var first
                )
                    ? first
                    : 0;
        var root = lines.Select(l => RootLine().Match(l)).FirstOrDefault(m => m.Success);
        if (root is null)
            return null;
        IReadOnlyList<string> Behind(string word) =>
            [.. lines.Where(l => l.StartsWith(word, StringComparison.Ordinal)).Select(l => l[word.Length..])];
        return new(
            line,
            root.Groups[1].Value,
            root.Groups[2].Value,
            root.Groups[3].Value,
            long.TryParse(root.Groups[4].Value, NumberStyles.None, CultureInfo.InvariantCulture, out var used) ? used : 0,
            [
                .. lines
                    .Where(l => l.StartsWith("NAME=\"", StringComparison.Ordinal))
                    .Select(l =>
                        Pair().Matches(l).DistinctBy(m => m.Groups[1].Value).ToDictionary(m => m.Groups[1].Value, m => m.Groups[2].Value)
                    )
                    .Where(p => DeviceName().IsMatch(p.GetValueOrDefault("NAME", "")))
                    .Select(p => new LookedDevice(
                        p["NAME"],
                        Plain(p, "TYPE"),
                        long.TryParse(p.GetValueOrDefault("SIZE"), NumberStyles.None, CultureInfo.InvariantCulture, out var size)
                            ? size
                            : 0,
                        p.GetValueOrDefault("RO") == "1",
                        Plain(p, "FSTYPE"),
                        Plain(p, "MOUNTPOINT"),
                        Plain(p, "PKNAME"),
                        p.GetValueOrDefault("MODEL", "").Trim(),
                        Plain(p, "TRAN"),
                        Plain(p, "PTTYPE"),
                        Plain(p, "UUID"),
                        Plain(p, "PARTUUID"),
                        Plain(p, "PARTTYPE"),
                        Plain(p, "LABEL"),
                        starts.TryGetValue(p["NAME"], out var sector) ? sector : null
                    )),
            ],
            Behind("fstab: "),
            Behind("cmdline: ").FirstOrDefault() ?? "",
            [.. Behind("file: ").Where(f => f.StartsWith('/') && Safe().IsMatch(f))],
            Behind("tool: ")
        );
    }

    /// <summary>A value that may go into a command: a name, a number or a path of safe letters; anything else counts as not told.</summary>
    private static string Plain(IReadOnlyDictionary<string, string> values, string name) =>
        values.GetValueOrDefault(name, "") is var value && Safe().IsMatch(value) ? value : "";

    /// <summary>The device that the root is mounted from.</summary>
    [JsonIgnore]
    public LookedDevice? RootDevice => Devices.FirstOrDefault(d => d.Path == Root || Root == $"/dev/mapper/{d.Name}");

    /// <summary>The disk that the root lies on; null where it lies on several or none.</summary>
    [JsonIgnore]
    public LookedDevice? Source
    {
        get
        {
            var at = RootDevice;
            for (var n = 0; at is { Type: not "disk" } && n < 8; n++)
                at = Devices.FirstOrDefault(d => d.Name == at.Parent);
            return at;
        }
    }

    /// <summary>The partitions of a disk in their order.</summary>
    public IReadOnlyList<LookedDevice> PartsOf(LookedDevice disk) =>
        [.. Devices.Where(d => d.Parent == disk.Name && d.Type == "part").OrderBy(d => d.Start)];

    /// <summary>Whether something of a disk is mounted, used as swap, or held by a layer above it.</summary>
    public bool IsUsed(LookedDevice disk) =>
        disk.Mount.Length > 0 || Devices.Any(d => d.Parent == disk.Name && (d.Mount.Length > 0 || Devices.Any(u => u.Parent == d.Name)));

    [GeneratedRegex(@"([A-Z:-]+)=""([^""]*)""")]
    private static partial Regex Pair();

    /// <summary>What goes into a command again has a known form.</summary>
    [GeneratedRegex(@"\A[a-z][a-z0-9_-]{0,40}\z")]
    private static partial Regex DeviceName();

    [GeneratedRegex(@"\A[A-Za-z0-9_/.:-]*\z")]
    private static partial Regex Safe();

    [GeneratedRegex(@"^start: (\S+) (\d+)$")]
    private static partial Regex Start();

    [GeneratedRegex(@"^look: root=(/[A-Za-z0-9_/.-]+|[a-z]+) type=([a-z0-9]+) options=(\S*) used=(\d*)")]
    private static partial Regex RootLine();
}
