using Buttonhook.Core;
using Buttonhook.Hardware;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>
/// Which paths of this computer a request may name. The page of this computer may name any; a device that shares the page names what it sent
/// itself and what lies in the folders that are kept in view, and nothing else is opened, measured or told of.
/// </summary>
public sealed class NamedPaths(BenchOptions options, FolderStore folders, IServiceProvider services)
{
    /// <summary>The problem with a path that a request names; null when it may.</summary>
    public Problem? Against(HttpContext context, string path) =>
        !IsShared(context) || Path.IsPathRooted(path) && IsInView(path)
            ? null
            : new(
                "A device that shares the page brings files of its own, or names what lies in a folder that is kept in view.",
                "This path is neither.",
                "Send the file from this device, or name it at the computer that Buttonhook runs on."
            );

    /// <summary>The problem with a request that only the computer itself may make; null there.</summary>
    /// <param name="what">What it is, as a sentence that ends in "at the computer that Buttonhook runs on".</param>
    public Problem? OnlyHere(HttpContext context, string what) =>
        IsShared(context)
            ? new($"{what} at the computer that Buttonhook runs on.", "This is another device.", "Do it at that computer.")
            : null;

    private bool IsShared(HttpContext context) => services.GetService<Sharing>()?.Is(context) == true;

    private bool IsInView(string path)
    {
        // Links count as what they lead to, on the whole way; what cannot be opened leads nowhere.
        if (FileKinds.RealPath(path) is not { } real)
            return false;
        return folders
            .All()
            .Append(Path.Combine(options.DataFolder, "images"))
            .Any(f =>
                FileKinds.RealPath(f) is { } root && (real == root || real.StartsWith(root.TrimEnd('/') + "/", StringComparison.Ordinal))
            );
    }
}
