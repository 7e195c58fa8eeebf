using System.Text;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>A configuration of key=value lines with a kernel command line of one line beside it.</summary>
internal sealed class KeyValueFile : ILoaderWay
{
    private const string Configuration = "/config.txt";

    /// <inheritdoc/>
    public Taken? Follow(Passage passage, Volume from)
    {
        var tree = from.Tree!;
        if (tree.Read(Configuration) is not { } configuration)
            return new Break(
                CauseIds.LoaderConfigMissing,
                "config.txt is not there: the loader takes kernel8.img alone, without initial file system and without device tree.",
                "Put config.txt on the boot partition, with that very name.",
                from.Name(Configuration)
            );
        var settings = Read(Encoding.UTF8.GetString(configuration));
        passage.Found.Add(("The loader finds its boot partition by type.", from.Name(Configuration)));
        string At(string key) => settings.TryGetValue(key, out var s) ? $"{from.Name(Configuration)}:{s.Line}" : from.Name(Configuration);
        string Named(string key, string usual) => "/" + (settings.TryGetValue(key, out var s) ? s.Value : usual).TrimStart('/');
        var breaks = new List<Break>();
        void Missing(string cause, string what, string name, string key) =>
            breaks.Add(
                new(
                    cause,
                    $"The {what} {name} is not there.",
                    $"Put it there, or correct {key}= in config.txt.",
                    At(key),
                    settings.ContainsKey(key) ? Nearest.Edit(from, At(key), settings[key].Value) : null
                )
            );

        var kernelName = Named("kernel", "kernel8.img");
        var kernel = KernelFile.Missing;
        if (tree.Read(kernelName) is { } bytes)
        {
            (kernel, var broken) = passage.Kernel(bytes, from.Name(kernelName));
            if (broken is not null)
                breaks.Add(broken);
        }
        else
            Missing(CauseIds.BootFilesMissing, "kernel", kernelName, "kernel");
        Loaded? deviceTree = null;
        if (!settings.ContainsKey("device_tree"))
            breaks.Add(
                new(
                    CauseIds.DtbMissing,
                    "The configuration names no device tree.",
                    "Add device_tree= to config.txt.",
                    from.Name(Configuration)
                )
            );
        else if (tree.Read(Named("device_tree", "")) is { } blob)
        {
            deviceTree = new(from.Name(Named("device_tree", "")), blob);
            if (Links.OfTree(deviceTree, passage.Board) is { } damaged)
            {
                breaks.Add(damaged);
                deviceTree = null;
            }
        }
        else
            Missing(CauseIds.DtbMissing, "device tree", Named("device_tree", ""), "device_tree");
        Loaded? initial = null;
        string? missing = null;
        if (settings.ContainsKey("initramfs"))
        {
            var name = Named("initramfs", "");
            if (tree.Read(name) is { } initrd)
                initial = new(from.Name(name), initrd);
            else
                missing = $"the initial file system {name} is not there, and the loader goes on without it";
        }
        var commandName = Named("cmdline", "cmdline.txt");
        var line = CommandLine(passage, from, commandName);
        passage.CommandLine = line;
        return new(new($"{from.Name(commandName)}:1", line, kernel, from.Name(kernelName), initial, missing, deviceTree, false), breaks);
    }

    private static Dictionary<string, (string Value, int Line)> Read(string text)
    {
        var settings = new Dictionary<string, (string Value, int Line)>(StringComparer.OrdinalIgnoreCase);
        var lines = text.Split('\n');
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
        return settings;
    }

    /// <summary>The first line of the command-line file, which is all that is passed on.</summary>
    private static string CommandLine(Passage passage, Volume from, string name)
    {
        var text = from.Tree!.Read(name) is { } command ? Encoding.UTF8.GetString(command) : null;
        if (text is null)
            passage.Notes.Add(($"The command line file {name} is not there, so the kernel gets no arguments.", from.Name(name)));
        var line = text?.Split('\n')[0] ?? "";
        if (text is not null && text.TrimEnd('\n', '\r', ' ').Contains('\n'))
            passage.Notes.Add(("Only the first line of the command line is passed on; the others are lost.", $"{from.Name(name)}:2"));
        if (line.EndsWith('\r'))
            passage.Notes.Add(("The command line ends in a carriage return, which belongs to the last argument.", $"{from.Name(name)}:1"));
        foreach (var hidden in from.Tree.List("/").Where(n => n.Equals("ssh.txt", StringComparison.OrdinalIgnoreCase)))
            passage.Notes.Add(
                (
                    $"{hidden} is not the marker that turns on remote login: that one is called ssh, without an ending.",
                    from.Name("/" + hidden)
                )
            );
        return passage.Board.ConsoleDevice is { } device
            ? line.Replace("console=serial0", $"console={device}", StringComparison.Ordinal)
            : line;
    }
}
