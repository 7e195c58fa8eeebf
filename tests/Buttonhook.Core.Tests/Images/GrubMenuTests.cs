using System.Buffers.Binary;
using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Tests.Images;

/// <summary>Configurations as distributions write them: a stub on the EFI partition, the menu on the root, conditions, functions and menus in menus.</summary>
public class GrubMenuTests
{
    private static readonly DryBoard Efi = new(InstructionSet.Arm64, "efi", "sd", "ttyAMA0", 115200, 512, [], "");

    private const string Stub = $"""
        search.fs_uuid {ImageMaker.RootUuid} root
        set prefix=($root)'/boot/grub'
        configfile $prefix/grub.cfg
        """;

    private static string Menu(string inside = "", string entry = "") =>
        $$"""
            # made by a program: don't edit; set default="9"
            if [ -s $prefix/grubenv ]; then
              set have_grubenv=true
              load_env
            fi
            if [ "${next_entry}" ] ; then
              set default="${next_entry}"
              set next_entry=
              save_env next_entry
            else
              set default="0"
            fi
            if [ x"${feature_menuentry_id}" = xy ]; then
              menuentry_id_option="--id"
            else
              menuentry_id_option=""
            fi
            export menuentry_id_option
            function savedefault {
              if [ -z "${boot_once}" ]; then
                saved_entry="${chosen}"
                save_env saved_entry
              fi
            }
            function gfxmode {
              set gfxpayload="${1}"
            }
            {{inside}}
            if loadfont unicode ; then insmod gfxterm; fi; set timeout=5
            menuentry 'Fallow 12 server' --class fallow --class os $menuentry_id_option 'fallow-simple' {
              gfxmode $linux_gfx_mode
              insmod gzio
              if [ x$feature_platform_search_hint = xy ]; then
                search --no-floppy --fs-uuid --set=root --hint-efi=hd0,gpt2  00000000-0000-4000-8000-000000000000
              else
                search --no-floppy --fs-uuid --set=root {{ImageMaker.RootUuid}}
              fi
              echo 'Loading Linux; one moment ...'
              linux /boot/vmlinuz-6.6.30 root=UUID={{ImageMaker.RootUuid}} rw rootwait console=ttyAMA0,115200
              initrd /boot/initrd.img-6.6.30
              {{entry}}
            }
            submenu 'Advanced options for Fallow' $menuentry_id_option 'fallow-advanced' {
              menuentry 'Fallow, the older kernel' $menuentry_id_option 'fallow-older' {
                search --no-floppy --set root --label fallowroot
                linux /boot/vmlinuz-5.9 root=UUID={{ImageMaker.RootUuid}}
              }
              menuentry "Fallow (rescue mode)" $menuentry_id_option 'fallow-rescue' {
                search --no-floppy --set=root --file /boot/vmlinuz-6.6.30
                linux ($root)/boot/vmlinuz-6.6.30 root=LABEL=fallowroot rootwait rw single console=ttyAMA0,115200
                initrd ($root)/boot/initrd.img-6.6.30
              }
            }
            """;

    private static DryBoot Boot(
        string stub = Stub,
        string? menu = null,
        Action<Dictionary<string, byte[]>>? root = null,
        DryBoard? board = null,
        Action<byte[]>? change = null
    )
    {
        var boot = new Dictionary<string, byte[]>
        {
            ["/EFI/BOOT/BOOTAA64.EFI"] = EfiMaker.Grub(),
            ["/EFI/fallow/grub.cfg"] = Encoding.UTF8.GetBytes(stub),
        };
        var files = ImageMaker.RootFiles();
        files["/boot/grub/grub.cfg"] = Encoding.UTF8.GetBytes(menu ?? Menu());
        files["/boot/vmlinuz-6.6.30"] = ImageMaker.Arm64Kernel();
        files["/boot/initrd.img-6.6.30"] = ImageMaker.BootFiles()["/initrd.img"];
        root?.Invoke(files);
        var disk = ImageMaker.Disk(ImageMaker.Fat(boot), ImageMaker.Ext(files, "8M"));
        change?.Invoke(disk);
        return Inspection.Of(ImageBytes.Of(disk), "none", disk.Length, "", board ?? Efi, [], _ => null).DryBoot!;
    }

