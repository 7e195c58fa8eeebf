namespace Buttonhook.Core;

/// <summary>Plain words for what every room tells.</summary>
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

    /// <summary>A share, 0 to 1, in whole percent: "98 %".</summary>
    public static string Percent(double share) => $"{(share * 100).ToString("0", System.Globalization.CultureInfo.InvariantCulture)} %";

    /// <summary>Words with a capital letter in front, as a sentence begins; no words stay none.</summary>
    public static string Capital(string words) => words.Length == 0 ? "" : char.ToUpperInvariant(words[0]) + words[1..];

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
}
