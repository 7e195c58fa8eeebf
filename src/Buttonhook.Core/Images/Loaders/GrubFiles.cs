using System.Text;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>Where GRUB finds its configuration: the prefix that its program carries, the folder of the program, else any partition.</summary>
internal static class GrubFiles
{
    private static readonly string[] Usual = ["/boot/grub/grub.cfg", "/grub/grub.cfg", "/boot/grub2/grub.cfg", "/grub2/grub.cfg"];

    /// <summary>From the EFI partition that the program was started from.</summary>
    /// <param name="prefix">The folder that the program carries as its prefix, or null.</param>
    public static Taken From(Passage passage, Volume esp, string? prefix)
    {
        var own = prefix is not null && prefix.StartsWith('/') ? [$"{prefix.TrimEnd('/')}/grub.cfg"] : Array.Empty<string>();
        var beside = esp.Tree!.List("/EFI").Select(n => $"/EFI/{n}/grub.cfg");
        foreach (var path in own.Concat(beside).Concat(["/boot/grub/grub.cfg", "/grub/grub.cfg"]).Distinct())
            if (esp.Tree.Read(path) is { } text)
                return new GrubMenu(passage, esp).Run(path, Encoding.UTF8.GetString(text));
        return Anywhere(passage, "The loader has no grub.cfg.");
    }

    /// <summary>On any partition.</summary>
    public static Taken Anywhere(Passage passage, string without)
    {
        foreach (var volume in passage.Volumes.Where(v => v.Tree is not null))
        foreach (var path in Usual)
            if (volume.Tree!.Read(path) is { } text)
                return new GrubMenu(passage, volume).Run(path, Encoding.UTF8.GetString(text));
        // On a disc the configuration lies in a file system that is not read here.
        if (FileNature.IsDisc(passage.Image))
            return new Break(
                null,
                "It is an installer ISO; what lies in its ISO 9660 file system is not read here.",
                "Write it and start it.",
                "sector 64"
            );
        return new Break(
            CauseIds.LoaderConfigMissing,
            without,
            "Write grub.cfg where the loader looks.",
            passage.Volumes.FirstOrDefault()?.Name("/boot/grub/grub.cfg")
        );
    }
}
