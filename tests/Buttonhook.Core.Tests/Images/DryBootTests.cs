using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Keeping;

namespace Buttonhook.Core.Tests.Images;

public partial class DryBootTests
{
    private static readonly DryBoard Board = new(InstructionSet.Arm64, "distro", "sd", "ttyAMA0", 115200, 512, [], "");
    private static readonly Lazy<byte[]> Root = new(() => ImageMaker.Ext(ImageMaker.RootFiles()));
    private static readonly Lazy<byte[]> Good = new(() => ImageMaker.Disk(ImageMaker.Fat(ImageMaker.BootFiles()), Root.Value));

    private static Inspection Inspect(byte[] image, DryBoard? board) =>
        Inspection.Of(ImageBytes.Of(image), "none", image.Length, "", board, [], ImageMaker.Unpack);

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

    [Fact]
    public void The_file_that_shows_a_login_is_named_and_none_where_it_follows_from_the_system()
    {
        var byTable = Boot().Steps.Last(s => s.Stage == Stage.Login);
        Assert.EndsWith("/etc/inittab", byTable.File);
        var bySystemd = Boot(root: f =>
        {
            f.Remove("/etc/inittab");
            f["/lib/systemd/systemd"] = f["/sbin/init"];
        })
            .Steps.Last(s => s.Stage == Stage.Login);
        Assert.Contains("systemd starts one", bySystemd.Text);
        Assert.Null(bySystemd.File);
    }

