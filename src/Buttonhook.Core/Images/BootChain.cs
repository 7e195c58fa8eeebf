using System.Text;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Images;

/// <summary>Follows the loader of a board through an image up to the kernel: where it looks, what it reads there, what it hands over.</summary>
internal sealed class BootChain(ImageBytes image, IReadOnlyList<Volume> volumes, DryBoard board, Func<Stream, Stream?> unpack)
{
    private static readonly string[] Prefixes = ["/", "/boot/"];

    /// <summary>Things worth telling that stop nothing.</summary>
    public List<(string Text, string? Where)> Notes { get; } = [];

    /// <summary>Links that were in order on the way, with the file that shows each.</summary>
    public List<(string Text, string? Where)> Found { get; } = [];

    /// <summary>The command line of the newest configuration that was followed, even when the chain breaks after it.</summary>
    public string? CommandLine { get; private set; }

    /// <summary>Follows the chain: a handover, or where it breaks.</summary>
    public (Handover? Handover, Break? Break) Follow() =>
        board.Loader switch
        {
            "efi" => Efi(),
            "bios" => Bios(),
            "keyvalue" => KeyValue(),
            _ => Distro(),
        };

    // --- U-Boot with the "distro" order: bootable partitions, or the first one; extlinux.conf, then scripts, then EFI.
    private (Handover?, Break?) Distro()
    {
        var marked = volumes.Where(v => v.Partition.Bootable).ToList();
        var looked = marked.Count > 0 ? marked : [.. volumes.Where(v => v.Partition.Number == 1)];
        if (looked.Count == 0)
            return (null, new("no-boot-medium", "There is no partition that the loader looks at.", "Write the image again.", null));
        Break? first = null;
        foreach (var volume in looked.Where(v => v.Tree is not null))
        {
            foreach (var prefix in Prefixes)
            {
                if (volume.Tree!.Read($"{prefix}extlinux/extlinux.conf") is { } menu)
                {
                    var (handover, broke) = Extlinux(volume, $"{prefix}extlinux/extlinux.conf", Encoding.UTF8.GetString(menu));
                    if (handover is not null)
                        return (handover, null);
                    first ??= broke;
                }
                foreach (var name in (string[])["boot.scr.uimg", "boot.scr"])
                    if (volume.Tree!.Read(prefix + name) is { } script)
                    {
                        var (handover, broke) = new BootScript(volumes, volume, prefix, board, unpack, Notes).Run(prefix + name, script);
                        if (handover is not null)
                            return (handover, null);
                        first ??= broke;
                    }
            }
            if (volume.Tree!.Find(EfiLoader) is not null)
            {
                var (handover, broke) = EfiMenus(volume, volume.Tree.Read(EfiLoader) ?? []);
                if (handover is not null)
                    return (handover, null);
                first ??= broke;
            }
        }
        if (first is not null)
            return (null, first);
        var misplaced = volumes
            .Where(v => v.Tree is not null)
            .SelectMany(v =>
                (
                    (string[])
                        [
                            "/extlinux.conf",
                            "/boot/extlinux.conf",
                            "/extlinux/extlinux.conf",
                            "/boot/extlinux/extlinux.conf",
                            "/boot.scr",
                            "/boot/boot.scr",
                        ]
                )
                    .Where(p => v.Tree!.Find(p) is not null)
                    .Select(v.Name)
            )
            .FirstOrDefault();
        var unreadable = looked.FirstOrDefault(v => v.Tree is null);
        return (
            null,
            misplaced is not null
                ? new(
                    "loader-config-missing",
                    $"A configuration lies at {misplaced}, where this loader does not look.",
                    "Move it to /extlinux/extlinux.conf on the partition that is marked bootable, or mark its partition.",
                    misplaced
                )
                : new(
                    "loader-config-missing",
                    unreadable is null
                        ? "No extlinux.conf and no boot script is where the loader looks."
                        : $"The partition where the loader looks cannot be read{(unreadable.Because is null ? "" : $": {unreadable.Because}")}.",
                    "Put extlinux/extlinux.conf or boot.scr on the boot partition.",
                    looked[0].Name("/")
                )
        );
    }

    private sealed record MenuLabel(string Name, int Line)
    {
        public Dictionary<string, (string Value, int Line)> Settings { get; } = [];
    }

