namespace Buttonhook.Core.Images;

/// <summary>An image profile: what one OS image is made for, how large it is, and how it behaves at its first boot. The file format is published in docs/formats.</summary>
/// <param name="Format">Always <see cref="ProfileFormat"/>.</param>
/// <param name="Supports">Models and revisions that the maker of the image names; empty when the card was made from the image itself.</param>
/// <param name="Kind">raw (written whole) or installer (files copied onto FAT32).</param>
/// <param name="LongTermUntil">Year until which it is kept up to date, or null when it is not long-term.</param>
/// <param name="ConsoleDevice">The serial console on its kernel command line, or null when there is none.</param>
/// <param name="OutputsOn">Video outputs enabled by default; empty also when it is not known.</param>
/// <param name="FirstBootSeconds">From power to login at the first boot, as its maker states: usual and longest; empty when nobody states it.</param>
/// <param name="BootMedia">What its maker says that it starts from; empty when nobody says.</param>
/// <param name="MinimumMemoryMiB">What its maker says that it needs, or null; so are the others that only a maker knows.</param>
/// <param name="RootPartUuid">The partition id that its command line asks for; empty when it asks for none.</param>
/// <param name="Chain">How it is loaded: distro, efi, bios, keyvalue; null when not known.</param>
/// <param name="RootBy">How its command line names the root: PARTUUID, UUID, LABEL, PARTLABEL, device; null when not known.</param>
/// <param name="Trees">Device-tree names (the most exact one of each tree) on the image; null when nobody looked inside.</param>
/// <param name="SystemDate">The day its system was put together (ISO), or null.</param>
/// <param name="Path">Where the file lies on this computer, or null.</param>
/// <param name="Sha256">The checksum of the file as downloaded, or null.</param>
public sealed record ImageProfile(
    string Format,
    string Id,
    string Name,
    string Version,
    string? Flavour,
    InstructionSet InstructionSet,
    string Kernel,
    IReadOnlyList<Supported> Supports,
    string Kind,
    long DownloadBytes,
    long ExpandedBytes,
    int SmallestCardGb,
    int RecommendedCardGb,
    int? MinimumMemoryMiB,
    int? ComfortableMemoryMiB,
    int? LongTermUntil,
    string? ConsoleDevice,
    int? ConsoleSpeed,
    IReadOnlyList<string> OutputsOn,
    bool? NeedsNetworkAtFirstBoot,
    bool? NeedsScreenAtFirstBoot,
    bool? GrowsAtFirstBoot,
    IReadOnlyList<string> BootMedia,
    IReadOnlyList<int> FirstBootSeconds,
    string RootPartUuid,
    string DefaultUser,
    bool? PasswordChangeForced,
    string? Chain,
    string? RootBy,
    IReadOnlyList<string>? Trees,
    string? SystemDate,
    string? Path,
    string? Sha256
)
{
    /// <summary>The name and version of the file format.</summary>
    public const string ProfileFormat = "buttonhook.image/1";

    /// <summary>What tells this image from others of the same name (file, sum, size or date); null where the name is enough.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public string? Apart { get; init; }

    /// <summary>Name and version as a person says them ("Fallow 12 server"), with what tells it from others of the same name.</summary>
    public string Title => Apart is null ? Called : $"{Called} ({Apart})";

    /// <summary>The images with what tells those apart that share a name and an instruction set: the file (or the boards that it is for), else date and size, and the first letters of the sum.</summary>
    /// <param name="nameOf">The name of a board model.</param>
    public static IReadOnlyList<ImageProfile> ToldApart(IReadOnlyList<ImageProfile> images, Func<string, string> nameOf)
    {
        var twins = images.GroupBy(i => (i.Called.ToLowerInvariant(), i.InstructionSet)).Where(g => g.Count() > 1).ToDictionary(g => g.Key);
        if (twins.Count == 0)
            return images;
        string Where(ImageProfile card) =>
            card.Path is { } path ? System.IO.Path.GetFileName(path)
            : card.Supports.Count > 0 ? "for " + string.Join(", ", card.Supports.Select(s => nameOf(s.Model)).Distinct())
            : "no file";
        return
        [
            .. images.Select(i =>
            {
                if (!twins.TryGetValue((i.Called.ToLowerInvariant(), i.InstructionSet), out var same))
                    return i with { Apart = null };
                var parts = new List<string?> { Where(i) };
                if (same.Count(s => Where(s) == Where(i)) > 1)
                    parts.AddRange([i.SystemDate, Sizes.Decimal(i.DownloadBytes)]);
                if (i.Path is not null)
                    parts.Add(i.Sha256?[..6]);
                if (same.Count(s => Where(s) == Where(i) && s.Sha256 == i.Sha256 && s.DownloadBytes == i.DownloadBytes) > 1)
                    parts.Add(i.Id);
                return i with { Apart = string.Join(", ", parts.OfType<string>()) };
            }),
        ];
    }

    private string Called =>
        $"{Name} {Version}{(Flavour is "server" or "desktop" or "minimal" && !Name.EndsWith(Flavour, StringComparison.Ordinal) ? " " + Flavour : "")}"
            .Replace("  ", " ", StringComparison.Ordinal)
            .Trim();
}

/// <summary>One model that an image is made for.</summary>
/// <param name="Revisions">Revisions it starts on.</param>
/// <param name="Otherwise">Why another revision does not start, as a clause after the revisions; null when other revisions are merely untried.</param>
/// <param name="Missing">What does not work there, or null.</param>
public sealed record Supported(string Model, IReadOnlyList<string> Revisions, string? Otherwise, string? Missing);
