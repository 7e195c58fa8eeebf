namespace Buttonhook.Core.Consoles;

/// <summary>The eight stages of a boot, in order; names as in the published list of causes.</summary>
public enum Stage
{
    /// <summary>Power is on.</summary>
    Power,

    /// <summary>Boot ROM, first-stage loader or trusted firmware.</summary>
    FirstLoader,

    /// <summary>The loader with a prompt or a menu.</summary>
    SecondLoader,

    /// <summary>The kernel.</summary>
    Kernel,

    /// <summary>Early user space until the root file system is mounted.</summary>
    Root,

    /// <summary>Services.</summary>
    Services,

    /// <summary>A login prompt.</summary>
    Login,

    /// <summary>An address.</summary>
    Network,
}

/// <summary>How one boot attempt ended.</summary>
public enum Outcome
{
    /// <summary>A login prompt, nothing failed.</summary>
    ReachedLogin,

    /// <summary>A login prompt, but something failed.</summary>
    Degraded,

    /// <summary>Output ended, a prompt, a panic or a rescue shell.</summary>
    Stopped,

    /// <summary>The same stage again and again.</summary>
    Rebooting,

    /// <summary>Nothing, or nothing more while the board still works.</summary>
    Silent,

    /// <summary>Bytes arrive, but not as text.</summary>
    Garbled,

    /// <summary>The capture ended while the board was on its way: nobody is accused, and it counts for nothing.</summary>
    Cut,
}
