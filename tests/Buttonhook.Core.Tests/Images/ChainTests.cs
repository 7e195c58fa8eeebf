using System.Buffers.Binary;
using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Tests.Images;

/// <summary>The other ways of loading: GRUB, boot entries, key=value configuration, boot scripts.</summary>
public class ChainTests
{
    private static readonly string Arguments = ImageMaker.GoodAppend;

    private static DryBoot Boot(
        DryBoard board,
        Dictionary<string, byte[]> boot,
        Dictionary<string, byte[]>? root = null,
        Action<byte[]>? change = null
    )
    {
        var disk = ImageMaker.Disk(ImageMaker.Fat(boot), ImageMaker.Ext(root ?? ImageMaker.RootFiles()));
        change?.Invoke(disk);
        return Inspection.Of(ImageBytes.Of(disk), "none", disk.Length, "", board, [], _ => null).DryBoot!;
    }

    private static byte[] Text(string text) => Encoding.UTF8.GetBytes(text);

    private static DryBoard Board(string loader, InstructionSet set = InstructionSet.Arm64) =>
        new(set, loader, "sd", "ttyAMA0", 115200, 512, [], "");

    // --- EFI with GRUB
    private static string Grub(string kernel = "/Image", string initrd = "/initrd.img", string search = "1234-ABCD") =>
        $$"""
            set default=0
            set timeout=5
            menuentry "Fallow 12 server" {
              search --no-floppy --fs-uuid --set=root {{search}}
              linux {{kernel}} {{Arguments}}
              initrd {{initrd}}
            }
            """;

    private static Dictionary<string, byte[]> GrubFiles(string config)
    {
        var files = ImageMaker.BootFiles();
        files.Remove("/extlinux/extlinux.conf");
        files["/EFI/BOOT/BOOTAA64.EFI"] = EfiMaker.Grub();
        files["/EFI/fallow/grub.cfg"] = Text(config);
        return files;
    }

    [Fact]
    public void Grub_finds_its_file_system_and_boots()
    {
        var dry = Boot(Board("efi"), GrubFiles(Grub()));
        Assert.Equal(DryVerdict.Boots, dry.Verdict);
        Assert.Empty(dry.Causes);
        Assert.Contains(dry.Steps, s => s.File == "p1:/EFI/fallow/grub.cfg:5");
    }

    [Fact]
    public void Grub_names_a_kernel_that_is_not_there() =>
        Breaks("boot-files-missing", Boot(Board("efi"), GrubFiles(Grub(kernel: "/vmlinuz-99"))));

    [Fact]
    public void Grub_goes_on_without_an_initial_file_system_and_then_the_root_has_no_driver() =>
        Breaks("initrd-missing", Boot(Board("efi"), GrubFiles(Grub(initrd: "/initrd-99"))));

    [Fact]
    public void Grub_takes_the_default_by_title_and_the_first_entry_when_there_is_none()
    {
        var two = Grub(kernel: "/nothing").Replace("Fallow 12 server", "Old") + "\n" + Grub().Replace("set default=0\n", "");
        Breaks("boot-files-missing", Boot(Board("efi"), GrubFiles(two)));
        Assert.Equal(
            DryVerdict.Boots,
            Boot(Board("efi"), GrubFiles(two.Replace("set default=0", "set default=\"Fallow 12 server\""))).Verdict
        );
        Assert.Equal(DryVerdict.Boots, Boot(Board("efi"), GrubFiles(Grub().Replace("set default=0", "set default=gone"))).Verdict);
    }

    [Fact]
    public void Grub_takes_windows_line_ends_and_leaves_out_an_entry_that_is_never_closed()
    {
        Assert.Empty(Boot(Board("efi"), GrubFiles(Grub().Replace("\n", "\r\n"))).Causes);
        Breaks("loader-config-missing", Boot(Board("efi"), GrubFiles(Grub().Replace("}", ""))));
    }

