using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>A menu of boot entries (UAPI boot loader specification): entry files and unified kernels on the EFI partition and on one of type XBOOTLDR.</summary>
internal static partial class EntryFiles
{
    // UAPI discoverable partitions specification; MBR disks use the byte.
    private const string Extended = "bc13c2ff-59e6-4262-a352-b275fd6f7172";
    private const string ExtendedByte = "ea";

    private sealed record Entry(Volume Volume, string Path, string Id, bool Bad, string[] Lines)
    {
        /// <summary>The EFI program, of an entry that is a unified kernel.</summary>
        public EfiProgram? Program { get; init; }

        public string? Value(string key) => All(key).LastOrDefault();

        public IEnumerable<string> All(string key) =>
            Lines
                .Select(l => l.Trim())
                .Where(l => l.Length > key.Length && l.StartsWith(key, StringComparison.Ordinal) && l[key.Length] is ' ' or '\t')
                .Select(l => l[key.Length..].Trim());

        public string At(string key) =>
            $"{Volume.Name(Path)}:{Array.FindIndex(Lines, l => l.TrimStart().StartsWith(key, StringComparison.Ordinal)) + 1}";
    }

    /// <summary>The entry that the menu starts by itself, and what it loads.</summary>
    public static Taken Follow(Passage passage, Volume esp)
    {
        var places = passage
            .Volumes.Where(v => v.Tree is not null && v != esp && v.Partition.Type is Extended or ExtendedByte)
            .Prepend(esp)
            .ToList();
        var all = places.SelectMany(v => Files(v).Concat(Programs(v))).ToList();
        if (all.Count == 0)
            return new Break(
                CauseIds.LoaderConfigMissing,
                "The menu of boot entries is empty.",
                "Add an entry under /loader/entries.",
                esp.Name("/loader/entries")
            );
        Break? hidden = null;
        var shown = new List<Entry>();
        foreach (var entry in all)
            if (Hidden(entry, passage.Board) is { } why)
                hidden ??= why;
            else
                shown.Add(entry);
        if (shown.Count == 0)
            return hidden!;
        shown.Sort(Order);
        var pattern = Default(esp);
        var chosen = pattern is null ? shown[0] : shown.Find(e => Fits(e.Id, pattern)) ?? shown[0];
        if (pattern is not null && !Fits(chosen.Id, pattern))
            passage.Notes.Add(($"The default {pattern} fits no entry; the menu takes {chosen.Id}.", esp.Name("/loader/loader.conf")));
        if (hidden is not null)
            passage.Notes.Add(($"{hidden.Text} The menu takes {chosen.Id}.", hidden.Where));
        return chosen.Program is { } program ? UnifiedKernel.Take(passage, chosen.Volume, chosen.Path, program) : Take(passage, chosen);
    }

    private static IEnumerable<Entry> Files(Volume volume)
    {
        if (volume.Tree!.Find("/loader/entries") is not { IsFolder: true })
            yield break;
        foreach (var name in volume.Tree.List("/loader/entries").Where(n => n.EndsWith(".conf", StringComparison.OrdinalIgnoreCase)))
        {
            var path = $"/loader/entries/{name}";
            var (id, bad) = Counted(name);
            yield return new(volume, path, id, bad, Encoding.UTF8.GetString(volume.Tree.Read(path) ?? []).Split('\n'));
        }
    }

    private static IEnumerable<Entry> Programs(Volume volume)
    {
        if (volume.Tree!.Find("/EFI/Linux") is not { IsFolder: true })
            yield break;
        foreach (var name in volume.Tree.List("/EFI/Linux").Where(n => n.EndsWith(".efi", StringComparison.OrdinalIgnoreCase)))
        {
            var path = $"/EFI/Linux/{name}";
            if (EfiProgram.Read(volume.Tree.Read(path) ?? []) is not { Kind: EfiKind.UnifiedKernel } program)
                continue;
            var (id, bad) = Counted(name);
            var release = (program.Text(".osrel") ?? "")
                .Split('\n')
                .Select(l => l.Split('=', 2))
                .Where(p => p.Length == 2)
                .ToLookup(p => p[0], p => p[1].Trim('"'));
            string Of(string key) => release[key].FirstOrDefault() ?? "";
            // What the specification takes from the system's own words (type 2 entries).
            yield return new(
                volume,
                path,
                id,
                bad,
                [
                    $"sort-key {(Of("IMAGE_ID") is { Length: > 0 } image ? image : Of("ID"))}",
                    $"version {(program.Text(".uname") is { Length: > 0 } version ? version : Of("IMAGE_VERSION") is { Length: > 0 } built ? built : Of("VERSION_ID"))}",
                ]
            )
            {
                Program = program,
            };
        }
    }

    /// <summary>The id of an entry without its boot counting, and whether its tries are used up ("name+0-3.conf").</summary>
    private static (string Id, bool Bad) Counted(string name) =>
        Counter().Match(name) is { Success: true } counter
            ? (
                name.Remove(counter.Index, counter.Length - counter.Groups["ending"].Length),
                counter.Groups["left"].ValueSpan.TrimStart('0').IsEmpty
            )
            : (name, false);

    [GeneratedRegex(@"\+(?<left>\d+)(?:-\d+)?(?<ending>\.\w+)\z")]
    private static partial Regex Counter();

