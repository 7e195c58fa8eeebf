using System.Globalization;

namespace Buttonhook.Core;

/// <summary>Sizes as people read them: makers count cards in 10^9 bytes (GB), computers count in 2^30 (GiB).</summary>
public static class Sizes
{
    /// <summary>One gibibyte in bytes.</summary>
    public const long GiB = 1L << 30;

    /// <summary>One mebibyte in bytes.</summary>
    public const long MiB = 1L << 20;

    /// <summary>What the simulated cards and flashes sold as <paramref name="gigabytes"/> GB hold: 97.7 %, 58.2 GiB on a "64 GB" card. For real ones see <see cref="Boards.CardBand"/>.</summary>
    public static long CardBytes(int gigabytes) => (long)(gigabytes * 1e9 * 0.977);

    /// <summary>The label of a card that holds so many bytes, in GB: the next power of two, of which a little is kept back by the card itself.</summary>
    public static int CardLabel(long bytes)
    {
        var label = 1;
        while (label * 1e9 < bytes * 0.98)
            label *= 2;
        return label;
    }

    /// <summary>Bytes in binary units with one decimal from 1 GiB up ("3.7 GiB", "512 MiB").</summary>
    public static string Binary(long bytes) =>
        bytes >= GiB ? (bytes / (double)GiB).ToString("0.0", CultureInfo.InvariantCulture) + " GiB"
        : bytes >= MiB ? $"{bytes / MiB} MiB"
        : bytes >= 1024 ? $"{bytes / 1024} KiB"
        : $"{bytes} bytes";

    /// <summary>Bytes in the decimal units of downloads ("812 MB", "1.2 GB").</summary>
    public static string Decimal(long bytes) =>
        bytes >= 1_000_000_000 ? (bytes / 1e9).ToString("0.0", CultureInfo.InvariantCulture) + " GB"
        : bytes >= 1_000_000 ? $"{bytes / 1_000_000} MB"
        : $"{bytes / 1000} kB";

    /// <summary>Memory as it is sold ("2 GB", "512 MB").</summary>
    public static string Memory(int mebibytes) => mebibytes >= 1024 ? $"{mebibytes / 1024.0:0.#} GB" : $"{mebibytes} MB";
}
