using System.Text;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging;

/// <summary>A partition as the inspection tells it.</summary>
public sealed record InspectedPartition(
    int Number,
    long StartBytes,
    long LengthBytes,
    string? FileSystem,
    string? Label,
    string? Uuid,
    string PartUuid
);

/// <summary>The kernel that is started.</summary>
public sealed record InspectedKernel(string Path, InstructionSet? Architecture, string? Version);

/// <summary>A device tree on the image.</summary>
public sealed record InspectedTree(string Path, string? Model, IReadOnlyList<string> Compatible);

/// <summary>The system on the image, from its os-release.</summary>
public sealed record InspectedSystem(string? Name, string? Version, string? Id);

/// <summary>Everything read from an image without starting it. The shape is published in docs/formats.</summary>
/// <param name="Nature">What the file is when it is no image of a disk; null for an image.</param>
public sealed record Inspection(
    string Format,
    string Compression,
    long SizeBytes,
    long ExpandedBytes,
    string Sha256,
    string PartitionTable,
    IReadOnlyList<InspectedPartition> Partitions,
    InstructionSet? Architecture,
    InspectedKernel? Kernel,
    IReadOnlyList<InspectedTree> DeviceTrees,
    InspectedSystem? Os,
    string? CommandLine,
    IReadOnlyList<string> Consoles,
    long SmallestCardBytes,
    int RecommendedCardGb,
    IReadOnlyList<FoundLoader> FirstLoaders,
    string? Chain,
    FirstBootFacts? FirstBoot,
    IReadOnlyList<string> Notes,
    DryBoot? DryBoot,
    FileNature? Nature = null
)
{
    private static readonly string[] KernelNames = ["Image", "zImage", "vmlinuz", "kernel", "bzImage", "uImage", "linux"];
    private static readonly string[] Releases = ["/etc/os-release", "/usr/lib/os-release"];

    /// <summary>Reads an image; a board adds the dry boot. Never throws on a damaged image: what cannot be read is told in notes and steps.</summary>
    /// <param name="signs">First loaders to look for outside the file systems.</param>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</param>
    public static Inspection Of(
        ImageBytes image,
        string compression,
        long sizeBytes,
        string sha256,
        DryBoard? board,
        IReadOnlyList<FirstLoaderSign> signs,
        Func<Stream, Stream?> unpack
    )
    {
        var table = Formats.PartitionTable.Read(image);
        var volumes = Volume.All(image, table, unpack);
        var notes = table.Notes.ToList();
        notes.AddRange(
            volumes.Where(v => v.Because is not null).Select(v => $"Partition {v.Partition.Number} cannot be read: {v.Because}.")
        );
        Handover? handover = null;
        DryBoot? dry = null;
        string? command = null;
        string? chain = null;
        if (board is not null)
        {
            (var booter, dry) = DryBooter.Play(image, table, volumes, board, unpack);
            handover = booter.Starts ? booter.Handover : null;
            command = booter.CommandLine;
            chain = handover is null ? null : booter.Board.Loader;
        }
        else
        {
            foreach (var guess in Guesses(volumes))
            {
                var (booter, tried) = DryBooter.Play(image, table, volumes, guess, unpack);
                if (!booter.Starts)
                    continue;
                handover = booter.Handover;
                command = booter.CommandLine;
                chain = guess.Loader;
                notes.AddRange(tried.Broken.Where(s => !OfTheBoard.Contains(s.Cause)).Select(s => s.Text));
                break;
            }
        }
        var system = System(volumes, notes);
        var kernel = handover is null
            ? FindKernel(volumes, unpack)
            : new InspectedKernel(handover.KernelWhere, handover.Kernel.Architecture, handover.Kernel.Version);
        var root = volumes.Select(v => v.Tree).FirstOrDefault(t => t is not null && HasAccounts(t));
        var smallest = Math.Max(image.Length, table.Partitions.Select(p => p.EndBytes).DefaultIfEmpty(0).Max());
        var arguments = command is null ? null : new KernelCommandLine(command);
        return new(
            "buttonhook.inspection/1",
            compression,
            sizeBytes,
            image.Length,
            sha256,
            table.Kind,
            [
                .. volumes.Select(v => new InspectedPartition(
                    v.Partition.Number,
                    v.Partition.StartBytes,
                    v.Partition.LengthBytes,
                    v.Tree?.Kind ?? v.Kind,
                    v.Tree?.Label,
                    v.Tree?.Uuid,
                    v.Partition.PartUuid
                )),
            ],
            kernel?.Architecture ?? SystemSet(volumes),
            kernel,
            Trees(volumes, notes),
            system,
            command?.TrimEnd('\r'),
            arguments is null ? [] : [.. arguments.All("console").Select(c => c.TrimEnd('\r'))],
            smallest,
            SoldSizes.RecommendedGb(smallest),
            Loaders.FirstLoaders.Find(image, signs),
            chain,
            root is null ? null : FirstBootFacts.Of(root, command),
            notes,
            dry,
            FileNature.Of(image, table)
        );
    }

    /// <summary>Of a file that is told by its name alone to be no image: nothing in it is read.</summary>
    public static Inspection Of(FileNature nature, long sizeBytes, DryBoard? board) =>
        new(
            "buttonhook.inspection/1",
            "none",
            sizeBytes,
            sizeBytes,
            "",
            "none",
            [],
            null,
            null,
            [],
            null,
            null,
            [],
            sizeBytes,
            SoldSizes.RecommendedGb(sizeBytes),
            [],
            null,
            null,
            [],
            board is null
                ? null
                : new(
                    DryVerdict.DoesNotBoot,
                    [
                        new(
                            "kind of image",
                            Stage.FirstLoader,
                            LinkResult.Failed,
                            $"{nature.Says} {nature.Why}",
                            null,
                            CauseIds.ImageTruncated,
                            nature.Instead
                        ),
                    ]
                ),
            nature
        );

    /// <summary>Causes that only a board's own console can have; without a board there is nothing to tell of them.</summary>
    private static readonly string?[] OfTheBoard = [CauseIds.ConsoleArgMissing, CauseIds.ConsoleSpeedMismatch, CauseIds.GettyMissing];

    private static bool HasAccounts(FileTree tree)
    {
        try
        {
            return tree.Find("/etc/passwd") is not null;
        }
        catch (UnreadableException)
        {
            return false;
        }
    }

    /// <summary>Boards to try when none is named: the instruction set of the system on it, with each way of loading.</summary>
    private static IEnumerable<DryBoard> Guesses(IReadOnlyList<Volume> volumes)
    {
        InstructionSet[] sets = SystemSet(volumes) is { } known ? [known] : Enum.GetValues<InstructionSet>();
        foreach (var set in sets)
        foreach (var loader in set == InstructionSet.Amd64 ? (string[])["efi", "bios"] : ["distro", "keyvalue", "efi"])
            yield return new(set, loader, "sd", "ttyS0", 115200, 1 << 20, [], "");
    }

    private static InstructionSet? SystemSet(IReadOnlyList<Volume> volumes)
    {
        foreach (var tree in volumes.Select(v => v.Tree).OfType<FileTree>().Where(t => t.Kind != "vfat"))
            try
            {
                foreach (var path in (string[])["/bin/sh", "/sbin/init", "/usr/bin/env"])
                    if (Programs.Look(path, p => tree.Read(p, 4096)).Architecture is { } set)
                        return set;
            }
            catch (UnreadableException)
            {
                // A damaged tree tells nothing.
            }
        return null;
    }

    /// <summary>A kernel by its usual names, when the chain of the loader does not lead to one.</summary>
    private static InspectedKernel? FindKernel(IReadOnlyList<Volume> volumes, Func<Stream, Stream?> unpack)
    {
        foreach (var volume in volumes.Where(v => v.Tree is not null))
        foreach (var folder in (string[])["/", "/boot/"])
            try
            {
                foreach (
                    var name in volume
                        .Tree!.List(folder)
                        .Where(n => KernelNames.Any(k => n.StartsWith(k, StringComparison.OrdinalIgnoreCase)))
                        .Order(StringComparer.Ordinal)
                )
                    if (
                        volume.Tree.Read(folder + name) is { Length: > 4096 } bytes
                        && KernelFile.Identify(bytes, unpack) is { Kind: not null } kernel
                    )
                        return new(volume.Name(folder + name), kernel.Architecture, kernel.Version);
            }
            catch (UnreadableException)
            {
                // A damaged tree tells nothing.
            }
        return null;
    }

    private static InspectedSystem? System(IReadOnlyList<Volume> volumes, List<string> notes)
    {
        foreach (var volume in volumes)
        foreach (var path in Releases)
            try
            {
                if (volume.Tree?.Read(path, 1 << 16) is not { } bytes)
                    continue;
                var values = Encoding
                    .UTF8.GetString(bytes)
                    .Split('\n')
                    .Select(l => l.Split('=', 2))
                    .Where(p => p.Length == 2)
                    .GroupBy(p => p[0])
                    .ToDictionary(g => g.Key, g => g.First()[1].Trim().Trim('"'));
                return new(
                    values.GetValueOrDefault("PRETTY_NAME") ?? values.GetValueOrDefault("NAME"),
                    values.GetValueOrDefault("VERSION_ID"),
                    values.GetValueOrDefault("ID")
                );
            }
            catch (UnreadableException e)
            {
                notes.Add($"{volume.Name(path)} cannot be read: {e.Message}.");
            }
        return null;
    }

    private static List<InspectedTree> Trees(IReadOnlyList<Volume> volumes, List<string> notes)
    {
        var found = new List<InspectedTree>();
        foreach (var (where, blob) in ImageTrees.Of(volumes, notes))
            try
            {
                var tree = DeviceTree.Read(blob);
                found.Add(new(where, tree.Model, tree.Compatible));
            }
            catch (UnreadableException e)
            {
                notes.Add($"The device tree {where} cannot be used: {e.Message}.");
            }
        return found;
    }
}
