using System.Buffers.Binary;
using System.IO.Compression;
using System.Text;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Hardware.Cards;

namespace Buttonhook.App.Preparing;

/// <summary>Small stand-ins for the images of the demo, whose files nobody has: real partitions, file systems, configuration and headers, as large as the card says, with holes instead of content.</summary>
public sealed class StandInImages(BenchOptions options, TimeProvider clock)
{
    private const long FirstPartition = 4 << 20;
    private const long BootBytes = 64 << 20;
    private readonly Lock gate = new();

    /// <summary>Whether an image has no file of its own and a stand-in takes its place: in the demo only.</summary>
    public bool IsStandIn(ImageProfile image) => image.Path is null && options.Demo;

    /// <summary>The title of an image, with the word stand-in where its file is one.</summary>
    public string TitleOf(ImageProfile image) => IsStandIn(image) ? $"{image.Title} (stand-in)" : image.Title;

    /// <summary>The file of an image: its own, or in the demo its stand-in, which is made when it is asked for first.</summary>
    public Answer<string> FileOf(ImageProfile image, Catalogue catalogue)
    {
        if (image.Path is { } own)
            return File.Exists(own)
                ? own
                : new Problem(
                    $"{image.Title} should lie at {own}.",
                    "There is no file.",
                    "Put it back, or look into the new place and shelve it again."
                );
        if (!options.Demo)
            return new Problem(
                $"{image.Title} should have a file on this computer.",
                "Only its profile is on the shelf: what is in the image is not known, and it cannot be written.",
                "Look into its file on the image shelf, and choose the card that comes of it."
            );
        lock (gate)
        {
            var folder = Path.Combine(options.DataFolder, "images", "stand-ins");
            var path = Path.Combine(folder, image.Id + (image.Kind == "installer" ? ".zip" : ".img"));
            if (File.Exists(path))
                return path;
            try
            {
                Directory.CreateDirectory(folder);
                var making = path + ".new";
                File.Delete(making);
                var model = catalogue.Model(image.Supports.FirstOrDefault()?.Model ?? "");
                if (image.Kind == "installer")
                    Installer(making, image);
                else if (Raw(making, image, model) is { } problem)
                    return problem;
                File.Move(making, path, true);
                return path;
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                return new Problem("The stand-in of this image should be made.", e.Message, "Look at the disk and who may write there.");
            }
        }
    }

    private Problem? Raw(string path, ImageProfile image, BoardProfile? model)
    {
        using var file = new FileStream(path, FileMode.Create, FileAccess.ReadWrite, FileShare.ReadWrite, 0);
        var length = image.ExpandedBytes / 512 * 512;
        file.SetLength(length);
        var disk = WritableBytes.Of(file);
        var mbr = new byte[512];
        CardDevice.StandInMark.CopyTo(mbr);
        var id = Convert.ToUInt32(image.RootPartUuid.Split('-')[0], 16);
        BinaryPrimitives.WriteUInt32LittleEndian(mbr.AsSpan(440), id);
        var rootStart = FirstPartition + BootBytes;
        Entry(mbr, 0, 0x80, image.Chain == "efi" ? (byte)0xEF : (byte)0x0C, FirstPartition, BootBytes);
        Entry(mbr, 1, 0, 0x83, rootStart, length - rootStart);
        mbr[510] = 0x55;
        mbr[511] = 0xAA;
        disk.Write(0, mbr);
        if (model?.FirstLoader is { } loader)
            disk.Write(loader.At, Convert.FromHexString(loader.Bytes));
        var boot = disk.Part(FirstPartition, BootBytes);
        FatFormat.Make(boot, "BOOT", id, (uint)(FirstPartition / 512));
        var fat = new FatWriter(boot, clock.GetLocalNow().DateTime);
        foreach (var (name, content) in BootFiles(image))
            fat.Write(name, content);
        file.Flush(true);
        var tree = Directory.CreateTempSubdirectory("buttonhook-root-").FullName;
        try
        {
            foreach (var (name, content, mode) in RootFiles(image, id))
            {
                var target = Path.Combine(tree, name.TrimStart('/'));
                Directory.CreateDirectory(Path.GetDirectoryName(target)!);
                File.WriteAllBytes(target, content);
                File.SetUnixFileMode(target, (UnixFileMode)Convert.ToInt32(mode, 8));
            }
            return ExtFiles.Make(path, rootStart, length - rootStart, "rootfs", Uuid(image), tree);
        }
        finally
        {
            Directory.Delete(tree, true);
        }
    }

