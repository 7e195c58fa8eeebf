using System.Globalization;
using System.Text.RegularExpressions;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Identifying;

/// <summary>Reads from a device tree everything that helps at the bench (bindings: Documentation/devicetree/bindings of the kernel).</summary>
public static partial class TreeReader
{
    /// <summary>What a tree tells.</summary>
    /// <param name="source">The file it was read from.</param>
    /// <param name="architecture">What the package that it came in was built for, where the processors do not tell; null when nothing is known.</param>
    public static TreeFacts Read(DeviceTree tree, string source, string? architecture = null)
    {
        var set = TreeProcessors.ArchitectureOf(tree) ?? architecture;
        var console = ConsoleOf(tree);
        var memory = MemoryOf(tree);
        var lights = TreeLights.Of(tree);
        var media = TreeMedia.Of(tree);
        var power = PowerOf(tree);
        var unknown = new List<string>();
        void Missing(bool isMissing, string what)
        {
            if (isMissing)
                unknown.Add(what);
        }
        Missing(tree.Model is null, "model");
        Missing(set is null, "architecture");
        Missing(console is null, "console");
        Missing(console?.Speed is null, "console speed");
        Missing(memory is null, "memory");
        Missing(lights.Count == 0, "lights");
        unknown.AddRange(["level and pins of the console", "volts and amperes of the supply", "what the boot ROM starts from"]);
        return new(
            source,
            tree.Model,
            tree.Compatible,
            set,
            console,
            memory is { } bytes ? (int)(bytes >> 20) : null,
            media,
            lights,
            TreePorts.Of(tree, console?.Device),
            power,
            unknown
        );
    }

    /// <summary>The bytes that the memory nodes of a tree state; null when they are empty for the loader to fill in.</summary>
    private static long? MemoryOf(DeviceTree tree)
    {
        long total = 0;
        var root = tree.Nodes[0];
        int address = Cells(root, "#address-cells", 2),
            size = Cells(root, "#size-cells", 1);
        foreach (var node in root.Children.Where(n => n.Kind == "memory" && n.IsOn))
        {
            var cells = node.Numbers("reg");
            for (var at = 0; at + address + size <= cells.Count; at += address + size)
            {
                ulong length = 0;
                for (var c = 0; c < size; c++)
                    length = (length << 32) | cells[at + address + c];
                if (length is > 0 and < 1UL << 44)
                    total += (long)length;
            }
        }
        return total < 1 << 20 ? null : total;
    }

    // Devicetree Specification 0.4, 2.3.5: two cells of address and one of size when nothing is said.
    private static int Cells(TreeNode node, string name, int usual) => (int)Math.Min(2, node.Number(name) ?? (uint)usual);

    /// <summary>The console that the tree names in /chosen: by stdout-path, else by console= of its command line; null when it names none.</summary>
    public static TreeConsole? ConsoleOf(DeviceTree tree)
    {
        if (tree.Find("/chosen") is not { } chosen)
            return null;
        var property = new[] { "stdout-path", "linux,stdout-path" }.FirstOrDefault(p => chosen.Text(p) is { Length: > 0 });
        if (property is not null)
        {
            var parts = chosen.Text(property)!.Split(':', 2);
            var alias = parts[0].StartsWith('/') ? null : parts[0];
            var path = alias is null ? parts[0] : tree.Text("/aliases", alias);
            if (path is not null && tree.Find(path) is { } port && SerialDrivers.DeviceOf(tree, port, out var byOrder) is { } device)
            {
                var (speed, speedFrom) =
                    parts.Length > 1 && Speed(parts[1]) is { } told ? (told, "")
                    : port.Number("current-speed") is { } current and > 0 and < 10_000_000
                        ? ((int?)current, $", current-speed of {port.Path}")
                    : ArgumentOf(chosen, device) is { Speed: { } rate } ? (rate, ", console= in bootargs")
                    : (null, "");
                var number =
                    byOrder ? ", numbered by its order among the ports"
                    : alias is null ? ", its serial alias"
                    : $", alias {alias}";
                return new(device, speed, $"/chosen {property}{number}{speedFrom}");
            }
        }
        return ArgumentOf(chosen, null) is { Device: { } name, Speed: var bits } ? new(name, bits, "/chosen bootargs, console=") : null;
    }

    private static int? Speed(string mode) =>
        int.TryParse(new string([.. mode.TakeWhile(char.IsAsciiDigit)]), CultureInfo.InvariantCulture, out var speed) && speed > 0
            ? speed
            : null;

    private static (string? Device, int? Speed) ArgumentOf(TreeNode chosen, string? device)
    {
        var found = new KernelCommandLine(chosen.Text("bootargs") ?? "")
            .All("console")
            .Select(c => c.Split(',', 2))
            .LastOrDefault(c => device is null ? SerialName().IsMatch(c[0]) : c[0] == device);
        return found is null ? (null, null) : (found[0], found.Length > 1 ? Speed(found[1]) : null);
    }

    /// <summary>A fixed regulator that nothing feeds and that is named for 5 to 48 V is usually the input itself.</summary>
    private static TreePower? PowerOf(DeviceTree tree) =>
        tree
            .Nodes.Where(n =>
                n.IsOn
                && n.Compatible.Contains("regulator-fixed")
                && !n.Properties.Any(p => p.EndsWith("-supply", StringComparison.Ordinal))
                && !n.Has("gpio")
                && !n.Has("gpios")
                && n.Number("regulator-min-microvolt") is >= 4_500_000 and <= 48_000_000
                && n.Number("regulator-min-microvolt") == n.Number("regulator-max-microvolt")
            )
            .Select(n => (Node: n, Name: n.Text("regulator-name") ?? n.Name, Volts: n.Number("regulator-min-microvolt")!.Value / 1e6))
            .OrderByDescending(r => InputName().IsMatch(r.Name))
            .ThenByDescending(r => r.Volts)
            .Select(r => new TreePower(r.Volts, $"regulator {r.Name} ({r.Node.Path}) is fed by nothing else"))
            .FirstOrDefault();

    /// <summary>A terminal by its name and number, less the screen and the first one on it.</summary>
    [GeneratedRegex(@"^(?!tty[01]$)tty[A-Za-z]*\d+$")]
    private static partial Regex SerialName();

    [GeneratedRegex(@"(?i)(dc.?in|vin|^vbus|input|adapter|_in$|barrel|main)")]
    private static partial Regex InputName();
}
