using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;

namespace Buttonhook.Core.Tests.Images;

/// <summary>What is no image of a disk is told from its content, with why it does not start and what to do instead.</summary>
public class FileNatureTests
{
    private static byte[] At(int at, string mark, int size = 1 << 17)
    {
        var bytes = new byte[size];
        Encoding.Latin1.GetBytes(mark).CopyTo(bytes, at);
        return bytes;
    }

    private static byte[] Tar(params string[] names)
    {
        using var file = new MemoryStream();
        foreach (var name in names)
        {
            var header = new byte[512];
            Encoding.ASCII.GetBytes(name).CopyTo(header, 0);
            "00000000000"u8.CopyTo(header.AsSpan(124));
            "ustar"u8.CopyTo(header.AsSpan(257));
            file.Write(header);
        }
        file.Write(new byte[1024]);
        return file.ToArray();
    }

    private static byte[] Text(string text) => Encoding.UTF8.GetBytes(text);

    private static readonly Dictionary<string, (byte[] File, string Kind)> Files = new()
    {
        ["nothing"] = ([], "empty"),
        ["a page"] = (Text("\n<!DOCTYPE html>\n<html><title>Log in</title>"), "page"),
        ["a page without its type"] = (Text("<html lang=en>"), "page"),
        ["a torrent"] = (Text("d8:announce38:udp://tracker.example:6969/announce4:infod6:lengthi5e"), "torrent"),
        ["sums"] = (Text($"{new string('a', 64)}  fallow-12.img.xz\n{new string('b', 64)} *fallow-13.img.xz\n"), "sums"),
        ["a signature"] = (Text("-----BEGIN PGP SIGNATURE-----\n"), "signature"),
        ["a letter"] = (Text("Dear gardener,\nthe frost comes.\n"), "text"),
        ["qcow2"] = (At(0, "QFI\u00fb"), "virtual-disk"),
        ["vhd"] = (At((1 << 17) - 512, "conectix"), "virtual-disk"),
        ["a file for a flash tool"] = (At(0, "\u003a\u00ff\u0026\u00ed"), "flash-file"),
        ["a boot image"] = (At(0, "ANDROID!"), "boot-image"),
        ["an encrypted container"] = (At(0, "LUKS\u00ba\u00be"), "encrypted"),
        ["a disc"] = (At(0x8001, "CD001"), "iso"),
        ["squashfs"] = (At(0, "hsqs"), "file-system"),
        ["ext"] = (ImageMaker.Ext(ImageMaker.RootFiles()), "file-system"),
        ["fat"] = (ImageMaker.Fat(ImageMaker.BootFiles()), "boot-partition"),
        ["a kernel"] = (ImageMaker.Arm64Kernel(), "kernel"),
        ["a device tree"] = (new TreeMaker().Text("/", "model", "Ladle").Blob(), "device-tree"),
        ["initial files"] = (At(0, "070701" + new string('0', 104) + "init\0"), "initial-files"),
        ["an update"] = (At(0, "070702" + new string('0', 104) + "sw-description\0"), "update"),
        ["another update"] = (Tar("version", "manifest", "header.tar.gz"), "update"),
        ["a system as an archive"] = (Tar("./", "./etc/", "./etc/passwd", "./bin/"), "system-archive"),
        ["an archive"] = (Tar("readme.txt", "fallow.img"), "archive"),
        ["sectors of 4096 bytes"] = (At(4096, "EFI PART"), "large-sectors"),
        ["noise"] = (Noise(), "unknown"),
    };

    private static byte[] Noise()
    {
        var bytes = new byte[1 << 17];
        new Random(30).NextBytes(bytes);
        bytes[510] = 0;
        return bytes;
    }

    public static TheoryData<string> Names => [.. Files.Keys];

    [Theory]
    [MemberData(nameof(Names))]
    public void It_is_told_what_it_is_and_no_board_starts_it(string name)
    {
        var (file, kind) = Files[name];
        var image = ImageBytes.Of(file);
        var nature = FileNature.Of(image, PartitionTable.Read(image));
        Assert.Equal(kind, nature?.Kind);
        Assert.All([nature!.Says, nature.Why, nature.Instead], part => Assert.EndsWith(".", part));
        var dry = DryBoot.Play(image, new(InstructionSet.Arm64, "distro", "sd", "ttyAMA0", 115200, 512, [], ""), ImageMaker.Unpack);
        Assert.Equal((DryVerdict.DoesNotBoot, "no-boot-medium"), (dry.Verdict, dry.Causes[0]));
        Assert.Contains(nature.Says, dry.Steps[0].Text);
    }

    [Fact]
    public void An_image_of_a_disk_is_one()
    {
        var image = ImageBytes.Of(ImageMaker.Disk(ImageMaker.Fat(ImageMaker.BootFiles()), ImageMaker.Ext(ImageMaker.RootFiles())));
        Assert.Null(FileNature.Of(image, PartitionTable.Read(image)));
    }

    [Fact]
    public void Whatever_comes_is_told_something()
    {
        var random = new Random(31);
        foreach (var (file, _) in Files.Values)
            for (var round = 0; round < 40; round++)
            {
                var bytes = file[..Math.Min(file.Length, 1 << 17)].ToArray();
                for (var n = random.Next(1, 20); n > 0 && bytes.Length > 0; n--)
                    bytes[random.Next(Math.Min(bytes.Length, 600))] = (byte)random.Next(256);
                var image = ImageBytes.Of(bytes);
                var table = PartitionTable.Read(image);
                Assert.Equal(table.Partitions.Count == 0, FileNature.Of(image, table) is not null);
            }
    }
}
