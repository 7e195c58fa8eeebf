using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Simulating;

/// <summary>What a simulated board plays.</summary>
/// <param name="Image">The image on its card; null for an empty slot.</param>
/// <param name="FaultId">A fault of <see cref="SimulatedFaults"/>, or null.</param>
/// <param name="ListenSpeed">Bits per second at which the console listens.</param>
/// <param name="Seed">Makes times differ a little from boot to boot, the same for the same seed.</param>
/// <param name="FirstBoot">Whether the root grows at this boot.</param>
/// <param name="HostName">The host name that the card sets; null for the nickname.</param>
public sealed record SimulationPlan(
    Board Board,
    BoardModel Model,
    ImageCard? Image,
    string? FaultId,
    int ListenSpeed,
    int Seed,
    bool FirstBoot = false,
    string? HostName = null
)
{
    /// <summary>What the system calls itself.</summary>
    public string Host => HostName ?? Board.Nickname.ToLowerInvariant();
}
