namespace Buttonhook.Core.Simulating;

/// <summary>What happens after the output of a step.</summary>
internal enum Then
{
    /// <summary>The next step.</summary>
    Continue,

    /// <summary>A key may stop the loader here.</summary>
    Countdown,

    /// <summary>The loader's menu waits for a choice, and goes on without one.</summary>
    Menu,

    /// <summary>The loader's prompt.</summary>
    LoaderPrompt,

    /// <summary>A rescue shell of the initial file system.</summary>
    RescueShell,

    /// <summary>Emergency mode.</summary>
    Emergency,

    /// <summary>The login prompt.</summary>
    Login,

    /// <summary>Starts again from power.</summary>
    Restart,

    /// <summary>Nothing more.</summary>
    Silence,
}

/// <summary>Text that appears a while after the step before, in board time.</summary>
internal sealed record Step(int DelayMilliseconds, string Text, Then Then = Then.Continue);
