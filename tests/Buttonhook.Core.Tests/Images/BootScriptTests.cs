using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Tests.Images;

/// <summary>Boot scripts: addresses, buffers, overlays, slots, the network. What each expects was seen in the emulator (lab/scripts.py), but for overlays, which its loader does not lay.</summary>
public class BootScriptTests
{
    private static readonly DryBoard Board = new(InstructionSet.Arm64, "distro", "virtio", "ttyAMA0", 115200, 512, [], "");
    private const string Head = "setenv bootargs root=LABEL=fallowroot rootwait rw console=ttyAMA0,115200\n";
    private const string Loads = """
        load ${devtype} ${devnum}:${distro_bootpart} ${kernel_addr_r} /Image
        load ${devtype} ${devnum}:${distro_bootpart} ${ramdisk_addr_r} /initrd.img

        """;
    private const string Go = "booti ${kernel_addr_r} ${ramdisk_addr_r}:${filesize} ${fdtcontroladdr}\n";

    private static DryBoot Boot(string script, DryBoard? board = null, params (string Path, byte[] Content)[] files)
    {
        var boot = ImageMaker.BootFiles();
        boot.Remove("/extlinux/extlinux.conf");
        var text = Encoding.UTF8.GetBytes(script);
        boot["/boot.scr"] = ImageMaker.Legacy([0, 0, 0, (byte)text.Length, 0, 0, 0, 0, .. text], type: 6);
        foreach (var (path, content) in files)
            boot[path] = content;
        var disk = ImageMaker.Disk(ImageMaker.Fat(boot), ImageMaker.Ext(ImageMaker.RootFiles()));
        return DryBoot.Play(ImageBytes.Of(disk), board ?? Board, ImageMaker.Unpack);
    }

    private static void Breaks(string cause, string says, DryBoot dry)
    {
        Assert.Equal(DryVerdict.DoesNotBoot, dry.Verdict);
        Assert.Equal(cause, dry.Causes[0]);
        Assert.Contains(says, dry.Broken[0].Text);
    }

    private static void Good(DryBoot dry) => Assert.Equal((DryVerdict.Boots, ""), (dry.Verdict, string.Join(' ', dry.Causes)));

    [Fact]
    public void What_is_loaded_over_another_file_is_told_with_both_addresses()
    {
        Good(Boot(Head + Loads + Go));
        Breaks(
            "kernel-corrupt",
            "The kernel lies at 0x40400000 to 0x40400fff, and p1:/initrd.img is loaded to 0x40400100",
            Boot(Head + Loads.Replace("${ramdisk_addr_r}", "0x40400100") + Go.Replace("${ramdisk_addr_r}", "0x40400100"))
        );
        var swapped = string.Join('\n', Loads.Trim().Split('\n').Reverse()) + "\n";
        Breaks(
            "initrd-corrupt",
            "written over",
            Boot(Head + swapped.Replace("${ramdisk_addr_r}", "0x40400100") + "booti ${kernel_addr_r} 0x40400100:100 ${fdtcontroladdr}\n")
        );
        // One address may serve several files, one after another, when each is moved on.
        Good(
            Boot(
                Head
                    + Loads.Replace("${kernel_addr_r}", "0x48000000").Split('\n')[0]
                    + "\ncp.b 0x48000000 ${kernel_addr_r} ${filesize}\n"
                    + "load ${devtype} ${devnum}:${distro_bootpart} 0x48000000 /initrd.img\ncp.b 0x48000000 ${ramdisk_addr_r} ${filesize}\n"
                    + Go
            )
        );
        // What an address is on another board is not known, so nothing is said.
        Good(Boot(Head + Loads + Go, Board with { BootMedium = "sd" }));
    }

    [Fact]
    public void The_loader_wants_a_size_and_a_tree()
    {
        Breaks("initrd-missing", "without its size", Boot(Head + Loads + Go.Replace(":${filesize}", "")));
        Breaks("dtb-missing", "no device tree", Boot(Head + Loads + Go.Replace(" ${fdtcontroladdr}", "")));
    }

    [Fact]
    public void A_packed_kernel_needs_a_buffer_that_is_set_and_free()
    {
        var packed = ("/Image", ImageMaker.Gzip(ImageMaker.Arm64Kernel()));
        const string buffer = "setenv kernel_comp_addr_r 0x50000000\nsetenv kernel_comp_size 0x4000000\n";
        Good(Boot(Head + buffer + Loads + Go, files: packed));
        Assert.Equal(DryVerdict.CannotTell, Boot(Head + Loads + Go, files: packed).Verdict);
        Breaks("kernel-corrupt", "cleared", Boot(Head + "setenv kernel_comp_addr_r\n" + Loads + Go, files: packed));
        Breaks("initrd-corrupt", "is unpacked to", Boot(Head + buffer.Replace("0x50000000", "0x44000000") + Loads + Go, files: packed));
        // A board can say that its loader has them.
        Good(Boot(Head + Loads + Go, Board with { Firmware = "with kernel_comp_addr_r and kernel_comp_size" }, packed));
    }