    private static void Boots(DryBoot dry) => Assert.Equal((DryVerdict.Boots, ""), (dry.Verdict, string.Join(' ', dry.Causes)));

    private static void Breaks(string cause, string words, DryBoot dry)
    {
        Assert.Equal((DryVerdict.DoesNotBoot, cause), (dry.Verdict, dry.Causes.FirstOrDefault()));
        Assert.Contains(words, dry.Broken[0].Text);
    }

    [Fact]
    public void A_stub_leads_to_the_menu_and_its_first_entry_starts()
    {
        var dry = Boot();
        Boots(dry);
        Assert.Contains(dry.Steps, s => s.File?.StartsWith("p2:/boot/grub/grub.cfg:", StringComparison.Ordinal) == true);
    }

    [Theory]
    [InlineData("fallow-advanced>fallow-rescue")]
    [InlineData("1>1")]
    [InlineData("Advanced options for Fallow>Fallow (rescue mode)")]
    public void An_entry_of_a_menu_in_the_menu_can_be_the_default(string chosen) =>
        Boots(Boot(menu: Menu(inside: $"set default=\"{chosen}\"")));

    [Theory]
    [InlineData("1")]
    [InlineData("fallow-advanced")]
    [InlineData("fallow-advanced>fallow-older")]
    public void The_entry_that_is_the_default_decides(string chosen) =>
        Breaks("boot-files-missing", "/boot/vmlinuz-5.9", Boot(menu: Menu(inside: $"set default=\"{chosen}\"")));

    [Fact]
    public void An_entry_saved_in_the_environment_block_is_taken()
    {
        void Save(Dictionary<string, byte[]> root) =>
            root["/boot/grub/grubenv"] = Encoding.ASCII.GetBytes(
                "# GRUB Environment Block\nnext_entry=fallow-advanced>fallow-older\n######"
            );
        Breaks("boot-files-missing", "vmlinuz-5.9", Boot(root: Save));
    }

    [Fact]
    public void A_stub_that_looks_for_another_file_system_finds_no_menu()
    {
        var dry = Boot(stub: Stub.Replace(ImageMaker.RootUuid, "00000000-0000-4000-8000-000000000000"));
        Breaks("loader-config-missing", "/boot/grub/grub.cfg is not there", dry);
        Assert.Equal("p1:/EFI/fallow/grub.cfg:3", dry.Broken[0].File);
    }

    [Theory]
    [InlineData("if true; then", "no closing word")]
    [InlineData("menuentry 'Open' {", "no closing word")]
    public void A_construct_that_is_never_closed_is_named(string open, string words) =>
        Breaks("loader-config-missing", words, Boot(menu: $"{open}\nlinux /boot/vmlinuz-6.6.30\n"));

    [Fact]
    public void A_configuration_that_enters_itself_ends() =>
        Breaks("loader-config-missing", "is not there", Boot(menu: "configfile $prefix/grub.cfg\n"));

    [Fact]
    public void A_file_that_is_sourced_belongs_to_the_menu()
    {
        void Add(Dictionary<string, byte[]> root) => root["/boot/grub/custom.cfg"] = "set default='1>0'\n"u8.ToArray();
        var menu = Menu(inside: "if [ -f ${prefix}/custom.cfg ]; then source ${prefix}/custom.cfg; fi");
        Boots(Boot(menu: menu));
        Breaks("boot-files-missing", "5.9", Boot(menu: menu, root: Add));
        // Lines are those of the file in which the entry stands.
        void Entry(Dictionary<string, byte[]> root) =>
            root["/boot/grub/custom.cfg"] = "set default=own\nmenuentry Own --id own {\nlinux /boot/own\n}\n"u8.ToArray();
        Assert.Equal("p2:/boot/grub/custom.cfg:3", Boot(menu: menu, root: Entry).Broken[0].File);
        Assert.StartsWith("p2:/boot/grub/grub.cfg:", Boot(menu: menu + "\nset default='2>0'\n", root: Entry).Broken[0].File);
    }

