using System.Buffers.Binary;
using System.IO.Compression;
using Buttonhook.Core.Images.Formats;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Images;

public class KernelFileTests
{
    private static KernelFile Identify(byte[] file) => KernelFile.Identify(file, ImageMaker.Unpack);

    private static byte[] With(int at, uint value, int length = 4096)
    {
        var file = new byte[length];
        BinaryPrimitives.WriteUInt32LittleEndian(file.AsSpan(at), value);
        return file;
    }

    [Fact]
    public void Each_header_tells_its_instruction_set()
    {
        Assert.Equal(InstructionSet.Arm64, Identify(With(0x38, 0x644D5241)).Architecture);
        Assert.Equal(InstructionSet.Riscv64, Identify(With(0x38, 0x05435352)).Architecture);
        Assert.Equal(InstructionSet.Armhf, Identify(With(0x24, 0x016F2818)).Architecture);
        var pc = With(0x202, 0x53726448);
        pc[0x1FE] = 0x55;
        pc[0x1FF] = 0xAA;
        Assert.Equal(InstructionSet.Amd64, Identify(pc).Architecture);
        Assert.Equal(InstructionSet.Arm64, Identify([.. ImageMaker.Elf(183), .. new byte[1000]]).Architecture);
    }

    [Fact]
    public void A_zimage_that_is_shorter_than_its_header_says_is_cut_off()
    {
        var file = With(0x24, 0x016F2818);
        BinaryPrimitives.WriteUInt32LittleEndian(file.AsSpan(0x2C), 8192);
        Assert.Contains("cut off", Identify(file).Fault);
        BinaryPrimitives.WriteUInt32LittleEndian(file.AsSpan(0x2C), 4096);
        Assert.Null(Identify(file).Fault);
    }

    [Fact]
    public void A_kernel_in_gzip_is_the_kernel_in_it()
    {
        using var into = new MemoryStream();
        using (var gzip = new GZipStream(into, CompressionLevel.Fastest, true))
            gzip.Write(ImageMaker.Arm64Kernel());
        var kernel = Identify(into.ToArray());
        Assert.Equal((InstructionSet.Arm64, "6.6.30-arm64"), (kernel.Architecture, kernel.Version));
        Assert.NotNull(Identify(into.ToArray()[..20]).Fault);
    }

    [Theory]
    [InlineData(0, "empty")]
    [InlineData(100, "only 100 bytes")]
    [InlineData(5000, "not those of a kernel")]
    public void What_is_no_kernel_says_why(int length, string word) => Assert.Contains(word, Identify(new byte[length]).Fault);

    [Fact]
    public void A_driver_is_told_by_what_only_its_code_holds()
    {
        var kernel = ImageMaker.Arm64Kernel();
        Assert.False(Identify(kernel).HasBuiltIn("EXT4-fs"));
        "EXT4-fs"u8.CopyTo(kernel.AsSpan(0x800));
        Assert.True(Identify(kernel).HasBuiltIn("EXT4-fs"));
    }

    [Property(MaxTest = 300)]
    public bool Any_bytes_behind_any_magic_are_judged(NonNull<byte[]> bytes, int which)
    {
        byte[][] magics =
        [
            [0x27, 0x05, 0x19, 0x56],
            [0xD0, 0x0D, 0xFE, 0xED],
            [0x1F, 0x8B, 8, 0],
            [(byte)'M', (byte)'Z'],
            [],
        ];
        var file = (byte[])[.. magics[Math.Abs(which % magics.Length)], .. bytes.Get, .. new byte[700]];
        return Identify(file) is { } kernel && (kernel.Kind is not null || kernel.Fault is not null);
    }

    [Fact]
    public void Initial_files_follow_their_links_and_know_their_modules()
    {
        var files = InitialFiles.Read(
            [
                .. ImageMaker.Cpio(
                    ("bin/busybox", 0x81ED, ImageMaker.Elf(183)),
                    ("init", 0xA1FF, "bin/sh"u8.ToArray()),
                    ("bin/sh", 0xA1FF, "busybox"u8.ToArray())
                ),
                .. ImageMaker.Cpio(("lib/modules/ext4.ko.xz", 0x81A4, [1])),
            ],
            ImageMaker.Unpack
        );
        Assert.Null(files.Fault);
        Assert.Equal(ImageMaker.Elf(183), files.Find("/init"));
        Assert.True(files.HasModule("ext4"));
        Assert.False(files.HasModule("ext"));
        Assert.Null(files.Find("/sbin/init"));
    }

    [Fact]
    public void Links_in_a_circle_lead_nowhere() =>
        Assert.Null(
            InitialFiles.Read(ImageMaker.Cpio(("a", 0xA1FF, "b"u8.ToArray()), ("b", 0xA1FF, "a"u8.ToArray())), ImageMaker.Unpack).Find("/a")
        );

    [Theory]
    [InlineData("root=/dev/a root=/dev/b quiet", "root", "/dev/b")]
    [InlineData("a=\"two words\" root=LABEL=x", "root", "LABEL=x")]
    [InlineData("rootwait root=UUID=1\r", "root", "UUID=1\r")]
    [InlineData("nothing", "root", null)]
    public void The_last_argument_of_a_name_counts(string line, string name, string? value) =>
        Assert.Equal(value, new KernelCommandLine(line).Last(name));

    [Property]
    public bool Words_of_a_command_line_come_back(NonEmptyArray<NonEmptyString> words)
    {
        var plain = words
            .Get.Select(w => new string([.. w.Get.Where(c => c > ' ' && c != '"' && c != '\u007f')]))
            .Where(w => w.Length > 0)
            .ToList();
        return new KernelCommandLine(string.Join("  ", plain)).Words.SequenceEqual(plain);
    }
}
