using System.Text.RegularExpressions;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.App.Images;

/// <summary>A download that came in parts, told by the endings of its name and by the files beside it.</summary>
public static partial class SplitFile
{
    private static readonly string[] Images = [".img", ".iso", ".raw", ".wic", ".xz", ".gz", ".zst", ".zip", ".7z", ".bz2"];

    /// <summary>What a part is; null for a file that is whole by its name.</summary>
    public static FileNature? Of(string path)
    {
        var name = Path.GetFileName(path);
        if (Part().Match(name) is not { Success: true } part || !Images.Any(part.Groups["stem"].Value.EndsWith))
            return null;
        var stem = part.Groups["stem"].Value;
        var others = Directory
            .EnumerateFiles(Path.GetDirectoryName(Path.GetFullPath(path))!, stem + ".*")
            .Select(f => Path.GetFileName(f))
            .Where(f => Part().Match(f) is { Success: true } m && m.Groups["stem"].Value == stem)
            .Order(StringComparer.Ordinal)
            .ToList();
        return new(
            "part",
            others.Count > 1
                ? $"It is one of {others.Count} parts of {stem} that lie here ({others[0]} to {others[^1]})."
                : $"It is one part of {stem}; the others do not lie beside it.",
            "A single part is incomplete, and a card written from it would be too.",
            others.Count > 1
                ? $"Put them together in their order (cat {stem}.* > {stem}), and look into that."
                : $"Download all parts, put them together in their order (cat {stem}.* > {stem}), and look into that."
        );
    }

    /// <summary>Endings that split(1) and packers give: .001, .part01, .aa, .z01; two letters only as split counts them.</summary>
    [GeneratedRegex(@"^(?<stem>.+)\.(?:\d{3}|part-?\d{1,3}|[a-c][a-z]|z\d{2})$")]
    private static partial Regex Part();
}
