namespace Buttonhook.App;

/// <summary>How the application is started.</summary>
/// <param name="DataFolder">Where the database lies.</param>
/// <param name="Url">A loopback address; port 0 takes a free one.</param>
/// <param name="Demo">Whether an empty bench is filled with the demo.</param>
/// <param name="Pace">How many times faster than real the simulated boards run; 1 is real.</param>
/// <param name="CardDevices">Whether real removable devices of this computer may be written.</param>
/// <param name="Devices">Where the serial ports of this computer are.</param>
/// <param name="Share">How other devices reach it.</param>
/// <param name="SharePort">The TCP port for them.</param>
public sealed record BenchOptions(
    string DataFolder,
    string Url,
    bool Demo,
    double Pace = 1,
    bool CardDevices = false,
    string Devices = "/dev",
    ShareMode Share = ShareMode.Off,
    int SharePort = 5191
)
{
    /// <summary>The address that is used when none is named.</summary>
    public const string UsualUrl = "http://127.0.0.1:5190";

    /// <summary>The user's own data: $XDG_DATA_HOME/buttonhook, or ~/.local/share/buttonhook (XDG Base Directory Specification).</summary>
    public static string UsualFolder =>
        Path.Combine(
            Environment.GetEnvironmentVariable("XDG_DATA_HOME") is { Length: > 0 } home
                ? home
                : Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.UserProfile), ".local/share"),
            "buttonhook"
        );
}
