using System.Globalization;
using Buttonhook.Core;

namespace Buttonhook.App.Consoles;

/// <summary>How fast the bytes of one capture come, and how many of them wait to be stored and to be read.</summary>
public sealed class Flow(TimeProvider clock)
{
    /// <summary>Bytes a second of the fastest serial adapters: 12 Mbit/s with one start and one stop bit.</summary>
    private const double FastestLine = 1_200_000;

    /// <summary>What may wait for the disk: an hour and a half of a console at 115,200 bit/s, almost three minutes at 4 Mbit/s.</summary>
    private const long MostUnstored = 64 << 20;

    /// <summary>What may wait of a flood, which no adapter loses when it is held back.</summary>
    private const long MostOfFlood = 1 << 20;
    private const long MostUnread = 4 << 20;
    private static readonly TimeSpan Window = TimeSpan.FromSeconds(1);
    private long unstored;
    private long unread;
    private long windowStart = clock.GetTimestamp();
    private long inWindow;
    private double rate;
    private double fastest;
    private int fastWindows;

    /// <summary>Notes bytes from the source; called by one thread.</summary>
    public void Arrived(int bytes)
    {
        Interlocked.Add(ref unstored, bytes);
        inWindow += bytes;
        var passed = clock.GetElapsedTime(windowStart);
        if (passed < Window)
            return;
        rate = inWindow / passed.TotalSeconds;
        fastWindows = rate > FastestLine ? fastWindows + 1 : 0;
        if (fastWindows >= 2)
            fastest = Math.Max(fastest, rate);
        windowStart = clock.GetTimestamp();
        inWindow = 0;
    }

    /// <summary>Notes bytes that are on the disk and now wait to be read.</summary>
    public void Stored(int bytes)
    {
        Interlocked.Add(ref unstored, -bytes);
        Interlocked.Add(ref unread, bytes);
    }

    /// <summary>Notes bytes that were read.</summary>
    public void Read(int bytes) => Interlocked.Add(ref unread, -bytes);

    /// <summary>Whether the source should hold back what comes next.</summary>
    public bool MustWait => Interlocked.Read(ref unstored) > (rate > FastestLine || inWindow > FastestLine ? MostOfFlood : MostUnstored);

    /// <summary>Whether so much waits to be stored that the next flush should not be put off.</summary>
    public bool Behind => Interlocked.Read(ref unstored) > MostOfFlood / 4;

    /// <summary>Whether so much waits to be read that storing should wait.</summary>
    public bool MuchUnread => Interlocked.Read(ref unread) > MostUnread;

    /// <summary>Whether the memory for what waits is used up, so that an adapter may lose what comes now.</summary>
    public bool Full => Interlocked.Read(ref unstored) > MostUnstored;

    /// <summary>That more arrives at the moment than any serial line carries; null when not. A burst of less than two seconds counts as none.</summary>
    public Problem? TooFast =>
        fastWindows >= 2 && clock.GetElapsedTime(windowStart) < 2 * Window
            ? new(
                "A serial line carries at most 12 Mbit a second, which is 1.2 MB.",
                $"{Words(rate)} MB arrive each second.",
                "This is a program that writes to a pseudo-terminal, no board: look which one has this port. All of it is stored meanwhile."
            )
            : null;

    /// <summary>A sentence for the record when more arrived than any serial line carries; else null.</summary>
    public string? Flooded =>
        fastest > 0
            ? $"Up to {Words(fastest)} MB a second arrived, more than any serial line carries: this was a program, no board."
            : null;

    private static string Words(double bytes) => (bytes / 1e6).ToString("0.0", CultureInfo.InvariantCulture);
}
