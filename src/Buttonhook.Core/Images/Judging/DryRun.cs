using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging;

/// <summary>One link of the chain from the medium to the login; it looks at what the links before it found, and tells what it sees.</summary>
internal interface ILink
{
    /// <summary>What it is called, in a few words.</summary>
    string Name { get; }

    /// <summary>Looks. A link whose ground is missing says nothing.</summary>
    void Check(DryRun run);
}

/// <summary>A boot as it is played: what is known so far, and what was told.</summary>
internal sealed class DryRun(
    ImageBytes image,
    PartitionTable table,
    IReadOnlyList<Volume> volumes,
    DryBoard board,
    Func<Stream, Stream?> unpack
)
{
    /// <summary>The whole image.</summary>
    public ImageBytes Image => image;

    /// <summary>Its partition table.</summary>
    public PartitionTable Table => table;

    /// <summary>Its partitions, and the volumes inside of them.</summary>
    public IReadOnlyList<Volume> Volumes => volumes;

    /// <summary>The board.</summary>
    public DryBoard Board => board;

    /// <summary>Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</summary>
    public Func<Stream, Stream?> Unpack => unpack;

    /// <summary>The link that is looking.</summary>
    public ILink Link { get; set; } = null!;

    /// <summary>What was told, in order.</summary>
    public List<DryStep> Steps { get; } = [];

    /// <summary>Whether a link broke that stops the boot; what lies behind it is looked at all the same, as far as it can be.</summary>
    public bool Stopped { get; private set; }

    /// <summary>Whether something that decides cannot be told.</summary>
    public bool Unsure { get; private set; }

    /// <summary>Whether nothing that follows can be looked at.</summary>
    public bool Ended { get; private set; }

    /// <summary>What the loader hands over, as far as it is there.</summary>
    public Handover? Handover { get; set; }

    /// <summary>Whether the loader starts a kernel.</summary>
    public bool Starts { get; set; }

    /// <summary>The kernel command line as far as the chain was followed, or null.</summary>
    public string? CommandLine { get; set; }

    /// <summary>The words of it.</summary>
    public KernelCommandLine Arguments { get; set; } = new("");

    /// <summary>The initial file system, when one is loaded and can be read.</summary>
    public InitialFiles? Initial { get; set; }

    /// <summary>Whether a link broke at the initial file system, so that what lies in it is not known.</summary>
    public bool InitialLost { get; set; }

    /// <summary>Hosts for cards on the board as its device tree tells: with several, the card need not be the first.</summary>
    public int CardHosts { get; set; } = 1;

    /// <summary>The volume that is the root, or that is meant where the command line names it wrongly.</summary>
    public Volume? Root { get; set; }

    /// <summary>The root as it is mounted.</summary>
    public FileTree? Tree { get; set; }

    /// <summary>Tells that something is in order.</summary>
    public void Pass(Stage stage, string text, string? file) => Steps.Add(new(Link.Name, stage, LinkResult.Passed, text, file));

    /// <summary>Tells that something cannot be told.</summary>
    /// <param name="decides">Whether the verdict hangs on it.</param>
    public void CannotTell(Stage stage, string text, string? file, bool decides = true)
    {
        Steps.Add(new(Link.Name, stage, LinkResult.CannotTell, text, file));
        Unsure |= decides;
    }

    /// <summary>Tells of a broken link that does not stop the boot.</summary>
    public void Warn(Stage stage, string cause, string text, string fix, string? file, FileEdit? edit = null) =>
        Steps.Add(new(Link.Name, stage, LinkResult.Failed, text, file, cause, fix, edit));

    /// <summary>Tells of a broken link that stops the boot.</summary>
    public void Fail(Stage stage, string cause, string text, string fix, string? file, FileEdit? edit = null)
    {
        Warn(stage, cause, text, fix, file, edit);
        Stopped = true;
    }

    /// <summary>Nothing that follows can be looked at.</summary>
    public void End() => Ended = true;

    /// <summary>Programs of the board's own set, and 32-bit ARM ones on 64-bit ARM, where kernels carry the compatible mode.</summary>
    public bool RunsOn(InstructionSet set) =>
        set == board.Architecture || (board.Architecture == InstructionSet.Arm64 && set == InstructionSet.Armhf);

    /// <summary>The device that a root or mount-table entry names on this board's medium.</summary>
    public RootDevice Device(string name) => RootDevice.Of(name, volumes, board, CardHosts);

    /// <summary>A name for the root that this image has, such as a repair would put.</summary>
    public string SuggestedRoot =>
        (volumes.FirstOrDefault(v => v.Tree?.HoldsSystem == true && v.Mapped is null) ?? volumes.LastOrDefault()) is { } likely
            ? $"PARTUUID={likely.Partition.PartUuid}"
            : "PARTUUID=";

    /// <summary>Text with what cannot be seen in it shown.</summary>
    public static string Shown(string text) => text.Replace("\r", "<CR>", StringComparison.Ordinal);

    /// <summary>The verdict as far as it stands.</summary>
    public DryVerdict Verdict =>
        Stopped ? DryVerdict.DoesNotBoot
        : Unsure || board.ConsoleDevice is null || board.MemoryMiB is null ? DryVerdict.CannotTell
        : DryVerdict.Boots;
}
