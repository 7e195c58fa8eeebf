using System.Text;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Images.Formats;

/// <summary>What a file is that is no image of a disk, why no board starts it as it is, and what to get or do instead.</summary>
/// <param name="Kind">A short name for programs: empty, page, torrent, sums, signature, text, virtual-disk, flash-file, boot-image, kernel, device-tree, initial-files, archive, system-archive, update, file-system, boot-partition, iso, encrypted, program, large-sectors, part, unreadable, unknown.</param>
public sealed partial record FileNature(string Kind, string Says, string Why, string Instead)
{
    private const string NotWritten = "It has no partition table, so nothing on a board would find a system in it.";
    private const string GetImage = "Get the image of the whole disk (often .img, packed as .img.xz).";

    /// <summary>Whether an image is a disc as well (ECMA-119: the volume descriptor in sector 16 of 2048 bytes).</summary>
    public static bool IsDisc(ImageBytes image) => image.At(0x8001, 5).AsSpan().SequenceEqual("CD001"u8);

    /// <summary>A problem as an answer of the same kind.</summary>
    public static FileNature Of(Problem problem) => new("unreadable", problem.Expected, problem.Came, problem.ToDo);

    /// <summary>What an image is that its partition table does not explain; null when it has a table with partitions.</summary>
    public static FileNature? Of(ImageBytes image, PartitionTable table)
    {
        if (table.Partitions.Count > 0)
            return null;
        if (image.Length == 0)
            return new("empty", "The file is empty.", "There is nothing in it.", "Download it again; check whether the disk was full.");
        // The header of a GPT lies in the second sector, whatever size sectors have (UEFI 5.3.1).
        if (image.At(4096, 8).AsSpan().SequenceEqual("EFI PART"u8))
            return new(
                "large-sectors",
                "It is an image for disks with sectors of 4096 bytes.",
                "Cards and most disks have sectors of 512 bytes: loaders and kernel look for its table at another place.",
                "Get the image for sectors of 512 bytes."
            );
        var head = image.At(0, (int)Math.Min(image.Length, 1 << 16));
        foreach (var sign in Signs)
            if (Matches(image, sign))
                return new(sign.Kind, sign.Says, sign.Why, sign.Instead);
        return Archive(image, head) ?? Written(head) ?? Unknown(image);
    }

    /// <summary>A mark at a fixed place of a file.</summary>
    /// <param name="At">The byte where it stands; counted from the end when negative.</param>
    private sealed record Sign(long At, byte[] Mark, string Kind, string Says, string Why, string Instead);

    private static bool Matches(ImageBytes image, Sign sign) =>
        image.At(sign.At < 0 ? image.Length + sign.At : sign.At, sign.Mark.Length).AsSpan().SequenceEqual(sign.Mark);

    private static byte[] Ascii(string text) => Encoding.Latin1.GetBytes(text);

    private static Sign Disk(long at, string mark, string format) =>
        new(
            at,
            Ascii(mark),
            "virtual-disk",
            $"It is a virtual disk in the format {format}.",
            "Its bytes are not in the order of a disk; written to a card they are no system.",
            $"Turn it into a raw image first (qemu-img convert -O raw), or get the raw image."
        );

    private static Sign FileSystem(long at, string mark, string format) =>
        new(
            at,
            Ascii(mark),
            "file-system",
            $"It is a bare {format} file system, one partition without its disk.",
            NotWritten,
            $"{GetImage} This file belongs into a partition of a disk that has a loader."
        );

