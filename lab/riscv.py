#!/usr/bin/env python3
"""The ways of 64-bit RISC-V: kernel, modules and busybox of the distribution, unpacked from its packages; the faults are those of ways.py.

    lab/riscv.py LINUX-IMAGE.deb BUSYBOX-STATIC.deb      unpacks them into LAB_RISCV (default /tmp/lab-riscv)
"""
import glob
import gzip
import lzma
import os
import sys
from functools import lru_cache

import bench
import ways
from bench import run

FOLDER = os.environ.get("LAB_RISCV", "/tmp/lab-riscv")
MODULES = ["crc32c_generic", "mbcache", "jbd2", "crc16", "ext4", "virtio_pci_modern_dev", "virtio_pci_legacy_dev", "virtio_pci", "virtio_blk"]


@lru_cache
def kernel():
    return open(glob.glob(f"{FOLDER}/k/boot/vmlinu*")[0], "rb").read()


@lru_cache
def busybox():
    return open(glob.glob(f"{FOLDER}/b/usr/bin/busybox")[0], "rb").read()


@lru_cache
def initrd():
    files = [("bin", 0o40755, b""), ("proc", 0o40755, b""), ("sys", 0o40755, b""), ("dev", 0o40755, b""), ("newroot", 0o40755, b""), ("modules", 0o40755, b""),
             ("bin/busybox", 0o100755, busybox()), ("init", 0o100755, open(f"{bench.PARTS}/src/init", "rb").read())]
    for name in "sh mount umount cat ls echo insmod uname tr grep sed basename readlink dd hexdump findfs sleep switch_root".split():
        files.append((f"bin/{name}", 0o120777, b"busybox"))
    there = []
    for name in MODULES:
        for path in glob.glob(f"{FOLDER}/k/usr/lib/modules/*/kernel/**/{name}.ko.xz", recursive=True):
            files.append((f"modules/{name}.ko", 0o100644, lzma.open(path).read()))
            there.append(name)
    files.append(("modules/list", 0o100644, ("\n".join(there) + "\n").encode()))
    return gzip.compress(ways.cpio(files), 6)


bench.ELSEWHERE.update({("kernel", "riscv64"): kernel, ("initrd", "riscv64"): initrd, ("busybox", "riscv64"): busybox})


WAYS = {
    "extlinux-riscv64": ways.way("extlinux on FAT, riscv64", "riscv64", "distro", ways.extlinux, boot_mb=96),
    "script-riscv64": ways.way("boot script, riscv64", "riscv64", "distro", ways.boot_script, boot_mb=96),
}


def cases():
    if not glob.glob(f"{FOLDER}/k/boot/vmlinu*"):
        return
    for fault, (change, boots, causes, wanted) in ways.FAULTS.items():
        if wanted is not None and "extlinux-arm64" not in wanted:
            continue
        for name, build in WAYS.items():
            if wanted is None or name == "extlinux-riscv64":
                def made(build=build, change=change):
                    system = build()
                    change(system)
                    return system
                yield f"{name}.{fault}", made, boots, causes


if __name__ == "__main__":
    for path, into in zip(sys.argv[1:], ("k", "b")):
        run("dpkg-deb", "-x", path, f"{FOLDER}/{into}")
