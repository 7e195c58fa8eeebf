#!/usr/bin/env python3
"""Roots and initial file systems as a distribution's own tools make them: initramfs-tools, dracut, LVM, LUKS, md, and every file system that a root can be.

    lab/distribution.py      makes the distribution that the cases take from, in LAB_DISTRIBUTION (default /tmp/lab-distribution)

Needs root, Debian's mmdebstrap, btrfs-progs, xfsprogs, f2fs-tools, erofs-utils, squashfs-tools and cryptsetup-bin. Groups of volumes and arrays are made inside
the emulator, since a machine without device mapper cannot make them.
"""
import gzip
import os
import re
import shutil
import subprocess
import tempfile
import threading
from functools import lru_cache

import bench
import ways
from bench import Link, Program, ROOT, run

DIST = os.environ.get("LAB_DISTRIBUTION", "/tmp/lab-distribution")
PACKAGES = ("linux-image-amd64,initramfs-tools,dracut-core,systemd,systemd-sysv,udev,busybox,btrfs-progs,lvm2,cryptsetup-initramfs,mdadm,zstd,lz4,xz-utils,"
            "f2fs-tools,xfsprogs,login,mount,kmod,util-linux,u-boot-menu,grub-common")
DRACUT = "dracut --no-hostonly --no-hostonly-cmdline -f -q"


def version():
    return sorted(n[8:] for n in os.listdir(f"{DIST}/boot") if n.startswith("vmlinuz-"))[-1]


@lru_cache
def kernel():
    return open(f"{DIST}/boot/vmlinuz-{version()}", "rb").read()


ONE_AT_A_TIME = threading.Lock()


def made(name, command):
    """An initial file system, made once in the distribution by a command that writes to $OUT."""
    out = f"{DIST}/tmp/lab-{name}"
    with ONE_AT_A_TIME:
        if not os.path.exists(out):
            subprocess.run(["chroot", DIST, "sh", "-c", f"[ -e /proc/self ] || mount -t proc proc /proc; OUT=/tmp/lab-{name}.new V={version()}; {{ {command}; }} && mv $OUT /tmp/lab-{name}"], check=True, capture_output=True)
    return open(out, "rb").read()


def most():
    return made("most", "CRYPTSETUP=y mkinitramfs -o $OUT $V")


def packed(how):
    return made(f"most-{how}", f"sed -i 's/^COMPRESS=.*/COMPRESS={how}/' /etc/initramfs-tools/initramfs.conf; mkinitramfs -o $OUT $V; sed -i 's/^COMPRESS=.*/COMPRESS=zstd/' /etc/initramfs-tools/initramfs.conf")


def without_hook(name):
    return made(f"without-{name}", f"mv /usr/share/initramfs-tools/hooks/{name} /tmp/hook-{name}; mkinitramfs -o $OUT $V; mv /tmp/hook-{name} /usr/share/initramfs-tools/hooks/{name}")


def listed():
    """MODULES=list: only what is asked for, which is nothing."""
    return made("listed", "mkdir -p /tmp/conf; cp -r /etc/initramfs-tools/. /tmp/conf; sed -i 's/^MODULES=.*/MODULES=list/' /tmp/conf/initramfs.conf; mkinitramfs -d /tmp/conf -o $OUT $V")


def dracut(name="all", more=""):
    return made(f"dracut-{name}", f'{DRACUT} --kver $V {more} $OUT')


def unpacked(initrd):
    """The files of an initial file system that is one archive packed with zstd."""
    folder = tempfile.mkdtemp()
    run("sh", "-c", "zstd -dcq | cpio -idm --quiet", input=initrd, cwd=folder)
    return folder


def edited(initrd, change):
    folder = unpacked(initrd)
    change(folder)
    return gzip.compress(run("sh", "-c", "find . | cpio -o -H newc --quiet", cwd=folder), 1)


def base(initrd=most, options="", root=None):
    system = ways.WAYS["entry"]()
    system.way = "entry files, the distribution's own kernel"
    system.boot_mb = 128
    system.memory = 1024
    system.seconds, system.quiet = 260, 100
    system.kernel, system.initrd = kernel(), initrd() if callable(initrd) else initrd
    system.options = (root or f"root=PARTUUID={ROOT}") + f" ro console=ttyS0,115200{options}"
    system.root["etc/fstab"] = b"# nothing\n"
    system.root["usr/bin/.keep"] = b""
    return system


