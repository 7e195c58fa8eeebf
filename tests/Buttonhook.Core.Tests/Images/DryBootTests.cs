using System.IO.Compression;
using System.Text;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Images;

public class DryBootTests
{
    private static readonly DryBoard Board = new(InstructionSet.Arm64, "distro", "sd", "ttyAMA0", 115200, 512, [], "");
    private static readonly Lazy<byte[]> Root = new(() => ImageMaker.Ext(ImageMaker.RootFiles()));
    private static readonly Lazy<byte[]> Good = new(() => ImageMaker.Disk(ImageMaker.Fat(ImageMaker.BootFiles()), Root.Value));

    private static Stream? Unpack(Stream stream)
    {
        var gzip = stream.ReadByte() == 0x1F && stream.ReadByte() == 0x8B;
        stream.Position = 0;
        return gzip ? new GZipStream(stream, CompressionMode.Decompress) : null;
    }

    private static Inspection Inspect(byte[] image, DryBoard? board) =>
        Inspection.Of(ImageBytes.Of(image), "none", image.Length, "", board, Unpack);

    private static DryBoot Boot(
        Action<Dictionary<string, byte[]>>? boot = null,
        Action<Dictionary<string, byte[]>>? root = null,
        DryBoard? board = null
    )
    {
        var bootFiles = ImageMaker.BootFiles();
        boot?.Invoke(bootFiles);
        var rootFiles = ImageMaker.RootFiles();
        root?.Invoke(rootFiles);
        var image = ImageMaker.Disk(ImageMaker.Fat(bootFiles), root is null ? Root.Value : ImageMaker.Ext(rootFiles));
        return Inspect(image, board ?? Board).DryBoot!;
    }

    private static Action<Dictionary<string, byte[]>> Append(string arguments) =>
        f => f["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(ImageMaker.Menu(arguments));

    private static void Breaks(string cause, DryBoot dry)
    {
        Assert.Equal(DryVerdict.DoesNotBoot, dry.Verdict);
        Assert.Equal(cause, dry.Causes[0].Id);
        Assert.False(string.IsNullOrWhiteSpace(dry.Causes[0].Fix));
    }

    [Fact]
    public void An_image_in_order_boots_and_everything_is_told()
    {
        var inspection = Inspect(Good.Value, Board);
        Assert.Equal(DryVerdict.Boots, inspection.DryBoot!.Verdict);
        Assert.Empty(inspection.DryBoot.Causes);
        Assert.Equal(["vfat", "ext4"], inspection.Partitions.Select(p => p.FileSystem));
        Assert.Equal(["1234-ABCD", ImageMaker.RootUuid], inspection.Partitions.Select(p => p.Uuid));
        Assert.Equal("6.6.30-arm64", inspection.Kernel!.Version);
        Assert.Equal(("Fallow 12 server", "12"), (inspection.Os!.Name, inspection.Os.Version));
        Assert.Equal(["ttyAMA0,115200"], inspection.Consoles);
    }

    [Fact]
    public void Without_a_board_the_same_is_read() => Assert.Equal("p1:/Image", Inspect(Good.Value, null).Kernel!.Path);

    [Fact]
    public void Each_missing_boot_file_has_its_cause()
    {
        Breaks("boot-files-missing", Boot(f => f.Remove("/Image")));
        Breaks("initrd-missing", Boot(f => f.Remove("/initrd.img")));
        Breaks("loader-config-missing", Boot(f => f.Remove("/extlinux/extlinux.conf")));
        Breaks(
            "dtb-missing",
            Boot(f => f["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(ImageMaker.Menu(ImageMaker.GoodAppend) + "\tfdt /board.dtb\n"))
        );
    }

    [Fact]
    public void Each_damaged_boot_file_has_its_cause()
    {
        Breaks("kernel-corrupt", Boot(f => f["/Image"] = []));
        Breaks("initrd-corrupt", Boot(f => f["/initrd.img"] = new byte[3000]));
        Breaks("kernel-wrong-architecture", Boot(board: Board with { Architecture = InstructionSet.Riscv64 }));
        Breaks("init-wrong-architecture", Boot(f => f["/initrd.img"] = ImageMaker.Cpio(("init", 0x81ED, ImageMaker.Elf(62)))));
        Breaks(
            "boot-files-missing",
            Boot(f => f["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(ImageMaker.Menu(ImageMaker.GoodAppend).Replace("\n", "\r\n")))
        );
    }

    [Theory]
    [InlineData("root=PARTUUID=5e1c04aa-03 rootwait console=ttyAMA0", "root-not-found")]
    [InlineData("root=UUID=00000000-0000-0000-0000-000000000000 console=ttyAMA0", "root-not-found")]
    [InlineData("root=LABEL=fallow-root console=ttyAMA0", "root-not-found")]
    [InlineData("root=/dev/sda2 console=ttyAMA0", "root-not-found")]
    [InlineData("rw console=ttyAMA0", "root-arg-missing")]
    [InlineData("root=/dev/mmcblk0p2 init=/usr/sbin/init console=ttyAMA0", "init-missing")]
    public void A_wrong_argument_has_its_cause(string arguments, string cause) => Breaks(cause, Boot(Append(arguments)));

    [Theory]
    [InlineData("root=PARTUUID=5E1C04AA-02 console=ttyAMA0,115200")]
    [InlineData("root=UUID=3f1d2c4b-5a69-4788-9a0b-0c1d2e3f4a5b console=ttyAMA0,115200")]
    [InlineData("root=LABEL=fallowroot console=ttyAMA0,115200")]
    [InlineData("root=/dev/mmcblk0p2 console=tty0 console=ttyAMA0,115200n8")]
    [InlineData("root=/dev/nothing root=\"/dev/mmcblk0p2\" console=ttyAMA0")]
    public void Every_way_to_name_the_root_is_understood(string arguments)
    {
        var dry = Boot(Append(arguments));
        Assert.Equal(DryVerdict.Boots, dry.Verdict);
        Assert.Empty(dry.Causes);
    }

    [Fact]
    public void What_is_wrong_on_the_root_has_its_cause()
    {
        Breaks("init-missing", Boot(root: f => f.Remove("/sbin/init")));
        Breaks("init-wrong-architecture", Boot(root: f => f["/sbin/init"] = ImageMaker.Elf(62)));
        Assert.Equal(DryVerdict.Boots, Boot(root: f => f["/sbin/init"] = ImageMaker.Elf(40)).Verdict);
        var missing = Boot(root: f => f["/etc/fstab"] = "UUID=0000-0000 /srv vfat defaults 0 2\n"u8.ToArray());
        Assert.Equal((DryVerdict.Boots, "fstab-device-missing"), (missing.Verdict, missing.Causes[0].Id));
        Assert.Equal("getty-missing", Boot(root: f => f["/etc/inittab"] = "::sysinit:/bin/true\n"u8.ToArray()).Causes[0].Id);
    }

    [Fact]
    public void A_console_of_another_port_is_told_and_boots()
    {
        var dry = Boot(Append("root=LABEL=fallowroot console=ttyS2,1500000"));
        Assert.Equal((DryVerdict.Boots, "console-arg-missing"), (dry.Verdict, dry.Causes[0].Id));
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
        InitialFiles.Read([.. "070701"u8, .. bytes], Unpack) is { } files && (files.Fault is not null || files.Names.Count > 0);

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
