using System.Buffers.Binary;
using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Images;

/// <summary>Images that were damaged, cut off or forged.</summary>
public partial class DryBootTests
{
    [Theory]
    [InlineData(1024 + 0x60, "features")] // an unknown feature: it cannot be told what is there
    [InlineData(1024 + 0x0C, "checksum")] // the count of free blocks: the checksum of the superblock no longer fits
    [InlineData(4096, "block group 0")] // the first group's description
    public void Damage_that_the_kernel_refuses_to_mount_is_told(int at, string word)
    {
        const int root = 2048 * 512 + (8 << 20);
        var image = (byte[])Good.Value.Clone();
        var group = root + (BinaryPrimitives.ReadUInt32LittleEndian(image.AsSpan(root + 1024 + 24)) == 0 ? 2048 : 4096);
        var place = at == 4096 ? group : root + at;
        image.AsSpan(place, 4).Fill(0xFF);
        var dry = Inspect(image, Board).DryBoot!;
        Assert.NotEqual(DryVerdict.Boots, dry.Verdict);
        Assert.Contains(dry.Steps, s => s.Text.Contains(word));
    }

    [Fact]
    public void Forged_sizes_of_groups_are_refused_in_words()
    {
        const int root = 2048 * 512 + (8 << 20);
        var image = (byte[])Good.Value.Clone();
        var superblock = image.AsSpan(root + 1024);
        superblock[100 + 1] &= 0xFB; // no checksums
        superblock[96] |= 0x80; // descriptors of a size of their own
        BinaryPrimitives.WriteUInt16LittleEndian(superblock[254..], 0xFFFF);
        BinaryPrimitives.WriteUInt32LittleEndian(superblock[32..], 8);
        BinaryPrimitives.WriteUInt32LittleEndian(superblock[4..], 8_000_000);
        var dry = Inspect(image, Board).DryBoot!;
        Breaks("rootfs-corrupt", dry);
        Assert.Contains("groups of blocks", dry.Broken[0].Text);
    }

    [Fact]
    public void A_table_of_inodes_that_is_gone_is_a_damaged_root()
    {
        const int root = 2048 * 512 + (8 << 20);
        var image = (byte[])Good.Value.Clone();
        var block = 1024 << image[root + 1024 + 24];
        var table = BinaryPrimitives.ReadUInt32LittleEndian(image.AsSpan(root + (block == 1024 ? 2048 : 4096) + 8));
        image.AsSpan(root + (int)table * block, 8192).Clear();
        Breaks("rootfs-corrupt", Inspect(image, Board).DryBoot!);
    }

    [Fact]
    public void Without_the_first_copy_of_the_table_the_loader_goes_on_and_the_kernel_sees_no_partition()
    {
        DryBoot boot(string arguments, bool damaged)
        {
            var files = ImageMaker.BootFiles();
            Append(arguments)(files);
            var disk = ImageMaker.GptDisk(ImageMaker.Fat(files), Root.Value);
            if (damaged)
                disk.AsSpan(512, 33 * 512).Clear();
            return Inspect(disk, Board).DryBoot!;
        }
        const string label = "root=LABEL=fallowroot rootwait console=ttyAMA0";
        Assert.Empty(boot(label, damaged: false).Causes);
        Breaks("root-not-found", boot(label, damaged: true));
        Assert.Empty(boot(label + " gpt", damaged: true).Causes);
    }

