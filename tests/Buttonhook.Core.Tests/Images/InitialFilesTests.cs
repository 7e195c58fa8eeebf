using System.Text;
using Buttonhook.Core.Images.Formats;
using FsCheck;
using FsCheck.Xunit;
using K4os.Compression.LZ4;

namespace Buttonhook.Core.Tests.Images;

/// <summary>Initial file systems: archives one behind another, packed, wrapped, linked, cut off.</summary>
public class InitialFilesTests
{
    private const uint File = 0x81A4;
    private const uint Link = 0xA1FF;

    private static InitialFiles Read(byte[] bytes) => InitialFiles.Read(bytes, ImageMaker.Unpack);

    private static readonly byte[] Early = ImageMaker.Cpio(("kernel/microcode", File, [1, 2, 3]));
    private static readonly byte[] Main = ImageMaker.Cpio(
        ("init", Link, "usr/lib/start"u8.ToArray()),
        ("usr/lib/start", File, "#!/bin/sh\n"u8.ToArray()),
        ("bin", Link, "usr/bin"u8.ToArray()),
        ("usr/bin/sh", File, ImageMaker.Elf(183)),
        ("up/down", Link, "../usr/lib/start"u8.ToArray()),
        ("round", Link, "/trip"u8.ToArray()),
        ("trip", Link, "/round"u8.ToArray()),
        ("lib/ext4.ko.xz", File, [1])
    );

    [Fact]
    public void Links_are_followed_and_modules_are_seen()
    {
        var files = Read(Main);
        Assert.Null(files.Fault);
        Assert.Equal("#!/bin/sh\n", Encoding.ASCII.GetString(files.Find("/init")!));
        Assert.Equal(ImageMaker.Elf(183), files.Find("/bin/sh"));
        Assert.Equal("#!/bin/sh\n", Encoding.ASCII.GetString(files.Find("up/down")!));
        Assert.Null(files.Find("/round"));
        Assert.Null(files.Find("/gone"));
        Assert.True(files.StartsWithScript);
        Assert.True(files.HasModules);
        Assert.True(files.HasModule("ext4"));
        Assert.False(files.HasModule("f2fs"));
        Assert.False(files.WaitsByItself);
    }

    [Fact]
    public void Archives_one_behind_another_are_one_whether_packed_or_not()
    {
        foreach (
            var both in new[]
            {
                (byte[])[.. Early, .. Main],
                [.. Early, 0, 0, 0, 0, .. ImageMaker.Gzip(Main)],
                ImageMaker.Gzip([.. Early, .. Main]),
                [.. ImageMaker.Gzip(Early), .. ImageMaker.Gzip(Main)],
                [.. ImageMaker.Gzip(Early), 0, 0, 0, 0, 0, .. ImageMaker.Gzip(Main), 0, 0],
                [.. Lz4Legacy(Early), .. Main],
            }
        )
        {
            var files = Read(both);
            Assert.Null(files.Fault);
            Assert.NotNull(files.Find("/usr/bin/sh"));
            Assert.True(files.UnpackedBytes > 64);
        }
        Assert.NotNull(Read([.. Early, .. ImageMaker.Gzip(Main)]).Find("kernel/microcode"));
    }

    [Fact]
    public void The_wrapping_of_the_loader_is_taken_off_and_looked_at()
    {
        Assert.Null(Read(ImageMaker.Legacy(Main, type: 3)).Fault);
        Assert.NotNull(Read(ImageMaker.Legacy(ImageMaker.Gzip(Main), type: 3)).Find("/init"));
        var damaged = ImageMaker.Legacy(Main, type: 3);
        damaged[200] ^= 1;
        Assert.Equal("its data checksum is wrong", Read(damaged).Fault);
    }

    [Fact]
    public void What_is_none_says_why()
    {
        Assert.Equal("nothing is in it", Read([]).Fault);
        Assert.Equal("nothing is in it", Read(new byte[512]).Fault);
        Assert.Equal("its first bytes are those of no packing and of no archive", Read("not an archive"u8.ToArray()).Fault);
        Assert.StartsWith("what is packed in it is no archive", Read(ImageMaker.Gzip(ImageMaker.Gzip(Main))).Fault);
        Assert.StartsWith("it is packed as an lz4 frame", Read([0x04, 0x22, 0x4D, 0x18, 1, 2, 3]).Fault);
        Assert.StartsWith("its xz check is CRC64", Read([0xFD, 0x37, 0x7A, 0x58, 0x5A, 0, 0, 4, 1, 2, 3]).Fault);
        Assert.StartsWith("its xz check is SHA-256", Read([0xFD, 0x37, 0x7A, 0x58, 0x5A, 0, 0, 10, 1, 2, 3]).Fault);
        var odd = Main.ToArray();
        odd[20] = (byte)'x';
        Assert.Equal("a header in it is damaged", Read(odd).Fault);
        Assert.NotNull(Read(ImageMaker.Gzip(Main)[..40]).Fault);
    }

    private static byte[] Lz4Legacy(byte[] content)
    {
        var block = new byte[LZ4Codec.MaximumOutputSize(content.Length)];
        var size = LZ4Codec.Encode(content, block);
        // Another archive begins at a multiple of four bytes, or the kernel takes it for something packed.
        return [0x02, 0x21, 0x4C, 0x18, .. BitConverter.GetBytes(size), .. block[..size], .. new byte[4 + (-size & 3)]];
    }

