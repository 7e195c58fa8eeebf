using System.Runtime.InteropServices;

namespace Buttonhook.Hardware;

/// <summary>Unpacks zst through the system's libzstd (zstd.h, streaming decompression): memory bounded by a window of 128 MiB, several frames after one another.</summary>
public sealed unsafe partial class ZstdStream : ForwardStream
{
    private const int BufferBytes = 1 << 17;
    private const int WindowLogMax = 100;
    private const int LargestWindowLog = 27;

    [StructLayout(LayoutKind.Sequential)]
    private struct Piece
    {
        public byte* Start;
        public nuint Size;
        public nuint At;
    }

    [LibraryImport("libzstd.so.1", EntryPoint = "ZSTD_createDStream")]
    private static partial void* Create();

    [LibraryImport("libzstd.so.1", EntryPoint = "ZSTD_freeDStream")]
    private static partial nuint Free(void* state);

    [LibraryImport("libzstd.so.1", EntryPoint = "ZSTD_DCtx_setParameter")]
    private static partial nuint Set(void* state, int parameter, int value);

    [LibraryImport("libzstd.so.1", EntryPoint = "ZSTD_decompressStream")]
    private static partial nuint Decompress(void* state, Piece* into, Piece* from);

    [LibraryImport("libzstd.so.1", EntryPoint = "ZSTD_isError")]
    private static partial uint IsError(nuint code);

    [LibraryImport("libzstd.so.1", EntryPoint = "ZSTD_getErrorName")]
    private static partial byte* ErrorName(nuint code);

    private readonly Stream input;
    private readonly void* state;
    private readonly byte* buffer = (byte*)NativeMemory.Alloc(BufferBytes);
    private Piece from;
    private bool betweenFrames = true;
    private bool disposed;

    /// <summary>Unpacks <paramref name="input"/>, which stays the caller's.</summary>
    public ZstdStream(Stream input)
    {
        this.input = input;
        state = Create();
        if (state is null)
            throw new IOException("The system's zstd library has no memory.");
        _ = Set(state, WindowLogMax, LargestWindowLog);
        from.Start = buffer;
    }

    /// <inheritdoc/>
    public override int Read(Span<byte> into)
    {
        if (into.IsEmpty)
            return 0;
        fixed (byte* start = into)
        {
            var piece = new Piece { Start = start, Size = (nuint)into.Length };
            while (piece.At == 0)
            {
                if (from.At == from.Size)
                {
                    var count = input.Read(new Span<byte>(buffer, BufferBytes));
                    if (count == 0 && betweenFrames)
                        return 0;
                    if (count == 0)
                        throw new InvalidDataException("the zst file is cut off");
                    from.Size = (nuint)count;
                    from.At = 0;
                }
                nuint left;
                fixed (Piece* source = &from)
                    left = Decompress(state, &piece, source);
                if (IsError(left) != 0)
                    throw new InvalidDataException(
                        $"the zst data is damaged ({Marshal.PtrToStringUTF8((nint)ErrorName(left))?.ToLowerInvariant()})"
                    );
                betweenFrames = left == 0;
            }
            return (int)piece.At;
        }
    }

    /// <inheritdoc/>
    protected override void Dispose(bool disposing)
    {
        if (!disposed)
        {
            disposed = true;
            _ = Free(state);
            NativeMemory.Free(buffer);
        }
        base.Dispose(disposing);
    }
}
