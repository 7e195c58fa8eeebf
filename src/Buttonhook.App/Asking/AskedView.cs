using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Keeping;

namespace Buttonhook.App.Asking;

/// <summary>What the board was asked in a boot.</summary>
/// <param name="Who">Who waits at the console ("the loader's shell"); null while nobody looked.</param>
/// <param name="TakesCommands">Whether that is somebody who takes commands.</param>
/// <param name="State">How the round stands; null while there was none.</param>
/// <param name="Says">What it does or how it ended; null while there was none.</param>
/// <param name="Steps">The questions in order; those of earlier rounds without their answers' lines.</param>
/// <param name="Trial">What can be tried now until the board restarts; null for nothing.</param>
/// <param name="Tried">What was tried in this boot, in order.</param>
/// <param name="First">What would be asked first; null while a round goes on, and when nothing can be asked.</param>
public sealed record AskedView(
    string? Who,
    bool TakesCommands,
    SequenceState? State,
    string? Says,
    IReadOnlyList<AskStep> Steps,
    FirstAsked? First,
    OfferedTrial? Trial,
    IReadOnlyList<TriedView> Tried
);

/// <summary>What was tried in a boot, and what came of it.</summary>
/// <param name="Offered">What was tried: the lines, what they changed, the edit that would last.</param>
/// <param name="Line">The line behind which it was typed, from 1.</param>
/// <param name="Verdict">What came of it.</param>
/// <param name="Says">The same in words.</param>
public sealed record TriedView(OfferedTrial Offered, int Line, TrialVerdict Verdict, string Says);

/// <summary>The command that a round would begin with.</summary>
/// <param name="Command">Exactly as it would be typed, but for the marks around it.</param>
/// <param name="Asks">The question.</param>
/// <param name="Why">Why this one.</param>
/// <param name="Seconds">How long it usually takes.</param>
public sealed record FirstAsked(string Command, string Asks, string Why, int Seconds);

/// <summary>What a running system told when it was read for the record.</summary>
/// <param name="AtShell">Whether a user's shell waits, so that it can be read now.</param>
/// <param name="AtLogin">Whether a login waits, so that somebody has to log in first.</param>
/// <param name="Commands">What would be typed, in order; each reads only.</param>
/// <param name="Told">What it told, by setting; one that was not asked is not in it.</param>
public sealed record SystemView(bool AtShell, bool AtLogin, IReadOnlyList<string> Commands, IReadOnlyList<SystemTold> Told);
