using Buttonhook.Core;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Hardware;
using SharpCompress.Compressors.BZip2;

namespace Buttonhook.App.Images;

/// <summary>Image files as they are downloaded: raw, or packed as gz, xz, zst, bz2, zip or 7z, told by their first bytes.</summary>
public static class ImageFiles
{
    /// <summary>The largest image that is unpacked, in bytes; a bomb stops there.</summary>
    public const long Largest = 32L << 30;

    /// <summary>Raw images up to this size get their checksum without being asked; hashing larger ones takes longer than everything else.</summary>
    private const long HashedUnasked = 512L << 20;
    private const long AskRoomEvery = 32L << 20;

    private sealed class NoRoomException(Problem problem) : Exception
    {
        public Problem Problem => problem;
    }

    /// <summary>A file that is closed at the end unless somebody took it over.</summary>
    private sealed class Owned(FileStream file) : IDisposable
    {
        private bool released;
        public FileStream File { get; } = file;

        public FileStream Release()
        {
            released = true;
            return File;
        }

        public void Dispose()
        {
            if (!released)
                File.Dispose();
        }
    }

    /// <summary>Opens the bytes of an image, unpacked in the scratch when it is packed; what stands in the way is a problem.</summary>
    public static async Task<Answer<FileStream>> Open(string path, CancellationToken token, Action<long>? progress = null)
    {
        var opened = PackedImage.Open(path, token, progress);
        if (opened.Value is not { } packed)
            return opened.Problem!;
        using (packed)
        {
            if (packed.Compression == PackedImage.Raw)
                return new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.Read, 1 << 16);
            if (Scratch.NoRoom(packed.SizeBytes) is { } full)
                return full;
            using var room = new Owned(Scratch.File());
            if (await packed.Pump(Largest, (piece, at) => Holes.Write(room.File, piece.Span, at, _ => { }), token) is { } problem)
                return problem;
            room.File.SetLength(packed.ExpandedBytes);
            room.File.Flush();
            return room.Release();
        }
    }

    /// <summary>Inspects a file; what stands in the way is a problem.</summary>
    /// <param name="signs">First loaders to look for.</param>
    /// <param name="look">Sees the image while it lies unpacked.</param>
    /// <param name="kept">Takes the unpacked image over; null when nobody needs it afterwards.</param>
    /// <param name="progress">Hears how many bytes of the file have been read.</param>
    /// <param name="published">The published checksum that the file should have (see <see cref="Checksum"/>); null when none is known.</param>
    public static Answer<Inspection> Inspect(
        string path,
        DryBoard? board,
        IReadOnlyList<FirstLoaderSign> signs,
        string? published,
        CancellationToken token,
        Action<long>? progress = null,
        Action<ImageBytes, Inspection>? look = null,
        Unpacked? kept = null
    )
    {
        if (File.Exists(path) && SplitFile.Of(path) is { } part)
            return Inspection.Of(part, new FileInfo(path).Length, board);
        var opened = PackedImage.Open(path, token, progress);
        if (opened.Value is not { } packed)
            return opened.Problem!;
        var order = new Order(path, board, signs, published, look);
        using (packed)
            try
            {
                if (published is not null && Checksum.For(published, path).Problem is { } unreadable)
                    return unreadable;
                return packed.Compression == PackedImage.Raw ? InspectRaw(packed, order) : InspectPacked(packed, order, kept, token);
            }
            catch (NoRoomException e)
            {
                return e.Problem;
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                return new Problem(
                    "IMAGE should be a file that can be read.",
                    e.Message,
                    "Look at its name, who may read it, and the room on the disk."
                );
            }
    }

    /// <summary>What is asked of an image.</summary>
    private sealed record Order(
        string Path,
        DryBoard? Board,
        IReadOnlyList<FirstLoaderSign> Signs,
        string? Published,
        Action<ImageBytes, Inspection>? Look
    )
    {
        public Answer<Inspection> Done(ImageBytes bytes, Inspection found)
        {
            Look?.Invoke(bytes, found);
            return Published is not null && Checksum.Compare(Published, Path, found.Sha256) is { } problem ? problem : found;
        }
    }

    private static Answer<Inspection> InspectRaw(PackedImage packed, Order order)
    {
        var hashed = order.Published is not null || packed.SizeBytes <= HashedUnasked;
        var sum = hashed ? Task.Run(packed.Sha256, CancellationToken.None) : Task.FromResult("");
        try
        {
            using var raw = new FileStream(order.Path, FileMode.Open, FileAccess.Read, FileShare.Read, 1 << 16);
            var bytes = ImageBytes.Of(raw);
            var found = Inspection.Of(bytes, packed.Compression, packed.SizeBytes, "", order.Board, order.Signs, Unpack);
            return order.Done(bytes, found with { Sha256 = sum.GetAwaiter().GetResult() });
        }
        finally
        {
            // Whatever happened, the file is not closed under the hash.
            Task.WaitAny([sum], CancellationToken.None);
        }
    }

    private static Answer<Inspection> InspectPacked(PackedImage packed, Order order, Unpacked? kept, CancellationToken token)
    {
        if (Scratch.NoRoom(packed.SizeBytes) is { } full)
            return full;
        using var room = new Owned(Scratch.File());
        var expanded = room.File;
        long taken = 0;
        void Take(int bytes)
        {
            taken += bytes;
            if (taken % AskRoomEvery < bytes && Scratch.NoRoom(AskRoomEvery) is { } noRoom)
                throw new NoRoomException(noRoom);
        }
        var pumped = packed.Pump(Largest, (piece, at) => Holes.Write(expanded, piece.Span, at, Take), token);
        if (pumped.GetAwaiter().GetResult() is { } problem)
            return problem;
        expanded.SetLength(packed.ExpandedBytes);
        expanded.Flush();
        var image = ImageBytes.Of(expanded);
        var found = Inspection.Of(image, packed.Compression, packed.SizeBytes, packed.Sha256(), order.Board, order.Signs, Unpack);
        var answer = order.Done(image, found);
        if (kept is not null && answer.Value is not null)
            kept.Keep(order.Path, room.Release());
        return answer;
    }

    /// <summary>Unpacks a stream inside an image (a kernel, an initial file system) by its magic; null for a kind that is not known.</summary>
    public static Stream? Unpack(Stream stream)
    {
        Span<byte> head = stackalloc byte[6];
        head = head[..stream.ReadAtLeast(head, 6, false)];
        stream.Position = 0;
        return head switch
        {
            [0x1F, 0x8B, ..] => new GzStream(stream),
            [0xFD, (byte)'7', (byte)'z', (byte)'X', (byte)'Z', 0] => new XzStream(stream),
            [0x28, 0xB5, 0x2F, 0xFD, ..] => new ZstdStream(stream),
            [(byte)'B', (byte)'Z', (byte)'h', ..] => BZip2Stream.Create(
                stream,
                SharpCompress.Compressors.CompressionMode.Decompress,
                false
            ),
            [0x5D, 0x00, 0x00, ..] => XzStream.Alone(stream),
            _ => null,
        };
    }
}
