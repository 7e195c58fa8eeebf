using Buttonhook.Core.Images;

namespace Buttonhook.Core.Matching;

/// <summary>The four groups of images for a board, best first.</summary>
public enum Verdict
{
    /// <summary>Starts as it is.</summary>
    Fits,

    /// <summary>Starts once something is changed.</summary>
    FitsAfterChange,

    /// <summary>Expected to start, but nobody says so.</summary>
    Unproven,

    /// <summary>Does not start.</summary>
    WillNotStart,
}

/// <summary>What one reason means for the verdict.</summary>
public enum Bearing
{
    /// <summary>It cannot start.</summary>
    Stops,

    /// <summary>Nobody says that it starts.</summary>
    Unproven,

    /// <summary>Something must be changed first.</summary>
    Change,

    /// <summary>Speaks for it.</summary>
    Good,

    /// <summary>Worth knowing.</summary>
    Note,
}

/// <summary>One reason as a short sentence; the rule that gave it; for a change, what to change.</summary>
public sealed record Reason(string Rule, Bearing Bearing, string Text);

/// <summary>Boots of an image on one board revision: how many tries, how many reached the login, and their times from power to login in seconds.</summary>
public sealed record BootRecord(int Successes, int Tries, int? FastestSeconds, int? SlowestSeconds)
{
    /// <summary>No boots yet.</summary>
    public static BootRecord Empty { get; } = new(0, 0, null, null);

    /// <summary>The 10 % quantile of what can be expected; see <see cref="SuccessRate"/>.</summary>
    public double LowerEnd => SuccessRate.LowerEnd(Successes, Tries);
}

/// <summary>One image for one board: verdict, reasons with the losing one first, and the record of real boots.</summary>
public sealed record Match(ImageCard Image, Verdict Verdict, IReadOnlyList<Reason> Reasons, BootRecord Record);