def maker(*command, mount=None, then=None, megabytes=160):
    """A file system made empty, mounted through a loop device, and filled."""
    def make(tree, image):
        run("truncate", "-s", f"{megabytes}M", image)
        run(*command, image)
        with tempfile.TemporaryDirectory() as point:
            run("mount", "-o", mount or "loop", image, point)
            try:
                if then:
                    then(tree, point)
                else:
                    run("cp", "-a", f"{tree}/.", point)
            finally:
                run("umount", point)
        return image
    return make


def subvolumes(default=False):
    def then(tree, point):
        run("btrfs", "subvolume", "create", f"{point}/@")
        run("cp", "-a", f"{tree}/.", f"{point}/@")
        if default:
            run("btrfs", "subvolume", "set-default", "256", point)
    return maker("mkfs.btrfs", "-q", "-L", "fallowroot", mount="loop,compress=zstd", then=then)


def squashed(tree, image):
    run("mksquashfs", tree, image, "-noappend", "-quiet", "-comp", "xz")
    return padded(image)


def erofs(tree, image):
    run("mkfs.erofs", "-zlz4", image, tree)
    return padded(image)


def padded(image):
    size = os.path.getsize(image)
    os.truncate(image, (size + (1 << 20) - 1) >> 20 << 20)
    return image


def f2fs(tree, image):
    run("truncate", "-s", "120M", image)
    run("mkfs.f2fs", "-q", "-l", "fallowroot", image)
    subprocess.run(["sload.f2fs", "-f", tree, image], capture_output=True)
    return image


def in_guest(script, megabytes):
    """A disk that a script of commands makes inside the emulator: /dev/vda is the disk, /dev/vdb an ext4 root that may be copied onto it."""
    def make(tree, image):
        folder = os.path.dirname(image)
        bench.ext4(tree, f"{folder}/inner.fs", 24)
        run("truncate", "-s", f"{megabytes}M", image)
        words = ("#!/bin/sh\nmkdir -p /proc /sys /dev /run\nmount -t proc proc /proc\nmount -t sysfs sysfs /sys\nmount -t devtmpfs dev /dev\nfor m in virtio_pci virtio_blk dm_mod raid1 dm_crypt ext4; do modprobe $m; done\n"
                 f"exec >/dev/console 2>&1\nmkdir -p /run/lvm /run/lock /run/cryptsetup\n{script}\nsync\necho lab-done $?\nsleep 1\necho o > /proc/sysrq-trigger\nsleep 9\n")
        extra = ways.cpio([("make", 0o100755, words.encode())])
        open(f"{folder}/guest.initrd", "wb").write(most() + b"\0" * (-len(most()) % 4) + extra)
        open(f"{folder}/guest.kernel", "wb").write(kernel())
        text = subprocess.run(
            ["qemu-system-x86_64", "-machine", "q35", "-cpu", "max", "-m", "1024", "-display", "none", "-no-reboot", "-net", "none", "-serial", "stdio",
             "-kernel", f"{folder}/guest.kernel", "-initrd", f"{folder}/guest.initrd", "-append", "console=ttyS0 rdinit=/make panic=-1",
             "-drive", f"if=virtio,format=raw,file={image}", "-drive", f"if=virtio,format=raw,file={folder}/inner.fs"],
            stdin=subprocess.DEVNULL, capture_output=True, timeout=180).stdout
        assert b"lab-done 0" in text and b"not found" not in text, text[-2000:]
        return image
    return make


LVM = "lvm pvcreate -ff -y /dev/vda && lvm vgcreate orchard /dev/vda && lvm lvcreate -an -Zn -Wn -L 28M -n frost-root orchard && lvm vgchange -ay && lvm vgmknodes; dd if=/dev/vdb of=/dev/mapper/orchard-frost--root bs=1M && lvm vgchange -an"
MD = "mdadm --create /dev/md0 --run --metadata=1.2 --homehost=any --name=orchard --level=1 --raid-devices=2 /dev/vda missing && dd if=/dev/vdb of=/dev/md0 bs=1M && mdadm --stop /dev/md0"
LUKS = "echo -n frost | cryptsetup luksFormat -q --type luks2 --pbkdf pbkdf2 --pbkdf-force-iterations 1000 /dev/vda - && echo -n frost | cryptsetup open /dev/vda safe - && dd if=/dev/vdb of=/dev/mapper/safe bs=1M && cryptsetup close safe"


