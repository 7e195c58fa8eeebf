using Buttonhook.Core.Boards;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Identifying;

/// <summary>An answer to "which of these do you see?": the look it belongs to, and the answer as the look gave it; "none" for none of them.</summary>
public sealed record Seen(string Look, string Answer);

/// <summary>What is known of an unknown board; null where nothing is.</summary>
/// <param name="Mark">What is printed on it.</param>
/// <param name="Code">A revision code in hexadecimal.</param>
/// <param name="Text">A console log, or text pasted from a running system (dmesg, /proc/device-tree/model, compatible names, /proc/cpuinfo, /proc/meminfo).</param>
/// <param name="Tree">A device tree blob.</param>
/// <param name="Seen">Answers to looks.</param>
public sealed record BoardClues(string? Mark, string? Code, string? Text, byte[]? Tree, IReadOnlyList<Seen> Seen)
{
    /// <summary>Whether there is anything to go by.</summary>
    public bool IsEmpty =>
        string.IsNullOrWhiteSpace(Mark)
        && string.IsNullOrWhiteSpace(Code)
        && string.IsNullOrWhiteSpace(Text)
        && Tree is null
        && Seen.Count == 0;

    /// <summary>Reads the device tree; null when none was given or it is good, else why it cannot be read.</summary>
    public Problem? ReadTree(out DeviceTree? tree)
    {
        tree = null;
        if (Tree is null)
            return null;
        try
        {
            tree = DeviceTree.Read(Tree);
            return null;
        }
        catch (UnreadableException e)
        {
            return new(
                "The device tree should be readable.",
                $"It is not: {e.Message}.",
                "Copy it again, for instance from /sys/firmware/fdt."
            );
        }
    }
}

/// <summary>One thing that a source says about a candidate.</summary>
/// <param name="Source">mark, code, log, device tree or eyes.</param>
/// <param name="For">Whether it speaks for the candidate.</param>
public sealed record BoardReason(string Source, string Text, bool For);

/// <summary>A board that it could be, with its probability (all of them and the unknown one add up to 1).</summary>
public sealed record BoardCandidate(
    string ModelId,
    string Name,
    string RevisionId,
    int? MemoryMiB,
    double Probability,
    IReadOnlyList<BoardReason> Reasons
);

/// <summary>One answer to a look, and the boards that it would point to.</summary>
public sealed record LookAnswer(string Answer, IReadOnlyList<string> Boards);

/// <summary>The look that tells most: where to look, what the answers would mean, and how much is expected to be learnt, in bits.</summary>
public sealed record NextLook(string Id, string Where, IReadOnlyList<LookAnswer> Answers, double Bits);

/// <summary>The candidates, most probable first; the chance that it is a board without a card; sources that contradict each other; the code as it was read, or null; the next look, or null when nothing would tell more.</summary>
public sealed record Identified(
    IReadOnlyList<BoardCandidate> Candidates,
    double Unknown,
    IReadOnlyList<string> Contradictions,
    CodeReading? Code,
    NextLook? Next
);
