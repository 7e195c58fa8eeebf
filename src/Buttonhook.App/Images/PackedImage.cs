using System.Buffers;
using System.Collections.Concurrent;
using System.Security.Cryptography;
using System.Threading.Channels;
using Buttonhook.Core;
using Buttonhook.Hardware;
using SharpCompress.Archives;
using SharpCompress.Archives.SevenZip;
using SharpCompress.Compressors.BZip2;

namespace Buttonhook.App.Images;

/// <summary>An image file, packed or raw, read once from its first to its last byte: what it holds, and the checksum of the file itself.</summary>
public sealed class PackedImage : IDisposable
{
    private const int PieceBytes = 1 << 20;
    private const int PiecesAhead = 6;
    private readonly FileStream file;
    private readonly HashingStream hashed;
    private readonly IDisposable? archive;

    private PackedImage(FileStream file, HashingStream hashed, string compression, Stream content, IDisposable? archive)
    {
        this.file = file;
        this.hashed = hashed;
        this.archive = archive;
        Compression = compression;
        Content = content;
    }

    /// <summary>none, gz, xz, zst, bz2, zip, 7z or tar, by the first bytes of the file.</summary>
    public string Compression { get; }

    /// <summary>Size of the file in bytes.</summary>
    public long SizeBytes => file.Length;

    /// <summary>How many bytes the image has; known once all of it was pumped.</summary>
    public long ExpandedBytes { get; private set; }

    /// <summary>The bytes of the image, unpacked on the way.</summary>
    public Stream Content { get; }

    /// <summary>Opens a file as it lies unpacked already; null when it does not.</summary>
    public static PackedImage? OpenUnpacked(string path, Unpacked kept, CancellationToken token)
    {
        if (kept.Open(path) is not { } file)
            return null;
        var hashed = new HashingStream(new SparseStream(file), token, null);
        return new(file, hashed, Raw, hashed, null);
    }

    /// <summary>The kind of a file that is not packed.</summary>
    public const string Raw = "none";