    [Theory]
    [InlineData("PARTUUID=5e1c04aa-02", null)]
    [InlineData("/dev/mmcblk0p2", null)]
    [InlineData("LABEL=fallowroot", "root-not-found")]
    [InlineData("UUID=3f1d2c4b-5a69-4788-9a0b-0c1d2e3f4a5b", "root-not-found")]
    public void Without_an_initial_file_system_the_kernel_finds_a_root_by_its_partition_only(string root, string? cause)
    {
        var dry = Boot(f =>
        {
            var menu = ImageMaker.Menu($"root={root} rootwait console=ttyAMA0").Replace("\tinitrd /initrd.img\n", "");
            f["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(menu);
            "EXT4-fs"u8.CopyTo(f["/Image"].AsSpan(0x800));
        });
        if (cause is null)
            Assert.Empty(dry.Causes);
        else
            Breaks(cause, dry);
    }

    [Fact]
    public void Links_in_a_circle_are_files_that_are_not_there()
    {
        var root = ImageMaker.Ext(ImageMaker.RootFiles(), links: [("/sbin/again", "again"), ("/sbin/good", "../sbin/./init")]);
        DryBoot boot(string arguments)
        {
            var files = ImageMaker.BootFiles();
            Append($"{ImageMaker.GoodAppend} init={arguments}")(files);
            return Inspect(ImageMaker.Disk(ImageMaker.Fat(files), root), Board).DryBoot!;
        }
        Breaks("init-missing", boot("/sbin/again"));
        Assert.Empty(boot("/sbin/good").Causes);
    }

    [Fact]
    public void An_image_that_was_cut_off_is_told_first()
    {
        var dry = Inspect(Good.Value[..^(1 << 20)], Board).DryBoot!;
        Breaks("image-truncated", dry);
    }

    [Fact]
    public void A_destroyed_superblock_is_a_damaged_root()
    {
        var image = (byte[])Good.Value.Clone();
        image.AsSpan(2048 * 512 + (8 << 20) + 1024, 1024).Clear();
        Breaks("rootfs-corrupt", Inspect(image, Board).DryBoot!);
    }

    [Property(MaxTest = 300)]
    public bool Damage_anywhere_is_survived(int seed)
    {
        var random = new Random(seed);
        var image = (byte[])Good.Value.Clone();
        // Most damage goes where structures lie: tables, boot sector, superblock, inodes, folders.
        int[] places =
        [
            0,
            446,
            2048 * 512,
            2048 * 512 + 512,
            2048 * 512 + 33 * 512,
            2048 * 512 + (8 << 20) + 1024,
            2048 * 512 + (8 << 20) + 4096,
        ];
        for (var i = 0; i < random.Next(1, 60); i++)
            image[Math.Min(image.Length - 1, places[random.Next(places.Length)] + random.Next(4096))] = (byte)random.Next(256);
        var inspection = Inspect(image, Board);
        return inspection.DryBoot is not null && inspection.Partitions.Count < 200;
    }

    [Property(MaxTest = 200)]
    public bool A_device_tree_of_any_bytes_is_read_or_refused(byte[] bytes)
    {
        byte[] blob = [0xD0, 0x0D, 0xFE, 0xED, 0, 0, 0, (byte)Math.Min(255, bytes.Length + 8), .. bytes];
        try
        {
            return DeviceTree.Read(blob).Compatible is not null;
        }
        catch (UnreadableException e)
        {
            return e.Message.Length > 0;
        }
    }

    [Property(MaxTest = 200)]
    public bool An_initial_file_system_of_any_bytes_is_read_or_refused(byte[] bytes) =>
        InitialFiles.Read([.. "070701"u8, .. bytes], ImageMaker.Unpack) is { } files && (files.Fault is not null || files.Names.Count > 0);

    [Fact]
    public void A_circle_in_a_fat_folder_is_refused()
    {
        var fat = ImageMaker.Fat(Enumerable.Range(0, 80).ToDictionary(n => $"/extlinux/a-rather-long-name-{n}.txt", _ => new byte[1]));
        const int firstTable = 512;
        // The folder is stored last; make every cluster of it point to itself.
        for (var cluster = 2; cluster < 200; cluster++)
            if (fat[firstTable + cluster * 2 + 1] == 0 && fat[firstTable + cluster * 2] > 0)
                fat[firstTable + cluster * 2] = (byte)cluster;
        var (tree, _, _) = FileTree.Open(ImageBytes.Of(fat));
        Assert.Throws<UnreadableException>(() => tree!.List("/extlinux"));
    }
}
