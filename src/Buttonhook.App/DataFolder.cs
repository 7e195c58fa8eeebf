using Buttonhook.Core;
using Buttonhook.Hardware;

namespace Buttonhook.App;

/// <summary>The data folder of a server: for its owner alone, and for one server at a time.</summary>
public sealed class DataFolder : IDisposable
{
    private const UnixFileMode Owner = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute;
    private const uint OthersNothing = 0x3F;
    private readonly FileStream held;

    private DataFolder(FileStream held) => this.held = held;

    /// <summary>From here on everything that this process makes is for its owner alone.</summary>
    public static void ForOwnerAlone() => FileKinds.NewFilesFor(OthersNothing);

    /// <summary>Makes the folder, closes it to others and holds it; a problem when another server holds it.</summary>
    public static Answer<DataFolder> Hold(string folder)
    {
        var path = Path.Combine(folder, "buttonhook.lock");
        try
        {
            Directory.CreateDirectory(folder);
            // A folder that was used before may be open to others.
            if (File.Exists(DataFile(folder)))
            {
                File.SetUnixFileMode(folder, Owner);
                foreach (var file in Directory.GetFiles(folder))
                    File.SetUnixFileMode(file, UnixFileMode.UserRead | UnixFileMode.UserWrite);
            }
            // FileShare.None is an exclusive lock (flock(2)), which goes with the process; who holds it stands in a file of its own.
            var held = new FileStream(path, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
            File.WriteAllText(Holder(folder), Environment.ProcessId.ToString(System.Globalization.CultureInfo.InvariantCulture));
            return new DataFolder(held);
        }
        catch (IOException e) when (!FullDisk.Is(e) && File.Exists(path) && !Directory.Exists(path))
        {
            return new Problem(
                $"{folder} should be used by one server at a time.",
                $"The process {HolderOf(folder)} uses it.",
                "Open the page of that one, end it first, or name another data folder with --data."
            );
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return FullDisk.Is(e)
                ? new Problem($"There should be room on the disk of {folder}.", "It is full.", "Make room and start again.")
                : new Problem($"{folder} should be a folder that can be written.", e.Message, "Name another data folder with --data.");
        }
    }

    /// <summary>The data file of a folder.</summary>
    public static string DataFile(string folder) => Path.Combine(folder, "buttonhook.db");

    private static string DemoMark(string folder) => Path.Combine(folder, "demo");

    /// <summary>Whether a data folder is one of the demo, whose invented boards and images belong to it.</summary>
    public static bool IsDemo(string folder) => File.Exists(DemoMark(folder));

    /// <summary>Marks a data folder as one of the demo.</summary>
    public static void MarkDemo(string folder) =>
        File.WriteAllText(DemoMark(folder), "The boards and images in this folder are invented.\n");

    private static string Holder(string folder) => Path.Combine(folder, "buttonhook.pid");

    private static string Address(string folder) => Path.Combine(folder, "buttonhook.url");

    /// <summary>Writes down where the server of a folder is, for commands that go through it.</summary>
    public static void TellAddress(string folder, string url) => File.WriteAllText(Address(folder), url + "\n");

    /// <summary>Where the server that holds a folder is; null when none holds it or it does not say.</summary>
    public static string? AddressOf(string folder)
    {
        try
        {
            var path = Path.Combine(folder, "buttonhook.lock");
            if (!File.Exists(path))
                return null;
            try
            {
                // Who can have it alone is the only one: no server runs.
                using var free = new FileStream(path, FileMode.Open, FileAccess.ReadWrite, FileShare.None);
                return null;
            }
            catch (IOException)
            {
                return File.ReadAllText(Address(folder)).Trim();
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }

    private static string HolderOf(string folder)
    {
        try
        {
            return File.ReadAllText(Holder(folder)).Trim() is { Length: > 0 } number ? number : "that began a moment ago";
        }
        catch (IOException)
        {
            return "that holds it";
        }
    }

    /// <summary>Gives the folder back.</summary>
    public void Dispose() => held.Dispose();
}
