using System.Buffers.Binary;
using System.Runtime.InteropServices;
using Buttonhook.Core;

namespace Buttonhook.Hardware;

/// <summary>What lies at a path.</summary>
public enum FileKind
{
    /// <summary>Nothing, or nothing that may be looked at.</summary>
    Missing,

    /// <summary>A regular file.</summary>
    Regular,

    /// <summary>A folder.</summary>
    Folder,

    /// <summary>A block device.</summary>
    Block,

    /// <summary>A character device.</summary>
    Character,

    /// <summary>A pipe.</summary>
    Pipe,

    /// <summary>A socket.</summary>
    Socket,
}

/// <summary>Tells what a path is before it is opened: opening a pipe waits for ever, and reading a device does things.</summary>
public static unsafe class FileKinds
{
    private const int Here = -100;
    private const uint Basic = 0x7FF;

    /// <summary>The kind of what lies at a path (links are followed), and for a device its numbers (statx(2)).</summary>
    public static (FileKind Kind, uint Major, uint Minor) Of(string path)
    {
        var status = stackalloc byte[256];
        if (path.Contains('\0') || Native.Status(Here, path, 0, Basic, status) != 0)
            return (FileKind.Missing, 0, 0);
        var fields = new ReadOnlySpan<byte>(status, 256);
        var kind = (BinaryPrimitives.ReadUInt16LittleEndian(fields[28..]) >> 12) switch
        {
            0x8 => FileKind.Regular,
            0x4 => FileKind.Folder,
            0x6 => FileKind.Block,
            0x2 => FileKind.Character,
            0x1 => FileKind.Pipe,
            0xC => FileKind.Socket,
            _ => FileKind.Missing,
        };
        return (kind, BinaryPrimitives.ReadUInt32LittleEndian(fields[128..]), BinaryPrimitives.ReadUInt32LittleEndian(fields[132..]));
    }

    /// <summary>The path behind all links; the path itself when it is none or nothing lies there.</summary>
    public static string Behind(string path) => File.Exists(path) ? new FileInfo(path).ResolveLinkTarget(true)?.FullName ?? path : path;

    /// <summary>The path behind all links, also those of the folders on the way (realpath(3)); null when nothing lies there or it may not be looked at.</summary>
    public static string? RealPath(string path)
    {
        if (path.Contains('\0'))
            return null;
        var real = Native.RealPath(path, null);
        if (real is null)
            return null;
        try
        {
            return Marshal.PtrToStringUTF8((nint)real);
        }
        finally
        {
            Native.Free(real);
        }
    }

    /// <summary>When what lies at a path was made or its rights were changed last (stx_ctime of statx(2)), as a number; null when it cannot be told.</summary>
    public static string? ChangedAt(string path)
    {
        var status = stackalloc byte[256];
        if (path.Contains('\0') || Native.Status(Here, path, 0, Basic, status) != 0)
            return null;
        var fields = new ReadOnlySpan<byte>(status, 256);
        return $"{BinaryPrimitives.ReadInt64LittleEndian(fields[96..])}.{BinaryPrimitives.ReadUInt32LittleEndian(fields[104..]):000000000}";
    }

    /// <summary>The number of the user whose file or folder it is (stx_uid of statx(2)); null when it cannot be told.</summary>
    public static uint? OwnerOf(string path)
    {
        var status = stackalloc byte[256];
        return path.Contains('\0') || Native.Status(Here, path, 0, Basic, status) != 0
            ? null
            : BinaryPrimitives.ReadUInt32LittleEndian(new ReadOnlySpan<byte>(status, 256)[20..]);
    }

    /// <summary>The number of the user that this process acts as (geteuid(2)).</summary>
    public static uint User => Native.EffectiveUser();

    /// <summary>Takes rights away from all files that this process makes from now on (umask(2)).</summary>
    public static void NewFilesFor(uint without) => _ = Native.Mask(without);

