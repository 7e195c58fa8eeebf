using Microsoft.AspNetCore.SignalR;

namespace Buttonhook.App.Consoles;

/// <summary>Tells pages which boots changed; they then ask for what they show.</summary>
public sealed class BenchHub : Hub
{
    /// <summary>The one message: board id and boot id.</summary>
    public const string BootChanged = "bootChanged";
}
