using Buttonhook.Hardware;
using Microsoft.AspNetCore.SignalR;

namespace Buttonhook.App.Consoles;

/// <summary>Looks twice a second which serial ports are there, and tells pages when one came or went.</summary>
public sealed class PortWatch(BenchOptions options, IHubContext<BenchHub> hub, TimeProvider clock) : BackgroundService
{
    private static readonly TimeSpan LookEvery = TimeSpan.FromMilliseconds(400);

    /// <summary>How long a port that appeared is the one that appeared just now.</summary>
    private static readonly TimeSpan JustNow = TimeSpan.FromMinutes(2);
    private readonly Lock gate = new();
    private Dictionary<string, DateTimeOffset?> seen = [];

    /// <summary>The ports of this computer, with the time at which each appeared; null for those that were there from the start.</summary>
    public IReadOnlyList<(SerialPort Port, DateTimeOffset? Appeared)> Ports()
    {
        lock (gate)
            return
            [
                .. SerialPorts
                    .Known(options.Devices)
                    .Select(p =>
                        (p, seen.GetValueOrDefault(p.Path) is { } at && clock.GetUtcNow() - at < JustNow ? at : (DateTimeOffset?)null)
                    ),
            ];
    }

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        lock (gate)
            seen = SerialPorts.Listed(options.Devices).ToDictionary(p => p, _ => (DateTimeOffset?)null);
        using var timer = new PeriodicTimer(LookEvery);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
                if (Look())
                    await hub.Clients.All.SendAsync(BenchHub.PortsChanged, stoppingToken);
        }
        catch (OperationCanceledException)
        {
            // The application stops.
        }
    }

    private bool Look()
    {
        lock (gate)
        {
            var present = SerialPorts.Listed(options.Devices);
            if (present.Count == seen.Count && present.All(seen.ContainsKey))
                return false;
            var now = clock.GetUtcNow();
            seen = present.ToDictionary(p => p, p => seen.TryGetValue(p, out var at) ? at : now);
            return true;
        }
    }
}