    [Property(MaxTest = 100)]
    public bool What_was_packed_in_the_legacy_form_of_lz4_comes_back(byte[] content, byte more)
    {
        var bytes = (byte[])[.. content, .. new byte[more * 40]];
        return Read(Lz4Legacy(ImageMaker.Cpio(("file", File, bytes)))).Find("/file")!.AsSpan().SequenceEqual(bytes);
    }

    /// <summary>An archive with several names of one file, as cpio writes them: the content stands with one of them only.</summary>
    private static byte[] HardLinks(params (string Name, byte[] Content)[] names)
    {
        var archive = ImageMaker.Cpio([.. names.Select(n => (n.Name, File, n.Content))]);
        for (var at = 0; at + 110 < archive.Length; )
        {
            int Number(int field) => Convert.ToInt32(Encoding.ASCII.GetString(archive, at + 6 + field * 8, 8), 16);
            if (Encoding.ASCII.GetString(archive, at + 110, 7) == "TRAILER")
                break;
            var (size, name) = (Number(6), Number(11));
            "00000007"u8.CopyTo(archive.AsSpan(at + 6)); // one inode
            "00000003"u8.CopyTo(archive.AsSpan(at + 6 + 4 * 8)); // with three names
            at = (((at + 110 + name + 3) & ~3) + size + 3) & ~3;
        }
        return archive;
    }

    [Fact]
    public void Names_of_one_file_all_have_its_content()
    {
        byte[] busybox = ImageMaker.Elf(183);
        foreach (
            var order in (int[][])
                [
                    [0, 1, 2],
                    [2, 0, 1],
                    [1, 2, 0],
                ]
        )
        {
            (string, byte[])[] all = [("bin/sh", []), ("bin/mount", []), ("bin/busybox", busybox)];
            var files = Read(HardLinks([.. order.Select(n => all[n])]));
            foreach (var (name, _) in all)
                Assert.Equal(busybox, files.Find(name));
        }
    }

    [Fact]
    public void What_came_before_a_fault_stays()
    {
        var files = Read([.. ImageMaker.Gzip(Main), .. "and something else"u8]);
        Assert.Equal("its first bytes are those of no packing and of no archive", files.Fault);
        Assert.True(files.Complete);
        Assert.NotNull(files.Find("/init"));
    }

    [Fact]
    public void Microcode_alone_is_nothing_to_start_from()
    {
        Assert.True(Read(Early).OnlyFirmware);
        Assert.False(Read([.. Early, .. Main]).OnlyFirmware);
    }

    /// <summary>A module as far as it is read here: the head of a program, and its entries of .modinfo.</summary>
    private static byte[] Module(string entries) =>
        [.. ImageMaker.Elf(183), 0, .. Encoding.ASCII.GetBytes(entries.Replace('|', '\0') + "\0")];

    [Fact]
    public void A_module_is_there_only_with_all_that_it_depends_on()
    {
        var files = Read(
            ImageMaker.Cpio(
                ("lib/modules/6.1.0-9/fs/ext4.ko", File, Module("vermagic=6.1.0-9 SMP|name=ext4|depends=jbd2,crc16")),
                ("lib/modules/6.1.0-9/fs/jbd2.ko.gz", File, ImageMaker.Gzip(Module("depends=|vermagic=6.1.0-9 SMP"))),
                ("lib/modules/6.1.0-9/usb-storage.ko", File, Module("depends=usb_core")),
                ("lib/modules/6.1.0-9/usb-core.ko", File, Module("depends="))
            )
        );
        Assert.Equal("crc16", files.Lacks("ext4", ImageMaker.Unpack));
        Assert.Null(files.Lacks("jbd2", ImageMaker.Unpack));
        Assert.True(files.HasModule("usb_storage"));
        Assert.Null(files.Lacks("usb_storage", ImageMaker.Unpack));
        Assert.Equal(["6.1.0-9"], files.ModuleVersions);
    }

    [Fact]
    public void Without_a_list_of_what_is_built_in_nothing_is_known_of_it()
    {
        Assert.Null(Read(Main).BuiltIn("ext4"));
        var listed = Read(
            ImageMaker.Cpio(("lib/modules/6.1.0-9/modules.builtin", File, "kernel/fs/ext4/ext4.ko\nkernel/usb-core.ko\n"u8.ToArray()))
        );
        Assert.True(listed.BuiltIn("ext4"));
        Assert.True(listed.BuiltIn("usb_core"));
        Assert.False(listed.BuiltIn("xfs"));
    }

    [Property(MaxTest = 200)]
    public bool An_archive_that_is_cut_off_breaks_off(PositiveInt cut)
    {
        // The padding behind the last name is no content.
        var at = cut.Get % (Main.Length - 4);
        return Read(Main[..at]).Fault is not null;
    }

    [Fact]
    public void Kinds_that_wait_for_the_root_are_known()
    {
        Assert.True(Read(ImageMaker.Cpio(("init", File, [1]), ("scripts/functions", File, [1]))).WaitsByItself);
        Assert.True(Read(ImageMaker.Cpio(("init", File, [1]), ("usr/lib/dracut/hooks", File, [1]))).WaitsByItself);
    }
}