    [Fact]
    public void A_carriage_return_in_an_environment_belongs_to_the_value_unless_it_is_taken_off()
    {
        const string windows = "rootdev=LABEL=fallowroot\r\nlast=x\r\n";
        Breaks("root-not-found", Boot(Board("distro"), ScriptFiles(windows)));
        Assert.Empty(Boot(Board("distro"), ScriptFiles(windows, Play.Replace("import -t", "import -t -r"))).Causes);
        var tree = Play.Replace(" ${fdt_addr}", " ${fdt_addr_r}")
            .Replace("booti", "load ${devtype} ${devnum}:${distro_bootpart} ${fdt_addr_r} ${prefix}${board}\nbooti");
        var files = ScriptFiles("rootdev=LABEL=fallowroot\nboard=board.dtb\r\n", tree);
        files["/board.dtb"] = Tree("orchard,pomona-3");
        var dry = Boot(Board("distro"), files);
        Breaks("dtb-missing", dry);
        Assert.Contains("carriage return", dry.Broken[0].Text);
    }

    [Theory]
    [InlineData("a  \"b c\" 'd $x' e", "a|b c|d $x|e")]
    [InlineData("root=$q end", "root=\"LABEL=x\"|end")]
    [InlineData("\"$two\" $two ${two}3", "1 2|1|2|1|23")]
    [InlineData("$none \"\" ${none}x $", "|x|$")]
    [InlineData("a\r b", "a\r|b")]
    public void Words_are_taken_as_a_shell_takes_them(string line, string words) =>
        Assert.Equal(
            words.Split('|'),
            ShellWords.Of(
                line,
                name =>
                    name switch
                    {
                        "q" => "\"LABEL=x\"",
                        "two" => "1 2",
                        _ => null,
                    }
            )
        );

    [Fact]
    public void Without_an_efi_loader_nothing_starts()
    {
        var files = GrubFiles(Grub());
        files.Remove("/EFI/BOOT/BOOTAA64.EFI");
        Breaks("no-boot-medium", Boot(Board("efi"), files));
    }

    // --- EFI with entries
    private static Dictionary<string, byte[]> Entries(string entry)
    {
        var files = ImageMaker.BootFiles();
        files.Remove("/extlinux/extlinux.conf");
        files["/EFI/BOOT/BOOTAA64.EFI"] = EfiMaker.EntryMenu();
        files["/loader/entries/fallow.conf"] = Text(entry);
        return files;
    }

    [Theory]
    [InlineData("title Fallow\nlinux /Image\ninitrd /initrd.img\noptions root=LABEL=fallowroot rootwait rw console=ttyAMA0,115200\n", null)]
    [InlineData("title Fallow\nlinux /gone\ninitrd /initrd.img\noptions root=LABEL=fallowroot\n", "boot-files-missing")]
    [InlineData("title Fallow\nlinux /Image\ninitrd /gone\noptions root=LABEL=fallowroot\n", "initrd-missing")]
    [InlineData("title Fallow\nlinux /Image\ninitrd /initrd.img\noptions quiet\n", "root-arg-missing")]
    public void Boot_entries_are_followed(string entry, string? cause)
    {
        var dry = Boot(Board("efi"), Entries(entry));
        if (cause is null)
            Assert.Equal((DryVerdict.Boots, 0), (dry.Verdict, dry.Causes.Count));
        else
            Breaks(cause, dry);
    }

    // --- key=value configuration
    private static Dictionary<string, byte[]> KeyValue(string? config = null, string? command = null)
    {
        var files = ImageMaker.BootFiles();
        files.Remove("/extlinux/extlinux.conf");
        files["/kernel8.img"] = ImageMaker.Arm64Kernel();
        files["/board.dtb"] = Tree("orchard,pomona-3");
        files["/config.txt"] = Text(config ?? "kernel=kernel8.img\ninitramfs initrd.img followkernel\ndevice_tree=board.dtb\n");
        files["/cmdline.txt"] = Text(command ?? Arguments + "\n");
        return files;
    }

    /// <summary>A device tree with the names of a board and, if wanted, those of processor cores.</summary>
    private static byte[] Tree(string compatible, string? core = null, string? again = null)
    {
        var tree = new TreeMaker().Text("/", "compatible", compatible);
        if (core is not null)
            tree.Text("/cpus/cpu@0", "compatible", core);
        if (again is not null)
            tree.Text("/cpus/cpu@1", "compatible", again);
        return tree.Blob();
    }

    [Fact]
    public void A_device_tree_made_here_is_read() =>
        Assert.Equal(["orchard,pomona-3"], DeviceTree.Read(Tree("orchard,pomona-3")).Compatible);

