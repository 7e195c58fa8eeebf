using System.Globalization;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Identifying;

/// <summary>What a pasted hardware list tells of a board that has no device tree.</summary>
/// <param name="Kind">Which list it is: dmidecode, lshw, /sys/class/dmi/id, hostnamectl, lscpu.</param>
/// <param name="Maker">Who made it, or null.</param>
/// <param name="Product">What the system is called, or null.</param>
/// <param name="Board">What its main board is called, or null.</param>
/// <param name="Version">Its version as its maker counts, or null.</param>
/// <param name="Architecture">armhf, arm64, riscv64, amd64, or null.</param>
/// <param name="MemoryMiB">What is fitted, or null.</param>
/// <param name="Processor">The name of the processor, or null.</param>
/// <param name="Ports">Kind (as on a board profile) and the print beside it.</param>
public sealed record HardwareFacts(
    string Kind,
    string? Maker,
    string? Product,
    string? Board,
    string? Version,
    string? Architecture,
    int? MemoryMiB,
    string? Processor,
    IReadOnlyList<(string Kind, string Name)> Ports
)
{
    /// <summary>The line by which the kernel of such a board names it (dmi_format_ids in drivers/firmware/dmi_scan.c); null without a product.</summary>
    public string? Banner => Product is null ? null : $"{Maker} {Product}{(Board is null ? "" : "/" + Board)}".Trim();
}

/// <summary>Reads the lists that systems make of their own hardware. Serial numbers are not taken.</summary>
public static partial class HardwareList
{
    /// <summary>What firmware says where its maker filled nothing in.</summary>
    private static readonly string[] Empty =
    [
        "to be filled by o.e.m.",
        "to be filled by oem",
        "default string",
        "not specified",
        "not applicable",
        "not available",
        "none",
        "unknown",
        "n/a",
        "o.e.m.",
        "oem",
        "system manufacturer",
        "system product name",
        "system version",
        "base board manufacturer",
        "base board product name",
        "x.x",
        "123456789",
    ];

    // Port types of SMBIOS (7.9.3) as dmidecode writes them, and what a board profile calls them.
    private static readonly (string Type, string Kind)[] PortTypes =
    [
        ("Serial Port", "serial"),
        ("Network Port", "ethernet"),
        ("USB", "usb-host"),
        ("Audio Port", "audio"),
        ("SATA", "storage"),
        ("SAS", "storage"),
    ];

    /// <summary>What a text tells, or null when it is none of these lists.</summary>
    public static HardwareFacts? Read(string text)
    {
        var lines = text.Split('\n').Select(l => l.TrimEnd('\r', ' ', '\t')).ToList();
        return Dmidecode(lines) ?? Lshw(lines) ?? Files(lines) ?? Summary(lines);
    }

    private static string? Told(string? value) =>
        value?.Trim() is { Length: > 0 } told && !Empty.Contains(told.ToLowerInvariant()) ? told : null;

    private static (string Key, string Value)? Pair(string line) =>
        line.IndexOf(':') is > 0 and var at ? (line[..at].Trim(), line[(at + 1)..].Trim()) : null;

    /// <summary>dmidecode(8): "Handle …" begins a structure, its title follows, its fields are indented by one tab.</summary>
    private static HardwareFacts? Dmidecode(List<string> lines)
    {
        if (
            !lines.Exists(l => l.StartsWith("Handle 0x", StringComparison.Ordinal) || l is "System Information" or "Base Board Information")
        )
            return null;
        var sections = new List<(string Title, Dictionary<string, string> Fields)>();
        foreach (var line in lines)
            if (line.Length > 0 && !char.IsWhiteSpace(line[0]))
                sections.Add((line.Trim(), []));
            else if (sections.Count > 0 && Pair(line) is var (key, value))
                sections[^1].Fields.TryAdd(key, value);
        string? Of(string title, string key) =>
            Told(sections.FirstOrDefault(s => s.Title == title && s.Fields.ContainsKey(key)).Fields?.GetValueOrDefault(key));
        var memory = sections.Where(s => s.Title == "Memory Device").Select(s => Megabytes(s.Fields.GetValueOrDefault("Size"))).Sum();
        var ports = sections
            .Where(s => s.Title == "Port Connector Information")
            .Select(s =>
                (
                    Type: s.Fields.GetValueOrDefault("Port Type") ?? "",
                    Name: Told(s.Fields.GetValueOrDefault("External Reference Designator"))
                )
            )
            .Where(p => p.Name is not null)
            .Select(p => (PortTypes.FirstOrDefault(t => p.Type.StartsWith(t.Type, StringComparison.Ordinal)).Kind, Name: p.Name!))
            .Where(p => p.Kind is not null);
        return new(
            "dmidecode",
            Of("System Information", "Manufacturer") ?? Of("Base Board Information", "Manufacturer"),
            Of("System Information", "Product Name") ?? Of("Base Board Information", "Product Name"),
            Of("Base Board Information", "Product Name"),
            Of("Base Board Information", "Version") ?? Of("System Information", "Version"),
            // Only processors of that family have these flags; other 64-bit processors are told by nothing here.
            lines.Exists(l => l.Trim() == "64-bit capable")
            && lines.Exists(l => l.Contains("FPU (Floating-point unit on-chip)", StringComparison.Ordinal))
                ? "amd64"
                : null,
            memory > 0 ? memory : null,
            Of("Processor Information", "Version"),
            [.. ports]
        );
    }

