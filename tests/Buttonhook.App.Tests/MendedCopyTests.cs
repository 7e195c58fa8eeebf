using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Hardware.Cards;

namespace Buttonhook.App.Tests;

/// <summary>Copies of images with lines changed.</summary>
public sealed class MendedCopyTests : InFolder
{
    private const int FatAt = 1 << 20,
        FatBytes = 34 << 20,
        ExtAt = 35 << 20,
        ExtBytes = 8 << 20;

    private string Image()
    {
        var path = System.IO.Path.Combine(folder, "orchard.img");
        using (var file = new FileStream(path, FileMode.CreateNew, FileAccess.ReadWrite))
        {
            file.SetLength(ExtAt + ExtBytes);
            var disk = WritableBytes.Of(file);
            var table = new byte[512];
            (table[446 + 4], table[446 + 16 + 4], table[510], table[511]) = (0x0C, 0x83, 0x55, 0xAA);
            BitConverter.GetBytes(FatAt / 512).CopyTo(table, 446 + 8);
            BitConverter.GetBytes(FatBytes / 512).CopyTo(table, 446 + 12);
            BitConverter.GetBytes(ExtAt / 512).CopyTo(table, 446 + 16 + 8);
            BitConverter.GetBytes(ExtBytes / 512).CopyTo(table, 446 + 16 + 12);
            disk.Write(0, table);
            var part = disk.Part(FatAt, FatBytes);
            FatFormat.Make(part, "BOOT", 1, FatAt / 512);
            new FatWriter(part, DateTime.UnixEpoch.AddYears(30)).Write("/extlinux/extlinux.conf", "label o\n append root=x quiet\n"u8);
        }
        var root = Directory.CreateDirectory(System.IO.Path.Combine(folder, "root", "etc")).FullName;
        System.IO.File.WriteAllText(System.IO.Path.Combine(root, "fstab"), "a / ext4 defaults 0 1\nb /srv ext4 defaults 0 2\n");
        Assert.Null(ExtFiles.Make(path, ExtAt, ExtBytes, "root", Guid.NewGuid().ToString(), System.IO.Path.GetDirectoryName(root)!));
        return path;
    }

    private static readonly FileEdit[] Edits =
    [
        new(1, "/extlinux/extlinux.conf", 2, "root=x", "root=PARTUUID=1-02"),
        new(1, "/extlinux/extlinux.conf", 2, null, "rootwait"),
        new(2, "/etc/fstab", 2, "defaults", "defaults,nofail"),
    ];

    private static string Text(string image, int at, int length, string path)
    {
        using var file = System.IO.File.OpenRead(image);
        return System.Text.Encoding.UTF8.GetString(FileTree.Open(ImageBytes.Of(file).Slice(at, length)).Tree!.Read(path)!);
    }

    [Fact]
    public async Task Lines_on_both_file_systems_are_changed_in_the_copy_alone()
    {
        var image = Image();
        var before = System.IO.File.ReadAllBytes(image);
        var copy = System.IO.Path.Combine(folder, "copies", "mended.img");
        Assert.Null(await MendedCopy.Make(image, copy, Edits, new DateTime(2026, 11, 26), default));
        Assert.Equal("label o\n append root=PARTUUID=1-02 quiet rootwait\n", Text(copy, FatAt, FatBytes, "/extlinux/extlinux.conf"));
        Assert.Equal("a / ext4 defaults 0 1\nb /srv ext4 defaults,nofail 0 2\n", Text(copy, ExtAt, ExtBytes, "/etc/fstab"));
        Assert.True(before.AsSpan().SequenceEqual(System.IO.File.ReadAllBytes(image)));
        // A second one does not write over the first.
        Assert.Contains("is there already", (await MendedCopy.Make(image, copy, Edits, DateTime.Now, default))!.Came);
    }

    [Fact]
    public async Task What_cannot_be_changed_leaves_no_copy_and_says_which_line()
    {
        var image = Image();
        var copy = System.IO.Path.Combine(folder, "mended.img");
        async Task<string> Came(FileEdit edit) => (await MendedCopy.Make(image, copy, [edit], DateTime.Now, default))!.Came;
        Assert.Equal("It is not: line 2 does not hold “root=y”.", await Came(Edits[0] with { Before = "root=y" }));
        Assert.Equal("It is not: the file is not there.", await Came(Edits[0] with { Path = "/gone" }));
        Assert.Equal("It is not: the partition is not there.", await Came(Edits[0] with { Partition = 7 }));
        Assert.NotNull(await MendedCopy.Make(image, copy, [], DateTime.Now, default));
        Assert.False(System.IO.File.Exists(copy));
    }

    [Fact]
    public void A_part_of_a_split_download_says_so_and_how_to_join_it()
    {
        foreach (var n in (string[])["001", "002", "003"])
            File($"orchard.img.xz.{n}", [1, 2, 3]);
        var path = System.IO.Path.Combine(folder, "orchard.img.xz.002");
        var found = ImageFiles.Inspect(path, new(InstructionSet.Arm64, "distro", "sd", null, null, null, [], ""), [], null, default).Value!;
        Assert.Equal("part", found.Nature!.Kind);
        Assert.StartsWith("It is one of 3 parts of orchard.img.xz", found.Nature.Says);
        Assert.Contains("cat orchard.img.xz.* > orchard.img.xz", found.Nature.Instead);
        Assert.Equal("image-truncated", found.DryBoot!.Causes[0]);
        Assert.Null(SplitFile.Of(System.IO.Path.Combine(folder, "orchard.img.gz")));
        Assert.Null(SplitFile.Of(System.IO.Path.Combine(folder, "notes.001")));
    }

    [Theory]
    [InlineData("squashfs-xz")]
    [InlineData("btrfs-zstd")]
    public void File_systems_packed_as_only_the_system_unpacks_are_read(string name)
    {
        var path = System.IO.Path.Combine(folder, name);
        using (
            var kept = new System.IO.Compression.GZipStream(
                System.IO.File.OpenRead($"{RunningApp.Root}/tests/filesystems/{name}.gz"),
                System.IO.Compression.CompressionMode.Decompress
            )
        )
        using (var into = new FileStream(path, FileMode.CreateNew))
        {
            var head = new byte[12];
            while (kept.ReadAtLeast(head, 12, false) == 12)
            {
                var (at, size) = (BitConverter.ToInt64(head), BitConverter.ToInt32(head, 8));
                if (size == 0)
                    into.SetLength(at);
                else
                {
                    var block = new byte[size];
                    kept.ReadExactly(block);
                    into.Position = at;
                    into.Write(block);
                }
            }
        }
        using var file = System.IO.File.OpenRead(path);
        var tree = FileTree
            .Open(ImageBytes.Of(file), ImageFiles.Unpack)
            .Tree!.Mounted(name.StartsWith("btrfs", StringComparison.Ordinal) ? "subvol=@" : null)
            .Tree!;
        Assert.Equal(
            string.Concat(Enumerable.Range(0, 30000).Select(n => $"{n}\n")),
            System.Text.Encoding.ASCII.GetString(tree.Read("/far")!)
        );
        Assert.Equal(300, tree.List("/many").Count);
    }
}