    private (Handover?, Break?) Extlinux(Volume volume, string path, string text)
    {
        var labels = new List<MenuLabel>();
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
        if (labels.Count == 0)
            return (
                null,
                new(
                    "loader-config-missing",
                    "The configuration has no label.",
                    "Add a label with kernel, initrd and append.",
                    volume.Name(path)
                )
            );
        var chosen = labels.FirstOrDefault(l => l.Name == wanted);
        if (wanted is not null && chosen is null)
            Notes.Add(($"The default names {wanted.TrimEnd('\r')}, which is no label; the loader takes another one.", volume.Name(path)));
        Break? first = null;
        foreach (var label in labels.OrderBy(l => l == chosen ? 0 : 1))
        {
            var (handover, broke) = Label(volume, path, label);
            if (handover is null)
            {
                first ??= broke;
                continue;
            }
            if (first is not null)
                Notes.Add(($"The first choice fails ({first.Text}) and the loader goes on to {label.Name}.", first.Where));
            return (handover, null);
        }
        return (null, first);
    }

    private (Handover?, Break?) Label(Volume volume, string path, MenuLabel label)
    {
        string At(string key) =>
            label.Settings.TryGetValue(key, out var s) ? $"{volume.Name(path)}:{s.Line}" : $"{volume.Name(path)}:{label.Line}";
        string? Value(string key) => label.Settings.TryGetValue(key, out var s) ? s.Value : null;
        byte[]? Load(string name) => volume.Tree!.Read(name.StartsWith('/') ? name : path[..(path.LastIndexOf('/') + 1)] + name);
        if (Value("kernel") is not { } kernelName)
            return (null, new("boot-files-missing", "The label names no kernel.", "Add a kernel line.", At("kernel")));
        Found.Add(($"The loader finds its configuration and takes {label.Name.TrimEnd('\r')}.", $"{volume.Name(path)}:{label.Line}"));
        CommandLine = Value("append") ?? "";
        Loaded? initial = null;
        if (Value("initrd") is { } initrdName)
        {
            if (Load(initrdName) is not { } bytes)
                return (
                    null,
                    Missing(
                        initrdName.EndsWith('\r') ? "boot-files-missing" : "initrd-missing",
                        $"The initial file system {Shown(initrdName)} is not there.",
                        initrdName,
                        At("initrd")
                    )
                );
            initial = new(volume.Name(initrdName), bytes);
            Found.Add(("The initial file system is there.", initial.Where));
        }
        if (Load(kernelName) is not { } kernelBytes)
            return (null, Missing("boot-files-missing", $"The kernel {Shown(kernelName)} is not there.", kernelName, At("kernel")));
        Found.Add(("The kernel is there.", volume.Name(kernelName)));
        Loaded? tree = null;
        if (Value("fdt") is { } treeName)
        {
            if (Load(treeName) is not { } bytes)
                return (null, Missing("dtb-missing", $"The device tree {Shown(treeName)} is not there.", treeName, At("fdt")));
            tree = new(volume.Name(treeName), bytes);
        }
        var kernel = KernelFile.Identify(kernelBytes, unpack);
        if (KernelBreak(kernel, volume.Name(kernelName), board) is { } broken)
            return (null, broken);
        if (tree is not null && TreeBreak(tree, board) is { } damaged)
            return (null, damaged);
        // With a device tree address at hand this loader starts the kernel of a FIT image without its own ramdisk.
        var lost =
            kernel.Kind == "FIT" && initial is null && kernel.FitRamDisk is not null
                ? "the initial file system is only inside the FIT image, and the loader leaves it there"
                : null;
        return (new(At("append"), Value("append") ?? "", kernel, volume.Name(kernelName), initial, lost, tree, tree is null), null);
    }

    /// <summary>A file name with what cannot be seen at its end.</summary>
    internal static string Shown(string name) => name.EndsWith('\r') ? $"{name.TrimEnd('\r')} with a carriage return at its end" : name;

    private static Break Missing(string cause, string text, string file, string where) =>
        new(cause, text, $"Put {file.TrimEnd('\r')} there, or correct the line.", where);

    /// <summary>Why this kernel does not start on this board, or null.</summary>
    internal static Break? KernelBreak(KernelFile kernel, string where, DryBoard board)
    {
        if (kernel.Architecture is { } set && set != board.Architecture)
            return new(
                "kernel-wrong-architecture",
                $"The kernel is for {set.Words()}, the board is {board.Architecture.Words()}.",
                "Use the image made for this instruction set.",
                where
            );
        if (kernel.Fault is { } fault)
            return new("kernel-corrupt", $"The kernel cannot start: {fault}.", "Copy the kernel again.", where);
        return null;
    }

