#!/usr/bin/env python3
"""Makes the small file systems that the reader's tests use, with the tools of each: a tree that a formula gives, kept as the blocks that are not empty.

    lab/filesystems.py FOLDER

Needs root (they are mounted through a loop device) and Debian's btrfs-progs, xfsprogs, f2fs-tools, erofs-utils, squashfs-tools, e2fsprogs,
lvm2 and mdadm. A kept file is gzip around records: offset (64 bits), length (32 bits), bytes; the first record is the whole length and 0.
"""
import gzip
import os
import shutil
import struct
import subprocess
import sys
import tempfile

os.environ["PATH"] += ":/usr/sbin:/sbin"
BLOCK = 512


def run(*words):
    subprocess.run(words, check=True, capture_output=True)


def tree(folder):
    """The files that the tests know: numbers, words that pack, links, a folder of many names."""
    os.makedirs(f"{folder}/etc/deep/deeper")
    os.makedirs(f"{folder}/sbin")
    os.makedirs(f"{folder}/many")
    open(f"{folder}/etc/hostname", "w").write("bramley\n")
    open(f"{folder}/etc/deep/deeper/big", "w").write("".join(f"{n}\n" for n in range(30000)))
    open(f"{folder}/sbin/start", "w").write("#!/bin/sh\n")
    os.chmod(f"{folder}/sbin/start", 0o755)
    os.symlink("start", f"{folder}/sbin/init")
    os.symlink("/etc/deep/deeper/big", f"{folder}/far")
    for n in range(300):
        open(f"{folder}/many/number-{n}", "w").write(f"{n}\n")


def keep(image, out):
    with open(image, "rb") as file, open(out, "wb") as raw, gzip.GzipFile("", "wb", 9, raw, 0) as kept:
        size = os.path.getsize(image)
        kept.write(struct.pack("<QI", size, 0))
        for at in range(0, size, 65536):
            piece = file.read(65536)
            if not piece.strip(b"\0"):
                continue
            for inner in range(0, len(piece), BLOCK):
                block = piece[inner:inner + BLOCK]
                if block.strip(b"\0"):
                    kept.write(struct.pack("<QI", at + inner, len(block)) + block)
    print(os.path.basename(out), os.path.getsize(out))


def filled(image, folder, where, *options):
    """Mounts an image, and copies the tree into it."""
    with tempfile.TemporaryDirectory() as point:
        run("mount", "-o", ",".join(["loop", *options]), image, point)
        try:
            run("cp", "-a", f"{folder}/.", f"{point}/{where}")
        finally:
            run("umount", point)


def sized(path, megabytes):
    if os.path.exists(path):
        os.remove(path)
    run("truncate", "-s", f"{megabytes}M", path)
    return path


if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit(__doc__)
    out = sys.argv[1]
    with tempfile.TemporaryDirectory() as folder:
        t, image = f"{folder}/tree", f"{folder}/image"
        tree(t)
        for packing in "gzip", "lzo", "lz4", "xz":
            run("mksquashfs", t, sized(image, 0), "-noappend", "-comp", packing, "-b", "4096" if packing == "lzo" else "131072", "-all-root", "-mkfs-time", "0", "-all-time", "0")
            keep(image, f"{out}/squashfs-{packing}.gz")
        for name, words in {"plain": [], "lz4": ["-zlz4"]}.items():
            run("mkfs.erofs", "-T0", "-U", "11111111-2222-4333-a444-555555555555", *words, sized(image, 0), t)
            keep(image, f"{out}/erofs-{name}.gz")
        run("mkfs.xfs", "-q", "-L", "orchard", sized(image, 310))
        filled(image, t, "")
        keep(image, f"{out}/xfs.gz")
        run("mkfs.f2fs", "-q", "-l", "orchard", sized(image, 120))
        subprocess.run(["sload.f2fs", "-f", t, image], capture_output=True)
        keep(image, f"{out}/f2fs.gz")
        for packing in "zlib", "lzo", "zstd":
            run("mkfs.btrfs", "-q", "-L", "orchard", "-m", "single", sized(image, 120))
            with tempfile.TemporaryDirectory() as point:
                run("mount", "-o", f"loop,compress-force={packing}", image, point)
                try:
                    run("btrfs", "subvolume", "create", f"{point}/@")
                    run("btrfs", "subvolume", "create", f"{point}/@spare")
                    run("cp", "-a", f"{t}/.", f"{point}/@")
                    if packing == "lzo":
                        run("btrfs", "subvolume", "set-default", "256", point)
                finally:
                    run("umount", point)
            keep(image, f"{out}/btrfs-{packing}.gz")
        for name, features in {"inline": "inline_data", "metabg": "meta_bg,^resize_inode"}.items():
            run("mkfs.ext4", "-q", "-F", "-O", features, "-g", "1024", "-b", "1024", "-L", "orchard", "-d", t, sized(image, 16))
            keep(image, f"{out}/ext4-{name}.gz")
