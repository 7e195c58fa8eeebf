using System.Security.Cryptography;
using System.Text;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images.Judging;

namespace Buttonhook.Core.Preparing;

/// <summary>Which configuration the loader of an image reads.</summary>
public enum LoaderConfig
{
    /// <summary>None that is written here.</summary>
    None,

    /// <summary>key=value lines and a command line of one line in a file of its own.</summary>
    KeyValue,

    /// <summary>extlinux.conf.</summary>
    Extlinux,

    /// <summary>A boot script with a text file of its environment.</summary>
    Environment,

    /// <summary>grub.cfg.</summary>
    Grub,

    /// <summary>Boot entries of an EFI partition.</summary>
    Entries,
}

/// <summary>Where a file goes: the partition that the loader reads, or the root file system.</summary>
public enum FilePlace
{
    /// <summary>The boot partition.</summary>
    Boot,

    /// <summary>The root file system.</summary>
    Root,
}

/// <summary>A file as it will be written.</summary>
/// <param name="Before">Null when it is new.</param>
/// <param name="Mode">Octal digits for files of a root file system, such as 0644.</param>
public sealed record RenderedFile(FilePlace Place, string Path, string? Before, string After, string Mode);

/// <summary>All files as they will be written, and what cannot be written for this image and why.</summary>
public sealed record RenderedFiles(LoaderConfig Loader, bool CloudInit, IReadOnlyList<RenderedFile> Files, IReadOnlyList<string> Notes);

/// <summary>What is known of an image's files before they are edited.</summary>
/// <param name="Boot">Text files of the boot partition by path.</param>
/// <param name="BootMount">Where the system mounts the boot partition; empty where it is a part of the root, null when the mount table does not say.</param>
/// <param name="BootLabel">The label of the boot partition.</param>
/// <param name="CloudInit">Whether cloud-init is installed.</param>
/// <param name="Systemd">Whether systemd is the init.</param>
/// <param name="BootMounted">Whether it is mounted at the start (no <c>noauto</c>, fstab(5)).</param>
/// <param name="Root">What the root file system has; null when it could not be read, and then nothing is said of it.</param>
public sealed record ImageTexts(
    IReadOnlyDictionary<string, string> Boot,
    string? BootMount,
    string? BootLabel,
    bool CloudInit,
    bool Systemd,
    bool BootMounted = true,
    RootSystem? Root = null
)
{
    /// <summary>Which configuration the loader reads, by the files that are there.</summary>
    public LoaderConfig Loader =>
        Boot.Keys.Any(k => Name(k) is "config.txt" or "cmdline.txt") ? LoaderConfig.KeyValue
        : Boot.Keys.Any(k => Name(k) == "extlinux.conf") ? LoaderConfig.Extlinux
        : Boot.Keys.Any(IsEnvironment) ? LoaderConfig.Environment
        : Boot.Keys.Any(IsEntry) ? LoaderConfig.Entries
        : Boot.Keys.Any(k => Name(k) == "grub.cfg") ? LoaderConfig.Grub
        : LoaderConfig.None;

    internal static string Name(string path) => path[(path.LastIndexOf('/') + 1)..].ToLowerInvariant();

    /// <summary>Whether a file is a kernel command line and nothing else.</summary>
    public static bool IsCommandLine(string path) => Name(path).StartsWith("cmdline", StringComparison.Ordinal);

    internal static bool IsEnvironment(string path) =>
        Name(path) is var n && n.EndsWith(".txt", StringComparison.Ordinal) && n.Contains("env", StringComparison.Ordinal);

    internal static bool IsEntry(string path) =>
        path.StartsWith("/loader/entries/", StringComparison.OrdinalIgnoreCase)
        && path.EndsWith(".conf", StringComparison.OrdinalIgnoreCase);
}

/// <summary>Renders what is wanted before the first boot into the files that this image's loader and system read.</summary>
public static class FirstBootFiles
{
    private const string Seed = "/var/lib/cloud/seed/nocloud";

