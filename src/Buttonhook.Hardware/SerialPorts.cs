namespace Buttonhook.Hardware;

/// <summary>A serial port as a person knows it.</summary>
/// <param name="Path">Its device ("/dev/ttyUSB0").</param>
/// <param name="Name">Maker, product and serial number of the USB adapter as it says itself; null for a port that is none.</param>
/// <param name="Usb">Its ids ("0403:6001"), or null.</param>
/// <param name="ById">The link that stays the same when it is plugged in elsewhere ("/dev/serial/by-id/…"), or null.</param>
public sealed record SerialPort(string Path, string? Name, string? Usb, string? ById);

/// <summary>The serial ports that this computer has.</summary>
public static class SerialPorts
{
    private static readonly string[] Patterns = ["ttyUSB*", "ttyACM*", "ttyAMA*", "ttyS*"];

    /// <summary>Device paths, USB adapters first; built-in ports only when a chip stands behind them (type of /sys/class/tty/…/type is not 0).</summary>
    /// <param name="devices">Where the devices are.</param>
    public static IReadOnlyList<string> Present(string devices = "/dev") =>
        [
            .. Listed(devices)
                .Where(path => !Path.GetFileName(path).StartsWith("ttyS", StringComparison.Ordinal) || HasChip(Path.GetFileName(path))),
        ];

    /// <summary>Every path that may be a serial port, whether or not a chip stands behind it: asked often, since it opens nothing.</summary>
    public static IReadOnlyList<string> Listed(string devices = "/dev") => [.. Patterns.SelectMany(p => Of(devices, p))];

    private static IEnumerable<string> Of(string devices, string pattern)
    {
        try
        {
            return Directory.GetFiles(devices, pattern).Order(StringComparer.Ordinal);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }

    /// <summary>The ports with what tells them apart.</summary>
    public static IReadOnlyList<SerialPort> Known(string devices = "/dev")
    {
        var links = new Dictionary<string, string>();
        foreach (var link in Of(Path.Combine(devices, "serial/by-id"), "*"))
            if (new FileInfo(link).ResolveLinkTarget(true)?.FullName is { } target)
                links[target] = link;
        return
        [
            .. Present(devices)
                .Select(p =>
                    AdapterOf(p) is var (name, usb)
                        ? new SerialPort(p, name, usb, links.GetValueOrDefault(p))
                        : new(p, null, null, links.GetValueOrDefault(p))
                ),
        ];
    }

    /// <summary>What tells that a port is the one that it was: the USB adapter's own words; of a pseudo-terminal, whose numbers are given out again, when it was made; null for a port that is built in.</summary>
    public static string? IdentityOf(string path) =>
        path.StartsWith("/dev/pts/", StringComparison.Ordinal) ? FileKinds.ChangedAt(path) : AdapterOf(FileKinds.Behind(path))?.Name;

    /// <summary>What a USB adapter says of itself: product, maker and serial number as far as they are there, and its ids ("0403:6001"); null for a port that is no USB adapter.</summary>
    /// <param name="system">Where the system tells of its devices (sysfs(5)).</param>
    public static (string Name, string Usb)? AdapterOf(string path, string system = "/sys")
    {
        try
        {
            var link = new DirectoryInfo(Path.Combine(system, "class/tty", Path.GetFileName(path), "device"));
            var device = link.ResolveLinkTarget(true)?.FullName ?? (link.Exists ? link.FullName : null);
            for (var up = 0; device is not null && up < 5; up++, device = Path.GetDirectoryName(device))
            {
                if (!File.Exists(Path.Combine(device, "idVendor")))
                    continue;
                string? Says(string file) =>
                    File.Exists(Path.Combine(device, file)) && File.ReadAllText(Path.Combine(device, file)).Trim() is { Length: > 0 } text
                        ? text
                        : null;
                var usb = $"{Says("idVendor")}:{Says("idProduct")}";
                var name = string.Join(' ', new[] { Says("manufacturer"), Says("product") }.OfType<string>());
                if (name.Length == 0)
                    name = $"USB {usb}";
                return (Says("serial") is { } serial ? $"{name}, serial number {serial}" : name, usb);
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            // A port that goes away while it is looked at has no name.
        }
        return null;
    }

    private static bool HasChip(string name)
    {
        try
        {
            return File.ReadAllText($"/sys/class/tty/{name}/type").Trim() != "0";
        }
        catch (IOException)
        {
            return false;
        }
        catch (UnauthorizedAccessException)
        {
            return false;
        }
    }
}
