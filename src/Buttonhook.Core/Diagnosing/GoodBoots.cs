using System.Formats.Tar;
using System.IO.Compression;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>A good boot of the lab.</summary>
/// <param name="System">How it was made, in a few words.</param>
public sealed record GoodBoot(string System, IReadOnlyList<(int Line, long Shape, string Text)> Lines);

/// <summary>Good boots of the lab that ship with the application, for who has none of his own: a tar in Brotli with one log a system, named by the system.</summary>
public sealed class GoodBoots
{
    /// <summary>Less of a log than this in common with a good boot makes it no neighbour.</summary>
    private const double LeastCommon = 0.3;

    private readonly Lazy<IReadOnlyList<GoodBoot>> all;

    /// <summary>Reads the file when it is asked for first; null for a file that is not there, which holds none, as a damaged one.</summary>
    public GoodBoots(Func<Stream?> open) => all = new(() => Read(open));

    /// <summary>All of them.</summary>
    public IReadOnlyList<GoodBoot> All => all.Value;

    /// <summary>The one that most lines of this log stand in; null when none is like it.</summary>
    public GoodBoot? Nearest(IReadOnlyList<(int Line, long Shape, string Text)> here)
    {
        var mine = here.Select(l => l.Shape).ToHashSet();
        if (mine.Count == 0)
            return null;
        var (best, common) = All.Select(g => (Good: g, Common: g.Lines.Select(l => l.Shape).Distinct().Count(mine.Contains)))
            .DefaultIfEmpty()
            .MaxBy(g => g.Common);
        return best is not null && common >= LeastCommon * mine.Count ? best : null;
    }

    private static List<GoodBoot> Read(Func<Stream?> open)
    {
        var boots = new List<GoodBoot>();
        try
        {
            using var file = open();
            if (file is null)
                return [];
            using var plain = new BrotliStream(file, CompressionMode.Decompress);
            using var tar = new TarReader(plain);
            while (tar.GetNextEntry(true) is { } entry)
            {
                using var bytes = new MemoryStream();
                entry.DataStream?.CopyTo(bytes);
                var log = new ConsoleLog();
                log.Append(bytes.ToArray(), -1);
                boots.Add(new(entry.Name, LogComparison.LinesOf(log, 1, log.LineCount)));
            }
        }
        catch (Exception e) when (e is IOException or InvalidDataException or InvalidOperationException)
        {
            return [];
        }
        return boots;
    }
}