    /// <summary>Renders; files that would not change are left out.</summary>
    public static RenderedFiles Render(FirstBoot set, IReadOnlyList<Recipe> recipes, ImageTexts image, ConsolePort console)
    {
        var notes = new List<string>();
        var files = new List<RenderedFile>();
        var steps = recipes.SelectMany(r => r.Steps).ToList();
        var loader = image.Loader;
        var asksSystem =
            set.AsksTheSystem
            || steps.Exists(s =>
                s.Action
                    is RecipeAction.Create
                        or RecipeAction.Enable
                        or RecipeAction.Install
                        or RecipeAction.FirstBoot
                        or RecipeAction.EveryBoot
            );

        KernelCommandLine Edit(KernelCommandLine line)
        {
            if (set.ConsoleOn && console is { Device: { } device, Speed: { } speed })
                line = line.WithConsole(device, speed);
            if (set.VideoMode is { } mode)
                line = line.Insert($"video={mode}");
            if (set.UsbNetwork)
                line = line.Insert("modules-load=dwc2,g_ether", "rootwait");
            foreach (var step in steps.Where(s => s.Action == RecipeAction.Word))
                line = line.Insert(step.Subject, step.After);
            // Earlier versions put this word there; it keeps the system from starting.
            if (line.Last("systemd.run")?.Contains(FirstBootScript.OnBoot, StringComparison.Ordinal) == true)
                line = line.Remove("systemd.run");
            return line;
        }

        var lines = set
            .Lines.Select(l => (Line: l, Append: Repeats(l)))
            .Concat(
                steps
                    .Where(s => s.Action is RecipeAction.Set or RecipeAction.Append)
                    .Select(s => (Line: $"{s.Subject}={s.Value}", Append: s.Action == RecipeAction.Append))
            )
            .ToList();
        switch (loader)
        {
            case LoaderConfig.KeyValue:
                KeyValue(set, image, files, Edit, lines);
                break;
            case LoaderConfig.Extlinux:
                foreach (var (path, text) in image.Boot.Where(f => ImageTexts.Name(f.Key) == "extlinux.conf"))
                    Changed(files, path, text, Extlinux(text, Edit, set.Overlays));
                break;
            case LoaderConfig.Environment:
                foreach (var (path, text) in image.Boot.Where(f => ImageTexts.IsEnvironment(f.Key)))
                    Changed(files, path, text, Environment(text, Edit, set.Overlays, lines));
                break;
            case LoaderConfig.Grub:
                foreach (var (path, text) in image.Boot.Where(f => ImageTexts.Name(f.Key) == "grub.cfg"))
                    Changed(files, path, text, Lines(text, ["linux", "linux16", "linuxefi"], 1, Edit));
                break;
            case LoaderConfig.Entries:
                foreach (var (path, text) in image.Boot.Where(f => ImageTexts.IsEntry(f.Key)))
                    Changed(files, path, text, Lines(text, ["options"], 0, Edit));
                break;
            default:
                notes.Add("No loader configuration was found on this image: the kernel command line stays as it is.");
                break;
        }
        if (lines.Count > 0 && loader is not (LoaderConfig.KeyValue or LoaderConfig.Environment))
            notes.Add("This loader has no key=value configuration: the extra lines are left out.");
        if (set.Overlays.Count > 0 && loader is LoaderConfig.Grub or LoaderConfig.Entries)
            notes.Add("This loader applies no overlays: they are left out.");
        if (set.UsbNetwork && loader != LoaderConfig.KeyValue)
            notes.Add("The USB port must be a device port in this board's device tree; an overlay for it is not known here.");
        if (asksSystem)
        {
            System(set, steps, image, files, notes);
            notes.AddRange(FirstBootLacks.Of(set, steps, image));
        }
        return new(loader, image.CloudInit, files, notes);
    }

    /// <summary>Which steps of a recipe this image's loader or system has no place for, in plain words; null when all of it can be applied.</summary>
    public static string? LeftOut(Recipe recipe, ImageTexts image)
    {
        bool Applies(RecipeStep step) =>
            step.Action switch
            {
                RecipeAction.Word => image.Loader != LoaderConfig.None,
                RecipeAction.Set or RecipeAction.Append => image.Loader is LoaderConfig.KeyValue or LoaderConfig.Environment,
                _ => image.CloudInit || image.Systemd,
            };
        var left = recipe.Steps.Where(s => !Applies(s)).ToList();
        if (left.Count == 0)
            return null;
        var what = string.Join(
            ", ",
            left.Select(s => s.Value is { Length: < 60 } v && !v.Contains('\n') ? $"{s.Subject}={v}" : s.Subject).Distinct()
        );
        return left.Count == recipe.Steps.Count
            ? $"Nothing of it can be applied to this image: it has no place for {what}."
            : $"{left.Count} of {recipe.Steps.Count} steps have no place on this image and would be left out: {what}.";
    }

    private static bool Repeats(string line) => KernelCommandLine.NameOf(line) is "dtoverlay" or "dtparam" or "gpio" or "include";

    private static void Changed(List<RenderedFile> files, string path, string before, string after)
    {
        if (before != after)
            files.Add(new(FilePlace.Boot, path, before, after, "0644"));
    }

