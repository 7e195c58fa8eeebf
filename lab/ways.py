"""The ways in, and the faults that each is tried with: one fault at a time, on a system that starts."""
import gzip
import lzma
import os
import re
import subprocess
import tempfile

import bench
from bench import Link, Program, System, initrd, kernel, part, run

EFI = {"amd64": ("BOOTX64.EFI", "linuxx64.efi.stub", "systemd-bootx64.efi"), "arm64": ("BOOTAA64.EFI", "linuxaa64.efi.stub", "systemd-bootaa64.efi")}
STUBS = "/usr/lib/systemd/boot/efi"


def mkimage(*words, content=b""):
    with tempfile.TemporaryDirectory() as folder:
        open(f"{folder}/in", "wb").write(content)
        run("mkimage", "-q", *words, "-d", f"{folder}/in", f"{folder}/out")
        return open(f"{folder}/out", "rb").read()


def script(text):
    return mkimage("-A", "arm", "-O", "linux", "-T", "script", "-C", "none", "-n", "Fallow boot script", content=text.encode())


def there(system, files):
    """Without the kernel or the initial file system when a fault took it away."""
    return {k: v for k, v in files.items() if v is not None}


def extlinux(system):
    menu = f"default fallow\ntimeout 10\nlabel fallow\n  kernel /{system.named_kernel}\n  initrd /initrd.img\n  append {system.options}\n"
    return there(system, {"extlinux/extlinux.conf": menu.encode(), "vmlinuz": system.kernel, "initrd.img": system.initrd})


def extlinux_on_root(system):
    menu = f"default fallow\nlabel fallow\n  linux /boot/{system.named_kernel}\n  initrd /boot/initrd.img\n  append {system.options}\n"
    return there(system, {"boot/extlinux/extlinux.conf": menu.encode(), "boot/vmlinuz": system.kernel, "boot/initrd.img": system.initrd})


BOOT = {"arm64": "booti", "armhf": "bootz", "riscv64": "booti"}
ADDRESSES = {"arm64": ("0x40400000", "0x48000000"), "armhf": ("0x40400000", "0x48000000"), "riscv64": ("0x84000000", "0x8c300000")}


def boot_script(system):
    return there(system, {"boot.scr": script(f"""# Fallow boot script
setenv bootargs "{system.options}"
if test -e ${{devtype}} ${{devnum}}:${{distro_bootpart}} /fallow-env.txt; then
  load ${{devtype}} ${{devnum}}:${{distro_bootpart}} ${{scriptaddr}} /fallow-env.txt
  env import -t ${{scriptaddr}} ${{filesize}}
fi
load ${{devtype}} ${{devnum}}:${{distro_bootpart}} ${{kernel_addr_r}} /{system.named_kernel}
load ${{devtype}} ${{devnum}}:${{distro_bootpart}} ${{ramdisk_addr_r}} /initrd.img
{BOOT[system.arch]} ${{kernel_addr_r}} ${{ramdisk_addr_r}}:${{filesize}} ${{fdtcontroladdr}}
"""), "vmlinuz": system.kernel, "initrd.img": system.initrd})


def fit(system):
    with tempfile.TemporaryDirectory() as folder:
        bench.write(folder, there(system, {"k": system.kernel, "i": system.initrd}))
        load = ADDRESSES[system.arch][0].replace("400000", "200000") if system.arch != "riscv64" else "0x80200000"
        parts, names = "", ""
        if system.kernel is not None:
            parts += f'kernel {{ data = /incbin/("k"); type = "kernel"; arch = "{system.arch.replace("armhf", "arm").replace("riscv64", "riscv")}"; os = "linux"; compression = "none"; load = <{load}>; entry = <{load}>; hash-1 {{ algo = "sha256"; }}; }};\n'
            names += 'kernel = "kernel"; '
        if system.initrd is not None:
            parts += f'ramdisk {{ data = /incbin/("i"); type = "ramdisk"; arch = "{system.arch.replace("armhf", "arm").replace("riscv64", "riscv")}"; os = "linux"; compression = "none"; hash-1 {{ algo = "sha256"; }}; }};\n'
            names += 'ramdisk = "ramdisk"; '
        if system.tree is not None:
            open(f"{folder}/t", "wb").write(system.tree)
            parts += f'fdt {{ data = /incbin/("t"); type = "flat_dt"; arch = "{system.arch.replace("armhf", "arm").replace("riscv64", "riscv")}"; compression = "none"; hash-1 {{ algo = "sha256"; }}; }};\n'
            names += 'fdt = "fdt"; '
        open(f"{folder}/its", "w").write(f'/dts-v1/;\n/ {{ description = "Fallow"; #address-cells = <1>; images {{ {parts} }}; configurations {{ default = "c"; c {{ {names} }}; }}; }};\n')
        run("mkimage", "-q", "-f", "its", "fallow.itb", cwd=folder)
        itb = open(f"{folder}/fallow.itb", "rb").read()
    text = f'setenv bootargs "{system.options}"\nload ${{devtype}} ${{devnum}}:${{distro_bootpart}} 0x50000000 /fallow.itb\nbootm 0x50000000#c\n'
    return {"boot.scr": script(text), "fallow.itb": itb}