    /// <summary>The problem when a path is no regular file; null when it is one.</summary>
    /// <param name="what">What it should be, as the person called it.</param>
    public static Problem? NotRegular(string path, string what)
    {
        var kind = Of(path).Kind;
        // The kernel's own files say that they are regular, and never end or wait for ever.
        if (
            kind == FileKind.Regular
            && Path.GetFullPath(path) is var full
            && (full.StartsWith("/proc/", StringComparison.Ordinal) || full.StartsWith("/sys/", StringComparison.Ordinal))
        )
            return
                full.StartsWith("/sys/firmware/", StringComparison.Ordinal)
                || full.StartsWith("/proc/device-tree/", StringComparison.Ordinal)
                || full is "/proc/cpuinfo" or "/proc/meminfo"
                ? null
                : new(
                    $"{what} should be a file that can be read.",
                    $"{path} is made by the kernel as it is read.",
                    "Copy what you need of it into a file."
                );
        return kind switch
        {
            FileKind.Regular => null,
            FileKind.Missing => new(
                $"{what} should be a file that can be read.",
                $"There is none at {path}, or you may not look at it.",
                "Look at its name and who may read it."
            ),
            FileKind.Folder => new($"{what} should be a file that can be read.", $"{path} is a folder.", "Name a file in it."),
            FileKind.Block or FileKind.Character => new(
                $"{what} should be a file that can be read.",
                $"{path} is a device.",
                "Copy what is on it into a file first."
            ),
            FileKind.Pipe => new($"{what} should be a file that can be read.", $"{path} is a pipe.", "Write it into a file first."),
            _ => new($"{what} should be a file that can be read.", $"{path} is a socket.", "Write it into a file first."),
        };
    }
}

/// <summary>Which terminals may be captured.</summary>
public static class Terminals
{
    private const uint Consoles = 4;
    private const uint Special = 5;
    private const uint FirstSerialOfConsoles = 64;
    private const uint FirstPseudo = 136;
    private const uint LastPseudo = 143;

    /// <summary>Whether a path leads to a pseudo-terminal (links are followed).</summary>
    public static bool IsPseudo(string path) => FileKinds.Of(path) is { Kind: FileKind.Character, Major: >= FirstPseudo and <= LastPseudo };

    /// <summary>Why a path is no console of a board, or null: screens of this computer and terminals that a session runs on are none (Linux Documentation/admin-guide/devices.txt).</summary>
    public static Problem? Against(string path)
    {
        var (kind, major, minor) = FileKinds.Of(path);
        if (kind == FileKind.Missing)
            return null; // open(2) tells why
        if (kind != FileKind.Character)
            return new(
                $"{path} should be a serial port.",
                "It is a file or device of another kind.",
                "Choose a port such as /dev/ttyUSB0."
            );
        if (major == Special || major == Consoles && minor < FirstSerialOfConsoles)
            return new(
                $"{path} should be a serial port.",
                "It is a screen or the console of this computer itself.",
                "Choose a port such as /dev/ttyUSB0."
            );
        if (major is >= FirstPseudo and <= LastPseudo && RunsOn(major, minor) is { } program)
            return new(
                $"{path} should be the console of a board.",
                $"It is the terminal that {program} runs on.",
                "Choose a port such as /dev/ttyUSB0, or the terminal of a simulated board."
            );
        return null;
    }

    /// <summary>A program that has this terminal as its own (tty_nr, proc(5)), or null.</summary>
    private static string? RunsOn(uint major, uint minor)
    {
        var number = (minor & 0xFF) | (major << 8) | ((minor & ~0xFFu) << 12);
        foreach (var process in Directory.EnumerateDirectories("/proc"))
        {
            if (!char.IsAsciiDigit(Path.GetFileName(process)[0]))
                continue;
            try
            {
                var status = File.ReadAllText(Path.Combine(process, "stat"));
                var name = status[(status.IndexOf('(') + 1)..status.LastIndexOf(')')];
                // Behind the name: state, parent, group, session, terminal.
                if (
                    status[(status.LastIndexOf(')') + 2)..].Split(' ') is [_, _, _, _, var terminal, ..]
                    && uint.TryParse(terminal, out var has)
                    && has == number
                )
                    return name;
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentOutOfRangeException)
            {
                // It ended meanwhile.
            }
        }
        return null;
    }
}