def with_crypttab(folder):
    os.makedirs(f"{folder}/cryptroot", exist_ok=True)
    open(f"{folder}/cryptroot/crypttab", "w").write(f"safe PARTUUID={ROOT} none luks\n")


def without_program(*names):
    def change(folder):
        for where, _, files in os.walk(folder):
            for file in files:
                if file in names:
                    os.remove(os.path.join(where, file))
    return change


def without_module(*names):
    def change(folder):
        for where, _, files in os.walk(folder):
            for file in files:
                if file.split(".ko")[0] in names and ".ko" in file:
                    os.remove(os.path.join(where, file))
    return change


def dynamic(system):
    """A first program that needs the loader of libraries, as those of distributions do."""
    loader = "lib64/ld-linux-x86-64.so.2"
    system.root.pop("bin/busybox")
    system.root["usr/bin/busybox"] = Program(open(f"{DIST}/bin/busybox", "rb").read())
    for name in list(system.root):
        if name.startswith(("bin/", "sbin/")):
            system.root["usr/" + name] = Link("busybox" if name.startswith("bin/") else "../bin/busybox")
            system.root.pop(name)
    system.root["usr/" + loader] = Program(open(os.path.realpath(f"{DIST}/{loader}"), "rb").read())
    for library in "libc.so.6", "libresolv.so.2":
        path = os.path.realpath(f"{DIST}/lib/x86_64-linux-gnu/{library}")
        system.root[f"usr/lib/x86_64-linux-gnu/{library}"] = Program(open(path, "rb").read())
    system.root.update({"bin": Link("usr/bin"), "sbin": Link("usr/sbin"), "lib": Link("usr/lib"), "lib64": Link("usr/lib64")})
    return system


def but(system, **changes):
    for key, value in changes.items():
        setattr(system, key, value)
    return system


def lost(system, name):
    system.root.pop(name)
    return system


def tree_of(system):
    """The whole distribution with systemd as a root: what boots is what people have."""
    def make(tree, image):
        keep = tempfile.mkdtemp()
        run("sh", "-c", f"cd {DIST} && tar --one-file-system --exclude=./usr/lib/modules --exclude=./lib/modules --exclude=./boot --exclude=./tmp --exclude=./var/cache --exclude=./var/lib/apt --exclude=./usr/share --exclude=./usr/lib/firmware -cf - . | tar -xf - -C {keep}")
        for name in "proc sys dev run tmp boot".split():
            os.makedirs(f"{keep}/{name}", exist_ok=True)
        open(f"{keep}/etc/hostname", "w").write("bramley\n")
        open(f"{keep}/etc/fstab", "w").write(system.fstab)
        modules = f"{keep}/usr/lib/modules/{system.modules or version()}"
        os.makedirs(modules)
        for name in os.listdir(f"{DIST}/usr/lib/modules/{version()}"):
            if name.startswith("modules.") or name in ("kernel",):
                run("cp", "-a", f"{DIST}/usr/lib/modules/{version()}/{name}", modules) if name != "kernel" else None
        for kept in "kernel/fs/fat", "kernel/fs/nls", "kernel/fs/ext4", "kernel/fs/autofs", "kernel/drivers/net/virtio_net.ko":
            source = f"{DIST}/usr/lib/modules/{version()}/{kept}"
            if kept.endswith(getattr(system, "without", None) or "nothing"):
                continue
            os.makedirs(os.path.dirname(f"{modules}/{kept}"), exist_ok=True)
            run("cp", "-a", source, f"{modules}/{kept}")
        run("mkfs.ext4", "-q", "-F", "-U", bench.ROOT_UUID, "-L", "fallowroot", "-d", keep, image, "420M")
        shutil.rmtree(keep)
        return image
    return make


def whole(fstab, modules=None, options=""):
    system = base(options=options)
    system.way = "entry files, a whole distribution with systemd"
    system.fstab, system.modules = fstab, modules
    system.root_make = tree_of(system)
    system.root = {}
    return system


