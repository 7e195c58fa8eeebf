using System.Buffers.Binary;
using System.Diagnostics;
using System.IO.Compression;
using System.IO.Hashing;
using System.Text;

namespace Buttonhook.Core.Tests;

/// <summary>Makes small images: an MBR, a FAT16 boot partition written here, and an ext4 root made by mke2fs, with parts that have the right headers and nothing behind them.</summary>
public static class ImageMaker
{
    private const int Sector = 512;
    public const string RootUuid = "3f1d2c4b-5a69-4788-9a0b-0c1d2e3f4a5b";
    public const string DiskId = "5e1c04aa";

    public static string Menu(string append) => $"default fallow\nlabel fallow\n\tkernel /Image\n\tinitrd /initrd.img\n\tappend {append}\n";

    public static readonly string GoodAppend = $"root=PARTUUID={DiskId}-02 rw rootwait console=ttyAMA0,115200";

    /// <summary>The boot files of a system that boots; change one and see.</summary>
    public static Dictionary<string, byte[]> BootFiles() =>
        new()
        {
            ["/Image"] = Arm64Kernel(),
            ["/initrd.img"] = Cpio(
                ("init", 0x81ED, Elf(183)),
                ("lib/ext4.ko", 0x81A4, [1]),
                ("lib/virtio_blk.ko", 0x81A4, [1]),
                ("lib/mmc_block.ko", 0x81A4, [1]),
                ("lib/usb-storage.ko", 0x81A4, [1])
            ),
            ["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(Menu(GoodAppend)),
        };

    /// <summary>The root files of a system that boots.</summary>
    public static Dictionary<string, byte[]> RootFiles() =>
        new()
        {
            ["/sbin/init"] = Elf(183),
            ["/bin/sh"] = Elf(183),
            ["/etc/inittab"] = "ttyAMA0::respawn:/sbin/getty -L 115200 ttyAMA0 vt100\n"u8.ToArray(),
            ["/etc/fstab"] = Encoding.ASCII.GetBytes($"UUID={RootUuid} / ext4 defaults 0 1\n"),
            ["/etc/os-release"] = "PRETTY_NAME=\"Fallow 12 server\"\nID=fallow\nVERSION_ID=\"12\"\n"u8.ToArray(),
        };

    public static byte[] Arm64Kernel()
    {
        var kernel = new byte[4096];
        BinaryPrimitives.WriteUInt32LittleEndian(kernel.AsSpan(0x38), 0x644D5241);
        BinaryPrimitives.WriteUInt64LittleEndian(kernel.AsSpan(0x10), 4096);
        "Linux version 6.6.30-arm64 (build@orchard)"u8.CopyTo(kernel.AsSpan(0x400));
        return kernel;
    }

    public static byte[] Gzip(byte[] bytes)
    {
        using var into = new MemoryStream();
        using (var gzip = new GZipStream(into, CompressionLevel.Fastest, true))
            gzip.Write(bytes);
        return into.ToArray();
    }

    /// <summary>What unpacks gzip and knows no other kind.</summary>
    public static Stream? Unpack(Stream stream)
    {
        var gzip = stream.ReadByte() == 0x1F && stream.ReadByte() == 0x8B;
        stream.Position = 0;
        return gzip ? new GZipStream(stream, CompressionMode.Decompress) : null;
    }

    /// <summary>A legacy image of U-Boot (include/image.h) with checksums that fit.</summary>
    public static byte[] Legacy(byte[] data, byte architecture = 22, byte type = 2, byte compression = 0)
    {
        var image = (byte[])[.. new byte[64], .. data];
        BinaryPrimitives.WriteUInt32BigEndian(image, 0x27051956);
        BinaryPrimitives.WriteUInt32BigEndian(image.AsSpan(12), (uint)data.Length);
        BinaryPrimitives.WriteUInt32BigEndian(image.AsSpan(24), Crc32.HashToUInt32(data));
        (image[29], image[30], image[31]) = (architecture, type, compression);
        BinaryPrimitives.WriteUInt32BigEndian(image.AsSpan(4), Crc32.HashToUInt32(image.AsSpan(0, 64)));
        return image;
    }

    public static byte[] Elf(ushort machine)
    {
        var elf = new byte[64];
        new byte[] { 0x7F, (byte)'E', (byte)'L', (byte)'F', 2, 1 }.CopyTo(elf, 0);
        BinaryPrimitives.WriteUInt16LittleEndian(elf.AsSpan(18), machine);
        return elf;
    }

    public static byte[] Cpio(params (string Name, uint Mode, byte[] Content)[] files)
    {
        using var into = new MemoryStream();
        foreach (var (name, mode, content) in files.Append(("TRAILER!!!", 0u, [])))
        {
            into.Write(
                Encoding.ASCII.GetBytes(
                    $"070701{1:x8}{mode:x8}{0:x8}{0:x8}{1:x8}{0:x8}{content.Length:x8}{0:x8}{0:x8}{0:x8}{0:x8}{name.Length + 1:x8}{0:x8}"
                )
            );
            into.Write(Encoding.ASCII.GetBytes(name + "\0"));
            while (into.Length % 4 != 0)
                into.WriteByte(0);
            into.Write(content);
            while (into.Length % 4 != 0)
                into.WriteByte(0);
        }
        return into.ToArray();
    }

    /// <summary>A FAT16 file system of 8 MiB with 1 KiB clusters and 8.3 or long names.</summary>
    public static byte[] Fat(Dictionary<string, byte[]> files)
    {
        const int size = 8 << 20,
            cluster = 1024,
            fatSectors = 32,
            reserved = 1,
            rootEntries = 512;
        var disk = new byte[size];
        var boot = disk.AsSpan(0, Sector);
        BinaryPrimitives.WriteUInt16LittleEndian(boot[11..], Sector);
        boot[13] = cluster / Sector;
        BinaryPrimitives.WriteUInt16LittleEndian(boot[14..], reserved);
        boot[16] = 1;
        BinaryPrimitives.WriteUInt16LittleEndian(boot[17..], rootEntries);
        BinaryPrimitives.WriteUInt16LittleEndian(boot[19..], size / Sector);
        boot[21] = 0xF8;
        BinaryPrimitives.WriteUInt16LittleEndian(boot[22..], fatSectors);
        BinaryPrimitives.WriteUInt32LittleEndian(boot[39..], 0x1234ABCD);
        "FALLOWBOOT FAT16   "u8.CopyTo(boot[43..]);
        boot[510] = 0x55;
        boot[511] = 0xAA;
        var rootAt = (reserved + fatSectors) * Sector;
        var dataAt = rootAt + rootEntries * 32;
        var next = 2;
        int Store(byte[] content)
        {
            if (content.Length == 0)
                return 0;
            var first = next;
            for (var at = 0; at < content.Length; at += cluster, next++)
            {
                content.AsSpan(at, Math.Min(cluster, content.Length - at)).CopyTo(disk.AsSpan(dataAt + (next - 2) * cluster));
                var link = at + cluster < content.Length ? next + 1 : 0xFFFF;
                BinaryPrimitives.WriteUInt16LittleEndian(disk.AsSpan(reserved * Sector + next * 2), (ushort)link);
            }
            return first;
        }
        byte[] Folder(string path)
        {
            using var into = new MemoryStream();
            var number = 0;
            foreach (
                var name in files
                    .Keys.Where(f => f.StartsWith(path, StringComparison.Ordinal))
                    .Select(f => f[path.Length..].Split('/')[0])
                    .Distinct()
            )
            {
                var isFolder = !files.ContainsKey(path + name);
                var content = isFolder ? Folder(path + name + "/") : files[path + name];
                var padded = name + "\0" + new string('\uFFFF', 26);
                var parts = (name.Length + 13) / 13;
                for (var part = parts; part >= 1; part--)
                {
                    var entry = new byte[32];
                    entry[0] = (byte)(part | (part == parts ? 0x40 : 0));
                    entry[11] = 0x0F;
                    var text = Encoding.Unicode.GetBytes(padded.Substring((part - 1) * 13, 13));
                    text.AsSpan(0, 10).CopyTo(entry.AsSpan(1));
                    text.AsSpan(10, 12).CopyTo(entry.AsSpan(14));
                    text.AsSpan(22, 4).CopyTo(entry.AsSpan(28));
                    into.Write(entry);
                }
                var last = new byte[32];
                Encoding.ASCII.GetBytes($"F{++number:0000000}   ").CopyTo(last, 0);
                last[11] = (byte)(isFolder ? 0x10 : 0x20);
                BinaryPrimitives.WriteUInt16LittleEndian(last.AsSpan(26), (ushort)Store(content));
                BinaryPrimitives.WriteUInt32LittleEndian(last.AsSpan(28), isFolder ? 0 : (uint)content.Length);
                into.Write(last);
            }
            return into.ToArray();
        }
        Folder("/").CopyTo(disk, rootAt);
        return disk;
    }

    /// <summary>An ext4 file system, of 4 MiB if no size is given, by the system's mke2fs.</summary>
    public static byte[] Ext(Dictionary<string, byte[]> files, string size = "4M", params (string Path, string Target)[] links) =>
        Ext(files, ["-t", "ext4"], size, links);

    /// <summary>A file system of the ext family with the options given, by the system's mke2fs; runs of zeros in a file are holes.</summary>
    public static byte[] Ext(
        Dictionary<string, byte[]> files,
        string[] options,
        string size = "4M",
        params (string Path, string Target)[] links
    )
    {
        var folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;
        try
        {
            var tree = Path.Combine(folder, "tree");
            foreach (var (path, content) in files)
            {
                var file = tree + path;
                Directory.CreateDirectory(Path.GetDirectoryName(file)!);
                using (var stream = File.Create(file))
                {
                    stream.SetLength(content.Length);
                    for (var at = 0; at < content.Length; at += 4096)
                        if (content.AsSpan(at, Math.Min(4096, content.Length - at)) is var block && block.IndexOfAnyExcept((byte)0) >= 0)
                        {
                            stream.Position = at;
                            stream.Write(block);
                        }
                }
                if (path.StartsWith("/sbin/") || path.StartsWith("/bin/"))
                    File.SetUnixFileMode(file, (UnixFileMode)0b111_101_101);
            }
            foreach (var (path, target) in links)
                File.CreateSymbolicLink(tree + path, target);
            var image = Path.Combine(folder, "root.ext4");
            var mke2fs = new[] { "/sbin/mke2fs", "/usr/sbin/mke2fs" }.First(File.Exists);
            using var process = Process.Start(
                new ProcessStartInfo(mke2fs, ["-q", "-F", .. options, "-U", RootUuid, "-L", "fallowroot", "-d", tree, image, size])
                {
                    RedirectStandardError = true,
                }
            )!;
            process.WaitForExit();
            Assert.Equal(0, process.ExitCode);
            return File.ReadAllBytes(image);
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    /// <summary>The same disk with a GPT in two copies (UEFI 5.3): the boot partition marked, and the root.</summary>
    public static byte[] GptDisk(byte[] boot, byte[] root)
    {
        const int tableBytes = 128 * 128;
        var disk = (byte[])[.. Disk(boot, root), .. new byte[1 << 20]];
        var sectors = disk.Length / Sector;
        disk.AsSpan(440, 70).Clear();
        disk[446 + 4] = 0xEE;
        BinaryPrimitives.WriteUInt32LittleEndian(disk.AsSpan(446 + 8), 1);
        BinaryPrimitives.WriteUInt32LittleEndian(disk.AsSpan(446 + 12), (uint)sectors - 1);
        var table = new byte[tableBytes];
        void Entry(int index, string id, int start, int length, ulong marks)
        {
            var entry = table.AsSpan(index * 128);
            new Guid("0FC63DAF-8483-4772-8E79-3D69D8477DE4").TryWriteBytes(entry);
            new Guid(id).TryWriteBytes(entry[16..]);
            BinaryPrimitives.WriteUInt64LittleEndian(entry[32..], (ulong)(start / Sector));
            BinaryPrimitives.WriteUInt64LittleEndian(entry[40..], (ulong)((start + length) / Sector) - 1);
            BinaryPrimitives.WriteUInt64LittleEndian(entry[48..], marks);
            Encoding.Unicode.GetBytes(index == 0 ? "boot" : "root").CopyTo(entry[56..]);
        }
        Entry(0, "11111111-2222-4333-8444-555555555555", 2048 * Sector, boot.Length, 4);
        Entry(1, "21111111-2222-4333-8444-555555555555", 2048 * Sector + boot.Length, root.Length, 0);
        foreach (var (at, other, entries) in ((int, int, int)[])[(1, sectors - 1, 2), (sectors - 1, 1, sectors - 33)])
        {
            table.CopyTo(disk, entries * Sector);
            var header = disk.AsSpan(at * Sector, 92);
            "EFI PART"u8.CopyTo(header);
            BinaryPrimitives.WriteUInt32LittleEndian(header[12..], 92);
            BinaryPrimitives.WriteUInt64LittleEndian(header[32..], (ulong)other);
            BinaryPrimitives.WriteUInt64LittleEndian(header[48..], (ulong)sectors - 34);
            BinaryPrimitives.WriteUInt64LittleEndian(header[72..], (ulong)entries);
            BinaryPrimitives.WriteUInt32LittleEndian(header[80..], 128);
            BinaryPrimitives.WriteUInt32LittleEndian(header[84..], 128);
            SealGpt(disk, at * Sector);
        }
        return disk;
    }

    /// <summary>Makes the checksums of a GPT header fit what it and its entries hold now.</summary>
    public static void SealGpt(byte[] disk, int at = Sector)
    {
        var header = disk.AsSpan(at, 92);
        var table = (long)BinaryPrimitives.ReadUInt64LittleEndian(header[72..]) * Sector;
        var bytes = (long)BinaryPrimitives.ReadUInt32LittleEndian(header[80..]) * BinaryPrimitives.ReadUInt32LittleEndian(header[84..]);
        if (table < 0 || bytes <= 0 || bytes > disk.Length || table > disk.Length - bytes)
            return;
        BinaryPrimitives.WriteUInt32LittleEndian(header[88..], Crc32.HashToUInt32(disk.AsSpan((int)table, (int)bytes)));
        header[16..20].Clear();
        BinaryPrimitives.WriteUInt32LittleEndian(header[16..], Crc32.HashToUInt32(header));
    }

    /// <summary>MBR, boot partition (bootable, type 0c) and root partition.</summary>
    public static byte[] Disk(byte[] boot, byte[] root)
    {
        const int start = 2048 * Sector;
        var disk = new byte[start + boot.Length + root.Length];
        BinaryPrimitives.WriteUInt32LittleEndian(disk.AsSpan(440), Convert.ToUInt32(DiskId, 16));
        void Entry(int index, byte flag, byte type, int at, int length)
        {
            var entry = disk.AsSpan(446 + index * 16);
            entry[0] = flag;
            entry[4] = type;
            BinaryPrimitives.WriteUInt32LittleEndian(entry[8..], (uint)(at / Sector));
            BinaryPrimitives.WriteUInt32LittleEndian(entry[12..], (uint)(length / Sector));
        }
        Entry(0, 0x80, 0x0C, start, boot.Length);
        Entry(1, 0, 0x83, start + boot.Length, root.Length);
        disk[510] = 0x55;
        disk[511] = 0xAA;
        boot.CopyTo(disk, start);
        root.CopyTo(disk, start + boot.Length);
        return disk;
    }
}