    [Fact]
    public void A_kernel_can_be_started_without_a_menu() =>
        Boots(
            Boot(
                menu: $"""
                search --label fallowroot --set
                linux /boot/vmlinuz-6.6.30 root=LABEL=fallowroot rw rootwait \
                  console=ttyAMA0,115200
                initrd /boot/initrd.img-6.6.30
                boot
                linux /boot/nothing
                """
            )
        );

    [Fact]
    public void Several_initial_file_systems_are_one()
    {
        void Split(Dictionary<string, byte[]> root)
        {
            root["/boot/early.cpio"] = [.. ImageMaker.Cpio(("kernel/microcode", 0x81A4, [1, 2, 3])), 0, 0];
        }
        Boots(Boot(menu: Menu().Replace("initrd /boot/initrd", "initrd /boot/early.cpio /boot/initrd"), root: Split));
        Breaks("initrd-missing", "late.cpio", Boot(menu: Menu().Replace("initrd /boot/initrd", "initrd /boot/late.cpio /boot/initrd")));
    }

    [Fact]
    public void A_device_tree_of_the_entry_is_judged_and_one_that_is_not_there_is_left_to_the_firmware()
    {
        var board = Efi with { Compatible = ["orchard,pomona-3"] };
        void Tree(Dictionary<string, byte[]> root)
        {
            root["/boot/own.dtb"] = Console("orchard,pomona-3");
            root["/boot/other.dtb"] = Console("orchard,quince-2");
        }
        Boots(Boot(menu: Menu(entry: "devicetree /boot/own.dtb"), root: Tree, board: board));
        Breaks("dtb-wrong-board", "quince", Boot(menu: Menu(entry: "devicetree /boot/other.dtb"), root: Tree, board: board));
        var missing = Boot(menu: Menu(entry: "devicetree /boot/gone.dtb"), root: Tree, board: board);
        Boots(missing);
        Assert.Contains(missing.Steps, s => s.Text.Contains("/boot/gone.dtb is not there"));
    }

    private static byte[] Console(string compatible) =>
        new TreeMaker().Text("/", "compatible", compatible).Text("/chosen", "stdout-path", "serial0:115200n8").Blob();

    [Fact]
    public void A_pc_starts_by_the_boot_code_and_its_second_part()
    {
        var board = new DryBoard(InstructionSet.Amd64, "bios", "sd", "ttyS0", 115200, 512, [], "");
        void Code(byte[] disk)
        {
            "GRUB"u8.CopyTo(disk.AsSpan(0x180));
            BinaryPrimitives.WriteUInt64LittleEndian(disk.AsSpan(0x5C), 1);
        }
        var empty = Boot(board: board, change: Code);
        Breaks("second-loader-missing", "where nothing is", empty);
        Assert.Equal("byte 512", empty.Broken[0].File);
        // With the second part there, the chain goes on as far as the kernel, which is for another processor here.
        var started = Boot(
            board: board,
            change: disk =>
            {
                Code(disk);
                disk.AsSpan(512, 512).Fill(0x90);
            }
        );
        Breaks("kernel-wrong-architecture", "64-bit ARM", started);
    }

    [Fact]
    public void Without_any_configuration_that_is_told() =>
        Breaks(
            "loader-config-missing",
            "no grub.cfg",
            Boot(
                board: new(InstructionSet.Amd64, "bios", "sd", "ttyS0", 115200, 512, [], ""),
                root: f => f.Remove("/boot/grub/grub.cfg"),
                change: disk => disk[0] = 0xEB
            )
        );
}