def grub_menu(system, folder=""):
    return f'set timeout=1\nmenuentry "Fallow" {{\n search --no-floppy --file --set=root {folder}/marker\n linux {folder}/{system.named_kernel} {system.options}\n initrd {folder}/initrd.img\n}}\n'.encode()


def grub_efi(system):
    menu = grub_menu(system)
    return there(system, {"EFI/BOOT/BOOTX64.EFI": part("efi/grubx64.efi"), "EFI/fallow/grub.cfg": menu, "boot/grub/grub.cfg": menu,
                          "vmlinuz": system.kernel, "initrd.img": system.initrd, "marker": b""})


def grub_bios(system):
    return there(system, {"boot/grub/grub.cfg": grub_menu(system, "/boot"), "boot/vmlinuz": system.kernel, "boot/initrd.img": system.initrd, "boot/marker": b""})


def bios_code(image):
    with open(image, "r+b") as file:
        file.write(part("efi/grub-pc-boot.img")[:440])
        file.seek(512)
        file.write(part("efi/grub-pc-core.img"))


def entry(system):
    text = f"title Fallow\nlinux /{system.named_kernel}\ninitrd /initrd.img\noptions {system.options}\n"
    name, _, menu = EFI[system.arch]
    return there(system, {f"EFI/BOOT/{name}": open(f"{STUBS}/{menu}", "rb").read(), "loader/entries/fallow.conf": text.encode(),
                          "vmlinuz": system.kernel, "initrd.img": system.initrd})


def unified(system):
    """A unified kernel, put together as the stub's own manual says (objcopy with sections behind its own)."""
    name, stub, _ = EFI[system.arch]
    content = {".osrel": b'PRETTY_NAME="Fallow 12 server"\nID=fallow\nVERSION_ID=12\n', ".cmdline": system.options.encode() + b"\0",
               ".initrd": system.initrd, ".linux": system.kernel}
    with tempfile.TemporaryDirectory() as folder:
        tool = "objcopy" if system.arch == "amd64" else "aarch64-linux-gnu-objcopy"
        headers = run(tool.replace("objcopy", "objdump"), "-h", f"{STUBS}/{stub}").decode()
        rows = re.findall(r"^\s*\d+ \S+\s+([0-9a-f]+)\s+([0-9a-f]+)", headers, re.M)
        at = max(int(size, 16) + int(address, 16) for size, address in rows) + 0xFFFF & ~0xFFFF
        words = []
        for section, data in content.items():
            if data is None:
                continue
            open(f"{folder}/{section}", "wb").write(data)
            words += ["--add-section", f"{section}={folder}/{section}", "--change-section-vma", f"{section}={at:#x}"]
            at = at + len(data) + 0xFFFF & ~0xFFFF
        run(tool, *words, f"{STUBS}/{stub}", f"{folder}/out")
        return {f"EFI/BOOT/{name}": open(f"{folder}/out", "rb").read()}


def way(name, arch, loader, fill, start=None, **more):
    def build():
        system = System(name, arch, loader, start)
        system.fill, system.named_kernel = fill, "vmlinuz"
        if loader == "distro":
            system.firmware = "U-Boot 2023.01 distro boot; own device tree with stdout-path"
        system.tree = part(f"dtb/virt-{arch}.dtb") if arch.startswith("arm") else None
        for key, value in more.items():
            setattr(system, key, value)
        if system.table == "mbr":
            system.options = system.options.replace(bench.ROOT, bench.MBR_ROOT if not system.root_is_boot else "fa110012-01")
            system.root["etc/fstab"] = b"# nothing\n"
        return system
    return build


