namespace Buttonhook.App;

/// <summary>Folders inside a data folder that Buttonhook makes and may empty: each holds a file that says so, and no other is ever removed.</summary>
internal static class OwnFolder
{
    private const string Mark = ".made-by-buttonhook";

    /// <summary>Whether Buttonhook made the folder, by the mark in it.</summary>
    public static bool IsOurs(string path) => File.Exists(Path.Combine(path, Mark));

    /// <summary>
    /// An empty folder of this name, or of the name with a number behind it where something lies there that Buttonhook did not make; what it
    /// left there itself is removed.
    /// </summary>
    public static string Fresh(string wanted)
    {
        for (var n = 1; ; n++)
        {
            var path = n == 1 ? wanted : $"{wanted}-{n}";
            Remove(path);
            if (File.Exists(path) || Directory.Exists(path) && Directory.EnumerateFileSystemEntries(path).Any())
                continue;
            Directory.CreateDirectory(path);
            File.WriteAllText(Path.Combine(path, Mark), "Buttonhook made this folder and removes what is in it.\n");
            return path;
        }
    }

    /// <summary>Removes a folder that Buttonhook made; anything else stays.</summary>
    public static void Remove(string path)
    {
        // A link to a folder is a person's way to put it elsewhere: it is not followed.
        if (Directory.Exists(path) && new DirectoryInfo(path).LinkTarget is null && IsOurs(path))
            Directory.Delete(path, true);
    }
}
