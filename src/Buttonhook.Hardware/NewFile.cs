using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Buttonhook.Hardware;

/// <summary>
/// A file that has no name until it is whole (O_TMPFILE of open(2), AT_SYMLINK_FOLLOW of linkat(2)): a process that is killed leaves nothing
/// of it. Where the file system cannot do that, the file has its name from the beginning and is removed unless it was published.
/// </summary>
public sealed class NewFile : IDisposable
{
    // O_TMPFILE holds O_DIRECTORY, whose number differs between x86 and ARM (fcntl.h of each).
    private static readonly int Nameless =
        0x400000
        | (RuntimeInformation.ProcessArchitecture is Architecture.Arm or Architecture.Arm64 or Architecture.Armv6 ? 0x4000 : 0x10000);
    private const int FollowLink = 0x400;
    private const int Here = -100;
    private const uint ForOwner = 0x180;
    private readonly string path;
    private readonly bool named;
    private bool published;

    /// <summary>Begins a file; throws <see cref="IOException"/> when something lies at the path or nothing can be written there.</summary>
    public NewFile(string path)
    {
        this.path = Path.GetFullPath(path);
        if (File.Exists(this.path) || Directory.Exists(this.path))
            throw new IOException($"{path} is there already.");
        var descriptor = Native.Create(Path.GetDirectoryName(this.path) ?? "/", Nameless | Native.ReadWrite | Native.CloseOnExec, ForOwner);
        named = descriptor < 0;
        Stream = named
            ? new FileStream(this.path, FileMode.CreateNew, FileAccess.ReadWrite)
            : new FileStream(new SafeFileHandle(descriptor, true), FileAccess.ReadWrite);
    }

    /// <summary>What is written into it.</summary>
    public FileStream Stream { get; }

    /// <summary>The path by which other code of this process can open it while it is open.</summary>
    public string Opened => named ? path : $"/proc/self/fd/{Stream.SafeFileHandle.DangerousGetHandle()}";

    /// <summary>Flushes it to the disk and gives it its name; throws when another file has the name by now.</summary>
    public void Publish()
    {
        Stream.Flush(true);
        if (!named && Native.Link(Here, Opened, Here, path, FollowLink) != 0)
            throw new IOException($"{path}: {Marshal.GetLastPInvokeErrorMessage()}.");
        published = true;
    }

    /// <summary>Closes it; what was not published is gone.</summary>
    public void Dispose()
    {
        Stream.Dispose();
        if (named && !published)
            File.Delete(path);
    }
}