    /// <summary>lshw(1) as text: the system first, its parts behind "*-".</summary>
    private static HardwareFacts? Lshw(List<string> lines)
    {
        if (!lines.Exists(l => LshwPart().IsMatch(l)))
            return null;
        var parts = new List<(string Name, Dictionary<string, string> Fields)> { ("", []) };
        foreach (var line in lines)
            if (LshwPart().Match(line) is { Success: true } part)
                parts.Add((part.Groups[1].Value, []));
            else if (Pair(line) is var (key, value))
                parts[^1].Fields.TryAdd(key, value);
        string? Of(string part, string key) =>
            Told(parts.FirstOrDefault(p => p.Name == part && p.Fields.ContainsKey(key)).Fields?.GetValueOrDefault(key));
        // "Quince 5 (SKU-0001)": what stands in brackets behind is a stock number.
        string? Plain(string? product) => product is null ? null : Told(Brackets().Replace(product, ""));
        return new(
            "lshw",
            Of("", "vendor") ?? Of("core", "vendor"),
            Plain(Of("", "product")) ?? Plain(Of("core", "product")),
            Plain(Of("core", "product")),
            Of("core", "version") ?? Of("", "version"),
            Of("", "width") == "64 bits" && Of("cpu", "capabilities")?.Split(' ').Contains("x86-64") == true ? "amd64" : null,
            Megabytes(Of("memory", "size")) is > 0 and var size ? size : null,
            Of("cpu", "product"),
            []
        );
    }

    /// <summary>"grep . /sys/class/dmi/id/*": a file and its line.</summary>
    private static HardwareFacts? Files(List<string> lines)
    {
        var files = new Dictionary<string, string>();
        foreach (var line in lines)
            if (DmiFile().Match(line) is { Success: true } file)
                files.TryAdd(file.Groups[1].Value, file.Groups[2].Value);
        string? Of(string name) => Told(files.GetValueOrDefault(name));
        if (Of("product_name") is null && Of("board_name") is null)
            return null;
        return new(
            "/sys/class/dmi/id",
            Of("sys_vendor") ?? Of("board_vendor"),
            Of("product_name") ?? Of("board_name"),
            Of("board_name"),
            Of("board_version") ?? Of("product_version"),
            null,
            null,
            null,
            []
        );
    }

    /// <summary>hostnamectl(1) and lscpu(1): one "name: value" a line.</summary>
    private static HardwareFacts? Summary(List<string> lines)
    {
        var told = new Dictionary<string, string>();
        foreach (var line in lines)
            if (Pair(line) is var (key, value))
                told.TryAdd(key, value);
        string? Of(string name) => Told(told.GetValueOrDefault(name));
        var host = Of("Hardware Model") ?? Of("Hardware Vendor");
        if (host is null && (Of("Architecture") is null || Of("CPU(s)") is null))
            return null;
        return new(
            host is null ? "lscpu" : "hostnamectl",
            Of("Hardware Vendor"),
            Of("Hardware Model"),
            null,
            Of("Hardware Version"),
            Of("Architecture") switch
            {
                "x86-64" or "x86_64" => "amd64",
                "arm64" or "aarch64" => "arm64",
                "armv7l" or "arm" => "armhf",
                "riscv64" => "riscv64",
                _ => null,
            },
            null,
            Of("Model name"),
            []
        );
    }

    /// <summary>"4 GB", "4096 MB", "4GiB" in MiB; 0 for anything else. Memory is counted in powers of two, whatever the unit is called.</summary>
    private static int Megabytes(string? size) =>
        size is not null
        && SizeText().Match(size) is { Success: true } match
        && long.TryParse(match.Groups[1].ValueSpan, CultureInfo.InvariantCulture, out var number)
        && number * (match.Groups[2].Value == "G" ? 1024 : 1) is > 0 and < 1 << 22 and var mebibytes
            ? (int)mebibytes
            : 0;

    [GeneratedRegex(@"^\s+\*-([a-z]+)(?::\d+)?(?: |$)")]
    private static partial Regex LshwPart();

    [GeneratedRegex(@"\s*\([^)]*\)\s*$")]
    private static partial Regex Brackets();

    [GeneratedRegex(@"^(?:\S*/)?((?:sys|board|product|chassis|bios)_[a-z]+):(.+)$")]
    private static partial Regex DmiFile();

    [GeneratedRegex(@"^(\d{1,7})\s?([MG])i?B")]
    private static partial Regex SizeText();
}
