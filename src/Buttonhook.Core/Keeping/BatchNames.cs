using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Keeping;

/// <summary>A board of a new batch.</summary>
/// <param name="Host">The host name that it gets.</param>
public sealed record BatchBoard(string Nickname, string Host);

/// <summary>The names of a batch and of its boards.</summary>
public static class BatchNames
{
    private const int MostBoards = 40,
        LongestName = 60,
        LongestNickname = 40;

    /// <summary>What stands against them; null when nothing does.</summary>
    /// <param name="nicknames">Those that boards of the bench have.</param>
    /// <param name="hosts">Host names that are set for other boards.</param>
    public static Problem? Against(
        string name,
        IReadOnlyList<BatchBoard> boards,
        IEnumerable<string> nicknames,
        IEnumerable<string> hosts,
        RealNames known
    )
    {
        if (name.Trim().Length is 0 or > LongestName)
            return new(
                $"A batch has a name of 1 to {LongestName} letters.",
                $"This one has {name.Trim().Length}.",
                "Name it, such as Northern hedge."
            );
        if (boards.Count is 0 or > MostBoards)
            return new($"A batch has 1 to {MostBoards} boards.", $"This one has {boards.Count}.", "Begin several.");
        var taken = nicknames.ToHashSet(StringComparer.OrdinalIgnoreCase);
        var named = hosts.ToHashSet(StringComparer.OrdinalIgnoreCase);
        foreach (var board in boards)
        {
            if (board.Nickname.Trim().Length is 0 or > LongestNickname || !taken.Add(board.Nickname.Trim()))
                return new(
                    $"Every board has a nickname of its own, of 1 to {LongestNickname} letters.",
                    $"“{board.Nickname}” is invalid or already used.",
                    "Choose another one."
                );
            if (FirstBootCheck.Of(FirstBoot.Usual with { HostName = board.Host }, named, known).FirstOrDefault() is { } wrong)
                return new("Every board has a host name of its own.", wrong.Text, "Choose another one.");
            named.Add(board.Host);
        }
        return null;
    }
}