    /// <summary>Why the menu does not show an entry, or null: for another processor, or without the file that it starts.</summary>
    private static Break? Hidden(Entry entry, DryBoard board)
    {
        if (entry.Program is { } program)
            return program.Architecture == board.Architecture && program.Fault is null
                ? null
                : new(
                    program.Fault is null ? CauseIds.KernelWrongArchitecture : CauseIds.KernelCorrupt,
                    program.Fault is { } fault
                        ? $"The unified kernel {entry.Id} cannot start: {fault}."
                        : $"The unified kernel {entry.Id} is for {program.Architecture?.Words() ?? "another processor"}.",
                    "Use the one for this board.",
                    entry.Volume.Name(entry.Path)
                );
        if (
            entry.Value("architecture") is { } wanted
            && !wanted.Equals(EfiPrograms.ShortName(board.Architecture), StringComparison.OrdinalIgnoreCase)
        )
            return new(
                CauseIds.KernelWrongArchitecture,
                $"The entry {entry.Id} is for {wanted}, so the menu hides it.",
                "Use the image made for this instruction set.",
                entry.At("architecture")
            );
        var kernel = entry.Value("linux") ?? entry.Value("efi") ?? entry.Value("uki");
        return kernel is not null && entry.Volume.Tree!.Find(Rooted(kernel)) is { IsFolder: false }
            ? null
            : new(
                CauseIds.BootFilesMissing,
                $"The kernel {kernel ?? "of the entry"} is not there, so the menu hides the entry.",
                "Put the kernel there, or correct the entry.",
                entry.At("linux"),
                kernel is null ? null : Nearest.Edit(entry.Volume, entry.At("linux"), kernel)
            );
    }

    private static string Rooted(string path) => path.StartsWith('/') ? path : "/" + path;

    /// <summary>The order of the menu: what was tried in vain last; then by sort key, and the newest version first.</summary>
    private static int Order(Entry a, Entry b)
    {
        if (a.Bad != b.Bad)
            return a.Bad ? 1 : -1;
        var (first, second) = (a.Value("sort-key"), b.Value("sort-key"));
        if (first is null != second is null)
            return first is null ? 1 : -1;
        if (first is not null)
        {
            var by = string.CompareOrdinal(first, second);
            if (by == 0)
                by = string.CompareOrdinal(a.Value("machine-id"), b.Value("machine-id"));
            if (by == 0)
                by = -Versions.Compare(a.Value("version") ?? "", b.Value("version") ?? "");
            if (by != 0)
                return by;
        }
        return -Versions.Compare(a.Id, b.Id);
    }

    private static string? Default(Volume esp) =>
        Encoding
            .UTF8.GetString(esp.Tree!.Read("/loader/loader.conf") ?? [])
            .Split('\n')
            .Select(l => l.Trim())
            .LastOrDefault(l => l.StartsWith("default ", StringComparison.Ordinal) || l.StartsWith("default\t", StringComparison.Ordinal))
            ?[8..].Trim()
            is { Length: > 0 } pattern
        // What was chosen last time is kept in the firmware, which nobody knows here.
        && !pattern.StartsWith('@')
            ? pattern
            : null;

    private static bool Fits(string id, string pattern) =>
        System.IO.Enumeration.FileSystemName.MatchesSimpleExpression(pattern, id)
        || System.IO.Enumeration.FileSystemName.MatchesSimpleExpression(pattern + ".conf", id);

    private static Taken Take(Passage passage, Entry entry)
    {
        var (volume, tree) = (entry.Volume, entry.Volume.Tree!);
        var options = string.Join(' ', entry.All("options"));
        passage.Found.Add(($"The menu takes the entry {entry.Id}; its kernel is there.", volume.Name(entry.Path)));
        if (entry.Value("linux") is null)
        {
            var path = Rooted((entry.Value("efi") ?? entry.Value("uki"))!);
            var started = EfiPrograms.Start(passage, volume, path, tree.Read(path)!, 1);
            return started.Handover is { } handover && options.Length > 0
                ? new(handover with { CommandLine = options, Where = entry.At("options") }, started.Breaks)
                : started;
        }
        passage.CommandLine = options;
        var breaks = new List<Break>();
        var kernelPath = Rooted(entry.Value("linux")!);
        var (kernel, broken) = passage.Kernel(tree.Read(kernelPath)!, volume.Name(kernelPath));
        if (broken is not null)
            breaks.Add(broken);
        Loaded? initial = null;
        var lost = false;
        foreach (var name in entry.All("initrd"))
            if (tree.Read(Rooted(name)) is { } initrd)
                initial = initial is null ? new(volume.Name(Rooted(name)), initrd) : initial.Then(initrd);
            else
            {
                lost = true;
                breaks.Add(
                    new(
                        CauseIds.InitrdMissing,
                        $"The initial file system {name} is not there.",
                        "Put it there, or correct the entry.",
                        entry.At("initrd"),
                        Nearest.Edit(volume, entry.At("initrd"), name)
                    )
                );
            }
        Loaded? deviceTree = null;
        if (entry.Value("devicetree") is { } treeName)
        {
            if (tree.Read(Rooted(treeName)) is not { } blob)
                breaks.Add(
                    new(
                        CauseIds.DtbMissing,
                        $"The device tree {treeName} is not there.",
                        "Put it there, or correct the entry.",
                        entry.At("devicetree")
                    )
                );
            else if (Links.OfTree(deviceTree = new(volume.Name(Rooted(treeName)), blob), passage.Board) is { } damaged)
            {
                breaks.Add(damaged);
                deviceTree = null;
            }
        }
        return new(
            new(
                entry.At("options"),
                options,
                kernel,
                volume.Name(kernelPath),
                lost ? null : initial,
                null,
                deviceTree,
                deviceTree is null && passage.Board.Architecture != InstructionSet.Amd64,
                lost
            ),
            breaks
        );
    }
}
