using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>Finds what a configuration may have meant by the name of a file that is not there.</summary>
internal static class Nearest
{
    /// <summary>The edit that names the only file on the partition that fits: the same name in another folder, or the only one that begins alike; null when none or several do.</summary>
    public static FileEdit? Edit(Volume volume, string where, string name)
    {
        if (volume.Tree is not { } tree)
            return null;
        var plain = name.TrimEnd('\r');
        var file = plain[(plain.LastIndexOf('/') + 1)..];
        var folder = plain[..(plain.LastIndexOf('/') + 1)];
        try
        {
            var folders = new[] { folder.Length == 0 ? "/" : folder, "/", "/boot/", "/extlinux/", "/boot/extlinux/" }.Distinct().ToList();
            var same = folders
                .Select(f => (f.StartsWith('/') ? f : "/" + f) + file)
                .Where(p => p != plain && tree.Find(p) is { IsFolder: false })
                .Distinct()
                .ToList();
            var found =
                same.Count > 0 ? same
                : folders[0].StartsWith('/')
                    ?
                    [
                        .. tree.List(folders[0])
                            .Where(n => Stem(n).Length > 2 && Stem(n).Equals(Stem(file), StringComparison.OrdinalIgnoreCase))
                            .Select(n => folders[0] + n),
                    ]
                : [];
            return found is [var only] ? FileEdit.At(where, plain, only) : null;
        }
        catch (UnreadableException)
        {
            return null;
        }
    }

    /// <summary>A name up to its first digit, dash or dot: "vmlinuz-6.1.0" and "vmlinuz-6.1.7" have the same.</summary>
    private static string Stem(string name) => name.Split('-', '.', '0', '1', '2', '3', '4', '5', '6', '7', '8', '9')[0];
}