    internal static Break? TreeBreak(Loaded tree, DryBoard board)
    {
        try
        {
            var read = DeviceTree.Read(tree.Bytes);
            if (read.OnlySet is { } set && set != board.Architecture)
                return new(
                    "dtb-wrong-board",
                    $"The device tree is for a {set.Words()} processor, the board is {board.Architecture.Words()}.",
                    "Name the device tree of this board.",
                    tree.Where
                );
            return board.Compatible.Count > 0 && read.Compatible.Count > 0 && !read.Compatible.Intersect(board.Compatible).Any()
                ? new(
                    "dtb-wrong-board",
                    $"The device tree is for {read.Model ?? read.Compatible[0]}, this board is {board.Compatible[0]}.",
                    "Name the device tree of this board.",
                    tree.Where
                )
                : null;
        }
        catch (UnreadableException e)
        {
            return new("dtb-invalid", $"The device tree cannot be used: {e.Message}.", "Copy the device tree again.", tree.Where);
        }
    }

    // --- UEFI: the removable path, then a menu of entries or GRUB.
    private string EfiLoader =>
        board.Architecture switch
        {
            InstructionSet.Arm64 => "/EFI/BOOT/BOOTAA64.EFI",
            InstructionSet.Armhf => "/EFI/BOOT/BOOTARM.EFI",
            InstructionSet.Riscv64 => "/EFI/BOOT/BOOTRISCV64.EFI",
            _ => "/EFI/BOOT/BOOTX64.EFI",
        };

    private (Handover?, Break?) Efi()
    {
        foreach (var volume in volumes.Where(v => v.Tree is { Kind: "vfat" }))
            if (volume.Tree!.Read(EfiLoader) is { } loader)
                return loader.Length < 512 || loader[0] != 'M' || loader[1] != 'Z'
                    ? (null, new("no-boot-medium", "The EFI loader is no EFI program.", "Copy the loader again.", volume.Name(EfiLoader)))
                    : EfiMenus(volume, loader);
        var other = volumes.FirstOrDefault(v => v.Tree is { Kind: "vfat" });
        return (
            null,
            new(
                "no-boot-medium",
                $"No EFI loader lies at {EfiLoader}, where the firmware looks.",
                $"Put the loader at {EfiLoader} on the EFI partition.",
                (other ?? volumes.FirstOrDefault())?.Name(EfiLoader)
            )
        );
    }

    private (Handover?, Break?) EfiMenus(Volume esp, byte[] loader)
    {
        if (loader.AsSpan().IndexOf(Encoding.Unicode.GetBytes("\\loader\\entries")) >= 0)
            return BootEntries(esp);
        var names = esp.Tree!.List("/EFI")
            .Where(n => esp.Tree.Find($"/EFI/{n}/grub.cfg") is not null)
            .Select(n => $"/EFI/{n}/grub.cfg")
            .ToList();
        foreach (var path in names.Concat(["/boot/grub/grub.cfg", "/grub/grub.cfg"]))
            if (esp.Tree.Read(path) is { } text)
                return new GrubMenu(volumes, esp, board, unpack, Notes).Run(path, Encoding.UTF8.GetString(text));
        return Grub("The loader has no grub.cfg.");
    }

    /// <summary>GRUB with its configuration on any partition.</summary>
    private (Handover?, Break?) Grub(string without)
    {
        foreach (var volume in volumes.Where(v => v.Tree is not null))
        foreach (var path in (string[])["/boot/grub/grub.cfg", "/grub/grub.cfg", "/boot/grub2/grub.cfg", "/grub2/grub.cfg"])
            if (volume.Tree!.Read(path) is { } text)
                return new GrubMenu(volumes, volume, board, unpack, Notes).Run(path, Encoding.UTF8.GetString(text));
        return (
            null,
            new(
                "loader-config-missing",
                without,
                "Write grub.cfg where the loader looks.",
                volumes.FirstOrDefault()?.Name("/boot/grub/grub.cfg")
            )
        );
    }

