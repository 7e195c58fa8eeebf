using System.Text;
using Buttonhook.Core.Images;
using FsCheck;
using FsCheck.Xunit;

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
                ImageMaker.Gzip(ImageMaker.Gzip(Main)),
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
        Assert.Equal("it does not decompress", Read("not an archive"u8.ToArray()).Fault);
        Assert.Equal("it is packed too often", Read(ImageMaker.Gzip(ImageMaker.Gzip(ImageMaker.Gzip(ImageMaker.Gzip(Main))))).Fault);
        var odd = Main.ToArray();
        odd[20] = (byte)'x';
        Assert.Equal("a header in it is damaged", Read(odd).Fault);
        Assert.NotNull(Read(ImageMaker.Gzip(Main)[..40]).Fault);
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
