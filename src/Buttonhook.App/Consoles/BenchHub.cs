using Microsoft.AspNetCore.SignalR;

namespace Buttonhook.App.Consoles;

/// <summary>Tells pages which boots changed; they then ask for what they show. A page that reads a serial port of its own computer is called through it.</summary>
public sealed class BenchHub : Hub
{
    /// <summary>Board id and boot id: that boot has something new.</summary>
    public const string BootChanged = "bootChanged";

    /// <summary>A serial port came or went.</summary>
    public const string PortsChanged = "portsChanged";

    /// <summary>The group of the page that reads the port of a boot.</summary>
    public static string PortOf(string bootId) => $"port-{bootId}";

    /// <summary>The page that calls it reads the port of this boot.</summary>
    public Task ReadPort(string bootId) => Groups.AddToGroupAsync(Context.ConnectionId, PortOf(bootId));
}
