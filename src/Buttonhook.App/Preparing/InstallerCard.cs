using System.Buffers.Binary;
using System.IO.Compression;
using System.IO.Hashing;
using System.Text;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Preparing;
using Buttonhook.Hardware.Cards;

namespace Buttonhook.App.Preparing;

/// <summary>The card of an installer: files that the board's firmware copies by itself.</summary>
internal static class InstallerCard
{
    /// <summary>Where the one partition begins, in bytes.</summary>
    private const long Start = 4 << 20;

    /// <summary>The installer kind: one FAT32 partition over the card, and the files of the archive in it.</summary>
    public static Problem? Write(
        CardWriteJob job,
        string path,
        bool standIn,
        ImageProfile image,
        CardDevice card,
        DateTime now,
        CancellationToken token
    )
    {
        using var zip = ZipFile.OpenRead(path);
        var entries = zip.Entries.Where(e => e.Name.Length > 0).ToList();
        var total = entries.Sum(e => e.Length);
        if (total + (64 << 20) > card.Length)
            return CardTroubles.TooSmall(image, card.Length);
        job.Begin(WriteStep.Writing, total);
        job.Erase();
        var length = Math.Min(card.Length - Start, 31L << 30);
        card.Write(0, Table(job.State.Id, standIn, length));
        var part = card.Part(Start, length);
        FatFormat.Make(part, "INSTALL", BitConverter.ToUInt32(Encoding.ASCII.GetBytes(job.State.Id[4..8])), (uint)(Start / 512));
        var fat = new FatWriter(part, now);
        long done = 0;
        var sums = new List<(string Name, ulong Sum)>();
        foreach (var entry in entries)
        {
            token.ThrowIfCancellationRequested();
            using var stream = entry.Open();
            using var memory = new MemoryStream();
            stream.CopyTo(memory);
            fat.Write(entry.FullName, memory.GetBuffer().AsSpan(0, (int)memory.Length));
            sums.Add((entry.FullName, XxHash3.HashToUInt64(memory.GetBuffer().AsSpan(0, (int)memory.Length))));
            job.Progress(done += entry.Length);
        }
        card.Flush();
        job.Begin(WriteStep.ReadingBack, total);
        done = 0;
        var tree = FileTree.Open(part).Tree!;
        foreach (var (name, sum) in sums)
        {
            token.ThrowIfCancellationRequested();
            if (tree.Read("/" + name) is not { } bytes || XxHash3.HashToUInt64(bytes) != sum)
                return new(
                    "The card should give back what was written.",
                    $"{name} differs.",
                    "Write it again; when it happens again, use another card."
                );
            job.Progress(done += bytes.Length);
        }
        job.State = job.State with { Files = [.. sums.Select(s => "/" + s.Name)] };
        return null;
    }

    /// <summary>A table of one active FAT32 partition.</summary>
    private static byte[] Table(string id, bool standIn, long length)
    {
        var mbr = new byte[512];
        BinaryPrimitives.WriteUInt32LittleEndian(mbr.AsSpan(440), BitConverter.ToUInt32(Encoding.ASCII.GetBytes(id[..4])));
        if (standIn)
            CardDevice.StandInMark.CopyTo(mbr);
        mbr[446] = 0x80;
        mbr[450] = 0x0C;
        BinaryPrimitives.WriteUInt32LittleEndian(mbr.AsSpan(454), (uint)(Start / 512));
        BinaryPrimitives.WriteUInt32LittleEndian(mbr.AsSpan(458), (uint)(length / 512));
        mbr[510] = 0x55;
        mbr[511] = 0xAA;
        return mbr;
    }
}
