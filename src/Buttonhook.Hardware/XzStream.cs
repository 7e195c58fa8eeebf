using System.Runtime.InteropServices;

namespace Buttonhook.Hardware;

/// <summary>Unpacks xz through the system's liblzma (lzma/base.h, lzma/container.h): blocks in parallel where the library can (5.4 and newer), memory bounded, several streams after one another.</summary>
public sealed unsafe partial class XzStream : ForwardStream
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

    [LibraryImport("liblzma.so.5", EntryPoint = "lzma_alone_decoder")]
    private static partial int StartAlone(State* state, ulong memoryLimit);

    [StructLayout(LayoutKind.Sequential)]
    private struct Threads
    {
        public uint Flags;
        public uint Count;
        public ulong BlockSize;
        public uint Timeout;
        public uint Preset;
        public void* Filters;
        public fixed int Reserved[8];
        public ulong ThreadingMemory;
        public ulong MostMemory;
        public fixed ulong ReservedToo[6];
    }

    [LibraryImport("liblzma.so.5", EntryPoint = "lzma_stream_decoder_mt")]
    private static partial int StartDecoder(State* state, Threads* threads);

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
        : this(input, memoryLimit, alone: false) { }

    private XzStream(Stream input, ulong memoryLimit, bool alone)
    {
        this.input = input;
        if ((alone ? StartAlone(state, memoryLimit) : Start(memoryLimit)) is var code and not 0)
            throw new IOException($"The system's xz library answers {code}.");
    }

    /// <summary>Unpacks the older form without a container (lzma/container.h, lzma_alone_decoder), which kernels and file systems still use.</summary>
    public static XzStream Alone(Stream input, ulong memoryLimit = 512UL << 20) => new(input, memoryLimit, alone: true);

    private int Start(ulong memoryLimit)
    {
        try
        {
            var threads = new Threads
            {
                Flags = Concatenated,
                Count = (uint)Math.Min(4, Environment.ProcessorCount),
                ThreadingMemory = memoryLimit / 2,
                MostMemory = memoryLimit,
            };
            return StartDecoder(state, &threads);
        }
        catch (EntryPointNotFoundException)
        {
            return StartDecoder(state, memoryLimit, Concatenated);
        }
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
}
