using System.Text.Json;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Guiding;

/// <summary>A button of the stage bar.</summary>
/// <param name="State">open, reached, now, stopped, hidden or flawed.</param>
/// <param name="UsualFrom">Seconds since power when this stage is usually reached at the earliest, from good boots of this pair; null without one.</param>
public sealed record BarStage(Stage Stage, string State, double? Seconds, int? Line, double? UsualFrom, double? UsualTo);

/// <summary>The stages of a boot beside those of good ones.</summary>
public static class StageBar
{
    /// <summary>All stages in order.</summary>
    /// <param name="hidden">Stages of which the console of this model shows nothing.</param>
    /// <param name="reached">Those that the boot reached; empty before one.</param>
    /// <param name="state">The boot; null before one.</param>
    /// <param name="good">The stages of each good boot with times.</param>
    public static IReadOnlyList<BarStage> Of(
        IReadOnlyList<string> hidden,
        IReadOnlyList<StageReached> reached,
        BootState? state,
        IReadOnlyList<IReadOnlyList<StageReached>> good
    ) =>
        [
            .. Enum.GetValues<Stage>()
                .Select(stage =>
                {
                    var own = At(reached, stage);
                    var times = good.Select(g => At(g, stage)?.Milliseconds).OfType<int>().ToList();
                    return new BarStage(
                        stage,
                        StateOf(stage, own, state, hidden),
                        stage == Stage.Power && reached.Any(s => s.Milliseconds is not null) ? 0
                            : own?.Milliseconds is { } ms ? Math.Round(ms / 1000.0, 1)
                            : null,
                        own?.Line,
                        times.Count == 0 ? null : Math.Round(times.Min() / 1000.0, 1),
                        times.Count == 0 ? null : Math.Round(times.Max() / 1000.0, 1)
                    );
                }),
        ];

    private static StageReached? At(IReadOnlyList<StageReached> stages, Stage stage) => stages.FirstOrDefault(s => s.Stage == stage);

    private static string StateOf(Stage stage, StageReached? reached, BootState? state, IReadOnlyList<string> hidden)
    {
        var last = state?.LastStage;
        var name = JsonNamingPolicy.KebabCaseLower.ConvertName(stage.ToString());
        if (state is null)
            return hidden.Contains(name) ? "hidden" : "open";
        if (state.Outcome == Outcome.Garbled && last is null)
            return stage == Stage.Power ? "flawed" : "open";
        if (stage == Stage.Power)
            return last is null && state.Settled && state.Outcome != Outcome.Cut ? "stopped"
                : last is null ? "now"
                : "reached";
        if (stage == last)
        {
            if (stage == Stage.Login)
                return state.Outcome == Outcome.Degraded ? "flawed" : "reached";
            return state.Live && !state.Settled ? "now"
                : state.Outcome == Outcome.Cut ? "reached"
                : "stopped";
        }
        if (reached is not null)
            return "reached";
        return hidden.Contains(name) || stage < last ? "hidden" : "open";
    }
}