    private static void KeyValue(
        FirstBoot set,
        ImageTexts image,
        List<RenderedFile> files,
        Func<KernelCommandLine, KernelCommandLine> edit,
        List<(string Line, bool Append)> lines
    )
    {
        var config = image.Boot.FirstOrDefault(f => ImageTexts.Name(f.Key) == "config.txt");
        var text = config.Value ?? "";
        var name = ValueOf(text, "cmdline") ?? "cmdline.txt";
        var all = lines.ToList();
        if (set.ConsoleOn)
            all.Insert(0, ("enable_uart=1", false));
        if (set.UsbNetwork)
            all.Add(("dtoverlay=dwc2", true));
        all.AddRange(set.Overlays.Select(o => ($"dtoverlay={o}", true)));
        var after = text;
        foreach (var (line, append) in all)
            after = WithLine(after, line, append);
        if (after != text)
            files.Add(new(FilePlace.Boot, config.Key ?? "/config.txt", config.Value, after, "0644"));
        var path = image.Boot.Keys.FirstOrDefault(k => ImageTexts.Name(k) == name.ToLowerInvariant()) ?? "/" + name;
        var command = image.Boot.GetValueOrDefault(path);
        // A line that nothing is asked of keeps its bytes, odd as they may be.
        var asked = edit(new(command ?? ""));
        var clean = new KernelCommandLine(FileTraps.Check(Encoding.UTF8.GetBytes(command ?? ""), oneLine: true, keepTabs: false).Clean);
        var edited = edit(clean) + "\n";
        if (edited != command && !asked.Words.SequenceEqual(new KernelCommandLine(command ?? "").Words))
            files.Add(new(FilePlace.Boot, path, command, edited, "0644"));
        if (set.RemoteLogin && !image.CloudInit)
            files.Add(new(FilePlace.Boot, "/ssh", null, "", "0644"));
    }

    /// <summary>The text with a key=value line: in place of the last one of its key, or behind all others; before the first section, so that it holds for every board.</summary>
    public static string WithLine(string text, string line, bool append)
    {
        var key = KernelCommandLine.NameOf(line) + "=";
        var lines = text.TrimEnd('\n').Split('\n').ToList();
        if (text.Length == 0)
            lines.Clear();
        if (lines.Exists(l => l.Trim() == line))
            return text;
        var at = append ? -1 : lines.FindLastIndex(l => l.TrimStart().StartsWith(key, StringComparison.Ordinal));
        if (at >= 0)
            lines[at] = line;
        else
        {
            var section = lines.FindIndex(l => l.StartsWith('[') && l.Trim() != "[all]");
            var all = lines.FindLastIndex(l => l.Trim() == "[all]");
            lines.Insert(section < 0 || all > section ? lines.Count : section, line);
        }
        return string.Join('\n', lines) + "\n";
    }

    /// <summary>The last value of a key in key=value lines, or null.</summary>
    public static string? ValueOf(string text, string key) =>
        text.Split('\n').Select(l => l.Trim()).LastOrDefault(l => l.StartsWith(key + "=", StringComparison.Ordinal))?[(key.Length + 1)..];

    private static string Extlinux(string text, Func<KernelCommandLine, KernelCommandLine> edit, IReadOnlyList<string> overlays)
    {
        var edited = Lines(text, ["append"], 0, edit);
        if (overlays.Count == 0)
            return edited;
        var wanted = string.Join(' ', overlays.Select(o => o.Contains('/') ? o : $"/overlays/{o}.dtbo"));
        var lines = new List<string>();
        foreach (var line in edited.Split('\n'))
        {
            if (Word(line) == "fdtoverlays")
                continue;
            lines.Add(line);
            if (Word(line) == "append")
                lines.Add($"{line[..(line.Length - line.TrimStart().Length)]}fdtoverlays {wanted}");
        }
        return string.Join('\n', lines);
    }

    private static string Word(string line) => line.TrimStart().Split([' ', '\t'], 2)[0].ToLowerInvariant();