    /// <summary>Opens a file; what stands in the way is a problem.</summary>
    /// <param name="progress">Hears how many bytes of the file have been read.</param>
    public static Answer<PackedImage> Open(string path, CancellationToken token, Action<long>? progress = null)
    {
        if (FileKinds.NotRegular(path, "IMAGE") is { } other)
            return other;
        FileStream? file = null;
        try
        {
            file = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.Read, 1 << 16);
            if (file.Length == 0)
                return Closed(file, new Problem("IMAGE should have at least one byte.", $"{path} is empty.", "Download it again."));
            var kind = KindOf(file);
            var hashed = new HashingStream(kind == Raw ? new SparseStream(file) : file, token, progress);
            return kind switch
            {
                Raw => new PackedImage(file, hashed, kind, hashed, null),
                "zip" => Largest(file, hashed, kind, SharpCompress.Archives.Zip.ZipArchive.OpenArchive(file)),
                "7z" => Largest(file, hashed, kind, SevenZipArchive.OpenArchive(file)),
                Tar => new PackedImage(file, hashed, kind, TarImage.Of(hashed), null),
                _ => new PackedImage(file, hashed, kind, TarImage.Of(Decoder(kind, hashed)), null),
            };
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return Closed(
                file,
                new Problem(
                    "IMAGE should be a file that can be read.",
                    e.Message,
                    "Look at its name, who may read it, and the room on the disk."
                )
            );
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            return Closed(file, Damaged(path, e));
        }
    }

    /// <summary>Decodes ahead on another thread while pieces of up to 1 MiB are taken in order; a problem when the file is damaged, when it goes on beyond <paramref name="most"/> bytes, or when it holds nothing.</summary>
    public async Task<Problem?> Pump(long most, Action<ReadOnlyMemory<byte>, long> take, CancellationToken token)
    {
        var full = Channel.CreateBounded<(byte[] Buffer, int Count)>(PiecesAhead);
        var empty = Channel.CreateUnbounded<byte[]>();
        for (var i = 0; i < PiecesAhead + 2; i++)
            empty.Writer.TryWrite(new byte[PieceBytes]);
        using var stop = CancellationTokenSource.CreateLinkedTokenSource(token);
        Exception? broken = null;
        var decoding = Task.Run(
            async () =>
            {
                try
                {
                    while (true)
                    {
                        var buffer = await empty.Reader.ReadAsync(stop.Token);
                        var count = Content.ReadAtLeast(buffer, buffer.Length, false);
                        if (count == 0)
                            break;
                        await full.Writer.WriteAsync((buffer, count), stop.Token);
                    }
                }
                catch (Exception e)
                {
                    broken = e;
                }
                full.Writer.Complete();
            },
            CancellationToken.None
        );
        long at = 0;
        try
        {
            while (await full.Reader.WaitToReadAsync(token))
            while (full.Reader.TryRead(out var piece))
            {
                token.ThrowIfCancellationRequested();
                if (at + piece.Count > most)
                    return new Problem(
                        $"An image may expand to {Sizes.Binary(most)}.",
                        "This one goes on beyond that.",
                        "It is no image for this."
                    );
                take(piece.Buffer.AsMemory(0, piece.Count), at);
                at += piece.Count;
                empty.Writer.TryWrite(piece.Buffer);
            }
        }
        finally
        {
            stop.Cancel();
            await decoding;
        }
        token.ThrowIfCancellationRequested();
        if (broken is not null)
            return Damaged(file.Name, broken, file.Position);
        ExpandedBytes = at;
        return at == 0 ? new Problem("The image should unpack to something.", "It unpacks to nothing.", "Download it again.") : null;
    }

    /// <summary>The SHA-256 of the file, in small letters; what was not read yet is read now.</summary>
    public string Sha256()
    {
        if (archive is null)
            return hashed.Finish();
        file.Position = 0;
        return Convert.ToHexStringLower(SHA256.HashData(file));
    }

    /// <summary>Closes the file.</summary>
    public void Dispose()
    {
        Content.Dispose();
        hashed.Stop();
        archive?.Dispose();
        file.Dispose();
    }

    private static Problem Closed(FileStream? file, Problem problem)
    {
        file?.Dispose();
        return problem;
    }

    /// <summary>Endings of images; an archive may hold notes and sums beside one.</summary>
    internal static readonly string[] Endings = [".img", ".raw", ".wic", ".iso", ".sdcard", ".sdimg", ".hddimg"];

    private static Problem Damaged(string path, Exception e, long? at = null) =>
        new(
            "The image should unpack.",
            $"{path} does not{(at is { } read ? $", near byte {read} of it" : "")}: {e.Message.TrimEnd('.')}.",
            "Download it again and compare its checksum."
        );

    /// <summary>The largest file of an archive is the image; names in it are never used as paths.</summary>
    private static Answer<PackedImage> Largest(FileStream file, HashingStream hashed, string kind, IArchive archive)
    {
        var files = archive.Entries.Where(e => !e.IsDirectory).OrderByDescending(e => e.Size).ToList();
        var images = files
            .Where(e => Endings.Contains(System.IO.Path.GetExtension(e.Key ?? ""), StringComparer.OrdinalIgnoreCase))
            .ToList();
        if (images.Count > 1)
        {
            var names = string.Join(", ", images.Take(4).Select(e => System.IO.Path.GetFileName(e.Key)));
            archive.Dispose();
            return Closed(
                file,
                new Problem(
                    "An archive should hold one image.",
                    $"It holds {images.Count}: {names}. Which one is meant cannot be told.",
                    "Unpack it, and bring the one for your board."
                )
            );
        }
        if (files is [var best, ..])
            return new PackedImage(file, hashed, kind, (images.FirstOrDefault() ?? best).OpenEntryStream(), archive);
        archive.Dispose();
        return Closed(file, new Problem("An archive should hold an image.", "It is empty.", "Download it again."));
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
            _ => TarImage.Begins(file) ? Tar : Raw,
        };
    }

    private const string Tar = "tar";

    private static Stream Decoder(string kind, Stream from) =>
        kind switch
        {
            "gz" => new GzStream(from),
            "xz" => new XzStream(from),
            "zst" => new ZstdStream(from),
            _ => BZip2Stream.Create(from, SharpCompress.Compressors.CompressionMode.Decompress, true),
        };

    /// <summary>Hashes what is read through it, on a thread of its own; decoders that dispose their input do it no harm.</summary>
    private sealed class HashingStream : ForwardStream
    {
        private const int PiecesBehind = 64;
        private readonly Stream inner;
        private readonly CancellationToken token;
        private readonly Action<long>? progress;
        private readonly BlockingCollection<(byte[] Buffer, int Count)> pieces = new(PiecesBehind);
        private Task<string>? hashing;

        public HashingStream(Stream inner, CancellationToken token, Action<long>? progress)
        {
            this.inner = inner;
            this.token = token;
            this.progress = progress;
        }

        /// <summary>Reads what is left and gives the digest in small letters.</summary>
        public string Finish()
        {
            var buffer = new byte[1 << 18];
            while (Read(buffer) > 0) { }
            Stop();
            return hashing!.Result;
        }

        /// <summary>Ends the thread; nothing is read afterwards.</summary>
        public void Stop()
        {
            if (!pieces.IsAddingCompleted)
                pieces.CompleteAdding();
            hashing ??= Task.Run(Hash);
            hashing.Wait();
        }

        public override int Read(Span<byte> into)
        {
            token.ThrowIfCancellationRequested();
            var count = inner.Read(into);
            hashing ??= Task.Run(Hash);
            if (count > 0)
            {
                var piece = ArrayPool<byte>.Shared.Rent(count);
                into[..count].CopyTo(piece);
                pieces.Add((piece, count), token);
            }
            progress?.Invoke(inner.Position);
            return count;
        }

        private string Hash()
        {
            using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
            foreach (var (buffer, count) in pieces.GetConsumingEnumerable())
            {
                hash.AppendData(buffer.AsSpan(0, count));
                ArrayPool<byte>.Shared.Return(buffer);
            }
            return Convert.ToHexStringLower(hash.GetHashAndReset());
        }
    }
}
