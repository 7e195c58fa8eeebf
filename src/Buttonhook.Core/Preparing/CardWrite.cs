using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;

namespace Buttonhook.Core.Preparing;

/// <summary>How far the writing of a card is.</summary>
public enum WriteStep
{
    /// <summary>The image is opened and its boot played on this board.</summary>
    LookingAtImage,

    /// <summary>The download is compared with its checksum.</summary>
    CheckingDownload,

    /// <summary>Marks are written over the whole card and read back: is it as large as it says?</summary>
    CheckingSize,

    /// <summary>The image is written.</summary>
    Writing,

    /// <summary>The card is read back and compared.</summary>
    ReadingBack,

    /// <summary>The first-boot files are written.</summary>
    FirstBootFiles,

    /// <summary>The boot is played from the card.</summary>
    DryBoot,

    /// <summary>The card is ready and may be taken out.</summary>
    Done,

    /// <summary>Something stopped it.</summary>
    Failed,

    /// <summary>A person stopped it: the card is half written.</summary>
    Cancelled,

    /// <summary>The program ended meanwhile: the card is half written.</summary>
    Interrupted,
}

/// <summary>The writing of a card as it stands; stored at each step, so that it is true at the next start.</summary>
/// <param name="DoneBytes">Of the present step.</param>
/// <param name="BytesPerSecond">Of the present step, 0 before it is known.</param>
/// <param name="WriteBytesPerSecond">Measured while the image was written.</param>
/// <param name="ReadBytesPerSecond">Measured while the card was read back.</param>
/// <param name="Files">The first-boot files that are on the card.</param>
/// <param name="Before">The boot of the image as it was downloaded, played on this board.</param>
/// <param name="After">The boot of the written card, played on this board.</param>
/// <param name="Erased">Whether anything was written to the card.</param>
/// <param name="LabelGb">What the label of the card says, as the board on the bench has it; null when it says nothing.</param>
/// <param name="CardBytes">What the card holds.</param>
/// <param name="Applied">The texts of the first-boot files as they were written, without secrets; null in records of earlier versions.</param>
/// <param name="Layout">How the card is laid out.</param>
/// <param name="Systems">The systems of a card that is put together, in the order of its menu; null where an image was written as it is.</param>
/// <param name="DriveSlotId">The slot of the drive that holds the root; null where it is on the card.</param>
/// <param name="DriveKind">ssd or usb; null without a drive.</param>
/// <param name="Set">What was set before the first boot as it was written, without password and wireless key; null in records of earlier versions.</param>
/// <param name="Recipes">Ids of the recipes that were written; null in records of earlier versions.</param>
/// <param name="CardNumber">Which card of its board it is or will be; null in records of earlier versions.</param>
public sealed record CardWrite(
    string Id,
    string BoardId,
    string SlotId,
    string SlotName,
    string ImageId,
    string ImageTitle,
    WriteStep Step,
    long DoneBytes,
    long TotalBytes,
    double BytesPerSecond,
    double? WriteBytesPerSecond,
    double? ReadBytesPerSecond,
    IReadOnlyList<string> Files,
    DryVerdict? Before,
    DryBoot? After,
    bool Erased,
    Problem? Problem,
    DateTimeOffset StartedAt,
    DateTimeOffset? EndedAt,
    int? CardNumber = null,
    int? LabelGb = null,
    long? CardBytes = null,
    IReadOnlyList<KeptFile>? Applied = null,
    StorageLayout Layout = StorageLayout.OneCard,
    IReadOnlyList<LaidSystem>? Systems = null,
    string? DriveSlotId = null,
    string? DriveKind = null,
    FirstBoot? Set = null,
    IReadOnlyList<string>? Recipes = null
)
{
    /// <summary>Whether it goes on.</summary>
    public bool Running => Step < WriteStep.Done;

    /// <summary>Seconds that the present step still takes at its present speed; null before that is known.</summary>
    public int? SecondsLeft => BytesPerSecond > 0 && Running ? (int)Math.Ceiling((TotalBytes - DoneBytes) / BytesPerSecond) : null;
}

/// <summary>Whether a card holds as much as it says: marks all over it, read back.</summary>
public static class CardSize
{
    /// <summary>Flash is erased in blocks of at least 4 MiB, so a card that comes round does so at a multiple of it.</summary>
    public const long Step = 4 << 20;

    private const int MarkBytes = 4096;

    /// <summary>Writes and reads the marks, which destroys what is on the card; null when it is as large as it says, else what it really holds in bytes (a guess to 4 MiB).</summary>
    /// <param name="flush">Called between writing and reading.</param>
    /// <param name="progress">Hears how many of how many marks are done, writing and reading together.</param>
    public static long? Check(WritableBytes card, ulong seed, Action flush, Action<long, long> progress)
    {
        var count = card.Length / Step;
        var mark = new byte[MarkBytes];
        for (long i = 0; i < count; i++)
        {
            Fill(mark, seed, i);
            card.Write(i * Step, mark);
            progress(i + 1, 2 * count);
        }
        flush();
        var read = new byte[MarkBytes];
        long rounds = 0;
        long? lost = null;
        for (long i = 0; i < count; i++)
        {
            Fill(mark, seed, i);
            var got = card.Read(i * Step, read);
            if (got < MarkBytes || !read.AsSpan().SequenceEqual(mark))
            {
                if (got == MarkBytes && BitConverter.ToUInt64(read) == seed && BitConverter.ToInt64(read, 8) is var other && other > i)
                    rounds = Common(rounds, (other - i) * Step);
                else
                    lost ??= i * Step;
            }
            progress(count + i + 1, 2 * count);
        }
        return rounds > 0 ? rounds : lost;
    }

    private static void Fill(byte[] mark, ulong seed, long index)
    {
        BitConverter.TryWriteBytes(mark, seed);
        BitConverter.TryWriteBytes(mark.AsSpan(8), index);
        var value = seed ^ (ulong)index;
        for (var o = 16; o < mark.Length; o += 8)
            BitConverter.TryWriteBytes(mark.AsSpan(o), value = value * 6364136223846793005 + 1442695040888963407);
    }

    private static long Common(long a, long b) => b == 0 ? a : Common(b, a % b);
}