WAYS = {
    "extlinux-arm64": way("extlinux on FAT, arm64", "arm64", "distro", extlinux),
    "extlinux-armhf-mbr": way("extlinux on FAT, armhf", "armhf", "distro", extlinux, table="mbr"),
    "extlinux-root-arm64": way("extlinux on the root, arm64", "arm64", "distro", extlinux_on_root, root_is_boot=True),
    "script-arm64": way("boot script, arm64", "arm64", "distro", boot_script),
    "script-armhf": way("boot script, armhf", "armhf", "distro", boot_script),
    "fit-arm64": way("FIT by boot script, arm64", "arm64", "distro", fit),
    "grub-efi": way("GRUB by EFI", "amd64", "efi", grub_efi),
    "grub-bios": way("GRUB by BIOS", "amd64", "bios", grub_bios, root_is_boot=True, table="mbr", after=bios_code),
    "entry": way("entry files", "amd64", "efi", entry),
    "unified": way("unified kernel", "amd64", "efi", unified),
}


def changed(text, old, new):
    assert old in text, (old, text)
    return text.replace(old, new)


def wrong_root(s):
    s.options = re.sub(r"root=\S+", "root=PARTUUID=55555555-2222-4222-a222-222222222222", s.options)


def other(arch):
    return {"arm64": "armhf", "armhf": "arm64", "amd64": "arm64", "riscv64": "arm64"}[arch]


def set_(**values):
    def fault(s):
        for key, value in values.items():
            setattr(s, key, value(s) if callable(value) else value)
    return fault


def root_(path, content):
    def fault(s):
        if content is None:
            s.root.pop(path)
        else:
            s.root[path] = content(s) if callable(content) else content
    return fault


def options(change):
    def fault(s):
        s.options = change(s)
    return fault


def repack(pack):
    def fault(s):
        s.initrd = pack(gzip.decompress(s.initrd))
    return fault


def by(*words):
    return lambda raw: run(*words, input=raw)


def cpio(files):
    """A small archive in the newc form."""
    out = b""
    for number, (name, mode, data) in enumerate([*files, ("TRAILER!!!", 0, b"")]):
        fields = [number + 1, mode, 0, 0, 1, 0, len(data), 0, 0, 0, 0, len(name) + 1, 0]
        out += b"070701" + "".join(f"{f:08x}" for f in fields).encode() + name.encode() + b"\0"
        out += b"\0" * (-len(out) % 4) + data
        out += b"\0" * (-len(out) % 4)
    return out + b"\0" * (-len(out) % 512)


EARLY = cpio([("kernel", 0o40755, b""), ("kernel/x86", 0o40755, b""), ("kernel/x86/microcode", 0o40755, b""),
              ("kernel/x86/microcode/Part.bin", 0o100644, b"\1" * 4096)])


def without_modules(s, *names):
    """The initial file system without some modules: each name taken from its list and its file."""
    with tempfile.TemporaryDirectory() as folder:
        run("sh", "-c", "cpio -idm --quiet", input=gzip.decompress(s.initrd), cwd=folder)
        for name in names:
            os.remove(f"{folder}/modules/{name}.ko")
        lines = [l for l in open(f"{folder}/modules/list").read().split() if l not in names]
        open(f"{folder}/modules/list", "w").write("\n".join(lines) + "\n")
        s.initrd = gzip.compress(run("sh", "-c", "find . | cpio -o -H newc --quiet", cwd=folder), 6)


def cut_root(image):
    size = os.path.getsize(image)
    os.truncate(image, size - (12 << 20))


def no_superblock(image):
    """Zeros over the first 64 KiB of the last partition."""
    rows = run("sfdisk", "-d", image).decode()
    start = int(re.findall(r"start=\s*(\d+)", rows)[-1])
    with open(image, "r+b") as file:
        file.seek(start * 512)
        file.write(b"\0" * 65536)


def after(change):
    def fault(s):
        before = s.after
        s.after = lambda image: (before(image) if before else None, change(image))
    return fault


