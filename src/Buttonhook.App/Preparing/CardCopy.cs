using System.IO.Hashing;
using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Hardware.Cards;

namespace Buttonhook.App.Preparing;

/// <summary>Copies an image onto a card, unpacked on the way, and compares what the card gives back; sums of each 4 MiB tell where it differs.</summary>
/// <param name="start">Where on the card it begins, in bytes.</param>
public sealed class CardCopy(CardDevice card, Action<long> progress, long start = 0)
{
    private const int PieceBytes = 1 << 20;
    private const int ChunkBytes = 4 << 20;
    private readonly List<ulong> sums = [];
    private readonly XxHash3 hash = new();

    /// <summary>How many bytes were written.</summary>
    public long Length { get; private set; }

    /// <summary>Writes all of it and waits until it is on the card; what is wrong with the image is a problem, what is wrong with the card throws <see cref="CardException"/>.</summary>
    public async Task<Problem?> Write(PackedImage image, CancellationToken token)
    {
        if (await image.Pump(card.Length, (piece, at) => Put(piece.Span), token) is { } stopped)
            return stopped;
        End();
        return null;
    }

    /// <summary>Writes a part of an image, unpacked, and waits until it is on the card.</summary>
    public void Write(ImageBytes image, long from, long length, CancellationToken token)
    {
        var buffer = new byte[PieceBytes];
        while (Length < length)
        {
            token.ThrowIfCancellationRequested();
            var piece = buffer.AsSpan(0, (int)Math.Min(PieceBytes, length - Length));
            var got = image.Read(from + Length, piece);
            // What an image promises behind its end is zeros.
            piece[got..].Clear();
            Put(piece);
        }
        End();
    }

    private void Put(ReadOnlySpan<byte> piece)
    {
        card.Write(start + Length, piece);
        hash.Append(piece);
        Length += piece.Length;
        if (Length % ChunkBytes == 0)
        {
            sums.Add(hash.GetCurrentHashAsUInt64());
            hash.Reset();
        }
        progress(Length);
    }

    private void End()
    {
        card.Flush();
        if (Length % ChunkBytes != 0)
            sums.Add(hash.GetCurrentHashAsUInt64());
    }

    /// <summary>Reads the card back and compares; null when every byte is equal.</summary>
    public Problem? Compare(CancellationToken token)
    {
        var buffer = new byte[PieceBytes];
        for (var chunk = 0; chunk < sums.Count; chunk++)
        {
            hash.Reset();
            var from = (long)chunk * ChunkBytes;
            var to = Math.Min(Length, from + ChunkBytes);
            for (var at = from; at < to; at += PieceBytes)
            {
                token.ThrowIfCancellationRequested();
                var piece = buffer.AsSpan(0, (int)Math.Min(PieceBytes, to - at));
                if (card.Read(start + at, piece) < piece.Length)
                    return new("The card should be read back whole.", $"It ends at byte {start + at}.", "Use another card.");
                hash.Append(piece);
                progress(at + piece.Length);
            }
            if (hash.GetCurrentHashAsUInt64() != sums[chunk])
                return new(
                    "The card should give back what was written.",
                    $"It differs between {Sizes.Binary(start + from)} and {Sizes.Binary(start + to)} from its beginning.",
                    "Check whether the card is as large as it says; when it is, the card or the reader is broken: use another one."
                );
        }
        return null;
    }
}
