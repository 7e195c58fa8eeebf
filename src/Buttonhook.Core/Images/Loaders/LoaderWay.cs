using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>One way by which a loader takes a system from a partition; a new one is a new file and a line in <see cref="BoardLoaders"/>.</summary>
internal interface ILoaderWay
{
    /// <summary>Follows the way from a partition; null when nothing of it lies there.</summary>
    Taken? Follow(Passage passage, Volume from);
}

/// <summary>What a way sees of an image and its board, and what it notes as it goes.</summary>
internal sealed class Passage(
    ImageBytes image,
    PartitionTable table,
    IReadOnlyList<Volume> volumes,
    DryBoard board,
    Func<Stream, Stream?> unpack
)
{
    /// <summary>The partition as an MBR names it, for loaders that read nothing else: its type and its number there; null when no MBR names it.</summary>
    public Partition? InMbr(Volume volume) =>
        table.Kind == "mbr" ? volume.Partition : table.Hybrid?.FirstOrDefault(p => p.StartBytes == volume.Partition.StartBytes);

    /// <summary>The whole image.</summary>
    public ImageBytes Image => image;

    /// <summary>Its partitions.</summary>
    public IReadOnlyList<Volume> Volumes => volumes;

    /// <summary>The board.</summary>
    public DryBoard Board => board;

    /// <summary>Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</summary>
    public Func<Stream, Stream?> Unpack => unpack;

    /// <summary>Things worth telling that stop nothing.</summary>
    public List<(string Text, string? Where)> Notes { get; } = [];

    /// <summary>Links that were in order on the way, with the file that shows each.</summary>
    public List<(string Text, string? Where)> Found { get; } = [];

    /// <summary>The command line of the newest configuration that was followed, even when the chain breaks after it.</summary>
    public string? CommandLine { get; set; }

    /// <summary>Recognises a kernel, and tells why it does not start on this board.</summary>
    /// <param name="configuration">The configuration of a FIT image; null for its default.</param>
    public (KernelFile Kernel, Break? Break) Kernel(byte[] bytes, string where, string? configuration = null)
    {
        var kernel = KernelFile.Identify(bytes, unpack, configuration: configuration);
        return (kernel, Links.OfKernel(kernel, where, board));
    }
}

/// <summary>What came of a way: what is handed to the kernel as far as it is there, and the links that broke before.</summary>
internal readonly record struct Taken(Handover? Handover, IReadOnlyList<Break> Breaks)
{
    /// <summary>Whether a kernel is started.</summary>
    public bool Starts => Handover is not null && Breaks.Count == 0;

    public static implicit operator Taken(Handover handover) => new(handover, []);

    public static implicit operator Taken(Break broken) => new(null, [broken]);
}

/// <summary>What was loaded, from where.</summary>
internal sealed record Loaded(string Where, byte[] Bytes)
{
    /// <summary>Several initial file systems, put one behind the other, each at a multiple of four bytes.</summary>
    public Loaded Then(byte[] more) => this with { Bytes = [.. Bytes, .. new byte[-Bytes.Length & 3], .. more] };
}

/// <summary>What the loader hands to the kernel.</summary>
/// <param name="Where">The configuration line that decided.</param>
/// <param name="Kernel">The kernel; <see cref="KernelFile.Missing"/> where it is not there.</param>
/// <param name="InitialFilesMissing">Why the kernel starts without its initial file system, or null.</param>
/// <param name="OwnTree">The loader passes its own device tree, which names a console.</param>
/// <param name="InitialFilesLost">Whether a link broke at the initial file system, so that what lies in it is not known.</param>
internal sealed record Handover(
    string Where,
    string CommandLine,
    KernelFile Kernel,
    string KernelWhere,
    Loaded? InitialFiles,
    string? InitialFilesMissing,
    Loaded? Tree,
    bool OwnTree,
    bool InitialFilesLost = false
)
{
    /// <summary>The folder from which the loader picks the device tree by its own name for the board, as findings name it; or null.</summary>
    public string? TreeFolder { get; init; }
}

/// <summary>A link that broke before the kernel.</summary>
/// <param name="Cause">The cause's id; null when it cannot be told whether the link holds.</param>
/// <param name="Edit">The change of one line that mends it, where one does.</param>
internal sealed record Break(string? Cause, string Text, string Fix, string? Where, FileEdit? Edit = null);

/// <summary>Checks that every way makes of what it loads.</summary>
internal static class Links
{
    /// <summary>Why this kernel does not start on this board, or null.</summary>
    public static Break? OfKernel(KernelFile kernel, string where, DryBoard board)
    {
        if (kernel.Architecture is { } set && set != board.Architecture)
            return new(
                CauseIds.KernelWrongArchitecture,
                $"The kernel is for {set.Words()}, the board is {board.Architecture.Words()}.",
                "Use the image made for this instruction set.",
                where
            );
        return kernel.Fault is { } fault
            ? new(CauseIds.KernelCorrupt, $"The kernel cannot start: {fault}.", "Copy the kernel again.", where)
            : null;
    }

    /// <summary>Why this device tree cannot be used on this board, or null.</summary>
    public static Break? OfTree(Loaded tree, DryBoard board)
    {
        try
        {
            var read = DeviceTree.Read(tree.Bytes);
            if (read.OnlySet is { } set && set != board.Architecture)
                return new(
                    CauseIds.DtbWrongBoard,
                    $"The device tree is for a {set.Words()} processor, the board is {board.Architecture.Words()}.",
                    "Name the device tree of this board.",
                    tree.Where
                );
            return board.Compatible.Count > 0 && read.Compatible.Count > 0 && !read.Compatible.Intersect(board.Compatible).Any()
                ? new(
                    CauseIds.DtbWrongBoard,
                    $"The device tree is for {read.Model ?? read.Compatible[0]}, this board is {board.Compatible[0]}.",
                    "Name the device tree of this board.",
                    tree.Where
                )
                : null;
        }
        catch (UnreadableException e)
        {
            return new(CauseIds.DtbInvalid, $"The device tree cannot be used: {e.Message}.", "Copy the device tree again.", tree.Where);
        }
    }

    /// <summary>A file name with what cannot be seen at its end.</summary>
    public static string Shown(string name) => name.EndsWith('\r') ? $"{name.TrimEnd('\r')} with a carriage return at its end" : name;
}
