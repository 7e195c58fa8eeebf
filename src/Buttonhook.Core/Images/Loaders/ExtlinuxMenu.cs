using System.Text;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>A menu of labels in extlinux.conf, as U-Boot reads it (boot/pxe_utils.c): the default first, then the others as long as one fails.</summary>
internal sealed class ExtlinuxMenu : ILoaderWay
{
    private sealed record Label(string Name, int Line)
    {
        public Dictionary<string, (string Value, int Line)> Settings { get; } = [];
    }

    /// <inheritdoc/>
    public Taken? Follow(Passage passage, Volume from)
    {
        Taken? first = null;
        foreach (var path in (string[])["/extlinux/extlinux.conf", "/boot/extlinux/extlinux.conf"])
            if (from.Tree!.Read(path) is { } menu)
            {
                var taken = Menu(passage, from, path, Encoding.UTF8.GetString(menu));
                if (taken.Starts)
                    return taken;
                first ??= taken;
            }
        return first;
    }

    /// <summary>Follows a menu that a script names.</summary>
    public static Taken Follow(Passage passage, Volume volume, string path, byte[] menu) =>
        Menu(passage, volume, path, Encoding.UTF8.GetString(menu));

    private static Taken Menu(Passage passage, Volume volume, string path, string text)
    {
        var (labels, wanted) = Read(text);
        if (passage.Board.Entry is { } entry)
        {
            labels = [.. labels.Skip(entry - 1).Take(1)];
            wanted = null;
        }
        if (labels.Count == 0)
            return new Break(
                CauseIds.LoaderConfigMissing,
                "The configuration has no label.",
                "Add a label with kernel, initrd and append.",
                volume.Name(path)
            );
        var chosen = labels.FirstOrDefault(l => l.Name == wanted);
        if (wanted is not null && chosen is null)
            passage.Notes.Add(
                ($"The default names {wanted.TrimEnd('\r')}, which is no label; the loader takes another one.", volume.Name(path))
            );
        Taken? first = null;
        foreach (var label in labels.OrderBy(l => l == chosen ? 0 : 1))
        {
            var taken = Take(passage, volume, path, label);
            if (!taken.Starts)
            {
                first ??= taken;
                continue;
            }
            if (first is { } failed)
                passage.Notes.Add(
                    ($"The first choice fails ({failed.Breaks[0].Text}) and the loader goes on to {label.Name}.", failed.Breaks[0].Where)
                );
            return taken;
        }
        return first!.Value;
    }

    private static (List<Label> Labels, string? Wanted) Read(string text)
    {
        var labels = new List<Label>();
        string? wanted = null;
        var lines = text.Split('\n');
        for (var i = 0; i < lines.Length; i++)
        {
            // A carriage return at the end belongs to the value: U-Boot does not take it off.
            var line = lines[i].TrimStart(' ', '\t');
            if (line.Length == 0 || line[0] == '#')
                continue;
            var end = line.IndexOfAny([' ', '\t']);
            var word = (end < 0 ? line : line[..end]).ToLowerInvariant().TrimEnd('\r');
            var value = end < 0 ? "" : line[end..].TrimStart(' ', '\t').TrimEnd(' ', '\t');
            if (word == "default")
                wanted = value;
            else if (word == "label")
                labels.Add(new(value, i + 1));
            else if (word == "menu" && value.TrimEnd('\r').Equals("default", StringComparison.OrdinalIgnoreCase) && labels.Count > 0)
                wanted ??= labels[^1].Name;
            else if (labels.Count > 0)
                labels[^1].Settings[
                    word switch
                    {
                        "linux" => "kernel",
                        "devicetree" => "fdt",
                        "devicetreedir" => "fdtdir",
                        _ => word,
                    }
                ] = (value, i + 1);
        }
        return (labels, wanted);
    }

