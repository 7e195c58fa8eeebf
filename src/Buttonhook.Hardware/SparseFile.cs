using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Buttonhook.Hardware;

/// <summary>Reads files with holes: what the file system holds no bytes for is zeros, and is not fetched from it (lseek(2), SEEK_DATA).</summary>
public static class SparseFile
{
    private const int NextData = 3;

    // ENXIO of errno(3): behind the offset there are holes alone.
    private const int NoMoreData = 6;

    // A hole is at least a block of the file system: less is fetched sooner than asked about.
    private const int LeastHole = 4096;

    /// <summary>Reads at an offset, which moves the place where the handle's own reads go on; gives how many bytes there were (fewer at the end, 0 beyond it or before 0).</summary>
    public static int Read(SafeFileHandle file, Span<byte> into, long offset)
    {
        var count = offset < 0 ? 0 : (int)Math.Clamp(RandomAccess.GetLength(file) - offset, 0, into.Length);
        into = into[..count];
        if (count < LeastHole || !IsHole(file, offset, count))
            return count == 0 ? 0 : RandomAccess.Read(file, into, offset);
        into.Clear();
        return count;
    }

    private static bool IsHole(SafeFileHandle file, long offset, int count)
    {
        var data = Native.Seek((int)file.DangerousGetHandle(), offset, NextData);
        return data < 0 ? Marshal.GetLastPInvokeError() == NoMoreData : data - offset >= count;
    }
}

/// <summary>A file with holes, read once from its first to its last byte.</summary>
public sealed class SparseStream(FileStream file) : ForwardStream
{
    private long at;

    /// <summary>How many bytes have been read.</summary>
    public override long Position
    {
        get => at;
        set => throw new NotSupportedException();
    }

    /// <inheritdoc/>
    public override int Read(Span<byte> buffer)
    {
        var count = SparseFile.Read(file.SafeFileHandle, buffer, at);
        at += count;
        return count;
    }
}