    private (Handover?, Break?) BootEntries(Volume esp)
    {
        var files = esp.Tree!.List("/loader/entries")
            .Where(n => n.EndsWith(".conf", StringComparison.OrdinalIgnoreCase))
            .Order(StringComparer.OrdinalIgnoreCase)
            .ToList();
        var pattern = Encoding
            .UTF8.GetString(esp.Tree.Read("/loader/loader.conf") ?? [])
            .Split('\n')
            .Select(l => l.Trim())
            .FirstOrDefault(l => l.StartsWith("default", StringComparison.Ordinal))
            ?[7..].Trim();
        bool Wanted(string name) =>
            pattern is not null && System.IO.Enumeration.FileSystemName.MatchesSimpleExpression(pattern, name) || name == pattern + ".conf";
        Break? first = null;
        foreach (var file in files.OrderBy(f => Wanted(f) ? 0 : 1))
        {
            var where = esp.Name($"/loader/entries/{file}");
            var lines = Encoding.UTF8.GetString(esp.Tree.Read($"/loader/entries/{file}") ?? []).Split('\n');
            string Line(string key) =>
                $"{where}:{Array.FindIndex(lines, l => l.TrimStart().StartsWith(key, StringComparison.Ordinal)) + 1}";
            string? Value(string key) =>
                lines
                    .Select(l => l.Trim())
                    .LastOrDefault(l =>
                        l.StartsWith(key + " ", StringComparison.Ordinal) || l.StartsWith(key + "\t", StringComparison.Ordinal)
                    )
                    ?[key.Length..].Trim();
            var options = string.Join(
                ' ',
                lines.Select(l => l.Trim()).Where(l => l.StartsWith("options", StringComparison.Ordinal)).Select(l => l[7..].Trim())
            );
            if (Value("linux") is not { } kernelName || esp.Tree.Read(kernelName) is not { } bytes)
            {
                first ??= new(
                    "boot-files-missing",
                    $"The kernel {Value("linux") ?? "of the entry"} is not there, so the menu hides the entry.",
                    "Put the kernel there, or correct the entry.",
                    Line("linux")
                );
                continue;
            }
            Found.Add(($"The menu takes the entry {file}; its kernel is there.", where));
            CommandLine = options;
            var kernel = KernelFile.Identify(bytes, unpack);
            if (KernelBreak(kernel, esp.Name(kernelName), board) is { } broken)
                return (null, broken);
            Loaded? initial = null;
            if (Value("initrd") is { } initrdName)
            {
                if (esp.Tree.Read(initrdName) is not { } initrd)
                    return (
                        null,
                        new(
                            "initrd-missing",
                            $"The initial file system {initrdName} is not there.",
                            "Put it there, or correct the entry.",
                            Line("initrd")
                        )
                    );
                initial = new(esp.Name(initrdName), initrd);
            }
            return (
                new(
                    Line("options"),
                    options,
                    kernel,
                    esp.Name(kernelName),
                    initial,
                    null,
                    null,
                    board.Architecture != InstructionSet.Amd64
                ),
                null
            );
        }
        return (
            null,
            first
                ?? new(
                    "loader-config-missing",
                    "The menu of boot entries is empty.",
                    "Add an entry under /loader/entries.",
                    esp.Name("/loader/entries")
                )
        );
    }

    // --- PC firmware: boot code in the first sector, then GRUB.
    private (Handover?, Break?) Bios()
    {
        var code = image.At(0, 440);
        if (code.Length < 440 || code.AsSpan().IndexOfAnyExcept((byte)0) < 0)
            return (null, new("no-boot-medium", "The first sector has no boot code.", "Install the loader on this disk.", "sector 0"));
        if (code.AsSpan().IndexOf("GRUB"u8) >= 0)
        {
            var core = (long)Math.Min(Field.U64(code, 0x5C), int.MaxValue) * 512;
            if (core > 0 && image.At(core, 512).AsSpan().IndexOfAnyExcept((byte)0) < 0)
                return (
                    null,
                    new(
                        "second-loader-missing",
                        "The boot code jumps to a sector where nothing is.",
                        "Install the loader on this disk.",
                        $"byte {core}"
                    )
                );
        }
        return Grub("The loader finds no grub.cfg on any partition.");
    }

