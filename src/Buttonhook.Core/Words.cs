using Buttonhook.Core.Consoles;

namespace Buttonhook.Core;

/// <summary>Plain words for stages and outcomes.</summary>
public static class Words
{
    /// <summary>A length of time as a person says it: "4 s", "3 min 20 s", "2 h 5 min"; below ten seconds with one decimal.</summary>
    public static string Seconds(double seconds)
    {
        var whole = (long)Math.Round(seconds);
        return whole < 10 ? string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{Math.Round(seconds, 1)} s")
            : whole < 60 ? $"{whole} s"
            : whole < 3600 ? (whole % 60 == 0 ? $"{whole / 60} min" : $"{whole / 60} min {whole % 60} s")
            : whole / 60 % 60 == 0 ? $"{whole / 3600} h"
            : $"{whole / 3600} h {whole / 60 % 60} min";
    }

    /// <summary>What told the identity of a board ("by the mark on the board and by the loader"); empty when nothing did.</summary>
    /// <param name="sources">mark, loader, tree, log or person.</param>
    public static string ToldBy(IEnumerable<string> sources) =>
        string.Join(
            " and ",
            sources.Select(s =>
                s switch
                {
                    "mark" => "by the mark on the board",
                    "loader" => "by the loader",
                    "tree" => "by its device tree",
                    "log" => "by its log",
                    _ => "by you",
                }
            )
        );

    /// <summary>The name of a stage inside a sentence ("second loader"); null is "no stage".</summary>
    public static string Of(Stage? stage) =>
        stage switch
        {
            null => "no stage",
            Stage.FirstLoader => "first loader",
            Stage.SecondLoader => "second loader",
            var s => s.Value.ToString().ToLowerInvariant(),
        };

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
