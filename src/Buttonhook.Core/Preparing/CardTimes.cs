using Buttonhook.Core.Images;

namespace Buttonhook.Core.Preparing;

/// <summary>How long a card takes in seconds, and what the slowest link is.</summary>
/// <param name="Learnt">How many of the user's own writes the figures come from; 0 for the promises of the classes.</param>
public sealed record CardTimes(int DownloadSeconds, int WriteSeconds, int ReadBackSeconds, string SlowestLink, int Learnt)
{
    // A reader behind USB 2.0 passes about 35 MB/s; a home line of 50 Mbit/s about 6 MB/s.
    private const double OldReader = 35e6;
    private const double HomeLine = 6.25e6;

    /// <summary>The times for an image; the user's own writes count as soon as there is one (their median).</summary>
    public static CardTimes For(ImageProfile image, IReadOnlyList<(double Write, double Read)> own)
    {
        var write = own.Count > 0 ? Median(own.Select(s => s.Write)) : Math.Min(CardPlan.ClassWrites, OldReader);
        var read = own.Count > 0 ? Median(own.Select(s => s.Read)) : Math.Min(CardPlan.ClassReads, OldReader);
        var download = image.Path is null ? image.DownloadBytes / HomeLine : 0;
        var writing = image.ExpandedBytes / write;
        var reading = image.ExpandedBytes / read;
        var slowest =
            download > writing + reading ? "the network"
            : own.Count > 0 ? "your card and reader"
            : write >= OldReader ? "the reader"
            : "the card";
        return new((int)Math.Ceiling(download), (int)Math.Ceiling(writing), (int)Math.Ceiling(reading), slowest, own.Count);
    }

    private static double Median(IEnumerable<double> values)
    {
        var sorted = values.Order().ToList();
        return sorted[sorted.Count / 2];
    }
}
