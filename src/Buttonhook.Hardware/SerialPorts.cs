namespace Buttonhook.Hardware;

/// <summary>The serial ports that this computer has.</summary>
public static class SerialPorts
{
    private static readonly string[] Patterns = ["ttyUSB*", "ttyACM*", "ttyAMA*", "ttyS*"];

    /// <summary>Device paths, USB adapters first; built-in ports only when a chip stands behind them (type of /sys/class/tty/…/type is not 0).</summary>
    public static IReadOnlyList<string> Present() =>
        [
            .. Patterns
                .SelectMany(p => Directory.GetFiles("/dev", p).Order(StringComparer.Ordinal))
                .Where(path => !path.StartsWith("/dev/ttyS", StringComparison.Ordinal) || HasChip(Path.GetFileName(path))),
        ];

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