    private static void Installer(string path, ImageProfile image)
    {
        using var zip = ZipFile.Open(path, ZipArchiveMode.Create);
        foreach (var (name, content) in BootFiles(image).Append(("/packages/base.pack", new byte[1 << 20])))
        {
            using var entry = zip.CreateEntry(name.TrimStart('/')).Open();
            entry.Write(content);
        }
    }

    private static void Entry(byte[] mbr, int index, byte flag, byte type, long at, long length)
    {
        var entry = mbr.AsSpan(446 + index * 16);
        entry[0] = flag;
        entry[4] = type;
        BinaryPrimitives.WriteUInt32LittleEndian(entry[8..], (uint)(at / 512));
        BinaryPrimitives.WriteUInt32LittleEndian(entry[12..], (uint)(length / 512));
    }

    private static string Uuid(ImageProfile image)
    {
        var hash = System.Security.Cryptography.SHA256.HashData(Encoding.UTF8.GetBytes(image.Id));
        hash[7] = (byte)(hash[7] & 0x0F | 0x40);
        hash[8] = (byte)(hash[8] & 0x3F | 0x80);
        return new Guid(hash[..16]).ToString();
    }

    private static IEnumerable<(string Name, byte[] Content)> BootFiles(ImageProfile image)
    {
        var root = image.RootPartUuid.Length > 0 ? $"root=PARTUUID={image.RootPartUuid}" : "root=/dev/mmcblk0p2";
        var console = image.ConsoleDevice is null ? "" : $" {KernelCommandLine.ConsoleWord(image.ConsoleDevice, image.ConsoleSpeed)}";
        var arguments = $"{root} ro rootwait{console}";
        var kernel = image.InstructionSet switch
        {
            InstructionSet.Armhf => "zImage",
            InstructionSet.Amd64 => "vmlinuz",
            _ => "Image",
        };
        yield return ($"/{kernel}", Kernel(image));
        yield return ("/initrd.img", InitialFiles(image));
        if (image.Chain == "efi")
        {
            var loader = new byte[1024];
            "MZ"u8.CopyTo(loader);
            loader[0x3C] = 0x80;
            "PE\0\0"u8.CopyTo(loader.AsSpan(0x80));
            BinaryPrimitives.WriteUInt16LittleEndian(loader.AsSpan(0x84), 0x8664);
            yield return ("/EFI/BOOT/BOOTX64.EFI", loader);
            yield return (
                "/EFI/BOOT/grub.cfg",
                Encoding.ASCII.GetBytes(
                    $"set timeout=3\nset default=0\nmenuentry \"{image.Title}\" {{\n\tlinux /{kernel} {arguments}\n\tinitrd /initrd.img\n}}\n"
                )
            );
        }
        else
            yield return (
                "/extlinux/extlinux.conf",
                Encoding.ASCII.GetBytes(
                    $"timeout 30\ndefault {image.Name.ToLowerInvariant()}\n\nlabel {image.Name.ToLowerInvariant()}\n\tmenu label {image.Title}\n\tlinux /{kernel}\n\tinitrd /initrd.img\n\tappend {arguments}\n"
                )
            );
    }

    private static IEnumerable<(string Name, byte[] Content, string Mode)> RootFiles(ImageProfile image, uint id)
    {
        static byte[] Text(string text) => Encoding.UTF8.GetBytes(text);
        var user = image.DefaultUser.Length > 0 ? image.DefaultUser : "root";
        yield return ("/lib/systemd/systemd", Elf(image.InstructionSet), "755");
        yield return ("/sbin/init", Elf(image.InstructionSet), "755");
        yield return ("/bin/sh", Elf(image.InstructionSet), "755");
        yield return (
            "/lib/systemd/system/serial-getty@.service",
            Text("[Service]\nExecStart=-/sbin/agetty -o '-p -- \\\\u' --keep-baud 115200,57600,38400,9600 - $TERM\n"),
            "644"
        );
        yield return (
            "/etc/os-release",
            Text(
                $"NAME=\"{image.Name}\"\nPRETTY_NAME=\"{image.Title}\"\nID={image.Name.ToLowerInvariant()}\nVERSION_ID=\"{image.Version}\"\n"
            ),
            "644"
        );
        yield return (
            "/etc/fstab",
            Text($"PARTUUID={image.RootPartUuid} / ext4 defaults 0 1\nPARTUUID={id:x8}-01 /boot vfat defaults 0 2\n"),
            "644"
        );
        yield return ("/etc/passwd", Text($"root:x:0:0:root:/root:/bin/sh\n{user}:x:1000:1000::/home/{user}:/bin/sh\n"), "644");
        yield return ("/etc/cloud/cloud.cfg", Text("datasource_list: [NoCloud, None]\n"), "644");
        yield return ("/etc/hostname", Text(image.Name.ToLowerInvariant() + "\n"), "644");
    }