    /// <summary>Edits the arguments of all lines that begin with one of these words, behind so many more words (the kernel's path).</summary>
    private static string Lines(string text, string[] words, int skip, Func<KernelCommandLine, KernelCommandLine> edit)
    {
        var lines = text.Split('\n');
        for (var i = 0; i < lines.Length; i++)
        {
            var line = lines[i].TrimEnd('\r');
            if (!words.Contains(Word(line)))
                continue;
            var indent = line[..(line.Length - line.TrimStart().Length)];
            var parts = line.Trim().Split([' ', '\t'], skip + 2, StringSplitOptions.RemoveEmptyEntries);
            if (parts.Length <= skip)
                continue;
            var head = string.Join(' ', parts[..(skip + 1)]);
            var rest = new KernelCommandLine(parts.Length > skip + 1 ? parts[^1] : "");
            var edited = edit(rest);
            if (!edited.Words.SequenceEqual(rest.Words))
                lines[i] = $"{indent}{head} {edited}".TrimEnd() + lines[i][line.Length..];
        }
        return string.Join('\n', lines);
    }

    private static string Environment(
        string text,
        Func<KernelCommandLine, KernelCommandLine> edit,
        IReadOnlyList<string> overlays,
        List<(string Line, bool Append)> lines
    )
    {
        string[] keys = ["bootargs", "extraargs", "optargs", "cmdline", "args"];
        var key =
            Array.Find(
                keys,
                k =>
                    ValueOf(text, k) is { } v
                    && (v.Contains("root=", StringComparison.Ordinal) || v.Contains("console=", StringComparison.Ordinal))
            )
            ?? Array.Find(keys, k => ValueOf(text, k) is not null)
            ?? "extraargs";
        var after = text;
        var before = new KernelCommandLine(ValueOf(text, key) ?? "");
        var edited = edit(before);
        if (!edited.Words.SequenceEqual(before.Words))
            after = WithLine(after, $"{key}={edited}", false);
        if (overlays.Count > 0)
            after = WithLine(after, $"overlays={string.Join(' ', overlays)}", false);
        foreach (var (line, append) in lines)
            after = WithLine(after, line, append);
        return after;
    }

    private static void System(FirstBoot set, List<RecipeStep> steps, ImageTexts image, List<RenderedFile> files, List<string> notes)
    {
        if (image.CloudInit)
        {
            var onBoot = string.Equals(image.BootLabel, "CIDATA", StringComparison.OrdinalIgnoreCase);
            var (place, folder) = onBoot ? (FilePlace.Boot, "") : (FilePlace.Root, Seed);
            if (!onBoot)
                notes.Add($"The boot partition is not labelled CIDATA: cloud-init finds its files under {Seed} on the root file system.");
            var user = CloudInit.UserData(set, steps, image.Root);
            var network = CloudInit.NetworkConfig(set, image.Root?.Network ?? NetworkSetup.Unknown);
            if (CloudInit.ByFile(set, image.Root?.Network ?? NetworkSetup.Unknown))
            {
                files.Add(new(FilePlace.Root, "/etc/cloud/cloud.cfg.d/99-first-boot-network.cfg", null, CloudInit.NoNetwork, "0644"));
                files.Add(new(FilePlace.Root, NetworkFiles.OfIfupdown, null, NetworkFiles.Ifupdown(set.Address!), "0644"));
            }
            files.Add(new(place, $"{folder}/user-data", image.Boot.GetValueOrDefault("/user-data"), user, "0600"));
            if (network is not null)
                files.Add(new(place, $"{folder}/network-config", image.Boot.GetValueOrDefault("/network-config"), network, "0600"));
            var mark = Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(user + network)))[..12];
            files.Add(
                new(
                    place,
                    $"{folder}/meta-data",
                    image.Boot.GetValueOrDefault("/meta-data"),
                    CloudInit.MetaData(set.HostName, mark),
                    "0644"
                )
            );
            return;
        }
        if (image.Systemd)
        {
            files.AddRange(FirstBootScript.ForSystemd(set, steps, image.Root));
            notes.Add(
                $"This image has no cloud-init: {FirstBootScript.OnRoot} runs once in the first boot, tells on the console what fails, and takes itself out."
            );
            return;
        }
        const string script = FirstBootScript.OnBoot;
        files.Add(new(FilePlace.Boot, script, image.Boot.GetValueOrDefault(script), FirstBootScript.Of(set, steps, image.Root), "0755"));
        var run = image.BootMount is { } at ? $"{(image.BootMounted ? "" : $"mount {at}; ")}sh {at.TrimEnd('/')}{script}" : null;
        notes.Add(
            (
                image.Root is null
                    ? $"The root file system of this image is not read here (a volume of LVM, or a kind that is not known): nothing is set to start {script} by itself. "
                    : $"This image has neither cloud-init nor systemd: nothing starts {script} by itself. "
            )
                + (
                    run is null
                        ? $"Its mount table does not mount the boot partition: after the first login mount it and run {script} with sh, as root."
                        : $"Run it after the first login, as root: {run}"
                )
        );
    }
}