    private static Action<Dictionary<string, byte[]>> Append(string arguments) =>
        f => f["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(ImageMaker.Menu(arguments));

    private static void Breaks(string cause, DryBoot dry)
    {
        Assert.Equal(DryVerdict.DoesNotBoot, dry.Verdict);
        Assert.Equal(cause, dry.Causes[0]);
        Assert.False(string.IsNullOrWhiteSpace(dry.Broken[0].Fix));
    }

    [Theory]
    [InlineData("systemd.run=\"/bin/sh /boot/a.sh\"", "behind it the board goes down (exit)")]
    [InlineData("systemd.run=/a systemd.run_success_action=reboot", "behind it the board goes down (reboot)")]
    [InlineData("systemd.run=/a systemd.run_success_action=none", "no login comes behind it")]
    public void A_word_that_makes_systemd_run_one_command_instead_of_the_system_does_not_boot(string word, string says)
    {
        var dry = Boot(
            Append($"root=LABEL=fallowroot rootwait console=ttyAMA0,115200 {word}"),
            f => f["/lib/systemd/systemd"] = f["/sbin/init"]
        );
        Breaks("getty-missing", dry);
        Assert.Contains(says, dry.Broken[0].Text);
        Assert.Equal("", dry.Broken[0].Edit!.After);
        // Another init takes no notice of it.
        Assert.Equal(DryVerdict.Boots, Boot(Append($"root=LABEL=fallowroot rootwait console=ttyAMA0,115200 {word}")).Verdict);
    }

    [Fact]
    public void Without_a_board_nothing_is_said_of_its_console()
    {
        Assert.Empty(Inspect(Good.Value, null).Notes);
        var root = ImageMaker.RootFiles();
        root["/etc/fstab"] = "LABEL=gone /srv ext4 defaults 0 2\n"u8.ToArray();
        var notes = Inspect(ImageMaker.Disk(ImageMaker.Fat(ImageMaker.BootFiles()), ImageMaker.Ext(root)), null).Notes;
        Assert.Contains("LABEL=gone", Assert.Single(notes));
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
    [InlineData("root=/dev/mmcblk0 rootwait console=ttyAMA0", "root-not-found")]
    [InlineData("root=LABEL=fallowroot console=ttyAMA0", "root-not-found")]
    [InlineData("root=LABEL=fallowroot rootwait rootfstype=f2fs console=ttyAMA0", "rootfs-unsupported")]
    [InlineData("root=/dev/mmcblk0p2 rootwait init=/usr/sbin/init console=ttyAMA0", "init-missing")]
    public void A_wrong_argument_has_its_cause(string arguments, string cause) => Breaks(cause, Boot(Append(arguments)));

    [Theory]
    [InlineData("root=PARTUUID=5E1C04AA-02 rootwait console=ttyAMA0,115200")]
    [InlineData("root=UUID=3f1d2c4b-5a69-4788-9a0b-0c1d2e3f4a5b rootwait console=ttyAMA0,115200")]
    [InlineData("root=LABEL=fallowroot rootwait console=ttyAMA0,115200")]
    [InlineData("root=/dev/mmcblk0p2 rootwait console=tty0 console=ttyAMA0,115200n8")]
    [InlineData("root=/dev/nothing root=\"/dev/mmcblk0p2\" rootwait console=ttyAMA0")]
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
        Assert.Equal((DryVerdict.Boots, "fstab-device-missing"), (missing.Verdict, missing.Causes[0]));
        Assert.Equal("getty-missing", Boot(root: f => f["/etc/inittab"] = "::sysinit:/bin/true\n"u8.ToArray()).Causes[0]);
    }

    [Fact]
    public void A_console_without_a_name_is_told()
    {
        var dry = Boot(Append("root=LABEL=fallowroot rootwait console="));
        Assert.Equal((DryVerdict.Boots, "console-arg-missing"), (dry.Verdict, dry.Causes[0]));
        Assert.Contains("nothing behind it", dry.Broken[0].Text);
    }

    [Fact]
    public void A_console_of_another_port_is_told_and_boots()
    {
        var dry = Boot(Append("root=LABEL=fallowroot rootwait console=ttyS2,1500000"));
        Assert.Equal((DryVerdict.Boots, "console-arg-missing"), (dry.Verdict, dry.Causes[0]));
    }

    [Theory]
    [InlineData("root=LABEL=fallowroot rootwait rootfstype=ext4 console=ttyAMA0")]
    [InlineData("root=LABEL=fallowroot rootwait rootfstype=f2fs,ext4 console=ttyAMA0")]
    [InlineData("root=LABEL=fallowroot rootdelay=5 console=ttyAMA0")]
    public void A_file_system_that_is_named_rightly_and_a_delay_are_in_order(string arguments) =>
        Assert.Empty(Boot(Append(arguments)).Causes);

    [Fact]
    public void A_first_program_that_is_a_script_keeps_the_quotation_marks()
    {
        const string quoted = "root=\"LABEL=fallowroot\" rootwait console=ttyAMA0";
        Assert.Equal(DryVerdict.Boots, Boot(Append(quoted)).Verdict);
        var dry = Boot(f =>
        {
            Append(quoted)(f);
            f["/initrd.img"] = ImageMaker.Cpio(
                ("init", 0x81ED, "#!/bin/sh\n"u8.ToArray()),
                ("bin/sh", 0x81ED, ImageMaker.Elf(183)),
                ("lib/ext4.ko", 0x81A4, [1]),
                ("lib/mmc_block.ko", 0x81A4, [1])
            );
        });
        Breaks("root-not-found", dry);
        Assert.Contains("quotation marks", dry.Broken[0].Text);
    }

    [Theory]
    [InlineData("sd", "mmc_block")]
    [InlineData("usb", "usb-storage")]
    [InlineData("virtio", "virtio_blk")]
    public void A_start_of_modules_without_the_driver_of_the_medium_finds_no_root(string medium, string driver)
    {
        var board = Board with { BootMedium = medium };
        Action<Dictionary<string, byte[]>> with(params string[] modules) =>
            f =>
                f["/initrd.img"] = ImageMaker.Cpio([
                    ("init", 0x81ED, ImageMaker.Elf(183)),
                    .. modules.Select(m => ($"lib/{m}.ko", 0x81A4u, (byte[])[1])),
                ]);
        var dry = Boot(with("ext4"), board: board);
        Breaks("root-not-found", dry);
        Assert.Contains(driver, dry.Broken[0].Text);
        Assert.Equal(DryVerdict.Boots, Boot(with("ext4", driver), board: board).Verdict);
        if (medium != "sd")
            return;
        // Nobody knows what it starts from: drivers of cards alone tell nothing of a board with a disk.
        var guess = Boot(with("ext4", driver), board: board with { MediumIsGuess = true });
        Assert.Equal(DryVerdict.CannotTell, guess.Verdict);
        Assert.Contains(
            "USB disks and NVMe disks",
            guess.Steps.First(s => s.Text.StartsWith("Cannot tell without the disk", StringComparison.Ordinal)).Text
        );
    }

    private sealed class Unreadable : FileTree
    {
        public override string Kind => "ext4";

        public override string? Label => null;

        public override string? Uuid => null;

        public override TreeEntry? Find(string path) => throw new NotReadHereException("this part is packed in a way that is not known");

        public override IReadOnlyList<string> List(string folder) => Find(folder) is null ? [] : [];

        public override byte[]? Read(string path, int most = LargestFile) => Find(path) is null ? null : [];
    }

    [Theory]
    [InlineData("distro")]
    [InlineData("efi")]
    [InlineData("keyvalue")]
    [InlineData(null)]
    public void What_the_loader_wants_and_cannot_be_read_ends_in_words(string? loader)
    {
        var partition = new Partition(1, 1 << 20, 1 << 20, "83", "5e1c04aa-01", null, true);
        var (_, dry) = DryBooter.Play(
            ImageBytes.Of(new byte[4 << 20]),
            new("mbr", [partition], []),
            [new(partition, new Unreadable(), "ext4", null)],
            Board with
            {
                Loader = loader,
            },
            _ => null
        );
        Assert.NotEqual(DryVerdict.Boots, dry.Verdict);
        Assert.NotEmpty(dry.Steps);
        if (loader is "distro")
            Assert.Contains(dry.Steps, s => s.Text.Contains("not known", StringComparison.Ordinal));
    }

    [Fact]
    public void Names_may_go_up_and_down_from_the_folder_of_the_menu()
    {
        var menu = ImageMaker.Menu(ImageMaker.GoodAppend).Replace(" /Image", " ../Image").Replace(" /initrd", " ./../initrd");
        Assert.Empty(Boot(f => f["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(menu)).Causes);
    }

    private static byte[] Mended(DryBoot dry, Dictionary<string, byte[]> boot, Dictionary<string, byte[]> root)
    {
        var edit = dry.Broken[0].Edit!;
        var files = edit.Partition == 1 ? boot : root;
        files[edit.Path] = Encoding.UTF8.GetBytes(edit.Apply(Encoding.UTF8.GetString(files[edit.Path]))!);
        return ImageMaker.Disk(ImageMaker.Fat(boot), ImageMaker.Ext(root));
    }

    [Theory]
    [InlineData("root=PARTUUID=5e1c04aa-07 rw rootwait console=ttyAMA0,115200", "root-not-found")]
    [InlineData("rw rootwait console=ttyAMA0,115200", "root-arg-missing")]
    [InlineData("root=PARTUUID=5e1c04aa-02 rw console=ttyAMA0,115200", "root-not-found")]
    [InlineData("root=PARTUUID=5e1c04aa-02 rw rootwait rootfstype=xfs console=ttyAMA0,115200", "rootfs-unsupported")]
    [InlineData("root=PARTUUID=5e1c04aa-02 rw rootwait console=ttyAMA0,115200 init=/bin/sh", "getty-missing")]
    [InlineData("root=PARTUUID=5e1c04aa-02 rw rootwait console=tty1", "console-arg-missing")]
    [InlineData("root=PARTUUID=5e1c04aa-02 rw rootwait console=ttyAMA0,9600", "console-speed-mismatch")]
    [InlineData("root=PARTUUID=5e1c04aa-02 rw rootwait console=ttyAMA0,115200 init=/sbin/innit", "init-missing")]
    public void The_edit_that_comes_with_a_cause_mends_it(string arguments, string cause)
    {
        var (boot, root) = (ImageMaker.BootFiles(), ImageMaker.RootFiles());
        boot["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(ImageMaker.Menu(arguments));
        var dry = Inspect(ImageMaker.Disk(ImageMaker.Fat(boot), ImageMaker.Ext(root)), Board).DryBoot!;
        Assert.Equal(cause, dry.Causes[0]);
        var after = Inspect(Mended(dry, boot, root), Board).DryBoot!;
        Assert.Equal(DryVerdict.Boots, after.Verdict);
        Assert.DoesNotContain(after.Causes, c => c == cause);
    }

    [Theory]
    [InlineData(
        "/etc/fstab",
        "UUID=3f1d2c4b-5a69-4788-9a0b-0c1d2e3f4a5b / ext4 defaults 0 1\nLABEL=FROST /srv ext4 noatime 0 2\n",
        "fstab-device-missing"
    )]
    [InlineData("/etc/inittab", "tty1::respawn:/sbin/getty tty1 38400\n", "getty-missing")]
    public void The_edit_mends_files_of_the_root_too(string path, string text, string cause)
    {
        var (boot, root) = (ImageMaker.BootFiles(), ImageMaker.RootFiles());
        root[path] = Encoding.ASCII.GetBytes(text);
        var dry = Inspect(ImageMaker.Disk(ImageMaker.Fat(boot), ImageMaker.Ext(root)), Board).DryBoot!;
        Assert.Equal(cause, dry.Causes[0]);
        Assert.Empty(Inspect(Mended(dry, boot, root), Board).DryBoot!.Causes);
    }

    [Theory]
    [InlineData("a b\r\nc d\r\n", 2, "d", "e", "a b\r\nc e\r\n")]
    [InlineData("a b\nc d", 1, null, "x", "a b x\nc d")]
    [InlineData("a b c\n", 1, "b", "", "a c\n")]
    [InlineData("a\n", 0, null, "b", "a\nb\n")]
    [InlineData("a", 0, null, "b", "a\nb\n")]
    [InlineData("a\n", 1, "z", "b", null)]
    [InlineData("a\n", 9, "a", "b", null)]
    public void A_line_is_edited_and_its_line_end_kept(string text, int line, string? before, string after, string? expected) =>
        Assert.Equal(expected, new FileEdit(1, "/x", line, before, after).Apply(text));

    [Fact]
    public void A_board_that_wants_a_first_loader_fails_without_it_and_passes_with_it()
    {
        var board = Board with { FirstLoader = new(8192, "574b3942", "the head") };
        var dry = Inspect(Good.Value, board).DryBoot!;
        Breaks("no-boot-medium", dry);
        Assert.Contains("byte 8192", dry.Broken[0].Text);
        var with = Good.Value.ToArray();
        "WK9B"u8.CopyTo(with.AsSpan(8192));
        Assert.Equal(DryVerdict.Boots, Inspect(with, board).DryBoot!.Verdict);
    }

    [Fact]
    public void First_loaders_outside_the_file_systems_are_found()
    {
        var image = Good.Value.ToArray();
        Convert.FromHexString("65474f4e2e425430").CopyTo(image, 8196);
        var found = Inspection.Of(
            ImageBytes.Of(image),
            "none",
            image.Length,
            "",
            null,
            [new("egg", "65474f4e2e425430", [8196, 131076])],
            ImageMaker.Unpack
        );
        Assert.Equal(new FoundLoader("egg", 8196), Assert.Single(found.FirstLoaders));
    }

    [Fact]
    public void Nine_hundred_device_trees_are_read_and_the_one_of_the_board_is_found()
    {
        var root = ImageMaker.RootFiles();
        for (var i = 0; i < 900; i++)
            root[$"/usr/lib/linux-image-6.1.0/maker{i % 30}/board-{i}.dtb"] = Boards.ProfileDraftTests.Tree(
                (
                    "/",
                    [
                        ("model", Boards.ProfileDraftTests.Text($"Maker {i % 30} Board {i}")),
                        ("compatible", Boards.ProfileDraftTests.Text($"maker{i % 30},board-{i}")),
                    ]
                )
            );
        var found = Inspect(ImageMaker.Disk(ImageMaker.Fat(ImageMaker.BootFiles()), ImageMaker.Ext(root, "24M")), Board);
        Assert.Equal(900, found.DeviceTrees.Count);
        Assert.Equal(900, found.DeviceTrees.Select(t => t.Path).Distinct().Count());
        Assert.Contains(found.DeviceTrees, t => t.Compatible.Contains("maker17,board-617") && t.Model == "Maker 17 Board 617");
        Assert.Equal(DryVerdict.Boots, found.DryBoot!.Verdict);
    }

    [Fact]
    public void Users_growth_and_logins_are_read_from_the_root()
    {
        var root = ImageMaker.RootFiles();
        root["/etc/passwd"] =
            "root:x:0:0::/root:/bin/sh\ndaemon:x:1:1::/:/usr/sbin/nologin\nfallow:x:1000:1000::/home/fallow:/bin/sh\n"u8.ToArray();
        root["/etc/shadow"] = "root:*:19800:0:99999:7:::\nfallow:$6$a$b:0:0:99999:7:::\n"u8.ToArray();
        root["/etc/init.d/resize2fs_once"] = [1];
        var facts = Inspect(ImageMaker.Disk(ImageMaker.Fat(ImageMaker.BootFiles()), ImageMaker.Ext(root)), Board).FirstBoot!;
        Assert.Equal([new("root", "locked", false), new ImageUser("fallow", "set", true)], facts.Users);
        Assert.Equal("/etc/init.d/resize2fs_once", facts.GrowsBy);
        Assert.Equal(["ttyAMA0"], facts.Logins);
        Assert.Null(facts.Desktop);
    }

    [Fact]
    public void A_card_for_the_shelf_is_made_from_what_was_found()
    {
        var found = Inspect(Good.Value, null);
        var card = ImageProfiles.From(found, "/tmp/fallow-12.img").Value!;
        Assert.Equal(("Fallow 12 server", InstructionSet.Arm64, "6.6.30-arm64"), (card.Title, card.InstructionSet, card.Kernel));
        Assert.Equal(
            ("ttyAMA0", 115200, "5e1c04aa-02", "PARTUUID"),
            (card.ConsoleDevice, card.ConsoleSpeed, card.RootPartUuid, card.RootBy)
        );
        Assert.Equal(("distro", 1), (card.Chain, card.SmallestCardGb));
        Assert.NotNull(ProfilePack.Read("x", DataFile.Write(card), Boards.ProfilePackTests.Schemas).Value);
    }

    [Fact]
    public void A_file_that_is_no_image_gets_no_card() =>
        Assert.Contains("Nothing that is known here", ImageProfiles.From(Inspect(new byte[4 << 20], null), "/tmp/x.img").Problem!.Came);
}
