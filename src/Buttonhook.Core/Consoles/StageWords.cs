namespace Buttonhook.Core.Consoles;

/// <summary>Plain words for stages and outcomes.</summary>
public static class StageWords
{
    /// <summary>The name of a stage inside a sentence ("second loader"); null is "no stage".</summary>
    public static string Of(Stage? stage) =>
        stage switch
        {
            null => "no stage",
            Stage.FirstLoader => "first loader",
            Stage.SecondLoader => "second loader",
            var s => s.Value.ToString().ToLowerInvariant(),
        };

    /// <summary>The state word of a capture that did not see the board start.</summary>
    public static string Attached(Stage? stage) =>
        stage == Stage.Login ? "Attached to a running board, at its login" : "Attached to a running board";

    /// <summary>The state word of a boot that came to its login with what was tried by hand.</summary>
    public const string Helped = "Reached login with what was tried";

    /// <summary>The state word for the bench ("Stopped at root").</summary>
    public static string Of(Outcome outcome, Stage? stage) =>
        outcome switch
        {
            Outcome.ReachedLogin => "Reached login",
            Outcome.Degraded => "Login, with a fault",
            Outcome.Stopped => stage is null ? "Stopped" : $"Stopped at {Of(stage)}",
            Outcome.Rebooting => "Restarts again and again",
            Outcome.Silent => stage is null ? "Silent" : $"Silent after {Of(stage)}",
            Outcome.Cut => stage is null ? "Capture ended early" : $"Capture ended at {Of(stage)}",
            _ => "Console garbled",
        };
}
