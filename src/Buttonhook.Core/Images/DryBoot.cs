using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Images;

/// <summary>The minimal board card that a dry boot needs.</summary>
/// <param name="Loader">distro (extlinux.conf or a boot script), efi, bios, or keyvalue (key=value configuration with a one-line command line).</param>
/// <param name="BootMedium">sd, usb or virtio: decides what the disk is called.</param>
/// <param name="Compatible">Device-tree names of the board; empty when not known.</param>
/// <param name="Firmware">Free text.</param>
public sealed record DryBoard(
    InstructionSet Architecture,
    string Loader,
    string BootMedium,
    string ConsoleDevice,
    int ConsoleSpeed,
    int MemoryMiB,
    IReadOnlyList<string> Compatible,
    string Firmware
);

/// <summary>How one link of the chain came out.</summary>
public enum LinkResult
{
    /// <summary>In order.</summary>
    Passed,

    /// <summary>Broken.</summary>
    Failed,

    /// <summary>Cannot be told from the image.</summary>
    CannotTell,
}

/// <summary>Whether the image boots on the board.</summary>
public enum DryVerdict
{
    /// <summary>It boots, perhaps with something missing.</summary>
    Boots,

    /// <summary>It does not.</summary>
    DoesNotBoot,

    /// <summary>It cannot be told.</summary>
    CannotTell,
}

/// <summary>One link: the stage, the result, a sentence, and the file (and line) that decided, as p1:/path:line.</summary>
public sealed record DryStep(Stage Stage, LinkResult Result, string Text, string? File);

/// <summary>One cause with what mends it.</summary>
public sealed record DryCause(string Id, string Text, string Fix, string? File);

/// <summary>The dry boot of an image on a board.</summary>
public sealed record DryBoot(DryVerdict Verdict, IReadOnlyList<DryStep> Steps, IReadOnlyList<DryCause> Causes);

/// <summary>A partition with its file system, if it can be read.</summary>
/// <param name="Kind">The file system's kind when it is recognised.</param>
/// <param name="Because">Why it cannot be read, or null.</param>
public sealed record Volume(Partition Partition, FileTree? Tree, string? Kind, string? Because)
{
    /// <summary>A path on it as findings name it.</summary>
    public string Name(string path) => $"p{Partition.Number}:{path}";
}

/// <summary>What was loaded, from where.</summary>
internal sealed record Loaded(string Where, byte[] Bytes);

/// <summary>What the loader hands to the kernel.</summary>
/// <param name="Where">The configuration line that decided.</param>
/// <param name="OwnTree">The loader passes its own device tree, which names a console.</param>
internal sealed record Handover(
    string Where,
    string CommandLine,
    KernelFile Kernel,
    string KernelWhere,
    Loaded? InitialFiles,
    string? InitialFilesMissing,
    Loaded? Tree,
    bool OwnTree
);

/// <summary>A link that broke before the kernel.</summary>
internal sealed record Break(string Cause, string Text, string Fix, string? Where);
