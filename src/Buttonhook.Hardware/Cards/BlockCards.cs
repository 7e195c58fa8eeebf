using System.Globalization;
using System.Runtime.InteropServices;

namespace Buttonhook.Hardware.Cards;

/// <summary>A block device as the system tells of it, and why it may not be written (null when it may).</summary>
/// <param name="Device">Such as /dev/sdb.</param>
/// <param name="AppearedAt">When its device file was made: the newest is usually the card that was just put in.</param>
public sealed record BlockDevice(string Device, string Name, long Bytes, DateTimeOffset AppearedAt, string? Refused);

/// <summary>The removable block devices of this computer (sysfs: Documentation/ABI/stable/sysfs-block; proc(5) mounts and swaps).</summary>
public static class BlockDevices
{
    /// <summary>All whole disks, the one that appeared last first; none is opened.</summary>
    /// <param name="root">The folder that holds sys, proc and dev; another one than / in tests.</param>
    public static IReadOnlyList<BlockDevice> All(string root = "/")
    {
        var blocks = Path.Combine(root, "sys/block");
        if (!Directory.Exists(blocks))
            return [];
        var mounts = Lines(Path.Combine(root, "proc/mounts")).Concat(Lines(Path.Combine(root, "proc/swaps")).Skip(1)).ToList();
        var list = new List<BlockDevice>();
        foreach (var folder in Directory.GetFileSystemEntries(blocks))
        {
            var name = Path.GetFileName(folder);
            if (
                name.StartsWith("loop", StringComparison.Ordinal)
                || name.StartsWith("ram", StringComparison.Ordinal)
                || name.StartsWith("zram", StringComparison.Ordinal)
            )
                continue;
            var device = Path.Combine(root, "dev", name);
            var bytes = Number(Path.Combine(folder, "size")) * 512;
            var parts = Directory
                .GetDirectories(folder)
                .Select(Path.GetFileName)
                .OfType<string>()
                .Where(p => p.StartsWith(name, StringComparison.Ordinal))
                .Append(name)
                .ToList();
            var model =
                $"{Text(Path.Combine(folder, "device/vendor"))} {Text(Path.Combine(folder, "device/model"))}{Text(Path.Combine(folder, "device/name"))}".Trim();
            var removable =
                Number(Path.Combine(folder, "removable")) == 1
                || name.StartsWith("mmcblk", StringComparison.Ordinal) && Text(Path.Combine(folder, "device/type")) == "SD";
            var held = parts.FirstOrDefault(p => Holders(folder, p, name));
            var mount = mounts.FirstOrDefault(m => parts.Any(p => m.Split(' ', '\t')[0] == $"/dev/{p}"));
            var refused =
                bytes == 0 ? "no card is in it"
                : !removable ? "it is not removable"
                : mount is not null
                    ? $"{mount.Split(' ', '\t')[0]} is in use at {mount.Split(' ', '\t', StringSplitOptions.RemoveEmptyEntries).ElementAtOrDefault(1)}"
                : held is not null ? $"{held} belongs to another device"
                : Number(Path.Combine(folder, "ro")) == 1 ? "it is write-protected: look at the slider of the card"
                : null;
            list.Add(
                new(
                    device,
                    model.Length > 0 ? model : name,
                    bytes,
                    File.Exists(device) ? File.GetLastWriteTimeUtc(device) : DateTimeOffset.MinValue,
                    refused
                )
            );
        }
        return [.. list.OrderBy(d => d.Refused is not null).ThenByDescending(d => d.AppearedAt)];
    }

    private static bool Holders(string folder, string part, string whole)
    {
        var holders = part == whole ? Path.Combine(folder, "holders") : Path.Combine(folder, part, "holders");
        return Directory.Exists(holders) && Directory.EnumerateFileSystemEntries(holders).Any();
    }

    private static IEnumerable<string> Lines(string file) => File.Exists(file) ? File.ReadLines(file) : [];