LINE = f"PARTUUID={ROOT} / ext4 defaults 0 1\n"
GONE = "UUID=00c0ffee-0000-4000-a000-000000000001"
OLD = lambda: ways.kernel("amd64")

# name: (the system, whether it starts, the causes that are right)
CASES = {
    "ext4-good": (lambda: base(), True, []),
    "ext4-partlabel": (lambda: but(base(root="root=PARTLABEL=frost"), after=lambda image: run("sfdisk", "--part-label", image, "2", "frost")), True, []),
    "ext4-partlabel-wrong": (lambda: base(root="root=PARTLABEL=frosty"), False, ["root-not-found"]),
    "ext4-offset": (lambda: base(root="root=PARTUUID=11111111-2222-4222-a222-222222222222/PARTNROFF=1"), False, ["root-not-found"]),
    "ext4-by-label-path": (lambda: base(root="root=/dev/disk/by-label/fallowroot"), True, []),
    "ext4-label-wrong": (lambda: base(root="root=LABEL=otherroot"), False, ["root-not-found"]),
    "ext4-modules-of-another": (lambda: but(base(), kernel=OLD()), False, ["root-not-found", "rootfs-unsupported"]),
    "ext4-listed": (lambda: base(listed), False, ["root-not-found"]),
    "ext4-no-jbd2": (lambda: base(edited(most(), without_module("jbd2"))), False, ["rootfs-unsupported"]),
    "ext4-no-virtio": (lambda: base(edited(most(), without_module("virtio_blk"))), False, ["root-not-found"]),
    "ext4-inline": (lambda: but(base(), root_make=lambda tree, image: bench.ext4(tree, image, 24, "-O", "inline_data")), True, []),
    "ext4-metabg": (lambda: but(base(), root_make=lambda tree, image: bench.ext4(tree, image, 24, "-O", "meta_bg,^resize_inode")), True, []),
    "ext4-gzip": (lambda: base(packed("gzip")), True, []),
    "ext4-xz": (lambda: base(packed("xz")), True, []),
    "ext4-lz4": (lambda: base(packed("lz4")), True, []),
    "dynamic-good": (lambda: dynamic(base()), True, []),
    "dynamic-no-lib64": (lambda: lost(dynamic(base()), "lib64"), False, ["init-missing"]),
    "dynamic-no-lib": (lambda: lost(dynamic(base()), "usr/lib/x86_64-linux-gnu/libc.so.6"), False, ["init-missing", "init-crashed"]),
    "dynamic-no-sbin": (lambda: lost(dynamic(base()), "sbin"), False, ["init-missing"]),
    "btrfs-top": (lambda: but(base(root="root=LABEL=fallowroot"), root_make=maker("mkfs.btrfs", "-q", "-L", "fallowroot")), True, []),
    "btrfs-subvolume": (lambda: but(base(options=" rootflags=subvol=@"), root_make=subvolumes()), True, []),
    "btrfs-subvolume-wrong": (lambda: but(base(options=" rootflags=subvol=@root"), root_make=subvolumes()), False, ["root-not-found", "rootfs-corrupt"]),
    "btrfs-subvolume-not-named": (lambda: but(base(), root_make=subvolumes()), False, ["init-missing"]),
    "btrfs-subvolume-default": (lambda: but(base(), root_make=subvolumes(default=True)), True, []),
    "btrfs-no-module": (lambda: but(base(edited(most(), without_module("btrfs"))), root_make=subvolumes(default=True)), False, ["rootfs-unsupported"]),
    "xfs-good": (lambda: but(base(), root_make=maker("mkfs.xfs", "-q", "-L", "frostroot", megabytes=310)), True, []),
    "xfs-type-wrong": (lambda: but(base(options=" rootfstype=ext4"), root_make=maker("mkfs.xfs", "-q", megabytes=310)), False, ["rootfs-unsupported"]),
    "f2fs-good": (lambda: but(base(), root_make=f2fs), True, []),
    "squashfs-no-module": (lambda: but(base(), root_make=squashed), False, ["rootfs-unsupported"]),
    "squashfs-dracut": (lambda: but(base(lambda: dracut("squash", '--add-drivers "squashfs"')), root_make=squashed), True, []),
    "erofs-no-module": (lambda: but(base(edited(most(), without_module("erofs"))), root_make=erofs), False, ["rootfs-unsupported"]),
    "lvm-good": (lambda: but(base(root="root=/dev/mapper/orchard-frost--root"), root_make=in_guest(LVM, 48)), True, []),
    "lvm-other-name": (lambda: but(base(root="root=/dev/orchard/frost-root"), root_make=in_guest(LVM, 48)), True, []),
    "lvm-wrong-name": (lambda: but(base(root="root=/dev/mapper/orchard-root"), root_make=in_guest(LVM, 48)), False, ["root-not-found"]),
    "lvm-no-program": (lambda: but(base(edited(most(), without_program("lvm")), root="root=/dev/mapper/orchard-frost--root"), root_make=in_guest(LVM, 48)), False, ["root-not-found"]),
    "md-good": (lambda: but(base(root="root=LABEL=fallowroot"), root_make=in_guest(MD, 48)), True, []),
    "md-no-program": (lambda: but(base(edited(most(), without_program("mdadm")), root="root=LABEL=fallowroot"), root_make=in_guest(MD, 48)), False, ["root-not-found"]),
    "luks-asks": (lambda: but(base(edited(most(), with_crypttab), root="root=/dev/mapper/safe"), root_make=in_guest(LUKS, 64)), "cannot tell", []),
    "luks-no-program": (lambda: but(base(edited(most(), without_program("cryptsetup")), root="root=/dev/mapper/safe"), root_make=in_guest(LUKS, 64)), False, ["root-not-found"]),
    "dracut-good": (lambda: base(lambda: dracut()), True, []),
    "dracut-uuid-wrong": (lambda: base(lambda: dracut(), root="root=UUID=00c0ffee-0000-4000-a000-000000000001", options=" rd.retry=5 rd.timeout=10"), False, ["root-not-found"]),
    "dracut-no-virtio": (lambda: base(lambda: dracut("no-virtio", '--omit-drivers "virtio_blk"'), options=" rd.retry=5 rd.timeout=10"), False, ["root-not-found"]),
    "dracut-btrfs": (lambda: but(base(lambda: dracut(), options=" rootflags=subvol=@"), root_make=subvolumes()), True, []),
    "systemd-good": (lambda: whole(LINE), True, []),
    "systemd-mount-gone": (lambda: whole(LINE + f"{GONE} /srv ext4 defaults 0 2\n"), False, ["fstab-device-missing"]),
    "systemd-mount-gone-nofail": (lambda: whole(LINE + f"{GONE} /srv ext4 defaults,nofail 0 2\n"), True, []),
    "systemd-mount-gone-automount": (lambda: whole(LINE + f"{GONE} /srv ext4 noauto,x-systemd.automount 0 2\n"), True, []),
    "systemd-automount-no-driver": (lambda: but(whole(LINE + f"{GONE} /srv ext4 noauto,x-systemd.automount 0 2\n"), without="autofs"), False, ["fstab-device-missing"]),
    "systemd-mount-wrong-type": (lambda: whole(LINE + "PARTUUID=11111111-2222-4222-a222-222222222222 /boot/efi ext4 defaults 0 2\n"), False, ["fstab-device-missing"]),
    "systemd-mount-good": (lambda: whole(LINE + "PARTUUID=11111111-2222-4222-a222-222222222222 /boot/efi vfat defaults 0 2\n"), True, []),
    "systemd-swap-gone": (lambda: whole(LINE + f"{GONE} none swap sw,x-systemd.device-timeout=10s 0 0\n"), True, ["fstab-device-missing"]),
    "systemd-modules-of-another": (lambda: whole(LINE, modules="6.1.0-50-amd64"), True, ["service-failed"]),
    "systemd-modules-of-another-and-mount": (
        lambda: whole(LINE + "PARTUUID=11111111-2222-4222-a222-222222222222 /boot/efi vfat defaults 0 2\n", modules="6.1.0-50-amd64"), "as it comes", ["fstab-device-missing", "service-failed"]),
}


def cases():
    if not os.path.isdir(f"{DIST}/boot"):
        return
    for name, (build, boots, causes) in CASES.items():
        yield f"distribution.{name}", build, boots, causes


if __name__ == "__main__":
    run("mmdebstrap", "--variant=minbase", f"--include={PACKAGES}", "bookworm", DIST)
