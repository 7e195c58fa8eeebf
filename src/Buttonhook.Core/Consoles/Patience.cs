namespace Buttonhook.Core.Consoles;

/// <summary>How long a silence may last before it is worth a worry.</summary>
public static class Patience
{
    /// <summary>What is longer than half as much again as ever before, and five seconds more, is worth one.</summary>
    private const double WorryShare = 1.5,
        WorrySeconds = 5;

    /// <summary>The seconds from which on a silence is too long; null where nothing tells.</summary>
    /// <param name="usualSeconds">The longest silence of good boots; null without one.</param>
    /// <param name="workSeconds">What the work takes that the board is at; null when none is known.</param>
    public static double? Of(double? usualSeconds, int? workSeconds) =>
        Math.Max(workSeconds ?? 0, usualSeconds is { } usual ? Math.Max(usual * WorryShare, usual + WorrySeconds) : 0)
            is > 0
                and var patience
            ? patience
            : null;
}