    [Fact]
    public void Key_value_configuration_boots() =>
        Assert.Equal((DryVerdict.Boots, 0), (Boot(Board("keyvalue"), KeyValue()) is var dry ? dry.Verdict : default, dry.Causes.Count));

    [Fact]
    public void Each_broken_key_has_its_cause()
    {
        Breaks("boot-files-missing", Boot(Board("keyvalue"), KeyValue(config: "kernel=gone.img\ndevice_tree=board.dtb\n")));
        Breaks("dtb-missing", Boot(Board("keyvalue"), KeyValue(config: "kernel=kernel8.img\ndevice_tree=gone.dtb\n")));
        Breaks(
            "initrd-missing",
            Boot(Board("keyvalue"), KeyValue(config: "kernel=kernel8.img\ninitramfs gone followkernel\ndevice_tree=board.dtb\n"))
        );
        Breaks("root-not-found", Boot(Board("keyvalue"), KeyValue(command: "console=ttyAMA0,115200 root=LABEL=fallowroot\r\n")));
        Breaks("dtb-wrong-board", Boot(Board("keyvalue") with { Compatible = ["orchard,quince-2"] }, KeyValue()));
        var other = KeyValue();
        other["/board.dtb"] = Tree("orchard,pomona-3", core: "arm,cortex-a15");
        Breaks("dtb-wrong-board", Boot(Board("keyvalue"), other));
        other["/board.dtb"] = Tree("orchard,pomona-3", core: "arm,cortex-a72");
        Assert.Empty(Boot(Board("keyvalue"), other).Causes);
        other.Remove("/config.txt");
        Breaks("loader-config-missing", Boot(Board("keyvalue"), other));
        Breaks("no-boot-medium", Boot(Board("keyvalue"), KeyValue(), change: disk => disk[446 + 4] = 0x83));
    }

    [Fact]
    public void With_two_hosts_the_card_may_be_the_second()
    {
        const string second = "root=/dev/mmcblk1p2 rootwait console=ttyAMA0,115200\n";
        Breaks("root-not-found", Boot(Board("keyvalue"), KeyValue(command: second)));
        var files = KeyValue(command: second);
        files["/board.dtb"] = Tree("orchard,pomona-3", core: "orchard,p3-sdhci", again: "orchard,p3-dw-mshc");
        Assert.Empty(Boot(Board("keyvalue"), files).Causes);
        files["/cmdline.txt"] = Text(second.Replace("mmcblk1", "mmcblk2"));
        Breaks("root-not-found", Boot(Board("keyvalue"), files));
    }

    [Fact]
    public void Only_the_first_line_of_the_command_line_counts()
    {
        var dry = Boot(Board("keyvalue"), KeyValue(command: "root=LABEL=fallowroot rootwait rw\nconsole=ttyAMA0,115200\n"));
        Assert.Equal((DryVerdict.Boots, "console-arg-missing"), (dry.Verdict, dry.Causes[0]));
    }

    [Fact]
    public void Serial0_stands_for_the_port_of_the_board() =>
        Assert.Empty(Boot(Board("keyvalue"), KeyValue(command: "root=LABEL=fallowroot rootwait rw console=serial0,115200\n")).Causes);

    // --- boot scripts
    private static byte[] Script(string text)
    {
        var body = Encoding.UTF8.GetBytes(text);
        var data = new byte[8 + body.Length];
        BinaryPrimitives.WriteUInt32BigEndian(data, (uint)body.Length);
        body.CopyTo(data, 8);
        return ImageMaker.Legacy(data, architecture: 0, type: 6);
    }

    private const string Play = """
        setenv rootdev /dev/none
        if load ${devtype} ${devnum}:${distro_bootpart} ${scriptaddr} ${prefix}env.txt; then
          env import -t ${scriptaddr} ${filesize}
        else
          echo "no environment"
        fi
        setenv bootargs "root=${rootdev} rootwait rw console=ttyAMA0,115200"
        load ${devtype} ${devnum}:${distro_bootpart} ${kernel_addr_r} ${prefix}Image
        load ${devtype} ${devnum}:${distro_bootpart} ${ramdisk_addr_r} ${prefix}initrd.img
        booti ${kernel_addr_r} ${ramdisk_addr_r}:${filesize} ${fdt_addr}
        """;

