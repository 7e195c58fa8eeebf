using System.Text.RegularExpressions;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>A unified kernel image: an EFI program with kernel, initial file system, command line and device tree in its sections (UAPI specification "Unified Kernel Image").</summary>
internal static partial class UnifiedKernel
{
    private const int FirstWithAddons = 254;
    private const int FirstWithProfiles = 257;

    /// <summary>Takes what its sections hold, and what addons beside it add to the command line.</summary>
    public static Taken Take(Passage passage, Volume from, string path, EfiProgram program)
    {
        var where = from.Name(path);
        if (!(Version(program) < FirstWithProfiles))
            program = program.FirstProfile();
        if (program.Section(".linux") is not { } linux)
            return new Break(
                CauseIds.BootFilesMissing,
                "The unified kernel has no kernel in it: its section .linux is missing.",
                "Make it again.",
                where
            );
        passage.Found.Add(($"The unified kernel is taken{(program.Text(".osrel") is { } system ? $": {NameIn(system)}" : "")}.", where));
        var (kernel, broken) = passage.Kernel(linux, where);
        if (program.Text(".uname") is { Length: > 0 } version)
            kernel = kernel with { Version = kernel.Version ?? version };
        var breaks = new List<Break>();
        if (broken is not null)
            breaks.Add(broken);
        // Early microcode comes before the rest.
        Loaded? initial = null;
        foreach (var section in (string[])[".ucode", ".initrd"])
            if (program.Section(section) is { Length: > 0 } bytes)
                initial = initial is null ? new($"{where} {section}", bytes) : initial.Then(bytes);
        var tree = program.Section(".dtb") is { Length: > 0 } blob ? new Loaded($"{where} .dtb", blob) : null;
        if (tree is not null && Links.OfTree(tree, passage.Board) is { } damaged)
        {
            breaks.Add(damaged);
            tree = null;
        }
        var line = string.Join(
                ' ',
                new[] { program.Text(".cmdline") ?? "" }.Concat(Addons(passage, from, path, program)).Where(p => p.Length > 0)
            )
            .Replace('\n', ' ');
        passage.CommandLine = line;
        return new(
            new(
                $"{where} .cmdline",
                line,
                kernel,
                where,
                initial,
                null,
                tree,
                tree is null && passage.Board.Architecture != InstructionSet.Amd64
            ),
            breaks
        );
    }

    private static string NameIn(string release) =>
        release.Split('\n').FirstOrDefault(l => l.StartsWith("PRETTY_NAME=", StringComparison.Ordinal))?["PRETTY_NAME=".Length..].Trim('"')
        ?? "a system without a name";

    /// <summary>Command lines of addons: EFI programs in FILE.extra.d and /loader/addons, in the order of their names.</summary>
    private static IEnumerable<string> Addons(Passage passage, Volume from, string path, EfiProgram program)
    {
        var old = Version(program) < FirstWithAddons;
        foreach (var folder in (string[])["/loader/addons", path + ".extra.d"])
        {
            if (from.Tree!.Find(folder) is not { IsFolder: true })
                continue;
            foreach (
                var name in from
                    .Tree.List(folder)
                    .Where(n => n.EndsWith(".addon.efi", StringComparison.OrdinalIgnoreCase))
                    .Order(StringComparer.OrdinalIgnoreCase)
            )
                if (
                    from.Tree.Read($"{folder}/{name}") is { } bytes
                    && EfiProgram.Read(bytes) is { } addon
                    && addon.Architecture == passage.Board.Architecture
                    && addon.Text(".cmdline") is { } more
                )
                    if (old)
                        passage.Notes.Add(
                            (
                                $"The addon {name} is not taken: the stub of this unified kernel is older than addons.",
                                from.Name($"{folder}/{name}")
                            )
                        );
                    else
                        yield return more;
        }
    }

    /// <summary>The version that the stub tells in a section of its own; null when it tells none.</summary>
    private static int? Version(EfiProgram program) =>
        program.Text(".sdmagic") is { } told && Stub().Match(told) is { Success: true } stub
            ? int.Parse(stub.Groups[1].ValueSpan, System.Globalization.CultureInfo.InvariantCulture)
            : null;

    [GeneratedRegex(@"-stub (\d{1,6})")]
    private static partial Regex Stub();
}
