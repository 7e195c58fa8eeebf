using System.Globalization;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Images.Judging;

/// <summary>Makes image profiles from what the inspection found.</summary>
public static class ImageProfiles
{
    /// <summary>The card of an inspected image; a problem when no kernel tells what processor it is for.</summary>
    /// <param name="path">Where the file lies, as it is kept on the card.</param>
    public static Answer<ImageProfile> From(Inspection found, string path)
    {
        var file = System.IO.Path.GetFileName(path);
        if (found.Nature is { } nature)
            return new Problem("The shelf holds images of whole disks.", $"{file}: {nature.Says} {nature.Why}", nature.Instead);
        if ((found.Kernel?.Architecture ?? found.Architecture) is not { } set)
            return new Problem(
                "An image on the shelf should tell what processor it is for.",
                $"In {file} there is neither a kernel nor a system that tells.",
                found.Notes.Count > 0 ? $"What was found: {found.Notes[0]}" : "Check whether this is the right file."
            );
        var desktop = found.FirstBoot?.Desktop is not null;
        var arguments = found.CommandLine is null ? null : new KernelCommandLine(found.CommandLine);
        var root = arguments?.Last("root")?.Trim('"').TrimEnd('\r');
        var console = found.Consoles.LastOrDefault(c =>
            !c.StartsWith("tty", StringComparison.Ordinal) || c.Length > 3 && char.IsAsciiLetterUpper(c[3])
        );
        var name = found.Os?.Name ?? file;
        var version = found.Os?.Version ?? "";
        var person = found.FirstBoot?.Users.FirstOrDefault(u => u.Password != "locked");
        return new ImageProfile(
            ImageProfile.ProfileFormat,
            Id(file, found),
            version.Length > 0 && name.Contains(version, StringComparison.Ordinal) ? name : $"{name} {version}".Trim(),
            "",
            found.FirstBoot is null ? null
                : desktop ? "desktop"
                : "server",
            set,
            found.Kernel?.Version ?? "",
            [],
            "raw",
            found.SizeBytes,
            found.ExpandedBytes,
            SoldSizes.SmallestGb(found.SmallestCardBytes),
            found.RecommendedCardGb,
            null,
            null,
            null,
            console?.Split(',')[0],
            console?.Split(',') is [_, var mode, ..]
            && int.TryParse(new string([.. mode.TakeWhile(char.IsAsciiDigit)]), CultureInfo.InvariantCulture, out var speed)
                ? speed
                : null,
            [],
            null,
            null,
            found.FirstBoot is { } facts ? facts.GrowsBy is not null : null,
            [],
            [],
            root?.StartsWith("PARTUUID=", StringComparison.OrdinalIgnoreCase) == true ? root[9..] : "",
            person?.Name ?? "",
            person?.ChangeForced,
            found.Chain,
            root is null ? null
                : root.Split('=', 2) is [var key, _] && key.ToUpperInvariant() is "PARTUUID" or "UUID" or "LABEL" or "PARTLABEL"
                    ? root.Split('=')[0].ToUpperInvariant()
                : "device",
            [.. found.DeviceTrees.Select(t => t.Compatible.FirstOrDefault()).OfType<string>().Distinct().Order(StringComparer.Ordinal)],
            found.FirstBoot?.SystemDate,
            path,
            found.Sha256.Length == 64 ? found.Sha256 : null
        );
    }

    /// <summary>A name from the file and what is in it, so that the same file gets the same card.</summary>
    private static string Id(string file, Inspection found)
    {
        var words = new string([.. file.ToLowerInvariant().Split('.')[0].Select(c => char.IsAsciiLetterOrDigit(c) ? c : '-')]).Trim('-');
        while (words.Contains("--", StringComparison.Ordinal))
            words = words.Replace("--", "-", StringComparison.Ordinal);
        var mark = found.Sha256.Length == 64 ? found.Sha256[..6] : found.ExpandedBytes.ToString("x", CultureInfo.InvariantCulture);
        return $"image-{(words.Length > 40 ? words[..40].Trim('-') : words)}-{mark}".Replace("--", "-", StringComparison.Ordinal);
    }
}