    private static Dictionary<string, byte[]> ScriptFiles(string? environment = "rootdev=LABEL=fallowroot\n", string script = Play)
    {
        var files = ImageMaker.BootFiles();
        files.Remove("/extlinux/extlinux.conf");
        files["/boot.scr"] = Script(script);
        if (environment is not null)
            files["/env.txt"] = Text(environment);
        return files;
    }

    [Fact]
    public void A_boot_script_is_played_with_its_environment()
    {
        var dry = Boot(Board("distro"), ScriptFiles());
        Assert.Equal((DryVerdict.Boots, 0), (dry.Verdict, dry.Causes.Count));
    }

    [Fact]
    public void What_goes_wrong_in_a_script_has_its_cause()
    {
        Breaks("root-not-found", Boot(Board("distro"), ScriptFiles("rootdev=LABEL=other\n")));
        Breaks("root-not-found", Boot(Board("distro"), ScriptFiles(environment: null)));
        Breaks("initrd-missing", Boot(Board("distro"), ScriptFiles(script: Play.Replace("initrd.img", "initrd-99.img"))));
        Breaks("boot-files-missing", Boot(Board("distro"), ScriptFiles(script: "echo nothing to do\n")));
        Breaks("root-not-found", Boot(Board("distro"), ScriptFiles("rootdev =LABEL=fallowroot\n")));
        Breaks("loader-config-missing", Boot(Board("distro"), ScriptFiles(script: Play.Replace("booti", "bootz"))));
        Breaks("loader-config-missing", Boot(Board("distro"), ScriptFiles(script: Play.Replace("\n", "\r\n"))));
        var damaged = ScriptFiles();
        damaged["/boot.scr"][90] ^= 1;
        Breaks("loader-config-missing", Boot(Board("distro"), damaged));
    }

    [Fact]
    public void A_script_that_calls_itself_for_ever_ends() =>
        Breaks(
            "boot-files-missing",
            Boot(Board("distro"), ScriptFiles(script: "setenv again 'echo x'\n" + string.Concat(Enumerable.Repeat("run again\n", 2000))))
        );

    /// <summary>A script as community images carry it: defaults, an environment, questions, overlays in a loop, the id of a partition.</summary>
    private const string Long = """
        # DO NOT EDIT: don't; it is made by a program
        setenv load_addr "0x45000000"
        setenv overlay_error "false"
        setenv rootdev "/dev/mmcblk0p9"
        setenv console "both"
        echo "Boot script loaded from ${devtype} ${devnum}"
        if test -e ${devtype} ${devnum} ${prefix}env.txt; then
        	load ${devtype} ${devnum} ${load_addr} ${prefix}env.txt
        	env import -t ${load_addr} ${filesize}
        fi
        if test "${console}" = "display" || test "${console}" = "both"; then setenv consoleargs "console=tty1"; fi
        if test "${console}" = "serial" || test "${console}" = "both"; then setenv consoleargs "console=ttyAMA0,115200 ${consoleargs}"; fi
        if test "${devtype}" = "mmc"; then part uuid mmc ${devnum}:2 partuuid; fi
        if test "${rootdev}" = "by-id"; then setenv rootdev "PARTUUID=${partuuid}"; fi
        setenv bootargs "root=${rootdev} rootwait rw ${consoleargs} consoleblank=0"
        for overlay in ${overlays}; do
        	if load ${devtype} ${devnum} ${load_addr} ${prefix}overlay/${overlay}.dtbo; then
        		fdt apply ${load_addr} || setenv overlay_error "true"
        	else
        		setenv bootargs "root=/dev/none"
        	fi
        done
        load ${devtype} ${devnum} ${ramdisk_addr_r} ${prefix}initrd.img
        load ${devtype} ${devnum} ${kernel_addr_r} ${prefix}Image
        booti ${kernel_addr_r} ${ramdisk_addr_r}:${filesize} ${fdt_addr}
        """;

