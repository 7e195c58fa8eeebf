using System.Text;
using Buttonhook.Core.Images.Formats;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Images;

public class FileTreeTests
{
    private static FileTree Fat(Dictionary<string, byte[]> files) => FileTree.Open(ImageBytes.Of(ImageMaker.Fat(files))).Tree!;

    private static FileTree Ext(Dictionary<string, byte[]> files) => FileTree.Open(ImageBytes.Of(ImageMaker.Ext(files))).Tree!;

    private static byte[] Noise(int length)
    {
        var bytes = new byte[length];
        new Random(length).NextBytes(bytes);
        return bytes;
    }

    [Fact]
    public void Fat_files_are_found_whatever_their_case_and_read_whole()
    {
        var tree = Fat(
            new()
            {
                ["/extlinux/extlinux.conf"] = Noise(5000),
                ["/Image"] = Noise(100_000),
                ["/empty"] = [],
            }
        );
        Assert.Equal(("vfat", "FALLOWBOOT", "1234-ABCD"), (tree.Kind, tree.Label, tree.Uuid));
        Assert.Equal(Noise(100_000), tree.Read("/IMAGE"));
        Assert.Equal(Noise(5000), tree.Read("/EXTLINUX/Extlinux.conf"));
        Assert.Empty(tree.Read("/empty")!);
        Assert.Null(tree.Read("/extlinux"));
        Assert.Null(tree.Find("/nothing/there"));
        Assert.Equal(["extlinux", "Image", "empty"], tree.List("/"));
        Assert.True(tree.Find("/extlinux")!.IsFolder);
    }

    [Fact]
    public void Ext_files_folders_and_bits_are_read()
    {
        var tree = Ext(new() { ["/sbin/init"] = Noise(70_000), ["/etc/fstab"] = "x"u8.ToArray() });
        Assert.Equal(("ext4", "fallowroot", ImageMaker.RootUuid), (tree.Kind, tree.Label, tree.Uuid));
        Assert.Equal(Noise(70_000), tree.Read("/sbin/init"));
        Assert.Equal(Noise(70_000)[..100], tree.Read("/sbin/init", 100));
        Assert.True(tree.Find("/sbin/init")!.IsExecutable);
        Assert.False(tree.Find("/etc/fstab")!.IsExecutable);
        Assert.Contains("lost+found", tree.List("/"));
        Assert.Null(tree.Find("/sbin/other"));
        Assert.Equal("x", Encoding.ASCII.GetString(tree.Read("/etc/../etc/./fstab")!));
    }

    /// <summary>Lengths just before and behind each level of the block lists of ext2 (12 direct, then 256, 65,536 and more with blocks of 1 KiB).</summary>
    [Theory]
    [InlineData("ext2", "1024")]
    [InlineData("ext2", "4096")]
    [InlineData("ext3", "1024")]
    public void Files_of_ext2_and_ext3_are_read_through_every_level_of_their_lists(string type, string block)
    {
        int[] lengths = [0, 1, 12 << 10, (12 << 10) + 1, 268 << 10, (268 << 10) + 1, 900_000];
        var files = lengths.ToDictionary(n => $"/file{n}", Noise);
        var far = new byte[(12 + 256 + 65_536 + 300) << 10];
        "the end"u8.CopyTo(far.AsSpan(^7));
        "beginning"u8.CopyTo(far);
        files["/far"] = far;
        var tree = FileTree.Open(ImageBytes.Of(ImageMaker.Ext(files, ["-t", type, "-b", block], "12M"))).Tree!;
        Assert.Equal(type, tree.Kind);
        foreach (var (path, content) in files)
            Assert.True(content.AsSpan().SequenceEqual(tree.Read(path)), path);
    }

    [Theory]
    [InlineData("^has_journal,^metadata_csum,64bit")]
    [InlineData("^64bit,^flex_bg,^resize_inode")]
    [InlineData("bigalloc")]
    [InlineData("large_dir,casefold,ea_inode,mmp")]
    [InlineData("inline_data")]
    [InlineData("meta_bg,^resize_inode")]
    [InlineData("encrypt")]
    public void Files_are_read_with_other_features(string features)
    {
        var files = new Dictionary<string, byte[]> { ["/a/file"] = Noise(50_000) };
        var (tree, _, because) = FileTree.Open(ImageBytes.Of(ImageMaker.Ext(files, ["-t", "ext4", "-O", features], "16M")));
        Assert.Null(because);
        Assert.Equal(files["/a/file"], tree!.Read("/a/file"));
    }