    /// <summary>The link that breaks because the kernel reaches into where this loader puts the initial file system; null when it does not, or when its addresses are not known.</summary>
    private static Break? Covered(Passage passage, KernelFile kernel, Loaded? initial, string kernelWhere, string where)
    {
        if (initial is null || kernel.Payload is not { } image || kernel.Kind is "FIT" or "legacy")
            return null;
        var settings = LoaderSettings.Of(passage.Board);
        var memory = new LoaderMemory();
        var (kernelAt, initialAt) = (settings["kernel_addr_r"], settings["ramdisk_addr_r"]);
        memory.Put(kernelAt, new(kernelWhere, image), where);
        memory.Put(initialAt, initial, where);
        return memory.Spoiled(kernelAt, CauseIds.KernelCorrupt, "kernel")
            ?? memory.Covered(
                kernelAt,
                image,
                [(initialAt, CauseIds.InitrdCorrupt, "initial file system")],
                LoaderSettings.MemoryStart(passage.Board),
                where
            );
    }

    /// <summary>What one label loads; every link of it is looked at, also behind one that is broken.</summary>
    private static Taken Take(Passage passage, Volume volume, string path, Label label)
    {
        string At(string key) =>
            label.Settings.TryGetValue(key, out var s) ? $"{volume.Name(path)}:{s.Line}" : $"{volume.Name(path)}:{label.Line}";
        string? Value(string key) => label.Settings.TryGetValue(key, out var s) ? s.Value : null;
        byte[]? Load(string name) => volume.Tree!.Read(name.StartsWith('/') ? name : path[..(path.LastIndexOf('/') + 1)] + name);
        var breaks = new List<Break>();
        void Missing(string cause, string what, string name, string key) =>
            breaks.Add(
                new(
                    cause,
                    $"The {what} {Links.Shown(name)} is not there.",
                    $"Put {name.TrimEnd('\r')} there, or correct the line.",
                    At(key),
                    Nearest.Edit(volume, At(key), name)
                )
            );
        if (Value("kernel") is not { } kernelName)
            return new Break(CauseIds.BootFilesMissing, "The label names no kernel.", "Add a kernel line.", At("kernel"));
        passage.Found.Add(
            ($"The loader finds its configuration and takes {label.Name.TrimEnd('\r')}.", $"{volume.Name(path)}:{label.Line}")
        );
        passage.CommandLine = Value("append") ?? "";
        Loaded? initial = null;
        var initrdName = Value("initrd");
        if (initrdName is not null && Load(initrdName) is { } initrd)
        {
            initial = new(volume.Name(initrdName), initrd);
            passage.Found.Add(("The initial file system is there.", initial.Where));
        }
        else if (initrdName is not null)
            Missing(
                initrdName.EndsWith('\r') ? CauseIds.BootFilesMissing : CauseIds.InitrdMissing,
                "initial file system",
                initrdName,
                "initrd"
            );
        var kernel = KernelFile.Missing;
        Break? broken = null;
        if (Load(kernelName) is { } kernelBytes)
        {
            passage.Found.Add(("The kernel is there.", volume.Name(kernelName)));
            (kernel, broken) = passage.Kernel(kernelBytes, volume.Name(kernelName));
        }
        else
            Missing(CauseIds.BootFilesMissing, "kernel", kernelName, "kernel");
        Loaded? tree = null;
        if (Value("fdt") is { } treeName)
        {
            if (Load(treeName) is { } blob)
                tree = new(volume.Name(treeName), blob);
            else
                Missing(CauseIds.DtbMissing, "device tree", treeName, "fdt");
        }
        broken ??=
            passage.Board.Architecture == InstructionSet.Armhf
                ? null
                : LoaderSettings.Unpacks(kernel, LoaderSettings.Of(passage.Board), volume.Name(kernelName));
        broken ??= Covered(passage, kernel, initial, volume.Name(kernelName), At("kernel"));
        if (broken is not null)
            breaks.Add(broken);
        if (tree is not null && Links.OfTree(tree, passage.Board) is { } damaged)
        {
            breaks.Add(damaged);
            tree = null;
        }
        // With a device tree address at hand this loader starts the kernel of a FIT image without its own ramdisk.
        var lost =
            kernel.Kind == "FIT" && initrdName is null && kernel.FitRamDisk is not null
                ? "the initial file system is only inside the FIT image, and the loader leaves it there"
                : null;
        return new(
            new(
                At("append"),
                Value("append") ?? "",
                kernel,
                volume.Name(kernelName),
                initial,
                lost,
                tree,
                Value("fdt") is null,
                initrdName is not null && initial is null
            )
            {
                TreeFolder = Value("fdt") is null && Value("fdtdir") is { } folder ? volume.Name(folder) : null,
            },
            breaks
        );
    }
}
