namespace Buttonhook.Core.Consoles;

/// <summary>Work that a system does while its console is quiet. The file format is published in docs/formats.</summary>
/// <param name="Find">Words of the line that begins it, any of them.</param>
/// <param name="Over">Words of the line that ends it, any of them.</param>
/// <param name="UsualSeconds">How long it takes at most on a slow card.</param>
/// <param name="KeepPower">Whether taking power meanwhile can leave the card broken.</param>
public sealed record WaitingWork(
    string Id,
    IReadOnlyList<string> Find,
    IReadOnlyList<string> Over,
    string Says,
    int UsualSeconds,
    bool KeepPower
)
{
    /// <summary>How many lines may have come since it began.</summary>
    private const int LinesBack = 25;

    /// <summary>The work that the last lines of a log show to be under way, and the line that began it; null for none.</summary>
    public static (WaitingWork Work, int Line)? Of(ConsoleLog log, IReadOnlyList<WaitingWork> works)
    {
        var later = new List<string>();
        for (var line = log.LineCount; line > 0 && line > log.LineCount - LinesBack; line--)
        {
            var text = log.Text(line);
            foreach (var work in works)
                if (work.Find.Any(text.Contains))
                {
                    var over =
                        later.Any(l => work.Over.Any(l.Contains))
                        || work.Over.Any(o =>
                            text.IndexOf(o, StringComparison.Ordinal)
                            > text.IndexOf(work.Find.First(text.Contains), StringComparison.Ordinal)
                        );
                    return over ? null : (work, line);
                }
            later.Add(text);
        }
        return null;
    }
}
