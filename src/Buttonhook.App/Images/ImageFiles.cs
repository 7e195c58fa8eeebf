using System.IO.Compression;
using System.Security.Cryptography;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Hardware;
using SharpCompress.Archives.SevenZip;
using SharpCompress.Compressors.BZip2;

namespace Buttonhook.App.Images;

/// <summary>Image files as they are downloaded: raw, or packed as gz, xz, zst, bz2, zip or 7z, told by their first bytes.</summary>
public static class ImageFiles
{
    /// <summary>The largest image that is unpacked, in bytes; a bomb stops there.</summary>
    public const long Largest = 32L << 30;

    /// <summary>Raw images up to this size get their checksum without being asked; hashing larger ones takes longer than everything else.</summary>
    private const long HashedUnasked = 512L << 20;
    private const int BlockBytes = 1 << 16;

    /// <summary>Inspects a file; what stands in the way is a problem.</summary>
    /// <param name="hash">Whether the checksum of a large raw image is computed too.</param>
    public static Answer<Inspection> Inspect(string path, DryBoard? board, bool hash, CancellationToken token)
    {
        try
        {
            using var file = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.Read, 1 << 16);
            if (file.Length == 0)
                return new Problem("IMAGE should have at least one byte.", $"{path} is empty.", "Download it again.");
            var kind = KindOf(file);
            if (kind == "none")
            {
                var sum = hash || file.Length <= HashedUnasked ? Convert.ToHexStringLower(SHA256.HashData(file)) : "";
                return Inspection.Of(ImageBytes.Of(file), kind, file.Length, sum, board, Unpack);
            }
            using var expanded = new FileStream(
                Path.Combine(Path.GetTempPath(), $"buttonhook-{Guid.NewGuid():N}.img"),
                FileMode.CreateNew,
                FileAccess.ReadWrite,
                FileShare.None,
                1 << 16,
                FileOptions.DeleteOnClose
            );
            var hashed = new HashingStream(file);
            if (Expand(kind, kind is "zip" or "7z" ? file : hashed, expanded, token) is { } problem)
                return problem with { Came = $"{path}: {problem.Came}" };
            var digest = kind is "zip" or "7z" ? HashOf(file) : hashed.Finish();
            return Inspection.Of(ImageBytes.Of(expanded), kind, file.Length, digest, board, Unpack);
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

    private static string HashOf(FileStream file)
    {
        file.Position = 0;
        return Convert.ToHexStringLower(SHA256.HashData(file));
    }

    /// <summary>The packing of a file by its first bytes.</summary>
    private static string KindOf(FileStream file)
    {
        Span<byte> head = stackalloc byte[8];
        head = head[..file.ReadAtLeast(head, 8, false)];
        file.Position = 0;
        return head switch
        {
            [0x1F, 0x8B, ..] => "gz",
            [0xFD, (byte)'7', (byte)'z', (byte)'X', (byte)'Z', 0, ..] => "xz",
            [0x28, 0xB5, 0x2F, 0xFD, ..] => "zst",
            [(byte)'B', (byte)'Z', (byte)'h', ..] => "bz2",
            [(byte)'P', (byte)'K', 3, 4, ..] => "zip",
            [(byte)'7', (byte)'z', 0xBC, 0xAF, ..] => "7z",
            _ => "none",
        };
    }

    private static Problem? Expand(string kind, Stream from, FileStream into, CancellationToken token)
    {
        try
        {
            switch (kind)
            {
                case "zip":
                    using (var archive = SharpCompress.Archives.Zip.ZipArchive.OpenArchive(from))
                        return LargestOf(
                            archive.Entries.Where(e => !e.IsDirectory).Select(e => (e.Size, (Func<Stream>)e.OpenEntryStream)),
                            into,
                            token
                        );
                case "7z":
                    using (var archive = SevenZipArchive.OpenArchive(from))
                        return LargestOf(
                            archive.Entries.Where(e => !e.IsDirectory).Select(e => (e.Size, (Func<Stream>)e.OpenEntryStream)),
                            into,
                            token
                        );
                default:
                    using (var stream = Decoder(kind, from))
                        return Copy(stream, into, token);
            }
        }
        catch (Exception e)
            when (e
                    is InvalidDataException
                        or SharpCompress.Common.SharpCompressException
                        or ZstdSharp.ZstdException
                        or NotSupportedException
                        or EndOfStreamException
            )
        {
            return new(
                "The image should unpack.",
                $"It does not: {e.Message.TrimEnd('.')}.",
                "Download it again and compare its checksum."
            );
        }
    }

    /// <summary>The largest file of an archive is the image; names in it are never used as paths.</summary>
    private static Problem? LargestOf(IEnumerable<(long Size, Func<Stream> Open)> entries, FileStream into, CancellationToken token)
    {
        var best = entries.OrderByDescending(e => e.Size).FirstOrDefault();
        if (best.Open is null)
            return new("An archive should hold an image.", "It is empty.", "Download it again.");
        using var stream = best.Open();
        return Copy(stream, into, token);
    }

    /// <summary>Copies with holes for zeros, so that an image takes the room of what is in it.</summary>
    private static Problem? Copy(Stream from, FileStream into, CancellationToken token)
    {
        var buffer = new byte[BlockBytes * 4];
        long at = 0;
        while (from.ReadAtLeast(buffer, buffer.Length, false) is > 0 and var count)
        {
            token.ThrowIfCancellationRequested();
            for (var o = 0; o < count; o += BlockBytes)
            {
                var block = buffer.AsSpan(o, Math.Min(BlockBytes, count - o));
                if (block.IndexOfAnyExcept((byte)0) < 0)
                    continue;
                into.Position = at + o;
                into.Write(block);
            }
            at += count;
            if (at > Largest)
                return new(
                    $"An image may expand to {Sizes.Binary(Largest)}.",
                    "This one goes on beyond that.",
                    "It is no image for a card."
                );
        }
        into.SetLength(at);
        into.Flush();
        return at == 0 ? new("The image should unpack to something.", "It unpacks to nothing.", "Download it again.") : null;
    }

    private static Stream Decoder(string kind, Stream from) =>
        kind switch
        {
            "gz" => new GZipStream(from, CompressionMode.Decompress, true),
            "xz" => new XzStream(from),
            "zst" => new ZstdSharp.DecompressionStream(from, leaveOpen: true),
            _ => BZip2Stream.Create(from, SharpCompress.Compressors.CompressionMode.Decompress, true),
        };

    /// <summary>Unpacks a stream inside an image (a kernel, an initial file system) by its magic; null for a kind that is not known.</summary>
    public static Stream? Unpack(Stream stream)
    {
        Span<byte> head = stackalloc byte[6];
        head = head[..stream.ReadAtLeast(head, 6, false)];
        stream.Position = 0;
        return head switch
        {
            [0x1F, 0x8B, ..] => new GZipStream(stream, CompressionMode.Decompress),
            [0xFD, (byte)'7', (byte)'z', (byte)'X', (byte)'Z', 0] => new XzStream(stream),
            [0x28, 0xB5, 0x2F, 0xFD, ..] => new ZstdSharp.DecompressionStream(stream),
            [(byte)'B', (byte)'Z', (byte)'h', ..] => BZip2Stream.Create(
                stream,
                SharpCompress.Compressors.CompressionMode.Decompress,
                false
            ),
            _ => null,
        };
    }

    /// <summary>Hashes what is read through it; decoders that dispose their input do it no harm.</summary>
    private sealed class HashingStream(Stream inner) : Stream
    {
        private readonly IncrementalHash hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);

        public string Finish()
        {
            var buffer = new byte[BlockBytes];
            while (Read(buffer, 0, buffer.Length) > 0) { }
            var digest = Convert.ToHexStringLower(hash.GetHashAndReset());
            hash.Dispose();
            return digest;
        }

        public override int Read(Span<byte> into)
        {
            var count = inner.Read(into);
            hash.AppendData(into[..count]);
            return count;
        }

        public override int Read(byte[] into, int offset, int count) => Read(into.AsSpan(offset, count));

        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => inner.Length;
        public override long Position
        {
            get => inner.Position;
            set => throw new NotSupportedException();
        }

        public override void Flush() { }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] from, int offset, int count) => throw new NotSupportedException();
    }
}
