namespace Buttonhook.Core.Asking;

/// <summary>A question that the board was asked.</summary>
/// <param name="QuestionId">The question.</param>
/// <param name="Asks">It in words.</param>
/// <param name="Command">What was typed.</param>
/// <param name="Why">Why it was asked now.</param>
/// <param name="Answer">The lines that came back; empty while it is waited for.</param>
/// <param name="ResultId">What they mean; null when nothing could be read from them.</param>
/// <param name="Says">The same in words.</param>
/// <param name="Moved">What it did to the ranking; null when nothing.</param>
/// <param name="Milliseconds">From Enter to the end of the answer.</param>
public sealed record AskStep(
    string QuestionId,
    string Asks,
    string Command,
    string Why,
    IReadOnlyList<string> Answer,
    string? ResultId,
    string? Says,
    string? Moved,
    int Milliseconds
);
