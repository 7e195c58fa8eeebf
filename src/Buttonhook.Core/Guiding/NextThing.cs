using Buttonhook.Core.Connecting;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Guiding;

/// <summary>The steps of the work, in order.</summary>
public enum WorkStep
{
    /// <summary>Which board is this?</summary>
    Identify,

    /// <summary>Which image starts on it?</summary>
    Match,

    /// <summary>The card.</summary>
    Prepare,

    /// <summary>Wires and supply.</summary>
    Connect,

    /// <summary>Power, console, stages.</summary>
    Boot,

    /// <summary>Why it failed.</summary>
    Diagnose,

    /// <summary>Working settings.</summary>
    Keep,
}

/// <summary>What the button of the next thing does.</summary>
public enum NextAction
{
    /// <summary>Opens the step named in the target.</summary>
    Open,

    /// <summary>Chooses the image named in the target.</summary>
    ChooseImage,

    /// <summary>Starts a boot.</summary>
    StartBoot,

    /// <summary>Notes that the cause named in the target was corrected.</summary>
    Correct,

    /// <summary>Puts another board on the bench.</summary>
    NewBoard,
}

/// <summary>The one thing worth doing next: what, why, how long, and the caution if there is one.</summary>
/// <param name="Label">The words on the button; empty when the page itself is where to act.</param>
/// <param name="Target">What the action is about: a step, an image or a cause.</param>
/// <param name="Minutes">How long it takes; 0 when it is done at once.</param>
public sealed record NextThing(
    string Title,
    IReadOnlyList<string> Why,
    NextAction Action,
    string Label,
    string? Target,
    int Minutes,
    string? Caution = null
);

/// <summary>The newest boot of the card that is in a board now.</summary>
/// <param name="Settled">Whether it is clear how it ended.</param>
/// <param name="Corrected">Whether something was corrected after it.</param>
/// <param name="StartSeen">See <see cref="BootReading.StartSeen"/>.</param>
/// <param name="Helped">See <see cref="BootReading.Helped"/>.</param>
/// <param name="Sag">Where it shows that the supply sagged, or null.</param>
public sealed record BootState(
    bool Live,
    bool Settled,
    Outcome? Outcome,
    Stage? LastStage,
    RankedCause? Top,
    int? LoginSeconds,
    bool Corrected,
    bool Kept,
    SupplySag? Sag = null,
    bool StartSeen = true,
    bool Helped = false
)
{
    /// <summary>Whether it stands at a login and counts for nothing all the same.</summary>
    public bool Uncounted => Attached || HelpedUp;

    /// <summary>Whether it came to its login, and only with what was tried by hand.</summary>
    public bool HelpedUp => Helped && Settled && BootSummary.Good(Outcome ?? Consoles.Outcome.Stopped);

    /// <summary>Whether the console was opened on a board that ran already: what it printed is kept and readable, and counts for no boot.</summary>
    public bool Attached => !StartSeen && Settled && BootSummary.Good(Outcome ?? Consoles.Outcome.Stopped);
}
