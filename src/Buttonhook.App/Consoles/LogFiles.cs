using System.Buffers;
using System.IO.Pipelines;
using Buttonhook.Core;
using Buttonhook.Hardware;

namespace Buttonhook.App.Consoles;

/// <summary>Log files that people drop or post.</summary>
public static class LogFiles
{
    /// <summary>The largest log that is kept, in bytes: it streams through and is never whole in memory.</summary>
    public const long Largest = 4L << 30;

    /// <summary>The largest that must be whole in memory to be read: a recording, a zip, lines with another program's times.</summary>
    public const long LargestWhole = 64L << 20;

    /// <summary>Bytes of one stored piece.</summary>
    private const int PieceBytes = 256 << 10;

    private static readonly (byte[] Magic, string Kind)[] OtherKinds =
    [
        ([0x1F, 0x8B], "a gzip archive"),
        ([0xFD, (byte)'7', (byte)'z', (byte)'X', (byte)'Z'], "an xz archive"),
        ([0x28, 0xB5, 0x2F, 0xFD], "a zstd archive"),
        ("BZh"u8.ToArray(), "a bzip2 archive"),
        ("PK\u0003\u0004"u8.ToArray(), "a zip archive"),
        ([(byte)'7', (byte)'z', 0xBC, 0xAF], "a 7z archive"),
        ([0x89, (byte)'P', (byte)'N', (byte)'G'], "a picture"),
        ([0xFF, 0xD8, 0xFF], "a picture"),
        ("%PDF"u8.ToArray(), "a PDF document"),
        ([0x7F, (byte)'E', (byte)'L', (byte)'F'], "a program"),
        ([0xD0, 0x0D, 0xFE, 0xED], "a device tree"),
        ("SQLite format 3"u8.ToArray(), "a database"),
    ];

    /// <summary>What kind of file this is when it is certainly no console log, by its first bytes; else null.</summary>
    public static string? OtherKind(ReadOnlySpan<byte> start)
    {
        foreach (var (magic, kind) in OtherKinds)
            if (start.StartsWith(magic))
                return kind;
        return start.Length > 1024 && start[510] == 0x55 && start[511] == 0xAA && start[..440].IndexOfAnyExcept((byte)0) < 440
            ? "a disk image"
            : null;
    }

    /// <summary>A log that a person named at the command line, of any size, "-" being standard input; a problem when it is none, or may not be read.</summary>
    /// <param name="what">What it is called there ("LOG").</param>
    public static Answer<Stream> Open(string path, string what)
    {
        Stream? log = null;
        try
        {
            if (path == "-")
            {
                // What is piped in cannot be read twice: it is put down, and gone when it is closed.
                log = new FileStream(
                    Path.GetTempFileName(),
                    FileMode.Create,
                    FileAccess.ReadWrite,
                    FileShare.None,
                    1 << 16,
                    FileOptions.DeleteOnClose
                );
                using var input = Console.OpenStandardInput();
                input.CopyTo(log);
                log.Position = 0;
            }
            else if (FileKinds.NotRegular(path, what) is { } other)
                return other;
            else
                log = File.OpenRead(path);
            var start = new byte[HeadBytes];
            var length = log.ReadAtLeast(start, start.Length, false);
            log.Position = 0;
            if (OtherKind(start.AsSpan(0, length)) is not { } kind)
                return log;
            log.Dispose();
            return new Problem(
                $"{what} should be text as a serial port gives it.",
                $"{path} is {kind}.",
                "Unpack it, or choose the log itself."
            );
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            log?.Dispose();
            return new Problem($"{what} should be a file that can be read.", e.Message, "Look at its name and who may read it.");
        }
    }

    private const int HeadBytes = 4096;

    /// <summary>The problem of a log that is too large.</summary>
    public static Problem TooLarge(long came, long most) =>
        new(
            $"A log may have up to {Sizes.Binary(most)}, {most.ToString("#,0", System.Globalization.CultureInfo.InvariantCulture)} bytes.",
            $"This one has {(came > most && came - most < PieceBytes ? "more" : came.ToString("#,0", System.Globalization.CultureInfo.InvariantCulture) + $" bytes, {Sizes.Binary(came)}")}.",
            "Cut out the boot that failed and drop that part; nothing of this one was stored."
        );

    /// <summary>The body of a request in pieces.</summary>
    public static async IAsyncEnumerable<byte[]> Pieces(PipeReader body)
    {
        while (true)
        {
            var result = await body.ReadAtLeastAsync(PieceBytes);
            var buffer = result.Buffer;
            try
            {
                while (buffer.Length >= PieceBytes || (result.IsCompleted && buffer.Length > 0))
                {
                    var piece = buffer.Slice(0, Math.Min(PieceBytes, buffer.Length));
                    buffer = buffer.Slice(piece.End);
                    yield return piece.ToArray();
                }
            }
            finally
            {
                // Also when the caller stops in the middle: what was read must be given back to the server.
                body.AdvanceTo(buffer.Start, buffer.End);
            }
            if (result.IsCompleted)
                yield break;
        }
    }
}
