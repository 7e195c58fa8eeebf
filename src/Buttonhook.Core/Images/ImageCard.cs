using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Images;

/// <summary>An image card: what one OS image is made for, how large it is, and how it behaves at its first boot.</summary>
/// <param name="Supports">Models and revisions that the maker of the image names.</param>
/// <param name="LongTermUntil">Year until which it is kept up to date, or null when it is not long-term.</param>
/// <param name="ConsoleDevice">The serial console on its kernel command line, or null when there is none.</param>
/// <param name="OutputsOn">Video outputs enabled by default.</param>
/// <param name="FirstBootSeconds">From power to login at the first boot, as its maker states: usual and longest.</param>
/// <param name="RootPartUuid">The partition id that its command line asks for.</param>
public sealed record ImageCard(
    string Id,
    string Name,
    string Version,
    string Flavour,
    InstructionSet InstructionSet,
    string Kernel,
    IReadOnlyList<Supported> Supports,
    long DownloadBytes,
    long ExpandedBytes,
    int SmallestCardGb,
    int RecommendedCardGb,
    int MinimumMemoryMiB,
    int ComfortableMemoryMiB,
    int? LongTermUntil,
    string? ConsoleDevice,
    int ConsoleSpeed,
    IReadOnlyList<string> OutputsOn,
    bool NeedsNetworkAtFirstBoot,
    bool NeedsScreenAtFirstBoot,
    bool GrowsAtFirstBoot,
    IReadOnlyList<string> BootMedia,
    IReadOnlyList<int> FirstBootSeconds,
    string RootPartUuid,
    string DefaultUser,
    bool PasswordChangeForced
)
{
    /// <summary>Name and version as a person says them ("Fallow 12 server").</summary>
    public string Title => $"{Name} {Version}{(Flavour == "server" || Flavour == "desktop" || Flavour == "minimal" ? " " + Flavour : "")}";
}

/// <summary>One model that an image is made for.</summary>
/// <param name="Revisions">Revisions it starts on.</param>
/// <param name="Otherwise">Why another revision does not start, as a clause after the revisions; null when other revisions are merely untried.</param>
/// <param name="Missing">What does not work there, or null.</param>
public sealed record Supported(string Model, IReadOnlyList<string> Revisions, string? Otherwise, string? Missing);