    // Marks as the formats define them: qcow2 and vhdx in their specifications, the others in the headers of Linux and of their tools.
    private static readonly Sign[] Signs =
    [
        Disk(0, "QFI\u00fb", "qcow2"),
        Disk(0, "KDMV", "VMDK"),
        Disk(0, "# Disk DescriptorFile", "VMDK"),
        Disk(0, "vhdxfile", "VHDX"),
        Disk(-512, "conectix", "VHD"),
        Disk(0x40, "\u007f\u0010\u00da\u00be", "VDI"),
        new(
            0,
            [0x3A, 0xFF, 0x26, 0xED],
            "flash-file",
            "It is a sparse image for a flash tool.",
            "It is packed in a way that only such a tool, or a loader that speaks with one, unpacks.",
            "Unpack it first (simg2img), or get the raw image for cards."
        ),
        new(
            0,
            Ascii("ANDROID!"),
            "boot-image",
            "It is a boot image: a kernel with its initial file system for a partition that a loader knows by its name.",
            NotWritten,
            $"{GetImage} Or hand this one to the loader of the board with its own tool."
        ),
        new(
            0,
            Ascii("LUKS\u00ba\u00be"),
            "encrypted",
            "It is an encrypted container.",
            "Without its key nobody can tell what is in it, and no loader looks into it.",
            GetImage
        ),
        new(
            0x8001,
            Ascii("CD001"),
            "iso",
            "It is an ISO image without a partition table, made for optical discs.",
            "Boards do not start from the file system of a disc.",
            "Get an image for cards, or a hybrid ISO for boards with EFI firmware."
        ),
        FileSystem(0, "hsqs", "squashfs"),
        FileSystem(1024, "\u00e2\u00e1\u00f5\u00e0", "erofs"),
        FileSystem(1024, "\u0010\u0020\u00f5\u00f2", "f2fs"),
        FileSystem(0x438, "\u0053\u00ef", "ext"),
        FileSystem(0x10040, "_BHRfS_M", "btrfs"),
        FileSystem(0, "XFSB", "xfs"),
        new(
            0x52,
            Ascii("FAT32"),
            "boot-partition",
            "It is a bare FAT file system, the boot partition without its disk.",
            NotWritten,
            "Get the image of the whole disk: the root of the system is missing here."
        ),
        new(
            0x36,
            Ascii("FAT1"),
            "boot-partition",
            "It is a bare FAT file system, the boot partition without its disk.",
            NotWritten,
            "Get the image of the whole disk: the root of the system is missing here."
        ),
        new(
            0,
            [0x27, 0x05, 0x19, 0x56],
            "kernel",
            "It is a file for U-Boot alone: a kernel, an initial file system or a script with U-Boot's header.",
            NotWritten,
            GetImage
        ),
        new(
            0,
            [0xD0, 0x0D, 0xFE, 0xED],
            "device-tree",
            "It is a device tree, or a kernel with its trees in one file.",
            NotWritten,
            $"{GetImage} Bring this file at the bench: a device tree tells which board it is for."
        ),
        new(
            0,
            [0x7F, (byte)'E', (byte)'L', (byte)'F'],
            "program",
            "It is a program, or a kernel as the compiler left it.",
            NotWritten,
            GetImage
        ),
        new(0x38, [0x41, 0x52, 0x4D, 0x64], "kernel", "It is a kernel for 64-bit ARM by itself.", NotWritten, GetImage),
        new(0x38, [0x52, 0x53, 0x43, 0x05], "kernel", "It is a kernel for 64-bit RISC-V by itself.", NotWritten, GetImage),
        new(0x202, Ascii("HdrS"), "kernel", "It is a kernel for x86 by itself.", NotWritten, GetImage),
        new(0x24, [0x18, 0x28, 0x6F, 0x01], "kernel", "It is a kernel for 32-bit ARM by itself.", NotWritten, GetImage),
        new(0, Ascii("MZ"), "program", "It is an EFI program by itself, or one for another system.", NotWritten, GetImage),
    ];

    private static FileNature? Archive(ImageBytes image, byte[] head)
    {
        if (head.AsSpan().StartsWith("07070"u8))
        {
            // newc: a header of 110 bytes, then the name (cpio(5)).
            var first = head.Length > 124 ? Encoding.ASCII.GetString(head, 110, 14) : "";
            return first.StartsWith("sw-description", StringComparison.Ordinal)
                ? Update()
                : new(
                    "initial-files",
                    "It is an initial file system by itself (cpio).",
                    NotWritten,
                    $"{GetImage} This file stands beside a kernel on a boot partition."
                );
        }
        if (!image.At(257, 5).AsSpan().SequenceEqual("ustar"u8))
            return null;
        var names = TarNames(image).ToList();
        bool Has(string folder) => names.Exists(n => n.TrimStart('.', '/').StartsWith(folder, StringComparison.Ordinal));
        if (names.Exists(n => n is "header.tar.gz" or "header.tar" or "header.tar.zst" or "manifest") && names.Contains("version"))
            return Update();
        return Has("etc/") || Has("usr/bin") || Has("bin/")
            ? new(
                "system-archive",
                "It is the root file system of a system as an archive.",
                "It has neither partitions nor a loader; its files must lie in a file system first.",
                "Unpack it as root into the ext4 partition of a prepared card, and put kernel and loader of the board beside it; or get the image of the whole disk."
            )
            : new(
                "archive",
                $"It is an archive of files ({string.Join(", ", names.Take(3))}{(names.Count > 3 ? ", …" : "")}).",
                "It is no disk.",
                "Look into it: the image may be one of its files."
            );
    }

