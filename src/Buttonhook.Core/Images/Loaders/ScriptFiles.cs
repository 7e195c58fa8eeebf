using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>Boot scripts of U-Boot where its "distro" order looks for them.</summary>
internal sealed class ScriptFiles : ILoaderWay
{
    /// <inheritdoc/>
    public Taken? Follow(Passage passage, Volume from)
    {
        Taken? first = null;
        foreach (var prefix in (string[])["/", "/boot/"])
        foreach (var name in (string[])["boot.scr.uimg", "boot.scr"])
            if (from.Tree!.Read(prefix + name) is { } script)
            {
                var taken = new BootScript(passage, from, prefix).Run(prefix + name, script);
                if (taken.Starts)
                    return taken;
                first ??= taken;
            }
        return first;
    }
}
