namespace Buttonhook.Core.Consoles;

/// <summary>What the times of a capture count from; a later one tells more.</summary>
public enum TimeOrigin
{
    /// <summary>The first byte that arrived: how long the board had power before is not known.</summary>
    FirstByte,

    /// <summary>The first line of the first loader, which comes within about a second of power.</summary>
    FirstLoader,

    /// <summary>Power, as a person marked it or a simulated board has it.</summary>
    Power,
}
