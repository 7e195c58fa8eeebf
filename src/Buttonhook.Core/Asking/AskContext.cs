using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Asking;

/// <summary>Who waits, what is known so far, and what the round may use.</summary>
/// <param name="Before">The newest whole lines, oldest first.</param>
/// <param name="Reached">The last stage of this boot; null when none was seen.</param>
/// <param name="Diagnosis">The ranking before the round, with all that was told already.</param>
/// <param name="Told">By question: what was answered already.</param>
/// <param name="Facts">What the log tells that commands need.</param>
public sealed record AskContext(
    IReadOnlyList<string> Before,
    Stage? Reached,
    Diagnosis Diagnosis,
    IReadOnlyDictionary<string, string> Told,
    IReadOnlyDictionary<string, string> Facts
);
