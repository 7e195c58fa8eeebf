using System.Runtime.InteropServices;

namespace Buttonhook.Hardware;

/// <summary>Unpacks xz through the system's liblzma (lzma/base.h, lzma/container.h): forward only, constant memory, several streams after one another.</summary>
public sealed unsafe partial class XzStream : Stream
{
    private const int BufferBytes = 1 << 16;
    private const uint Concatenated = 0x08;
    private const int StreamEnd = 1;

    [StructLayout(LayoutKind.Sequential)]
    private struct State
    {
        public byte* NextIn;
        public nuint AvailableIn;
        public ulong TotalIn;
        public byte* NextOut;
        public nuint AvailableOut;
        public ulong TotalOut;
        public void* Allocator;
        public void* Internal;
        public fixed ulong Reserved[12];
    }

    [LibraryImport("liblzma.so.5", EntryPoint = "lzma_stream_decoder")]
    private static partial int StartDecoder(State* state, ulong memoryLimit, uint flags);

    [LibraryImport("liblzma.so.5", EntryPoint = "lzma_code")]
    private static partial int Code(State* state, int action);

    [LibraryImport("liblzma.so.5", EntryPoint = "lzma_end")]
    private static partial void End(State* state);

    private readonly Stream input;
    private readonly State* state = (State*)NativeMemory.AllocZeroed((nuint)sizeof(State));
    private readonly byte* buffer = (byte*)NativeMemory.Alloc(BufferBytes);
    private bool inputEnded;
    private bool ended;
    private bool disposed;

    /// <summary>Unpacks <paramref name="input"/>, which stays the caller's; at most <paramref name="memoryLimit"/> bytes are used for it.</summary>
    public XzStream(Stream input, ulong memoryLimit = 512UL << 20)
    {
        this.input = input;
        if (StartDecoder(state, memoryLimit, Concatenated) is var code and not 0)
            throw new IOException($"The system's xz library answers {code}.");
    }

    /// <inheritdoc/>
    public override int Read(Span<byte> into)
    {
        if (ended || into.IsEmpty)
            return 0;
        fixed (byte* start = into)
        {
            state->NextOut = start;
            state->AvailableOut = (nuint)into.Length;
            while (state->AvailableOut == (nuint)into.Length)
            {
                if (state->AvailableIn == 0 && !inputEnded)
                {
                    var count = input.Read(new Span<byte>(buffer, BufferBytes));
                    inputEnded = count == 0;
                    state->NextIn = buffer;
                    state->AvailableIn = (nuint)count;
                }
                var code = Code(state, inputEnded ? 3 : 0);
                if (code == StreamEnd)
                {
                    ended = true;
                    break;
                }
                if (code != 0)
                    throw new InvalidDataException(
                        code switch
                        {
                            6 => "it wants more memory than is allowed",
                            7 => "it is no xz file",
                            10 => "the xz file is cut off",
                            _ => "the xz data is damaged",
                        }
                    );
            }
            return into.Length - (int)state->AvailableOut;
        }
    }

    /// <inheritdoc/>
    public override int Read(byte[] into, int offset, int count) => Read(into.AsSpan(offset, count));

    /// <inheritdoc/>
    protected override void Dispose(bool disposing)
    {
        if (!disposed)
        {
            disposed = true;
            End(state);
            NativeMemory.Free(state);
            NativeMemory.Free(buffer);
        }
        base.Dispose(disposing);
    }

    /// <inheritdoc/>
    public override bool CanRead => true;

    /// <inheritdoc/>
    public override bool CanSeek => false;

    /// <inheritdoc/>
    public override bool CanWrite => false;

    /// <inheritdoc/>
    public override long Length => throw new NotSupportedException();

    /// <inheritdoc/>
    public override long Position
    {
        get => throw new NotSupportedException();
        set => throw new NotSupportedException();
    }

    /// <inheritdoc/>
    public override void Flush() { }

    /// <inheritdoc/>
    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    /// <inheritdoc/>
    public override void SetLength(long value) => throw new NotSupportedException();

    /// <inheritdoc/>
    public override void Write(byte[] from, int offset, int count) => throw new NotSupportedException();
}