    private static string Text(string file)
    {
        try
        {
            return File.Exists(file) ? File.ReadAllText(file).Trim() : "";
        }
        catch (IOException)
        {
            return "";
        }
    }

    private static long Number(string file) => long.TryParse(Text(file), CultureInfo.InvariantCulture, out var number) ? number : 0;
}

/// <summary>A real card: a removable block device, opened exclusively so that nothing else mounts it meanwhile (open(2), O_EXCL).</summary>
public sealed unsafe partial class BlockCard : CardDevice
{
    private const int Exclusive = 0x80;
    private const int DontNeed = 4;
    private readonly int descriptor;
    private readonly Microsoft.Win32.SafeHandles.SafeFileHandle handle;

    [LibraryImport("libc", EntryPoint = "posix_fadvise")]
    private static partial int Advise(int descriptor, long offset, long length, int advice);

    [LibraryImport("libc", EntryPoint = "fsync", SetLastError = true)]
    private static partial int Sync(int descriptor);

    /// <summary>Opens a device that <see cref="BlockDevices.All"/> did not refuse.</summary>
    public BlockCard(string device, long bytes)
    {
        Path = device;
        Length = bytes;
        descriptor = Native.Open(device, Native.ReadWrite | Exclusive | Native.CloseOnExec);
        if (descriptor < 0)
            throw new IOException(
                $"{device} cannot be opened: {Marshal.GetPInvokeErrorMessage(Marshal.GetLastPInvokeError()).ToLowerInvariant()}"
            );
        handle = new(descriptor, true);
    }

    /// <inheritdoc/>
    public override string Path { get; }

    /// <inheritdoc/>
    public override long Length { get; }

    /// <inheritdoc/>
    public override int Read(long offset, Span<byte> into)
    {
        if (offset < 0 || offset >= Length)
            return 0;
        into = into[..(int)Math.Min(into.Length, Length - offset)];
        try
        {
            var done = 0;
            while (done < into.Length)
            {
                var count = RandomAccess.Read(handle, into[done..], offset + done);
                if (count == 0)
                    throw new CardException(CardFault.Removed, offset + done, "The card is not in its slot any more.");
                done += count;
            }
            return done;
        }
        catch (IOException e) when (e is not CardException)
        {
            throw new CardException(
                File.Exists(Path) ? CardFault.Unreadable : CardFault.Removed,
                offset,
                File.Exists(Path) ? $"The card cannot be read at byte {offset}." : "The card is not in its slot any more."
            );
        }
    }

    /// <inheritdoc/>
    public override void Write(long offset, ReadOnlySpan<byte> bytes)
    {
        if (offset < 0 || offset + bytes.Length > Length)
            throw new CardException(CardFault.Unwritable, offset, $"The card ends at byte {Length}.");
        if (offset == 0 && bytes.StartsWith(StandInMark))
            throw new CardException(
                CardFault.Unwritable,
                0,
                "This is a stand-in of the demo: it holds no system, and no real card takes it."
            );
        try
        {
            RandomAccess.Write(handle, bytes, offset);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CardException(
                !File.Exists(Path) ? CardFault.Removed
                    : e is UnauthorizedAccessException ? CardFault.ReadOnly
                    : CardFault.Unwritable,
                offset,
                File.Exists(Path) ? $"The card cannot be written at byte {offset}: {e.Message}" : "The card is not in its slot any more."
            );
        }
    }

    /// <inheritdoc/>
    public override void Flush()
    {
        if (Sync(descriptor) != 0)
            throw new CardException(
                File.Exists(Path) ? CardFault.Unwritable : CardFault.Removed,
                0,
                File.Exists(Path) ? "The card did not take everything that was written." : "The card is not in its slot any more."
            );
        _ = Advise(descriptor, 0, 0, DontNeed);
    }

    /// <inheritdoc/>
    public override void Dispose() => handle.Dispose();
}