    // --- key=value configuration with a one-line kernel command line.
    private (Handover?, Break?) KeyValue()
    {
        // This loader goes by the type in the table, not by what is on the partition.
        var boot = volumes.FirstOrDefault(v => v.Partition.Type is "0b" or "0c" or "0e");
        if (boot?.Tree is not { } tree)
        {
            var fat = volumes.FirstOrDefault(v => v.Tree is { Kind: "vfat" });
            return (
                null,
                new(
                    "no-boot-medium",
                    fat is null
                        ? "There is no FAT partition for the loader."
                        : $"The FAT partition has type {fat.Partition.Type}; this loader looks for 0b, 0c or 0e.",
                    "Set the type of the boot partition to 0c.",
                    fat is null ? null : $"partition table entry {fat.Partition.Number}"
                )
            );
        }
        if (tree.Read("/config.txt") is not { } configuration)
            return (
                null,
                new(
                    "loader-config-missing",
                    "config.txt is not there: the loader takes kernel8.img alone, without initial file system and without device tree.",
                    "Put config.txt on the boot partition, with that very name.",
                    boot.Name("/config.txt")
                )
            );
        var settings = new Dictionary<string, (string Value, int Line)>(StringComparer.OrdinalIgnoreCase);
        var lines = Encoding.UTF8.GetString(configuration).Split('\n');
        var applies = true;
        for (var i = 0; i < lines.Length; i++)
        {
            var line = lines[i].Trim();
            if (line.StartsWith('['))
                applies = line.Equals("[all]", StringComparison.OrdinalIgnoreCase);
            else if (applies && !line.StartsWith('#') && line.Split(' ', 3) is ["initramfs", var file, ..])
                settings["initramfs"] = (file, i + 1);
            else if (applies && !line.StartsWith('#') && line.IndexOf('=') is > 0 and var equals)
                settings[line[..equals].Trim()] = (line[(equals + 1)..].Trim(), i + 1);
        }
        Found.Add(("The loader finds its boot partition by type.", boot.Name("/config.txt")));
        string At(string key) => settings.TryGetValue(key, out var s) ? $"{boot.Name("/config.txt")}:{s.Line}" : boot.Name("/config.txt");
        var kernelName = "/" + (settings.TryGetValue("kernel", out var k) ? k.Value : "kernel8.img").TrimStart('/');
        if (tree.Read(kernelName) is not { } bytes)
            return (
                null,
                new(
                    "boot-files-missing",
                    $"The kernel {kernelName} is not there.",
                    "Put it there, or correct kernel= in config.txt.",
                    At("kernel")
                )
            );
        var kernel = KernelFile.Identify(bytes, unpack);
        if (KernelBreak(kernel, boot.Name(kernelName), board) is { } broken)
            return (null, broken);
        Loaded? deviceTree = null;
        if (settings.TryGetValue("device_tree", out var d))
        {
            var name = "/" + d.Value.TrimStart('/');
            if (tree.Read(name) is not { } blob)
                return (
                    null,
                    new(
                        "dtb-missing",
                        $"The device tree {name} is not there.",
                        "Put it there, or correct device_tree= in config.txt.",
                        At("device_tree")
                    )
                );
            deviceTree = new(boot.Name(name), blob);
            if (TreeBreak(deviceTree, board) is { } damaged)
                return (null, damaged);
        }
        else
            return (
                null,
                new("dtb-missing", "The configuration names no device tree.", "Add device_tree= to config.txt.", boot.Name("/config.txt"))
            );
        Loaded? initial = null;
        string? missing = null;
        if (settings.TryGetValue("initramfs", out var r))
        {
            var name = "/" + r.Value.TrimStart('/');
            if (tree.Read(name) is { } initrd)
                initial = new(boot.Name(name), initrd);
            else
                missing = $"the initial file system {name} is not there, and the loader goes on without it";
        }
        var commandName = "/" + (settings.TryGetValue("cmdline", out var c) ? c.Value : "cmdline.txt").TrimStart('/');
        var text = tree.Read(commandName) is { } command ? Encoding.UTF8.GetString(command) : null;
        if (text is null)
            Notes.Add(($"The command line file {commandName} is not there, so the kernel gets no arguments.", boot.Name(commandName)));
        var firstLine = text?.Split('\n')[0] ?? "";
        if (text is not null && text.TrimEnd('\n', '\r', ' ').Contains('\n'))
            Notes.Add(("Only the first line of the command line is passed on; the others are lost.", $"{boot.Name(commandName)}:2"));
        if (firstLine.EndsWith('\r'))
            Notes.Add(("The command line ends in a carriage return, which belongs to the last argument.", $"{boot.Name(commandName)}:1"));
        foreach (var hidden in tree.List("/").Where(n => n.Equals("ssh.txt", StringComparison.OrdinalIgnoreCase)))
            Notes.Add(
                (
                    $"{hidden} is not the marker that turns on remote login: that one is called ssh, without an ending.",
                    boot.Name("/" + hidden)
                )
            );
        if (board.ConsoleDevice is not null)
            firstLine = firstLine.Replace("console=serial0", $"console={board.ConsoleDevice}", StringComparison.Ordinal);
        return (new($"{boot.Name(commandName)}:1", firstLine, kernel, boot.Name(kernelName), initial, missing, deviceTree, false), null);
    }
}
