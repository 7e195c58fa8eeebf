using Buttonhook.Core.Consoles;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Guiding;

/// <summary>What a board on the bench waits for, in the order in which a person is needed.</summary>
public enum BoardWaits
{
    /// <summary>It stopped, or its card is half written: somebody must look.</summary>
    Look,

    /// <summary>It works, and its settings are not kept yet.</summary>
    Keep,

    /// <summary>Nothing is in the way of a boot.</summary>
    Boot,

    /// <summary>It boots, or its card is being written.</summary>
    Time,

    /// <summary>An image or a written card is missing.</summary>
    Card,

    /// <summary>Its working settings are kept.</summary>
    Nothing,
}

/// <summary>How far the work on a board is, from its newest boot and from what is proven.</summary>
public static class BoardStanding
{
    /// <summary>What the board waits for.</summary>
    /// <param name="state">The newest boot of its card, or null.</param>
    public static BoardWaits Waits(BootState? state, Proof proof) =>
        state switch
        {
            _ when proof.Card is CardState.BeingWritten => BoardWaits.Time,
            _ when proof.Card is CardState.HalfWritten => BoardWaits.Look,
            null => proof.OnCard ? BoardWaits.Boot : BoardWaits.Card,
            { Kept: true } => BoardWaits.Nothing,
            { Live: true, Settled: false } => BoardWaits.Time,
            { Corrected: true } => BoardWaits.Boot,
            { HelpedUp: true } => BoardWaits.Look,
            { Attached: true } => BoardWaits.Boot,
            { Outcome: Outcome.ReachedLogin, Top: null or { Correction: null } } => BoardWaits.Keep,
            { Outcome: Outcome.Cut, Top: null } => BoardWaits.Boot,
            _ => BoardWaits.Look,
        };

    /// <summary>Its state in plain words.</summary>
    /// <param name="imageId">The image that is chosen for it, or null.</param>
    public static string Word(string? imageId, BootState? state, Proof proof) =>
        state switch
        {
            _ when proof.Card is CardState.BeingWritten => "Card is being written",
            _ when proof.Card is CardState.HalfWritten => "Card half written",
            null when imageId is null => "No image yet",
            null when !proof.OnCard => "Card not written yet",
            null => "Ready to boot",
            { Kept: true } => "Working settings",
            { Corrected: true } => "Corrected, boot again",
            { Live: true, Settled: false } => "Booting",
            { HelpedUp: true } => StageWords.Helped,
            { Attached: true } => StageWords.Attached(state.LastStage),
            { Outcome: Outcome.Degraded, Top: { } top } => top.Name,
            { Outcome: Outcome.ReachedLogin, Top: { Correction: not null } top } => top.Name,
            _ => StageWords.Of(state.Outcome ?? Outcome.Stopped, state.LastStage),
        };

    /// <summary>Whether a step is done: something must show it, for choosing is not writing, and drawing wires is not reading bytes.</summary>
    /// <param name="told">Whether anything told which board it is.</param>
    /// <param name="enough">Whether the supply is enough; null when that is not known.</param>
    public static bool Done(WorkStep step, bool told, bool hasImage, bool? enough, BootState? state, Proof proof) =>
        step switch
        {
            WorkStep.Identify => told,
            WorkStep.Match => hasImage,
            WorkStep.Prepare => proof.OnCard,
            WorkStep.Connect => proof.BytesRead && enough == true,
            WorkStep.Boot => proof.BytesRead && state is { Settled: true, Attached: false, Outcome: not Outcome.Cut },
            WorkStep.Diagnose => state is { Outcome: Outcome.ReachedLogin, Uncounted: false } or { Kept: true },
            _ => state is { Kept: true },
        };

    /// <summary>What is known of the card in a board, from the strongest proof to the weakest.</summary>
    /// <param name="write">The newest writing of this card: whether it runs, is done, and had begun to erase; null without one.</param>
    /// <param name="seen">Whether its kernel was seen to start behind that.</param>
    /// <param name="told">Whether a person says that it was written elsewhere.</param>
    public static CardState Card(bool hasImage, (bool Running, bool Done, bool Erased)? write, bool seen, bool told) =>
        !hasImage ? CardState.NoImage
        : write is { Running: true } ? CardState.BeingWritten
        : seen ? CardState.Seen
        : write is { Done: true } ? CardState.Written
        : told ? CardState.Told
        : write is { Erased: true } ? CardState.HalfWritten
        : CardState.Chosen;
}
