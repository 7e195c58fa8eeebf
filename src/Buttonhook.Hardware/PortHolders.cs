namespace Buttonhook.Hardware;

/// <summary>Which other program has a device open, as far as the system lets one look (proc(5)).</summary>
public static class PortHolders
{
    /// <summary>The name and number of a process that has the path open ("cat, process 4711"); null when there is none or it cannot be seen.</summary>
    public static string? Of(string path)
    {
        try
        {
            var real = FileKinds.Behind(path);
            foreach (var process in Directory.EnumerateDirectories("/proc"))
                if (int.TryParse(Path.GetFileName(process), out var number) && number != Environment.ProcessId && Holds(process, real))
                    return $"{File.ReadAllText(Path.Combine(process, "comm")).Trim()}, process {number},";
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            // What cannot be seen is not named.
        }
        return null;
    }

    private static bool Holds(string process, string path)
    {
        try
        {
            return Directory.EnumerateFiles(Path.Combine(process, "fd")).Any(f => new FileInfo(f).LinkTarget == path);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            // Of another user, or gone.
            return false;
        }
    }
}