    private static FileNature Update() =>
        new(
            "update",
            "It is an update for a system that runs already.",
            "It holds parts that the updater of that system puts in place; by itself it has no loader.",
            "Get the image for the first start, and give this file to the running system."
        );

    private static IEnumerable<string> TarNames(ImageBytes image)
    {
        long at = 0;
        for (var n = 0; n < 200; n++)
        {
            var header = image.At(at, 512);
            if (header.Length < 512 || header[0] == 0)
                yield break;
            yield return Field.Text(header.AsSpan(0, 100));
            var octal = Field.Text(header.AsSpan(124, 12)).Trim();
            long size = 0;
            foreach (var digit in octal.TakeWhile(c => c is >= '0' and <= '7'))
                size = size * 8 + (digit - '0');
            at += 512 + (size + 511) / 512 * 512;
        }
    }

    /// <summary>What is written in a file of text.</summary>
    private static FileNature? Written(byte[] head)
    {
        var text = Encoding.UTF8.GetString(head.AsSpan(0, Math.Min(head.Length, 4096))).TrimStart('\uFEFF', ' ', '\r', '\n', '\t');
        if (
            text.StartsWith("<!doctype", StringComparison.OrdinalIgnoreCase) || text.StartsWith("<html", StringComparison.OrdinalIgnoreCase)
        )
            return new(
                "page",
                "It is a page of the web, saved under the name of the download.",
                "The server sent a page (a log-in, a mirror list, an error) instead of the file.",
                "Open the address in a browser and follow it to the file itself; compare its size with what the page says."
            );
        if (Torrent().IsMatch(text))
            return new(
                "torrent",
                "It is a torrent: it only tells where the pieces of the download are.",
                "The image itself is not in it.",
                "Fetch the image with it, or download the image itself."
            );
        if (text.StartsWith("-----BEGIN PGP", StringComparison.Ordinal))
            return new("signature", "It is a signature of a download.", "The image itself is not in it.", "Get the file that it signs.");
        var lines = text.Split('\n').Select(l => l.Trim()).Where(l => l.Length > 0).ToList();
        if (lines.Count > 0 && lines.Take(3).All(l => Sum().IsMatch(l)))
            return new(
                "sums",
                "It is a list of checksums.",
                "It tells how to recognise the downloads, and holds none.",
                "Download the image, and give this file as its published sum."
            );
        return
            head.AsSpan(0, Math.Min(head.Length, 4096)).IndexOf((byte)0) < 0
            && text.Count(c => char.IsControl(c) && c is not ('\n' or '\r' or '\t' or '\u001b')) * 50 < text.Length
            ? new("text", "It is a text.", "It is no disk.", "If it is the log of a board, drop it on the board's boot page.")
            : null;
    }

    private static FileNature Unknown(ImageBytes image) =>
        new(
            "unknown",
            $"Nothing that is known here stands at its beginning ({Sizes.Binary(image.Length)}).",
            NotWritten,
            "Compare its size and checksum with what was published; it may be one part of several, or damaged."
        );

    [GeneratedRegex(@"^d\d{1,2}:(announce|comment|created by|creation date|info|url-list)")]
    private static partial Regex Torrent();

    [GeneratedRegex(
        @"^(?:(?:[0-9a-fA-F]{32}|[0-9a-fA-F]{40}|[0-9a-fA-F]{64}|[0-9a-fA-F]{96}|[0-9a-fA-F]{128})(?:\s+\*?\S.*)?|(?:MD5|SHA\d+|BLAKE2b) ?\(.+\) ?= ?[0-9a-fA-F]+|#.*|Hash: \S+)$"
    )]
    private static partial Regex Sum();
}