    [Theory]
    [InlineData("rootdev=by-id\n", null)]
    [InlineData("rootdev=/dev/mmcblk0p2\nconsole=serial\n", null)]
    [InlineData("rootdev=by-id\noverlays=quiet\n", null)]
    [InlineData("rootdev=by-id\noverlays=quiet lamp\n", "root-not-found")]
    [InlineData("overlays=\n", "root-not-found")]
    [InlineData(null, "root-not-found")]
    public void A_long_script_does_what_its_environment_says(string? environment, string? cause)
    {
        var files = ScriptFiles(environment, Long);
        files["/overlay/quiet.dtbo"] = Tree("orchard,pomona-3");
        var dry = Boot(Board("distro"), files);
        Assert.Equal(cause, dry.Causes.FirstOrDefault());
    }

    [Fact]
    public void A_console_that_the_environment_takes_away_is_told() =>
        Assert.Equal(["console-arg-missing"], Boot(Board("distro"), ScriptFiles("rootdev=by-id\nconsole=display\n", Long)).Causes);

    [Fact]
    public void A_script_loads_from_the_partition_that_it_names()
    {
        var root = ImageMaker.RootFiles();
        root["/boot/Image"] = ImageMaker.Arm64Kernel();
        var files = ScriptFiles(script: Play.Replace("${distro_bootpart} ${kernel_addr_r} ${prefix}", "2 ${kernel_addr_r} /boot/"));
        files.Remove("/Image");
        Assert.Empty(Boot(Board("distro"), files, root).Causes);
        Breaks("boot-files-missing", Boot(Board("distro"), files));
        files["/boot.scr"] = Script(Play.Replace("${distro_bootpart} ${kernel_addr_r}", "7 ${kernel_addr_r}"));
        Breaks("boot-files-missing", Boot(Board("distro"), files));
    }

    [Fact]
    public void An_if_that_is_never_closed_is_named_with_its_line()
    {
        var dry = Boot(Board("distro"), ScriptFiles(script: Play.Replace("\nfi\n", "\n")));
        Breaks("loader-config-missing", dry);
        Assert.Equal("p1:/boot.scr:2", dry.Broken[0].File);
    }

    [Theory]
    [InlineData("setenv again 'run again'\nrun again\n")]
    [InlineData("setenv a 'run b; run b'\nsetenv b 'run a; run a'\nrun a\n")]
    [InlineData("while true; do echo x; done\n")]
    public void A_script_that_never_ends_is_ended(string script) =>
        Breaks("boot-files-missing", Boot(Board("distro"), ScriptFiles(script: script)));

    [Fact]
    public void A_fit_image_brings_its_own_parts()
    {
        var fit = new TreeMaker()
            .Bytes("/images/k", "data", ImageMaker.Arm64Kernel())
            .Bytes("/images/r", "data", ImageMaker.BootFiles()["/initrd.img"])
            .Text("/configurations/c", "kernel", "k");
        var script =
            Play[..Play.IndexOf("load ${devtype} ${devnum}:${distro_bootpart} ${ramdisk", StringComparison.Ordinal)]
            + "bootm ${kernel_addr_r}\n";
        var files = ScriptFiles(script: script);
        files["/Image"] = fit.Text("/configurations/c", "ramdisk", "r").Blob();
        // Without a device tree from anywhere the loader starts nothing (seen in the emulator: it resets).
        Breaks("dtb-missing", Boot(Board("distro"), files));
        var tree = new TreeMaker().Text("/chosen", "stdout-path", "/serial").Blob();
        files["/Image"] = fit.Bytes("/images/t", "data", tree).Text("/configurations/c", "fdt", "t").Blob();
        Assert.Empty(Boot(Board("distro"), files).Causes);
        Assert.NotEmpty(Boot(Board("distro") with { Architecture = InstructionSet.Riscv64 }, files).Causes);
    }

    // --- PC firmware
    [Fact]
    public void Without_boot_code_a_pc_does_not_start() =>
        Breaks("no-boot-medium", Boot(Board("bios", InstructionSet.Amd64), ImageMaker.BootFiles()));

    private static void Breaks(string cause, DryBoot dry)
    {
        Assert.Equal(cause, dry.Causes.FirstOrDefault());
        Assert.Equal(DryVerdict.DoesNotBoot, dry.Verdict);
        Assert.Equal(LinkResult.Failed, dry.Broken[0].Result);
    }
}