    [Fact]
    public void A_medium_of_another_kind_is_not_there()
    {
        Breaks(
            "boot-files-missing",
            "loads /Image from mmc 0:1",
            Boot(Head + Loads.Replace("${devtype} ${devnum}:${distro_bootpart}", "mmc 0:1") + Go)
        );
        Good(Boot(Head + Loads.Replace("${devtype}", "virtio") + Go));
    }

    [Fact]
    public void Slots_are_counted_and_taken_in_order()
    {
        const string slots = """
            test -n "${ORDER}" || setenv ORDER "A B"
            test -n "${A_LEFT}" || setenv A_LEFT 3
            setenv slot
            for S in "${ORDER}"; do
              if test "x${slot}" != "x"; then echo chosen
              elif test "x${S}" = "xA"; then
                if test 0x${A_LEFT} -gt 0; then setexpr A_LEFT ${A_LEFT} - 1; setenv slot A; fi
              else setenv slot B
              fi
            done
            if test "x${slot}${A_LEFT}" = "xA2"; then setenv bootargs root=LABEL=fallowroot rootwait console=ttyAMA0; else setenv bootargs root=LABEL=other; fi

            """;
        Good(Boot(slots + Loads + Go));
        Breaks("root-not-found", "LABEL=other", Boot("setenv A_LEFT 0\n" + slots + Loads + Go));
    }

    [Fact]
    public void What_comes_from_the_network_cannot_be_told()
    {
        var dry = Boot("dhcp ${kernel_addr_r} fallow.img && booti ${kernel_addr_r} - ${fdtcontroladdr}\n");
        Assert.Equal((DryVerdict.CannotTell, 0), (dry.Verdict, dry.Causes.Count));
        Assert.Contains(dry.Steps, s => s.Text.Contains("asks the network"));
        // A script that goes on to the card when the network gives nothing starts from the card.
        Good(Boot(Head + "dhcp ${kernel_addr_r} fallow.img\n" + Loads + Go));
    }

    [Fact]
    public void A_menu_and_another_script_can_be_called()
    {
        var menu = Encoding.ASCII.GetBytes(ImageMaker.Menu(ImageMaker.GoodAppend));
        Good(Boot("sysboot ${devtype} ${devnum}:1 any ${scriptaddr} /menu.conf\n", files: ("/menu.conf", menu)));
        var text = Encoding.ASCII.GetBytes(Head + Loads + Go);
        var inner = ImageMaker.Legacy([0, 0, 0, 1, 0, 0, 0, 0, .. text], type: 6);
        Good(Boot("load ${devtype} ${devnum}:1 0x60000000 /more.scr && source 0x60000000\n", files: ("/more.scr", inner)));
    }

    [Fact]
    public void An_overlay_that_does_not_fit_makes_the_tree_unusable()
    {
        const string tree = "load ${devtype} ${devnum}:1 0x4a000000 /board.dtb\nfdt addr 0x4a000000\nfdt resize 8192\n";
        const string lay = "load ${devtype} ${devnum}:1 0x4b000000 /a.dtbo && fdt apply 0x4b000000\n";
        var misfit = new TreeMaker().Text("/fragment@0", "target-path", "/no-such").Text("/fragment@0/__overlay__", "note", "frost").Blob();
        var go = Go.Replace("${fdtcontroladdr}", "0x4a000000");
        var board = new TreeMaker().Text("", "compatible", "orchard,pomona-3").Text("", "model", "Pomona 3").Blob();
        Good(Boot(Head + tree + Loads + go, files: ("/board.dtb", board)));
        Breaks("dtb-invalid", "device tree", Boot(Head + tree + lay + Loads + go, null, ("/board.dtb", board), ("/a.dtbo", misfit)));
        // A tree that is loaded again is whole again, and an overlay that is not there changes nothing.
        Good(
            Boot(
                Head + tree + lay + "load ${devtype} ${devnum}:1 0x4a000000 /board.dtb\n" + Loads + go,
                null,
                ("/board.dtb", board),
                ("/a.dtbo", misfit)
            )
        );
        Good(Boot(Head + tree + lay + Loads + go, files: ("/board.dtb", board)));
    }
}
