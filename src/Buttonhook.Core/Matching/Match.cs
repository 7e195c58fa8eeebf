using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;

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

/// <summary>How near a boot is to this board: boots on the same thing, and what one of them counts.</summary>
public enum Nearness
{
    /// <summary>On this very board.</summary>
    Board,

    /// <summary>On another board of this revision.</summary>
    Revision,

    /// <summary>On another revision of this model.</summary>
    Model,

    /// <summary>On this revision, as another bench tells.</summary>
    OtherBench,

    /// <summary>On another model with this processor.</summary>
    Processor,
}

/// <summary>Boots of one image on one board: how many tries, how many reached the login, and their times from power to login in seconds.</summary>
public sealed record BootTally(
    string ImageId,
    string BoardId,
    string ModelId,
    string RevisionId,
    int Successes,
    int Tries,
    int? FastestSeconds,
    int? SlowestSeconds
)
{
    /// <summary>What stands for the board in tallies that another bench tells.</summary>
    public const string Elsewhere = "";
}

/// <summary>Boots at one nearness.</summary>
public sealed record NearBoots(Nearness Nearness, int Successes, int Tries);

/// <summary>Boots of an image that tell something about a board, nearest first, and the times from power to login on its revision in seconds.</summary>
public sealed record BootRecord(IReadOnlyList<NearBoots> Near, int? FastestSeconds, int? SlowestSeconds)
{
    /// <summary>No boots yet.</summary>
    public static BootRecord Empty { get; } = new([], null, null);

    /// <summary>What one boot counts: all on this board, less the further away.</summary>
    public static double Weight(Nearness nearness) =>
        nearness switch
        {
            Nearness.Board => 1,
            Nearness.Revision => 0.9,
            Nearness.Model => 0.4,
            Nearness.OtherBench => 0.5,
            _ => 0.2,
        };

    /// <summary>Boots on this revision that reached the login.</summary>
    public int Successes => Near.Where(n => n.Nearness <= Nearness.Revision).Sum(n => n.Successes);

    /// <summary>Boots on this revision.</summary>
    public int Tries => Near.Where(n => n.Nearness <= Nearness.Revision).Sum(n => n.Tries);

    /// <summary>The 10 % quantile of what can be expected, boots weighed by nearness; see <see cref="SuccessRate"/>.</summary>
    public double LowerEnd =>
        SuccessRate.LowerEnd(Near.Sum(n => n.Successes * Weight(n.Nearness)), Near.Sum(n => n.Tries * Weight(n.Nearness)));

    /// <summary>Sorts tallies by how near they are to a board, for every image at once.</summary>
    public static IReadOnlyDictionary<string, BootRecord> Of(Board board, Catalogue catalogue, IEnumerable<BootTally> tallies)
    {
        var processor = catalogue.Model(board.ModelId)?.Processor;
        return tallies
            .Select(t =>
                (
                    Tally: t,
                    Nearness: t.ModelId != board.ModelId
                        ? (
                            processor is not null && catalogue.Model(t.ModelId)?.Processor == processor
                                ? Nearness.Processor
                                : (Nearness?)null
                        )
                    : t.RevisionId != board.RevisionId ? (t.BoardId == BootTally.Elsewhere ? null : Nearness.Model)
                    : t.BoardId == BootTally.Elsewhere ? Nearness.OtherBench
                    : t.BoardId != board.Id ? Nearness.Revision
                    : Nearness.Board
                )
            )
            .Where(t => t.Nearness is not null)
            .GroupBy(t => t.Tally.ImageId)
            .ToDictionary(
                g => g.Key,
                g =>
                {
                    var close = g.Where(t => t.Nearness <= Nearness.Revision).Select(t => t.Tally).ToList();
                    return new BootRecord(
                        [
                            .. g.GroupBy(t => t.Nearness!.Value)
                                .OrderBy(n => n.Key)
                                .Select(n => new NearBoots(n.Key, n.Sum(t => t.Tally.Successes), n.Sum(t => t.Tally.Tries))),
                        ],
                        close.Min(t => t.FastestSeconds),
                        close.Max(t => t.SlowestSeconds)
                    );
                }
            );
    }
}

/// <summary>What a person wants of an image.</summary>
/// <param name="Screen">Whether it will run with a screen.</param>
/// <param name="LongTerm">Whether long-term care matters more than being new.</param>
/// <param name="Layout">How the system will be kept.</param>
public sealed record Wish(bool Screen, bool LongTerm, StorageLayout Layout)
{
    /// <summary>What is wanted when nobody said otherwise: as the bench is, long-term, one system a card.</summary>
    public static Wish Usual(Board board) => new(board.Connected.Screen, true, StorageLayout.OneCard);
}

/// <summary>One image for one board: verdict, reasons with the losing one first, and the record of real boots.</summary>
public sealed record Match(ImageProfile Image, Verdict Verdict, IReadOnlyList<Reason> Reasons, BootRecord Record);