# name: (what is changed, whether it starts, the causes that are right, the ways it is tried with)
FAULTS = {
    "good": (lambda s: None, True, [], None),
    "root-uuid": (options(lambda s: re.sub(r"root=\S+", f"root=UUID={bench.ROOT_UUID}", s.options)), True, [], None),
    "root-label": (options(lambda s: re.sub(r"root=\S+", "root=LABEL=fallowroot", s.options)), True, [], None),
    "root-device": (options(lambda s: re.sub(r"root=\S+", f"root=/dev/vda{1 if s.root_is_boot else 2}", s.options)), True, [], None),
    "root-other-device": (options(lambda s: re.sub(r"root=\S+", "root=/dev/sda2", s.options)), False, ["root-not-found"], None),
    "root-wrong": (wrong_root, False, ["root-not-found"], None),
    "root-none": (options(lambda s: re.sub(r"root=\S+ ", "", s.options)), False, ["root-arg-missing"], None),
    "rootfstype-wrong": (options(lambda s: s.options + " rootfstype=vfat"), False, ["rootfs-unsupported"], None),
    "kernel-cut": (set_(kernel=lambda s: s.kernel[: len(s.kernel) // 3]), False, ["kernel-corrupt"], None),
    "kernel-empty": (set_(kernel=b""), False, ["kernel-corrupt", "boot-files-missing"], ["extlinux-arm64", "script-armhf", "grub-efi", "entry"]),
    "kernel-other": (set_(kernel=lambda s: kernel(other(s.arch))), False, ["kernel-wrong-architecture"], None),
    "kernel-gone": (set_(kernel=None), False, ["boot-files-missing", "kernel-corrupt"], None),
    "initrd-gone": (set_(initrd=None), False, ["initrd-missing"], None),
    "initrd-cut": (set_(initrd=lambda s: s.initrd[: len(s.initrd) // 2]), False, ["initrd-corrupt"], None),
    "initrd-other": (set_(initrd=lambda s: initrd(other(s.arch))), False, ["init-wrong-architecture", "root-not-found"], None),
    "initrd-padded": (set_(initrd=lambda s: s.initrd + b"\0" * 5000), True, [], ["extlinux-arm64", "entry", "script-armhf"]),
    "initrd-plain": (repack(lambda raw: raw), True, [], ["extlinux-arm64", "entry", "grub-bios"]),
    "initrd-xz": (repack(by("xz", "-c", "--check=crc32")), True, [], ["extlinux-arm64", "entry", "script-armhf"]),
    "initrd-xz-crc64": (repack(by("xz", "-c", "--check=crc64")), False, ["initrd-corrupt"], ["extlinux-arm64", "entry", "script-armhf"]),
    "initrd-xz-sha256": (repack(by("xz", "-c", "--check=sha256")), False, ["initrd-corrupt"], ["grub-efi"]),
    "initrd-lzma": (repack(by("xz", "-c", "--format=lzma")), True, [], ["extlinux-arm64", "entry"]),
    "initrd-bzip2": (repack(by("bzip2", "-c")), True, [], ["entry", "extlinux-armhf-mbr"]),
    "initrd-lzo": (repack(by("lzop", "-c")), True, [], ["entry", "extlinux-arm64"]),
    "initrd-lz4-legacy": (repack(by("lz4", "-l", "-c")), True, [], ["entry", "extlinux-arm64"]),
    "initrd-lz4-framed": (repack(by("lz4", "-c")), False, ["initrd-corrupt"], ["entry", "extlinux-arm64"]),
    "initrd-zstd": (repack(by("zstd", "-c", "-q")), True, [], ["entry", "extlinux-arm64", "script-armhf"]),
    "initrd-zstd-cut": (repack(lambda raw: by("zstd", "-c", "-q")(raw)[:900000]), False, ["initrd-corrupt"], ["entry", "extlinux-arm64"]),
    "initrd-early": (set_(initrd=lambda s: EARLY + s.initrd), True, [], ["entry", "extlinux-arm64", "grub-efi"]),
    "initrd-early-alone": (set_(initrd=EARLY), False, ["initrd-missing", "rootfs-unsupported", "initrd-corrupt"], ["entry", "extlinux-arm64", "grub-efi"]),
    "initrd-without-ext4": (lambda s: without_modules(s, "ext4"), False, ["rootfs-unsupported"], ["extlinux-arm64", "entry", "extlinux-armhf-mbr"]),
    "initrd-without-disk": (lambda s: without_modules(s, "virtio_blk"), False, ["root-not-found"], ["extlinux-arm64", "entry", "extlinux-armhf-mbr"]),
    "initrd-without-dependency": (lambda s: without_modules(s, "jbd2"), False, ["rootfs-unsupported"], ["extlinux-arm64", "entry"]),
    "initrd-twice": (lambda s: setattr(s, "initrd", gzip.compress(s.initrd)), False, ["initrd-corrupt"], ["extlinux-arm64", "entry"]),
    "initrd-junk": (set_(initrd=lambda s: s.initrd + b"\0" * 3 + b"and what is this" * 20), True, [], ["extlinux-arm64", "entry", "grub-bios"]),
    "initrd-two-packed": (lambda s: setattr(s, "initrd", s.initrd + b"\0" * 512 + by("zstd", "-c", "-q")(EARLY)), True, [], ["extlinux-arm64", "entry"]),
    "kernel-gzip": (set_(kernel=lambda s: gzip.compress(s.kernel, 1)), "cannot tell", [], ["extlinux-arm64", "script-arm64"]),
    "kernel-lz4-frame": (set_(kernel=lambda s: by("lz4", "-c")(s.kernel)), "cannot tell", [], ["script-arm64"]),
    "kernel-lz4-legacy": (set_(kernel=lambda s: by("lz4", "-l", "-c")(s.kernel)), False, ["kernel-corrupt"], ["script-arm64"]),
    "kernel-zstd": (set_(kernel=lambda s: by("zstd", "-c", "-q", "-1")(s.kernel)), "cannot tell", [], ["script-arm64"]),
    "kernel-xz": (set_(kernel=lambda s: by("xz", "-c", "-1", "--check=crc32")(s.kernel)), False, ["kernel-corrupt"], ["script-arm64"]),
    "kernel-gzip-cut": (set_(kernel=lambda s: gzip.compress(s.kernel, 1)[:6000000]), False, ["kernel-corrupt"], ["extlinux-arm64", "script-arm64"]),
    "init-gone": (root_("sbin/init", None), False, ["init-missing"], None),
    "init-dangling": (root_("sbin/init", Link("/usr/lib/systemd/systemd")), False, ["init-missing"], ["extlinux-arm64", "entry", "grub-bios"]),
    "init-plain": (root_("sbin/init", lambda s: bytes(bench.busybox(s.arch))), False, ["init-missing"], ["extlinux-arm64", "entry", "script-armhf"]),
    "init-other": (root_("bin/busybox", lambda s: Program(bench.busybox({"arm64": "amd64"}.get(s.arch, "arm64")))), False, ["init-wrong-architecture"], None),
    "init-no-interpreter": (root_("sbin/init", Program(b"#!/usr/bin/gone\n")), False, ["init-missing"], ["extlinux-arm64", "entry"]),
    "init-named-wrong": (options(lambda s: s.options + " init=/lib/systemd/systemd"), False, ["init-missing"], None),
    "console-none": (options(lambda s: re.sub(r" console=\S+", "", s.options)), True, [], ["extlinux-arm64", "script-armhf", "fit-arm64"]),
    "console-none-pc": (options(lambda s: re.sub(r" console=\S+", "", s.options)), True, ["console-arg-missing"], ["entry", "grub-efi", "grub-bios", "unified"]),
    "console-other": (options(lambda s: re.sub(r"console=\S+", "console=ttyUSB9,115200", s.options)), True, ["console-arg-missing"], None),
    "login-none": (root_("etc/inittab", b"::sysinit:/bin/mount -t proc proc /proc\n"), "no login", ["getty-missing"], ["extlinux-arm64", "entry", "grub-bios"]),
    "root-cut": (after(cut_root), False, ["image-truncated"], None),
    "tree-none": (set_(tree=None), False, ["dtb-missing"], ["fit-arm64"]),
    "root-no-superblock": (after(no_superblock), False, ["rootfs-corrupt"], ["extlinux-arm64", "script-armhf", "grub-efi", "entry", "unified", "fit-arm64"]),
}


def cases():
    for fault, (change, boots, causes, ways) in FAULTS.items():
        for name in ways or WAYS:
            def build(name=name, change=change):
                system = WAYS[name]()
                change(system)
                return system
            yield f"{name}.{fault}", build, boots, causes
