using System.Runtime.InteropServices;

namespace Buttonhook.Hardware;

/// <summary>Unpacks gz (RFC 1952) through the system's zlib (zlib.h), several members after one another; bytes behind the last one that begin no member are passed over, as gzip does. An end in the middle of a member is an error.</summary>
public sealed unsafe partial class GzStream : ForwardStream
{
    private const int BufferBytes = 1 << 17;
    private const int WindowAndGzipHeader = 15 + 16;
    private const int StreamEnd = 1;
    private const int NothingDone = -5;

    [StructLayout(LayoutKind.Sequential)]
    private struct State
    {
        public byte* NextIn;
        public uint AvailableIn;
        public nuint TotalIn;
        public byte* NextOut;
        public uint AvailableOut;
        public nuint TotalOut;
        public byte* Message;
        public void* Internal;
        public void* Allocate;
        public void* Free;
        public void* Opaque;
        public int DataType;
        public nuint Adler;
        public nuint Reserved;
    }

    [LibraryImport("libz.so.1", EntryPoint = "inflateInit2_", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Start(State* state, int windowBits, string version, int stateBytes);

    [LibraryImport("libz.so.1", EntryPoint = "inflate")]
    private static partial int Inflate(State* state, int flush);

    [LibraryImport("libz.so.1", EntryPoint = "inflateReset")]
    private static partial int Reset(State* state);

    [LibraryImport("libz.so.1", EntryPoint = "inflateEnd")]
    private static partial int End(State* state);

    private readonly Stream input;
    private readonly State* state = (State*)NativeMemory.AllocZeroed((nuint)sizeof(State));
    private readonly byte* buffer = (byte*)NativeMemory.Alloc(BufferBytes);
    private bool betweenMembers;
    private bool ended;
    private bool disposed;

    /// <summary>Unpacks <paramref name="input"/>, which stays the caller's.</summary>
    public GzStream(Stream input)
    {
        this.input = input;
        if (Start(state, WindowAndGzipHeader, "1.2.0", sizeof(State)) is var code and not 0)
            throw new IOException($"The system's zlib answers {code}.");
    }

    /// <summary>Reads on when fewer bytes than wanted are at hand; those go to the front of the buffer.</summary>
    private void Fill(uint wanted)
    {
        while (state->AvailableIn < wanted)
        {
            new Span<byte>(state->NextIn, (int)state->AvailableIn).CopyTo(new Span<byte>(buffer, BufferBytes));
            state->NextIn = buffer;
            var count = input.Read(new Span<byte>(buffer + state->AvailableIn, BufferBytes - (int)state->AvailableIn));
            if (count == 0)
                return;
            state->AvailableIn += (uint)count;
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
            state->AvailableOut = (uint)into.Length;
            while (state->AvailableOut == into.Length)
            {
                if (betweenMembers)
                {
                    Fill(2);
                    if (state->AvailableIn < 2 || state->NextIn[0] != 0x1F || state->NextIn[1] != 0x8B)
                    {
                        ended = true;
                        break;
                    }
                    _ = Reset(state);
                    betweenMembers = false;
                }
                Fill(1);
                var cut = state->AvailableIn == 0;
                var code = Inflate(state, 0);
                if (code == StreamEnd)
                    betweenMembers = true;
                else if (cut && state->AvailableOut == into.Length)
                    throw new InvalidDataException("the gz file is cut off");
                else if (code is not (0 or NothingDone))
                    throw new InvalidDataException(
                        $"the gz data is damaged ({Marshal.PtrToStringUTF8((nint)state->Message) ?? code.ToString()})"
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
            _ = End(state);
            NativeMemory.Free(state);
            NativeMemory.Free(buffer);
        }
        base.Dispose(disposing);
    }
}
