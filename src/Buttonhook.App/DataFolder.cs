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

    /// <summary>
    /// Makes the folder, closes it to others and holds it; a problem when another server holds it, when it is another user's, and when it holds
    /// anything that is not Buttonhook's: a folder with a person's own files is left as it is.
    /// </summary>
    public static Answer<DataFolder> Hold(string folder)
    {
        var path = Lock(folder);
        try
        {
            if (NotOurs(folder) is { } problem)
                return problem;
            Directory.CreateDirectory(folder);
            // FileShare.None is an exclusive lock (flock(2)), which goes with the process; who holds it stands in a file of its own.
            var held = new FileStream(path, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
            try
            {
                Close(folder);
                File.WriteAllText(Holder(folder), Environment.ProcessId.ToString(System.Globalization.CultureInfo.InvariantCulture));
                Keeping.Backup.FinishRestore(folder);
                return new DataFolder(held);
            }
            catch
            {
                held.Dispose();
                throw;
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return FullDisk.Is(e)
                    ? new Problem($"There should be room on the disk of {folder}.", "It is full.", "Make room and start again.")
                : e.HResult == ReadOnlyDisk
                    ? new Problem(
                        $"{folder} should be a folder that can be written.",
                        "Its disk is mounted read-only.",
                        "Mount it for writing, or name another data folder with --data."
                    )
                : e.HResult == Held
                    ? new Problem(
                        $"{folder} should be used by one server at a time.",
                        $"The process {HolderOf(folder)} uses it.",
                        "Open the page of that one, end it first, or name another data folder with --data."
                    )
                : new Problem($"{folder} should be a folder that can be written.", e.Message, "Name another data folder with --data.");
        }
    }

    // EROFS and EWOULDBLOCK of errno(3), which .NET gives as they are.
    private const int ReadOnlyDisk = 30,
        Held = 11;

    private static string Lock(string folder) => Path.Combine(folder, "buttonhook.lock");

    private static Problem? NotOurs(string folder)
    {
        if (File.Exists(folder))
            return new($"{folder} should be a folder.", "It is a file.", "Name a folder with --data.");
        if (!Directory.Exists(folder))
            return null;
        if (FileKinds.OwnerOf(folder) is { } owner && owner != FileKinds.User)
            return new(
                $"{folder} should be a folder of your own.",
                $"It belongs to the user {owner}, and you are {FileKinds.User}: what is written there now, its owner could not change.",
                "Start as its owner, or name another data folder with --data."
            );
        if (IsOurs(folder))
            return null;
        // A folder of the demo lies inside the usual one; a new disk has a folder for what its check finds.
        var foreign = Directory
            .EnumerateFileSystemEntries(folder)
            .Where(e => Path.GetFileName(e) != "lost+found" && !(Path.GetFileName(e) == "demo" && IsOurs(e)))
            .Select(Path.GetFileName)
            .Order(StringComparer.Ordinal)
            .ToList();
        return foreign.Count == 0
            ? null
            : new(
                $"{folder} should be empty or a data folder of Buttonhook.",
                $"It holds {string.Join(", ", foreign.Take(3))}{(foreign.Count > 3 ? $" and {foreign.Count - 3} more" : "")}, which Buttonhook did not make.",
                "Nothing in it was changed. Name a new or empty folder with --data."
            );
    }

    /// <summary>Whether a folder is a data folder: it has a data file, or the lock of a server that made none yet.</summary>
    private static bool IsOurs(string folder) => File.Exists(DataFile(folder)) || File.Exists(Lock(folder));

    /// <summary>Closes the folder and what Buttonhook itself keeps in it to others; anything else in it keeps its rights.</summary>
    private static void Close(string folder)
    {
        File.SetUnixFileMode(folder, Owner);
        foreach (var file in Directory.EnumerateFiles(folder, "buttonhook.*").Append(Path.Combine(folder, "rules.yaml")))
            if (File.Exists(file) && new FileInfo(file).LinkTarget is null)
                File.SetUnixFileMode(file, UnixFileMode.UserRead | UnixFileMode.UserWrite);
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
            var path = Lock(folder);
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
