using System.Buffers.Binary;
using System.IO.Compression;
using System.Text;
using Buttonhook.Core.Images.Formats;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Images;

/// <summary>File systems as the tools of each make them (lab/filesystems.py), kept as the blocks that are not empty.</summary>
public class FileSystemsTests
{
    public static readonly string[] Readable =
    [
        "squashfs-gzip",
        "squashfs-lzo",
        "squashfs-lz4",
        "erofs-plain",
        "erofs-lz4",
        "xfs",
        "f2fs",
        "btrfs-zlib",
        "btrfs-lzo",
        "ext4-inline",
        "ext4-metabg",
    ];

    public static TheoryData<string> Kept => [.. Readable];

    private sealed class Sparse(long length, SortedList<long, byte[]> blocks) : ImageBytes
    {
        public override long Length => length;

        public override int Read(long offset, Span<byte> into)
        {
            if (offset >= length)
                return 0;
            into = into[..(int)Math.Min(into.Length, length - offset)];
            into.Clear();
            for (var at = offset & ~511L; at < offset + into.Length; at += 512)
                if (blocks.TryGetValue(at, out var block))
                    for (var k = 0; k < block.Length; k++)
                        if (at + k >= offset && at + k < offset + into.Length)
                            into[(int)(at + k - offset)] = block[k];
            return into.Length;
        }
    }

    /// <summary>A kept file system; <paramref name="spoil"/> may change its blocks.</summary>
    internal static ImageBytes Open(string name, Action<SortedList<long, byte[]>>? spoil = null)
    {
        using var kept = new GZipStream(
            File.OpenRead(Path.Combine(Knowledge.Root, "tests/filesystems", $"{name}.gz")),
            CompressionMode.Decompress
        );
        var blocks = new SortedList<long, byte[]>();
        var head = new byte[12];
        long length = 0;
        while (kept.ReadAtLeast(head, 12, false) == 12)
        {
            var (at, size) = (BinaryPrimitives.ReadInt64LittleEndian(head), BinaryPrimitives.ReadInt32LittleEndian(head.AsSpan(8)));
            if (size == 0)
                length = at;
            else
            {
                var block = new byte[size];
                kept.ReadExactly(block);
                blocks[at] = block;
            }
        }
        spoil?.Invoke(blocks);
        return new Sparse(length, blocks);
    }

    private static FileTree Tree(string name)
    {
        var (tree, kind, because) = FileTree.Open(Open(name), ImageMaker.Unpack);
        Assert.True(tree is not null, because);
        Assert.StartsWith(kind!, name);
        return name == "btrfs-zlib" ? tree!.Mounted("compress=zlib,subvol=/@").Tree! : tree!;
    }

    [Theory]
    [MemberData(nameof(Kept))]
    public void Every_file_is_read_as_it_was_written(string name)
    {
        var tree = Tree(name);
        Assert.Equal("bramley\n", Encoding.ASCII.GetString(tree.Read("/etc/hostname")!));
        Assert.Equal(string.Concat(Enumerable.Range(0, 30000).Select(n => $"{n}\n")), Encoding.ASCII.GetString(tree.Read("/far")!));
        Assert.Equal(Enumerable.Range(0, 300).Select(n => $"number-{n}").Order(), tree.List("/many").Order());
        foreach (var n in (int[])[0, 7, 255, 299])
            Assert.Equal($"{n}\n", Encoding.ASCII.GetString(tree.Read($"/many/number-{n}")!));
        Assert.True(tree.Find("/sbin/init") is { IsExecutable: true, IsFolder: false });
        Assert.True(tree.HoldsSystem);
        Assert.Null(tree.Find("/etc/gone"));
        Assert.Null(tree.Read("/etc"));
        Assert.Equal(["deeper"], tree.List("/etc/deep"));
    }

    [Theory]
    [InlineData("xfs")]
    [InlineData("f2fs")]
    [InlineData("btrfs-zlib")]
    [InlineData("ext4-inline")]
    public void The_label_is_read(string name) => Assert.Equal("orchard", FileTree.Open(Open(name), ImageMaker.Unpack).Tree!.Label);

    [Fact]
    public void A_subvolume_is_the_one_that_the_options_name_or_the_default()
    {
        var (top, _, _) = FileTree.Open(Open("btrfs-zlib"), ImageMaker.Unpack);
        Assert.Equal(["@", "@spare"], top!.List("/").Order());
        Assert.NotNull(top.Mounted("rw,subvolid=256").Tree!.Find("/etc/hostname"));
        Assert.Null(top.Mounted("subvol=@spare").Tree!.Find("/etc/hostname"));
        Assert.Equal("subvol=@root names no subvolume; there are @, @spare", top.Mounted("subvol=@root").Because);
        Assert.Equal("there is no subvolume with the number 999; there are @, @spare", top.Mounted("subvolid=999").Because);
        Assert.Equal("subvol=@/etc is no subvolume", top.Mounted("subvol=@/etc").Because);
        // Here the first subvolume was made the default.
        var (set, _, _) = FileTree.Open(Open("btrfs-lzo"), ImageMaker.Unpack);
        Assert.NotNull(set!.Find("/etc/hostname"));
        Assert.Equal(["@", "@spare"], set.Mounted("subvolid=5").Tree!.List("/").Order());
    }

    [Fact]
    public void What_needs_an_unpacker_that_is_not_there_says_so()
    {
        var (_, kind, because) = FileTree.Open(Open("squashfs-xz"));
        Assert.Equal((null, "a block packed with xz does not unpack"), (kind, because));
    }

    [Property(MaxTest = 400)]
    public bool Damaged_ones_end_in_bounded_time_and_in_words(int seed)
    {
        var random = new Random(seed);
        var name = Readable[random.Next(Readable.Length)];
        var damaged = Open(
            name,
            blocks =>
            {
                for (var i = 0; i < 30; i++)
                {
                    var block = blocks.Values[random.Next(Math.Min(blocks.Count, i < 15 ? 60 : int.MaxValue))];
                    block[random.Next(block.Length)] = (byte)random.Next(256);
                }
            }
        );
        var (tree, _, _) = FileTree.Open(damaged, ImageMaker.Unpack);
        foreach (var path in (string[])["/", "/many", "/etc/deep", "/far", "/etc/hostname", "/many/number-200", "/@/etc/hostname"])
            try
            {
                _ = tree?.List(path);
                _ = tree?.Read(path, 1 << 20);
            }
            catch (UnreadableException e)
            {
                if (e.Message.Length == 0)
                    return false;
            }
        return true;
    }
}
