using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;

namespace Buttonhook.App.Asking;

/// <summary>What the board was asked in a boot.</summary>
/// <param name="Who">Who waits at the console ("the loader's shell"); null while nobody looked.</param>
/// <param name="TakesCommands">Whether that is somebody who takes commands.</param>
/// <param name="State">How the round stands; null while there was none.</param>
/// <param name="Says">What it does or how it ended; null while there was none.</param>
/// <param name="Steps">The questions in order; those of earlier rounds without their answers' lines.</param>
/// <param name="First">What would be asked first; null while a round goes on, and when nothing can be asked.</param>
public sealed record AskedView(
    string? Who,
    bool TakesCommands,
    SequenceState? State,
    string? Says,
    IReadOnlyList<AskStep> Steps,
    FirstAsked? First
);

/// <summary>The command that a round would begin with.</summary>
/// <param name="Command">Exactly as it would be typed, but for the marks around it.</param>
/// <param name="Asks">The question.</param>
/// <param name="Why">Why this one.</param>
/// <param name="Seconds">How long it usually takes.</param>
public sealed record FirstAsked(string Command, string Asks, string Why, int Seconds);
