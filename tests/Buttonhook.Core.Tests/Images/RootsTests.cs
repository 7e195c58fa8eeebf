using System.Buffers.Binary;
using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Images;

/// <summary>Roots: how they are named, what lies around them, what their first program and their mount table need.</summary>
public class RootsTests
{
    private static readonly DryBoard Board = new(InstructionSet.Arm64, "distro", "sd", "ttyAMA0", 115200, 512, [], "");

    private static DryBoot Boot(string? append = null, Action<Dictionary<string, byte[]>>? root = null, Action<byte[]>? disk = null)
    {
        var boot = ImageMaker.BootFiles();
        if (append is not null)
            boot["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(ImageMaker.Menu(append));
        var files = ImageMaker.RootFiles();
        root?.Invoke(files);
        var image = ImageMaker.Disk(ImageMaker.Fat(boot), ImageMaker.Ext(files));
        disk?.Invoke(image);
        return DryBoot.Play(ImageBytes.Of(image), Board, ImageMaker.Unpack);
    }

    private static readonly Partition First = new(1, 1 << 20, 1 << 20, "0c", "aaaa-01", "boot", true);
    private static readonly Partition Second = new(2, 2 << 20, 1 << 20, "83", "aaaa-02", "frost", false);
    private static readonly IReadOnlyList<Volume> Volumes =
    [
        new(First, null, "vfat", null),
        new(Second, null, Layers.Lvm, null),
        new(Second, null, "ext4", null, "orchard/frost-root"),
        new(Second, null, "ext4", null, "md/orchard"),
    ];

    [Theory]
    [InlineData("PARTUUID=AAAA-02", 2, null)]
    [InlineData("PARTUUID=aaaa-01/PARTNROFF=1", 2, null)]
    [InlineData("PARTUUID=aaaa-02/PARTNROFF=-1", 1, null)]
    [InlineData("PARTLABEL=frost", 2, null)]
    [InlineData("/dev/mmcblk0p2", 2, null)]
    [InlineData("/dev/disk/by-partlabel/frost", 2, null)]
    [InlineData("/dev/mapper/orchard-frost--root", 2, "orchard/frost-root")]
    [InlineData("/dev/orchard/frost-root", 2, "orchard/frost-root")]
    [InlineData("/dev/md/orchard", 2, "md/orchard")]
    [InlineData("/dev/md127", 2, "md/orchard")]
    [InlineData("block:/dev/mmcblk0p1", 1, null)]
    public void Every_form_of_a_name_is_resolved(string name, int partition, string? mapped)
    {
        var found = RootDevice.Of(name, Volumes, Board, 1).Volume;
        Assert.Equal((partition, mapped), (found?.Partition.Number ?? 0, found?.Mapped));
    }

    [Theory]
    [InlineData("PARTUUID=aaaa-01/PARTNROFF=7", "no partition has that number behind the one with this id")]
    [InlineData("PARTUUID=aaaa-01/NEXT", "behind the id only /PARTNROFF= with a number may stand")]
    [InlineData("PARTLABEL=Frost", "no partition has this name")]
    [InlineData("/dev/sda2", "on this medium partitions are called /dev/mmcblk0p1 and so on")]
    public void A_name_that_is_not_there_says_why(string name, string why)
    {
        var device = RootDevice.Of(name, Volumes, Board, 1);
        Assert.Equal((null, why), (device.Volume, device.Why));
    }

    [Theory]
    [InlineData("ZFS=pool/root", "a pool of ZFS, which is not read here")]
    [InlineData("/dev/nfs", "another machine on the network")]
    [InlineData("nfs:10.0.0.1:/srv", "another machine on the network")]
    public void What_lies_elsewhere_cannot_be_told(string name, string where)
    {
        Assert.Equal(where, RootDevice.Of(name, Volumes, Board, 1).Elsewhere);
        Assert.Equal(DryVerdict.CannotTell, Boot($"root={name} rootwait console=ttyAMA0,115200").Verdict);
    }

    [Fact]
    public void A_name_that_may_lie_in_a_closed_container_is_not_called_missing()
    {
        IReadOnlyList<Volume> closed = [new(First, null, "vfat", null), new(Second, null, Layers.Luks, null)];
        Assert.Equal(Layers.Luks, RootDevice.Of("UUID=00c0ffee-0000-4000-a000-000000000001", closed, Board, 1).Needs);
        Assert.Equal(Layers.Luks, RootDevice.Of("/dev/mapper/safe", closed, Board, 1).Needs);
        Assert.Null(RootDevice.Of("PARTUUID=bbbb-09", closed, Board, 1).Needs);
    }

    private static byte[] WithLoader(string loader)
    {
        var program = new byte[4096];
        ImageMaker.Elf(183).CopyTo(program, 0);
        BinaryPrimitives.WriteUInt64LittleEndian(program.AsSpan(32), 64);
        (program[54], program[56]) = (56, 1);
        program[64] = 3;
        BinaryPrimitives.WriteUInt64LittleEndian(program.AsSpan(72), 512);
        BinaryPrimitives.WriteUInt64LittleEndian(program.AsSpan(96), (ulong)loader.Length + 1);
        Encoding.ASCII.GetBytes(loader).CopyTo(program, 512);
        return program;
    }

    [Fact]
    public void A_first_program_needs_its_loader_of_libraries()
    {
        var dry = Boot(root: f => f["/sbin/init"] = WithLoader("/lib/ld-linux-aarch64.so.1"));
        Assert.Equal((DryVerdict.DoesNotBoot, "init-missing"), (dry.Verdict, dry.Causes[0]));
        Assert.Contains("it needs /lib/ld-linux-aarch64.so.1, which is not there", dry.Broken[0].Text);
        var whole = Boot(root: f =>
        {
            f["/sbin/init"] = WithLoader("/lib/ld-linux-aarch64.so.1");
            f["/lib/ld-linux-aarch64.so.1"] = ImageMaker.Elf(183);
        });
        Assert.Equal(DryVerdict.Boots, whole.Verdict);
    }

    /// <summary>Adds one library that the program needs, as the linker writes it: PT_LOAD over the file, PT_DYNAMIC with DT_STRTAB and DT_NEEDED.</summary>
    private static byte[] WithLibrary(string loader, string library)
    {
        var program = WithLoader(loader);
        program[56] = 3;
        void Header(int at, uint type, ulong from, ulong size)
        {
            BinaryPrimitives.WriteUInt32LittleEndian(program.AsSpan(at), type);
            BinaryPrimitives.WriteUInt64LittleEndian(program.AsSpan(at + 8), from);
            BinaryPrimitives.WriteUInt64LittleEndian(program.AsSpan(at + 16), from + 0x10000);
            BinaryPrimitives.WriteUInt64LittleEndian(program.AsSpan(at + 32), size);
        }
        Header(64 + 56, 1, 0, 4096);
        Header(64 + 112, 2, 1024, 32);
        BinaryPrimitives.WriteUInt64LittleEndian(program.AsSpan(1024), 5);
        BinaryPrimitives.WriteUInt64LittleEndian(program.AsSpan(1032), 0x10000 + 2048);
        BinaryPrimitives.WriteUInt64LittleEndian(program.AsSpan(1040), 1);
        BinaryPrimitives.WriteUInt64LittleEndian(program.AsSpan(1048), 8);
        Encoding.ASCII.GetBytes(library).CopyTo(program, 2048 + 8);
        return program;
    }

    [Theory]
    [InlineData("/usr/lib/aarch64-linux-gnu/libc.so.6", true)]
    [InlineData("/lib/libc.so.6", true)]
    [InlineData("/opt/orchard/libc.so.6", true)] // named in /etc/ld.so.conf.d
    [InlineData("/srv/libc.so.6", false)]
    public void A_first_program_needs_its_libraries_where_they_are_looked_for(string library, bool boots)
    {
        var dry = Boot(root: f =>
        {
            f["/sbin/init"] = WithLibrary("/lib/ld-linux-aarch64.so.1", "libc.so.6");
            f["/lib/ld-linux-aarch64.so.1"] = ImageMaker.Elf(183);
            f["/etc/ld.so.conf.d/orchard.conf"] = "# ours\n/opt/orchard\n"u8.ToArray();
            f[library] = [1];
        });
        Assert.Equal(boots ? DryVerdict.Boots : DryVerdict.DoesNotBoot, dry.Verdict);
        if (!boots)
            Assert.Contains("needs the library libc.so.6", dry.Broken.Single(b => b.Cause == "init-crashed").Text);
    }

    [Fact]
    public void A_link_at_the_top_that_is_lost_is_named()
    {
        var dry = Boot(root: f =>
        {
            f["/usr/sbin/init"] = f["/sbin/init"];
            f.Remove("/sbin/init");
        });
        Assert.Equal("init-missing", dry.Causes[0]);
        Assert.Contains("the link /sbin to usr/sbin is lost", dry.Broken[0].Text);
        Assert.Equal("Put the link back (ln -s usr/sbin /sbin).", dry.Broken[0].Fix);
    }

    private const string Gone = "UUID=00c0ffee-0000-4000-a000-000000000001";

    private static DryBoot Mounts(string line, bool systemd = true) =>
        Boot(root: f =>
        {
            f["/etc/fstab"] = Encoding.ASCII.GetBytes($"LABEL=fallowroot / ext4 defaults 0 1\n{line}\n");
            if (systemd)
                f["/usr/lib/systemd/systemd"] = f["/sbin/init"];
        });

    [Theory]
    [InlineData(Gone + " /srv ext4 defaults 0 2", true, false, "systemd waits 90 s for it, then gives a shell for repairs")]
    [InlineData(Gone + " /srv ext4 x-systemd.device-timeout=10s 0 2", true, false, "systemd waits 10s for it, then")]
    [InlineData(Gone + " /srv ext4 x-systemd.device-timeout=0 0 2", true, false, "systemd waits for it without end")]
    [InlineData(Gone + " none swap sw 0 0", true, true, "systemd waits 90 s for it and goes on without it")]
    [InlineData(Gone + " /srv ext4 defaults 0 2", false, true, "the mount fails and the start goes on without it")]
    [InlineData(
        "/dev/mmcblk0p1 /boot ext4 defaults 0 2",
        true,
        false,
        "as ext4, and it is vfat: the mount fails at once, then gives a shell"
    )]
    public void Each_line_says_what_it_costs(string line, bool systemd, bool boots, string costs)
    {
        var dry = Mounts(line, systemd);
        Assert.Equal(boots ? DryVerdict.Boots : DryVerdict.DoesNotBoot, dry.Verdict);
        var broken = Assert.Single(dry.Broken, s => s.Cause == "fstab-device-missing");
        Assert.Contains(costs, broken.Text);
        Assert.EndsWith(",nofail", broken.Edit!.After);
    }

    [Fact]
    public void An_option_with_a_letter_wrong_is_named_with_the_one_that_is_meant()
    {
        var dry = Mounts("LABEL=fallowroot /srv ext4 defualts,noatime 0 2");
        var broken = Assert.Single(dry.Broken, s => s.Cause == "fstab-device-missing");
        Assert.Contains("the option defualts, which no mount knows (defaults is meant)", broken.Text);
        Assert.Equal("defaults,noatime", broken.Edit!.After);
        Assert.Equal(DryVerdict.Boots, Mounts("LABEL=fallowroot /srv ext4 defaults,x-frost.watch 0 2").Verdict);
    }

    [Theory]
    [InlineData(Gone + " /srv ext4 defaults,nofail 0 2")]
    [InlineData(Gone + " /srv ext4 noauto 0 2")]
    [InlineData(Gone + " /srv ext4 noauto,x-systemd.automount 0 2")]
    [InlineData("/dev/mmcblk0p1 /boot vfat defaults 0 2")]
    [InlineData("tmpfs /tmp tmpfs defaults 0 0")]
    [InlineData("ZFS=pool/home /home zfs defaults 0 0")]
    public void A_line_for_which_nothing_waits_breaks_nothing(string line) => Assert.Empty(Mounts(line).Causes);

    [Fact]
    public void Modules_of_another_kernel_are_told_and_stop_nothing()
    {
        var dry = Boot(root: f => f["/lib/modules/6.1.0-99/modules.dep"] = []);
        Assert.Equal((DryVerdict.Boots, "service-failed"), (dry.Verdict, dry.Causes[0]));
        Assert.Contains("The kernel is 6.6.30-arm64, and the modules on the root are for 6.1.0-99", dry.Broken[0].Text);
        Assert.Empty(Boot(root: f => f["/lib/modules/6.6.30-arm64/modules.dep"] = []).Causes);
    }

    [Fact]
    public void A_mount_on_need_takes_a_driver()
    {
        static void Table(Dictionary<string, byte[]> f)
        {
            f["/etc/fstab"] = Encoding.ASCII.GetBytes(Gone + " /srv ext4 noauto,x-systemd.automount 0 2\n");
            f["/usr/lib/systemd/systemd"] = f["/sbin/init"];
        }
        var without = Boot(root: f =>
        {
            Table(f);
            f["/lib/modules/6.6.30-arm64/modules.dep"] = "kernel/fs/ext4.ko:\n"u8.ToArray();
        });
        Assert.Equal((DryVerdict.DoesNotBoot, "fstab-device-missing"), (without.Verdict, without.Causes[0]));
        Assert.Contains("autofs4", without.Broken[0].Text);
        var with = Boot(root: f =>
        {
            Table(f);
            f["/lib/modules/6.6.30-arm64/modules.dep"] = "kernel/fs/autofs/autofs4.ko:\n"u8.ToArray();
            f["/lib/modules/6.6.30-arm64/kernel/fs/autofs/autofs4.ko"] = [1];
        });
        Assert.Equal(DryVerdict.Boots, with.Verdict);
    }

    [Fact]
    public void Counting_on_from_a_partition_is_for_the_kernel_alone()
    {
        var dry = Boot(
            $"root=PARTUUID={ImageMaker.GoodAppend.Split("PARTUUID=")[1].Split('-')[0]}-01/PARTNROFF=1 rootwait console=ttyAMA0,115200"
        );
        Assert.Equal("root-not-found", dry.Causes[0]);
        Assert.Contains("only the kernel by itself counts on", dry.Broken[0].Text);
    }

    [Fact]
    public void A_live_system_needs_no_name_for_its_root()
    {
        var dry = Boot("boot=live console=ttyAMA0,115200");
        Assert.Equal("root-not-found", dry.Causes[0]);
        Assert.Contains("has no scripts for one", dry.Broken[0].Text);
    }

    private const string Group = """
        orchard {
        id = "abc"
        extent_size = 8192 # sectors
        physical_volumes {
        pv0 { id = "AAAAAA-BBBB-CCCC-DDDD-EEEE-FFFF-GGGGGG"
        pe_start = 2048 }
        }
        logical_volumes {
        root { segment_count = 1
        segment1 { start_extent = 0
        extent_count = 2
        type = "striped"
        stripe_count = 1
        stripes = [ "pv0", 1 ] } }
        far { segment1 { start_extent = 0
        extent_count = 1
        type = "striped"
        stripe_count = 1
        stripes = [ "pv1", 0 ] } }
        }
        }
        contents = "Text Format Volume Group"
        """;

    private static byte[] PhysicalVolume(string text)
    {
        var disk = new byte[20 << 20];
        "LABELONE"u8.CopyTo(disk.AsSpan(512));
        disk[512 + 20] = 32;
        "LVM2 001"u8.CopyTo(disk.AsSpan(512 + 24));
        "AAAAAABBBBCCCCDDDDEEEEFFFFGGGGGG"u8.CopyTo(disk.AsSpan(544));
        void Word(int at, long value) => BinaryPrimitives.WriteInt64LittleEndian(disk.AsSpan(at), value);
        Word(544 + 40, 1 << 20); // data
        Word(544 + 72, 4096); // metadata
        Word(544 + 80, 1 << 19);
        " LVM2 x[5A%r0N*>"u8.CopyTo(disk.AsSpan(4096 + 4));
        Word(4096 + 24, 4096);
        Word(4096 + 32, 1 << 19);
        Word(4096 + 40, 512);
        Word(4096 + 48, text.Length);
        Encoding.ASCII.GetBytes(text).CopyTo(disk, 4096 + 512);
        "here it begins"u8.CopyTo(disk.AsSpan((1 << 20) + (4 << 20)));
        return disk;
    }

    [Fact]
    public void A_volume_of_a_group_is_found_where_its_extents_lie()
    {
        var part = ImageBytes.Of(PhysicalVolume(Group));
        Assert.Equal(Layers.Lvm, Layers.KindOf(part));
        var inside = Layers.Inside(part, Layers.Lvm).ToList();
        Assert.Equal(["orchard/root", "orchard/far"], inside.Select(i => i.Name));
        Assert.Equal(8 << 20, inside[0].Bytes!.Length);
        Assert.Equal("here it begins", Encoding.ASCII.GetString(inside[0].Bytes!.At(0, 14)));
        Assert.Equal((null, "a part of it lies on another disk"), (inside[1].Bytes, inside[1].Because));
    }

    [Property(MaxTest = 1000)]
    public bool A_damaged_group_ends_in_words(int seed)
    {
        var random = new Random(seed);
        var disk = PhysicalVolume(Group);
        for (var i = 0; i < 20; i++)
            disk[random.Next(512, 4096 + 512 + Group.Length)] = (byte)random.Next(256);
        try
        {
            foreach (var (_, bytes, _) in Layers.Inside(ImageBytes.Of(disk), Layers.KindOf(ImageBytes.Of(disk))))
                _ = bytes?.At(0, 4096);
            return true;
        }
        catch (UnreadableException e)
        {
            return e.Message.Length > 0;
        }
    }

    [Theory]
    [InlineData("usr/sbin/lvm", true)]
    [InlineData("scripts/local-block/lvm", false)] // the script that would call it
    public void What_opens_a_group_of_volumes_is_its_program(string name, bool opens)
    {
        var boot = ImageMaker.BootFiles();
        boot["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(
            ImageMaker.Menu("root=/dev/mapper/orchard-root rootwait console=ttyAMA0,115200")
        );
        boot["/initrd.img"] = ImageMaker.Cpio(("init", 0x81ED, ImageMaker.Elf(183)), (name, 0x81ED, ImageMaker.Elf(183)));
        var dry = DryBoot.Play(ImageBytes.Of(ImageMaker.Disk(ImageMaker.Fat(boot), PhysicalVolume(Group))), Board, ImageMaker.Unpack);
        Assert.Equal(!opens, dry.Broken.Any(b => b.Text.Contains("has no lvm to open it")));
        Assert.Contains(dry.Steps, s => s.Text.Contains("is the volume orchard/root on partition 2"));
    }

    [Fact]
    public void A_mirror_is_read_from_one_of_its_disks()
    {
        var disk = new byte[4 << 20];
        BinaryPrimitives.WriteUInt32LittleEndian(disk.AsSpan(4096), 0xA92B4EFC);
        disk[4100] = 1;
        "bramley:orchard"u8.CopyTo(disk.AsSpan(4096 + 32));
        disk[4096 + 0x48] = 1;
        disk[4096 + 0x5C] = 2;
        BinaryPrimitives.WriteInt64LittleEndian(disk.AsSpan(4096 + 0x80), 2048);
        BinaryPrimitives.WriteInt64LittleEndian(disk.AsSpan(4096 + 0x88), 4096);
        "inside"u8.CopyTo(disk.AsSpan(1 << 20));
        var (name, bytes, _) = Assert.Single(Layers.Inside(ImageBytes.Of(disk), Layers.KindOf(ImageBytes.Of(disk))));
        Assert.Equal(("md/orchard", "inside"), (name, Encoding.ASCII.GetString(bytes!.At(0, 6))));
        disk[4096 + 0x48] = 5;
        var (_, five, why) = Assert.Single(Layers.Inside(ImageBytes.Of(disk), Layers.Raid));
        Assert.Equal((null, "it is an array of level 5 over 2 disks"), (five, why));
    }

    [Fact]
    public void Beside_a_gpt_an_mbr_may_name_partitions_for_loaders_that_know_nothing_else()
    {
        var disk = ImageMaker.GptDisk(ImageMaker.Fat(ImageMaker.BootFiles()), ImageMaker.Ext(ImageMaker.RootFiles()));
        var table = PartitionTable.Read(ImageBytes.Of(disk));
        Assert.Empty(table.Hybrid!);
        disk[446 + 16 + 4] = 0x0C;
        BinaryPrimitives.WriteUInt32LittleEndian(disk.AsSpan(446 + 16 + 8), (uint)(table.Partitions[0].StartBytes / 512));
        BinaryPrimitives.WriteUInt32LittleEndian(disk.AsSpan(446 + 16 + 12), 8);
        // The protective entry may stand behind it.
        var (a, b) = (disk[446..462], disk[462..478]);
        b.CopyTo(disk, 446);
        a.CopyTo(disk, 462);
        var hybrid = PartitionTable.Read(ImageBytes.Of(disk));
        Assert.Equal(("gpt", 2, "0c"), (hybrid.Kind, hybrid.Partitions.Count, Assert.Single(hybrid.Hybrid!).Type));
        Assert.Contains(hybrid.Notes, n => n.Contains("hybrid"));
    }
}
