namespace Buttonhook.Lab;

internal static partial class Faults
{
    private static IEnumerable<Case> Loaders(Kit kit)
    {
        var quick = new Setup { Quiet = kit.Machine.Slow > 1 ? 16 : 14, Most = 70 };
        string[] gone =
        [
            "not found",
            "No such file",
            "Unable to read file",
            "File not found",
            "[Ff]ailed",
            "error: ",
            "for failure retrieving",
            "Can't find",
            "load error",
            "does not exist",
            "Not Found",
        ];
        string[] kernelGone = [.. gone.Select(g => g)];
        Case Loader(string name, string cause, string[] proof, Setup setup, params string[] accept) =>
            new(name, cause, [Stopped, "rebooting", "silent"], proof, setup, accept);
        yield return Loader(
            "kernel-file-gone",
            "boot-files-missing",
            kernelGone,
            quick with
            {
                InBoot = "rm -f vmlinuz Image; find . -iname 'linux.efi' -delete",
            }
        );
        if (kit.Chain != "efi" && kit.Early != "none")
            yield return Loader(
                "initrd-file-gone",
                "initrd-missing",
                gone,
                quick with
                {
                    InBoot = "rm -f initrd.img",
                    Quiet = 40,
                    Most = 100,
                },
                "root-not-found",
                "root-arg-missing"
            );
        yield return Loader(
            "nothing-on-it",
            "no-boot-medium",
            [
                "No bootable",
                "not a bootable",
                "[Ff]ailed",
                "No partition",
                "unknown partition",
                "Nothing to boot",
                "Shell>",
                "No .*media",
                "no valid",
                "No working",
                "not found",
                "No mapping",
                "Could not",
                "Booting from Hard Disk",
                "BOOTP",
                "PXE",
                "Card did not",
                "Boot failed",
            ],
            quick with
            {
                AtDisk = "dd if=/dev/zero of=$D bs=1M count=180 conv=notrunc 2>/dev/null",
                Most = 60,
            }
        );
        yield return Loader(
            "no-disk",
            "no-boot-medium",
            [
                "No bootable",
                "not a bootable",
                "[Ff]ailed",
                "Nothing to boot",
                "Shell>",
                "no valid",
                "No working",
                "not found",
                "No mapping",
                "Could not",
                "BOOTP",
                "PXE",
                "Device 0: unknown",
                "Boot failed",
            ],
            quick with
            {
                NoDisk = true,
                Most = 60,
            },
            "card-not-detected"
        );
        yield return Loader(
            "kernel-of-others",
            "kernel-wrong-architecture",
            [
                "[Mm]agic",
                "[Uu]nsupported",
                "invalid",
                "Bad Linux",
                "not supported",
                "architecture",
                "Exec format",
                "Wrong Image",
                "Load Error",
                "error",
            ],
            quick with
            {
                InBoot = "cp $OTHERKERNEL vmlinuz",
            },
            "kernel-corrupt"
        );
        yield return Loader(
            "kernel-empty",
            "kernel-corrupt",
            [
                "[Mm]agic",
                "premature",
                "invalid",
                "Bad Linux",
                "0 bytes read",
                "not supported",
                "Wrong Image",
                "Load Error",
                "error",
                "[Ff]ailed",
            ],
            quick with
            {
                InBoot = "truncate -s 0 vmlinuz",
            },
            "kernel-wrong-architecture"
        );
        yield return Loader(
            "kernel-noise",
            "kernel-corrupt",
            ["[Mm]agic", "premature", "invalid", "Bad Linux", "not supported", "Wrong Image", "Load Error", "error", "[Ff]ailed"],
            quick with
            {
                InBoot = "s=$(stat -c %s vmlinuz); dd if=/dev/urandom of=vmlinuz bs=1M count=3 conv=notrunc 2>/dev/null",
            },
            "kernel-wrong-architecture",
            "boot-files-missing"
        );
        yield return Loader(
            "configuration-gone",
            kit.Chain is "grub" or "grub-efi" ? "loader-config-missing" : "boot-files-missing",
            [.. gone, "grub>", "boot:", "No working", "medium", "BOOTP", "Shell>", "Scanning", "No configuration"],
            quick with
            {
                InBoot =
                    "rm -rf extlinux boot.scr grub/grub.cfg loader/entries loader/loader.conf syslinux.cfg startup.nsh; find . -name grub.cfg -delete",
                Most = 60,
            },
            "loader-config-missing",
            "no-boot-medium",
            "boot-files-missing"
        );
        if (kit.Chain is "extlinux" or "script")
        {
            yield return new(
                "stopped-by-a-key",
                "autoboot-interrupted",
                [Stopped],
                ["=>", "autoboot"],
                quick with
                {
                    Typing = [new("Hit any key", " \r")],
                    Quiet = 8,
                }
            );
            yield return Loader(
                "tree-gone",
                "dtb-missing",
                [.. gone, "FDT", "fdt"],
                quick with
                {
                    InBoot =
                        "sed -i 's/^  *#fdt/  fdt/' extlinux/extlinux.conf 2>/dev/null; sed -i 's/^#tree //' boot.cmd 2>/dev/null && mkimage -A arm64 -T script -d boot.cmd boot.scr >/dev/null; rm -rf dtb; true",
                }
            );
            yield return Loader(
                "tree-noise",
                "dtb-invalid",
                ["valid device tree", "BADMAGIC", "Flattened Device Tree", "FDT", "libfdt", "invalid"],
                quick with
                {
                    InBoot =
                        "sed -i 's/^  *#fdt/  fdt/' extlinux/extlinux.conf 2>/dev/null; sed -i 's/^#tree //' boot.cmd 2>/dev/null && mkimage -A arm64 -T script -d boot.cmd boot.scr >/dev/null; mkdir -p dtb; head -c 30000 /dev/urandom >dtb/board.dtb",
                }
            );
            yield return Loader(
                "tree-of-another",
                "dtb-wrong-board",
                ["Machine model", "unrecognized", "Model", "compatible"],
                quick with
                {
                    InBoot =
                        "sed -i 's/^  *#fdt/  fdt/' extlinux/extlinux.conf 2>/dev/null; sed -i 's/^#tree //' boot.cmd 2>/dev/null && mkimage -A arm64 -T script -d boot.cmd boot.scr >/dev/null; mkdir -p dtb; cp $OTHERTREE dtb/board.dtb",
                    Quiet = 25,
                },
                "console-arg-missing",
                "kernel-hang"
            );
            yield return Loader(
                "initrd-noise",
                "initrd-corrupt",
                ["unpacking failed", "Wrong Ramdisk", "junk", "not initramfs", "decompress", "invalid magic", "broken padding"],
                quick with
                {
                    InBoot = "dd if=/dev/urandom of=initrd.img bs=4096 count=900 seek=40 conv=notrunc 2>/dev/null",
                    Quiet = 45,
                    Most = 120,
                }
            );
            yield return Loader(
                "console-of-another",
                "console-arg-missing",
                ["Starting kernel", "append", "console="],
                quick with
                {
                    Console = "ttyS7,115200",
                    Quiet = 30,
                    Most = 90,
                    Words = "ro quiet",
                }
            );
            yield return Loader(
                "root-of-another",
                "root-not-found",
                [
                    "ALERT!",
                    "Gave up",
                    "Unable to mount root",
                    "Timed out waiting for device",
                    "does not exist",
                    "Cannot open root",
                    "Could not find",
                    "timeout",
                ],
                quick with
                {
                    Root = "root=UUID=0badc0de-1111-4222-8333-444444444444",
                    Quiet = 50,
                    Most = 160,
                }
            );
        }
        if (kit.Chain is "grub")
        {
            yield return Loader(
                "modules-gone",
                "loader-config-missing",
                ["normal.mod", "rescue", "unknown filesystem", "no such device"],
                quick with
                {
                    InBoot = "rm -rf grub/i386-pc",
                    Most = 30,
                }
            );
            yield return Loader(
                "partition-of-another",
                "loader-config-missing",
                ["no such device", "rescue", "no such partition"],
                quick with
                {
                    AtDisk = "dd if=/dev/zero of=$D bs=1 seek=450 count=1 conv=notrunc 2>/dev/null",
                    Most = 30,
                }
            );
            yield return Loader(
                "second-stage-gone",
                "second-loader-missing",
                ["Booting from Hard Disk", "GRUB"],
                quick with
                {
                    AtDisk = "dd if=/dev/zero of=$D bs=512 seek=1 count=200 conv=notrunc 2>/dev/null",
                    Most = 25,
                },
                "no-boot-medium",
                "loader-config-missing"
            );
        }
        if (kit.Chain is "grub" or "grub-efi")
            yield return Loader(
                "label-of-another",
                "loader-config-missing",
                ["no such device", "you need to load the kernel", "not found"],
                quick with
                {
                    InBoot =
                        "f=$(find . -name grub.cfg | head -1); sed -i 's/^  linux/  search --no-floppy --set=root --label NOWHERE\\n  linux/; s#^\\(  linux\\) /#\\1 (hd7,msdos9)/#' $f",
                    Most = 40,
                },
                "boot-files-missing"
            );
    }
}
