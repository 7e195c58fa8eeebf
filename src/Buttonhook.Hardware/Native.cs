using System.Runtime.InteropServices;

namespace Buttonhook.Hardware;

/// <summary>The few calls of the C library that consoles need (termios(3), ioctl_tty(2), poll(2), pty(7)); numbers are those of Linux on x86 and ARM.</summary>
internal static unsafe partial class Native
{
    public const int ReadWrite = 2;
    public const int NoControllingTerminal = 0x100;
    public const int NonBlocking = 0x800;
    public const int CloseOnExec = 0x80000;
    public const nuint GetTermios2 = 0x802C542A;
    public const nuint SetTermios2 = 0x402C542B;
    public const nuint Exclusive = 0x540C;
    public const nuint NotExclusive = 0x540D;
    public const nuint Flush = 0x540B;
    public const nuint WaitingInput = 0x541B;
    public const nuint SendBreak = 0x5409;
    public const nuint RaiseWires = 0x5416;
    public const nuint LowerWires = 0x5417;
    public const int DataTerminalReady = 2;
    public const int RequestToSend = 4;
    public const uint SevenBits = 0x20;
    public const uint EightBits = 0x30;
    public const uint TwoStopBits = 0x40;
    public const uint Receive = 0x80;
    public const uint WithParity = 0x100;
    public const uint OddParity = 0x200;
    public const uint IgnoreModemLines = 0x800;
    public const uint AnySpeed = 0x1000;
    public const uint WireFlow = 0x8000_0000;
    public const uint SendByteFlow = 0x400;
    public const uint ReceiveByteFlow = 0x1000;
    public const short PollIn = 1;
    public const short PollOut = 4;
    public const short PollError = 8;
    public const short PollHangUp = 16;
    public const int Interrupted = 4;
    public const int TryAgain = 11;

    [StructLayout(LayoutKind.Sequential)]
    public struct Termios2
    {
        public uint InputFlags;
        public uint OutputFlags;
        public uint ControlFlags;
        public uint LocalFlags;
        public byte Line;
        public fixed byte Characters[19];
        public uint InputSpeed;
        public uint OutputSpeed;
    }

    [StructLayout(LayoutKind.Sequential)]
    public struct PollEntry
    {
        public int Descriptor;
        public short Events;
        public short Returned;
    }

    [LibraryImport("libc", EntryPoint = "open", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    public static partial int Open(string path, int flags);

    /// <summary>statx(2): its structure is the same on every architecture, which that of stat(2) is not.</summary>
    [LibraryImport("libc", EntryPoint = "statx", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    public static partial int Status(int folder, string path, int flags, uint mask, byte* into);

    [LibraryImport("libc", EntryPoint = "umask")]
    public static partial uint Mask(uint mask);

    [LibraryImport("libc", EntryPoint = "realpath", StringMarshalling = StringMarshalling.Utf8)]
    public static partial byte* RealPath(string path, byte* into);

    [LibraryImport("libc", EntryPoint = "free")]
    public static partial void Free(byte* memory);

    [LibraryImport("libc", EntryPoint = "geteuid")]
    public static partial uint EffectiveUser();

    [LibraryImport("libc", EntryPoint = "open", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    public static partial int Create(string path, int flags, uint mode);

    [LibraryImport("libc", EntryPoint = "linkat", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    public static partial int Link(int fromFolder, string from, int toFolder, string to, int flags);

    [LibraryImport("libc", EntryPoint = "close")]
    public static partial int Close(int descriptor);

    [LibraryImport("libc", EntryPoint = "ioctl", SetLastError = true)]
    public static partial int Control(int descriptor, nuint request, void* argument);

    [LibraryImport("libc", EntryPoint = "poll", SetLastError = true)]
    public static partial int Poll(PollEntry* entries, nuint count, int timeout);

    [LibraryImport("libc", EntryPoint = "read", SetLastError = true)]
    public static partial nint Read(int descriptor, byte* buffer, nuint count);

    [LibraryImport("libc", EntryPoint = "lseek64", SetLastError = true)]
    public static partial long Seek(int descriptor, long offset, int whence);

    [LibraryImport("libc", EntryPoint = "write", SetLastError = true)]
    public static partial nint Write(int descriptor, byte* buffer, nuint count);

    [LibraryImport("libc", EntryPoint = "eventfd", SetLastError = true)]
    public static partial int EventDescriptor(uint initial, int flags);

    [LibraryImport("libc", EntryPoint = "posix_openpt", SetLastError = true)]
    public static partial int OpenPseudoTerminal(int flags);

    [LibraryImport("libc", EntryPoint = "grantpt", SetLastError = true)]
    public static partial int GrantPseudoTerminal(int descriptor);

    [LibraryImport("libc", EntryPoint = "unlockpt", SetLastError = true)]
    public static partial int UnlockPseudoTerminal(int descriptor);

    [LibraryImport("libc", EntryPoint = "ptsname_r", SetLastError = true)]
    public static partial int PseudoTerminalName(int descriptor, byte* buffer, nuint length);
}