    [Fact]
    public void A_folder_with_many_names_is_read_whole()
    {
        var files = Enumerable.Range(0, 300).ToDictionary(n => $"/many/a-name-that-takes-some-room-{n:000}", n => new[] { (byte)n });
        var tree = Ext(files);
        Assert.Equal(300, tree.List("/many").Count);
        Assert.Equal([(byte)255], tree.Read("/many/a-name-that-takes-some-room-255")!);
    }

    [Fact]
    public void An_unknown_feature_of_ext4_is_named_and_not_guessed()
    {
        var image = ImageMaker.Ext(new() { ["/a"] = [1] });
        image[1024 + 96] |= 8; // a journal of its own
        var (tree, _, because) = FileTree.Open(ImageBytes.Of(image));
        Assert.Null(tree);
        Assert.Contains("journal_dev", because);
    }

    [Theory]
    [InlineData(3, "NTFS    ", "ntfs")]
    [InlineData(3, "EXFAT   ", "exfat")]
    [InlineData(4086, "SWAPSPACE2", "swap")]
    public void File_systems_that_are_not_read_are_named(int at, string magic, string kind)
    {
        var bytes = new byte[8192];
        System.Text.Encoding.ASCII.GetBytes(magic).CopyTo(bytes, at);
        Assert.Equal((null, kind), (FileTree.Open(ImageBytes.Of(bytes)).Tree, FileTree.Open(ImageBytes.Of(bytes)).Kind));
    }

    [Property(MaxTest = 60)]
    public bool What_was_written_to_fat_comes_back(NonEmptyArray<byte> content, PositiveInt times)
    {
        byte[] file = [.. Enumerable.Repeat(content.Get, times.Get % 40 + 1).SelectMany(b => b)];
        return Fat(new() { ["/folder/A long name.bin"] = file }).Read("/folder/a LONG name.BIN")!.AsSpan().SequenceEqual(file);
    }

    [Property(MaxTest = 200)]
    public bool Damaged_trees_end_in_bounded_time(int seed)
    {
        var random = new Random(seed);
        var image = (byte[])(random.Next(2) == 0 ? FatImage.Value : ExtImage.Value).Clone();
        for (var i = 0; i < 40; i++)
            image[random.Next(Math.Min(image.Length, 200_000))] = (byte)random.Next(256);
        try
        {
            var tree = FileTree.Open(ImageBytes.Of(image)).Tree;
            foreach (var name in tree?.List("/") ?? [])
                _ = tree!.Read("/" + name, 1 << 20);
            return true;
        }
        catch (UnreadableException e)
        {
            return e.Message.Length > 0;
        }
    }

    private static readonly Lazy<byte[]> FatImage = new(() => ImageMaker.Fat(new() { ["/a/b/c"] = Noise(9000), ["/d"] = Noise(50_000) }));
    private static readonly Lazy<byte[]> ExtImage = new(() => ImageMaker.Ext(new() { ["/a/b/c"] = Noise(9000), ["/d"] = Noise(50_000) }));

    /// <summary>Bytes that count how often they are read.</summary>
    private sealed class Counted(byte[] content) : ImageBytes
    {
        public int Reads { get; private set; }

        public override long Length => content.Length;

        public override int Read(long offset, Span<byte> into)
        {
            Reads++;
            if (offset < 0 || offset >= content.Length)
                return 0;
            var count = (int)Math.Min(into.Length, content.Length - offset);
            content.AsSpan((int)offset, count).CopyTo(into);
            return count;
        }
    }

    [Fact]
    public void A_file_in_one_piece_takes_few_reads()
    {
        var content = new byte[3 << 20];
        new Random(7).NextBytes(content);
        var counted = new Counted(ImageMaker.Fat(new() { ["/extlinux/kernel"] = content }));
        var tree = FileTree.Open(counted).Tree!;
        Assert.Equal(content, tree.Read("/extlinux/kernel"));
        Assert.InRange(counted.Reads, 1, 40);
    }
}
