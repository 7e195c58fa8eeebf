using System.Text.Json.Serialization;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging;

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
/// <param name="Link">The name of the link, in a few words.</param>
/// <param name="Cause">The cause's id when the link is broken, or null.</param>
/// <param name="Fix">What mends a broken link, in a sentence.</param>
/// <param name="Edit">The change of one line that mends it, where one does.</param>
public sealed record DryStep(
    string Link,
    Stage Stage,
    LinkResult Result,
    string Text,
    string? File,
    string? Cause = null,
    string? Fix = null,
    FileEdit? Edit = null
);

/// <summary>The dry boot of an image on a board.</summary>
public sealed record DryBoot(DryVerdict Verdict, IReadOnlyList<DryStep> Steps)
{
    /// <summary>The ids of the causes that broke a link, each once, in the order of the chain.</summary>
    public IReadOnlyList<string> Causes => [.. Broken.Select(s => s.Cause!).Distinct()];

    /// <summary>The broken links.</summary>
    [JsonIgnore]
    public IReadOnlyList<DryStep> Broken => [.. Steps.Where(s => s.Cause is not null)];

    /// <summary>The dry boot of a file that cannot be read to its end: written to a card it would be cut off.</summary>
    public static DryBoot Of(Problem problem) =>
        new(
            DryVerdict.DoesNotBoot,
            [
                new(
                    "image file",
                    Stage.FirstLoader,
                    LinkResult.Failed,
                    $"{problem.Expected} {problem.Came}",
                    null,
                    CauseIds.ImageTruncated,
                    problem.ToDo
                ),
            ]
        );

    /// <summary>Plays the boot of an image or a card on a board, and looks at nothing else of it.</summary>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</param>
    /// <param name="drive">A drive that the board has too, or null.</param>
    public static DryBoot Play(ImageBytes image, DryBoard board, Func<Stream, Stream?> unpack, DryDrive? drive = null)
    {
        var table = PartitionTable.Read(image);
        IEnumerable<Volume> beside = drive is null
            ? []
            : Volume.All(drive.Bytes, PartitionTable.Read(drive.Bytes), unpack).Select(v => v with { Drive = drive.Kind });
        return DryBooter.Play(image, table, [.. Volume.All(image, table, unpack), .. beside], board, unpack).Dry;
    }
}