    private static byte[] Kernel(ImageProfile image)
    {
        var kernel = new byte[64 << 10];
        Encoding
            .ASCII.GetBytes($"Linux version {image.Kernel}-stand-in (build@orchard)\0VFS: ext4 mmcblk EXT4-fs sdhci")
            .CopyTo(kernel, 0x4000);
        switch (image.InstructionSet)
        {
            case InstructionSet.Arm64:
                BinaryPrimitives.WriteUInt64LittleEndian(kernel.AsSpan(0x10), (ulong)kernel.Length);
                BinaryPrimitives.WriteUInt32LittleEndian(kernel.AsSpan(0x38), 0x644D5241);
                break;
            case InstructionSet.Riscv64:
                BinaryPrimitives.WriteUInt64LittleEndian(kernel.AsSpan(0x10), (ulong)kernel.Length);
                BinaryPrimitives.WriteUInt32LittleEndian(kernel.AsSpan(0x38), 0x05435352);
                break;
            case InstructionSet.Armhf:
                BinaryPrimitives.WriteUInt32LittleEndian(kernel.AsSpan(0x24), 0x016F2818);
                BinaryPrimitives.WriteUInt32LittleEndian(kernel.AsSpan(0x2C), (uint)kernel.Length);
                break;
            default:
                kernel[0x1F1] = 4;
                kernel[0x1FE] = 0x55;
                kernel[0x1FF] = 0xAA;
                "HdrS"u8.CopyTo(kernel.AsSpan(0x202));
                BinaryPrimitives.WriteUInt16LittleEndian(kernel.AsSpan(0x20E), 0x200);
                BinaryPrimitives.WriteUInt32LittleEndian(kernel.AsSpan(0x1F4), (uint)((kernel.Length - 5 * 512) / 16));
                Encoding.ASCII.GetBytes(image.Kernel + " (build@orchard)\0").CopyTo(kernel, 0x400);
                break;
        }
        return kernel;
    }

    private static byte[] Elf(InstructionSet set)
    {
        var elf = new byte[64];
        new byte[] { 0x7F, (byte)'E', (byte)'L', (byte)'F', set == InstructionSet.Armhf ? (byte)1 : (byte)2, 1 }.CopyTo(elf, 0);
        ushort machine = set switch
        {
            InstructionSet.Armhf => 40,
            InstructionSet.Arm64 => 183,
            InstructionSet.Riscv64 => 243,
            _ => 62,
        };
        BinaryPrimitives.WriteUInt16LittleEndian(elf.AsSpan(18), machine);
        return elf;
    }

    /// <summary>An initial file system: a cpio archive of the new ASCII kind (cpio(5)) with an init and the drivers of card and file system.</summary>
    private static byte[] InitialFiles(ImageProfile image)
    {
        using var into = new MemoryStream();
        foreach (
            var (name, mode, content) in new (string, uint, byte[])[]
            {
                ("init", 0x81ED, Elf(image.InstructionSet)),
                ("lib/modules/ext4.ko", 0x81A4, [1]),
                ("lib/modules/mmc_block.ko", 0x81A4, [1]),
                ("lib/modules/usb-storage.ko", 0x81A4, [1]),
                ("TRAILER!!!", 0, []),
            }
        )
        {
            into.Write(
                Encoding.ASCII.GetBytes(
                    $"070701{1:x8}{mode:x8}{0:x8}{0:x8}{1:x8}{0:x8}{content.Length:x8}{0:x8}{0:x8}{0:x8}{0:x8}{name.Length + 1:x8}{0:x8}{name}\0"
                )
            );
            while (into.Length % 4 != 0)
                into.WriteByte(0);
            into.Write(content);
            while (into.Length % 4 != 0)
                into.WriteByte(0);
        }
        return into.ToArray();
    }
}
