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
