#!/usr/bin/env python3
"""Images that EFI firmware starts by itself: makes each, breaks one thing, starts it in the emulator, and compares the dry boot with what happened.

    lab/efi.py FOLDER [NAME...]      FOLDER takes the images, consoles and the table; NAME chooses cases

Needs Debian's qemu-system-x86, ovmf, systemd-boot-efi, binutils, mtools, dosfstools, e2fsprogs and fdisk, and the kernel, busybox
and initial file system in ../shared/images/parts. Nothing of it runs in the ordinary test.
"""
import concurrent.futures
import json
import os
import re
import shutil
import subprocess
import sys
import time

HERE = os.path.dirname(os.path.abspath(__file__))
PARTS = os.path.join(HERE, "../../shared/images/parts")
APP = os.path.join(HERE, "../.build/app/Buttonhook.App.dll")
EFI = "/usr/lib/systemd/boot/efi"
ROOT = "44444444-2222-4222-a222-222222222222"
GOOD = f"root=PARTUUID={ROOT} rootwait rw console=ttyS0,115200"
WRONG = GOOD.replace("4444", "5555")
SECONDS = 110
BOARD = {
    "architecture": "amd64", "loader": "efi", "bootMedium": "virtio", "consoleDevice": "ttyS0", "consoleSpeed": 115200,
    "memoryMiB": 512, "compatible": [], "firmware": "UEFI",
}


def run(*words, **more):
    return subprocess.run(words, check=True, capture_output=True, **more)


def xz(path):
    return run("xz", "-dc", path).stdout


def unified(folder, options=GOOD, kernel=True, initrd=True, cut=0):
    """A unified kernel, put together as the stub's own manual says (objcopy with sections behind its own)."""
    out = f"{folder}/uki.efi"
    parts = {".osrel": b'PRETTY_NAME="Fallow 12 server"\nID=fallow\nVERSION_ID=12\n'}
    if options is not None:
        parts[".cmdline"] = options.encode() + b"\0"
    if initrd:
        parts[".initrd"] = open(f"{PARTS}/initrd/amd64.cpio.gz", "rb").read()
    if kernel:
        parts[".linux"] = xz(f"{PARTS}/kernel/amd64-bzImage.xz")
    headers = run("objdump", "-h", f"{EFI}/linuxx64.efi.stub").stdout.decode()
    rows = re.findall(r"^\s*\d+ \S+\s+([0-9a-f]+)\s+([0-9a-f]+)", headers, re.M)
    at = max(int(size, 16) + int(address, 16) for size, address in rows) + 0xFFFF & ~0xFFFF
    words = []
    for name, content in parts.items():
        path = f"{folder}/section{name}"
        open(path, "wb").write(content)
        words += ["--add-section", f"{name}={path}", "--change-section-vma", f"{name}={at:#x}"]
        at = at + len(content) + 0xFFFF & ~0xFFFF
    run("objcopy", *words, f"{EFI}/linuxx64.efi.stub", out)
    content = open(out, "rb").read()
    return content[: len(content) - cut] if cut else content


def entry(options=GOOD, kernel="/vmlinuz", initrd="/initrd.img", more=""):
    return f"title Fallow\nlinux {kernel}\ninitrd {initrd}\noptions {options}\n{more}".encode()


MENU = "menu"  # the menu of boot entries as packaged
KERNEL = "kernel"
INITRD = "initrd"


def menu(entries, **more):
    files = {"EFI/BOOT/BOOTX64.EFI": MENU, "vmlinuz": KERNEL, "initrd.img": INITRD}
    files.update({f"loader/entries/{name}": content for name, content in entries.items()})
    files.update(more.pop("files", {}))
    return {"way": "entry files", "files": files, **more}


def alone(**more):
    return {"way": "unified kernel", "uki": more, "files": {"EFI/BOOT/BOOTX64.EFI": "uki"}}


GRUB = f'set timeout=1\nmenuentry "Fallow" {{\n search --no-floppy --file --set=root /vmlinuz\n linux /vmlinuz {GOOD}\n initrd /initrd.img\n}}\n'

# name: what is on the image, whether it starts, and the cause by construction
CASES = {
    "uki-good": (alone(), True, None),
    "uki-no-cmdline": (alone(options=None), False, "root-arg-missing"),
    "uki-root-wrong": (alone(options=WRONG), False, "root-not-found"),
    "uki-no-initrd": (alone(initrd=False), False, "initrd-missing"),
    "uki-truncated": (alone(cut=3_000_000), False, "kernel-corrupt"),
    "uki-without-kernel": (alone(kernel=False), False, "boot-files-missing"),
    "uki-no-console": (alone(options=GOOD.replace(" console=ttyS0,115200", "")), True, "console-arg-missing"),
    "kernel-by-itself": ({"way": "kernel by itself", "files": {"EFI/BOOT/BOOTX64.EFI": KERNEL}}, False, "root-arg-missing"),
    "program-is-text": ({"way": "removable path", "files": {"EFI/BOOT/BOOTX64.EFI": b"<html>not found</html>" * 60}}, False, "no-boot-medium"),
    "program-elsewhere": ({"way": "removable path", "files": {"EFI/fallow/menux64.efi": MENU}}, False, "no-boot-medium"),
    "entry-good": (menu({"a.conf": entry()}), True, None),
    "entry-newest-good": (menu({"fallow-6.9.conf": entry(WRONG), "fallow-6.10.conf": entry()}), True, None),
    "entry-newest-bad": (menu({"fallow-6.9.conf": entry(), "fallow-6.10.conf": entry(WRONG)}), False, "root-not-found"),
    "entry-sort-key-version": (
        menu({"a.conf": entry(more="sort-key fallow\nversion 6.10\n"), "b.conf": entry(WRONG, more="sort-key fallow\nversion 6.9\n")}), True, None),
    "entry-sort-key-first": (menu({"z.conf": entry(WRONG), "a.conf": entry(more="sort-key fallow\n")}), True, None),
    "entry-sort-key-order": (menu({"a.conf": entry(WRONG, more="sort-key zebra\n"), "b.conf": entry(more="sort-key apple\n")}), True, None),
    "entry-tries-used": (menu({"fallow-6.10+0-3.conf": entry(WRONG), "fallow-6.9.conf": entry()}), True, None),
    "entry-tries-left": (menu({"fallow-6.10+2-1.conf": entry(), "fallow-6.9.conf": entry(WRONG)}), True, None),
    "entry-default-pattern": (
        menu({"fallow-6.9.conf": entry(), "fallow-6.10.conf": entry(WRONG)}, files={"loader/loader.conf": b"timeout 1\ndefault *6.9*\n"}), True, None),
    "entry-default-name": (
        menu({"fallow-6.9.conf": entry(), "fallow-6.10.conf": entry(WRONG)}, files={"loader/loader.conf": b"default fallow-6.9.conf\n"}), True, None),
    "entry-default-gone": (menu({"a.conf": entry()}, files={"loader/loader.conf": b"default rescue*\n"}), True, None),
    "entry-other-processor": (menu({"b.conf": entry(WRONG, more="architecture aa64\n"), "a.conf": entry()}), True, None),
    "entry-kernel-gone-next": (menu({"b.conf": entry(kernel="/gone"), "a.conf": entry()}), True, None),
    "entry-kernel-gone": (menu({"a.conf": entry(kernel="/gone")}), False, "boot-files-missing"),
    "entry-initrd-gone": (menu({"a.conf": entry(initrd="/gone.img")}), False, "initrd-missing"),
    "entry-two-options": (menu({"a.conf": entry(f"root=PARTUUID={ROOT}", more="options rootwait rw console=ttyS0,115200\n")}), True, None),
    "entry-none": (menu({}), False, "loader-config-missing"),
    "entry-extended": (
        menu({}, extended={"loader/entries/a.conf": entry(), "vmlinuz": KERNEL, "initrd.img": INITRD}), True, None),
    "entry-unified": (menu({}, files={"EFI/Linux/fallow-6.10.efi": "uki"}, uki={}), True, None),
    "entry-unified-root-wrong": (menu({}, files={"EFI/Linux/fallow-6.10.efi": "uki"}, uki={"options": WRONG}), False, "root-not-found"),
    "entry-efi-line": (menu({"a.conf": b"title Fallow\nefi /uki.efi\n"}, files={"uki.efi": "uki"}, uki={}), True, None),
    "grub-good": (
        {"way": "GRUB", "files": {"EFI/BOOT/BOOTX64.EFI": "grub", "EFI/fallow/grub.cfg": GRUB.encode(), "boot/grub/grub.cfg": GRUB.encode(),
                                  "vmlinuz": KERNEL, "initrd.img": INITRD}}, True, None),
    "grub-no-timeout": (
        {"way": "GRUB", "files": {"EFI/BOOT/BOOTX64.EFI": "grub", "EFI/fallow/grub.cfg": GRUB.replace("set timeout=1\n", "").encode(),
                                  "vmlinuz": KERNEL, "initrd.img": INITRD}}, False, "autoboot-interrupted"),
    "grub-kernel-gone": (
        {"way": "GRUB", "files": {"EFI/BOOT/BOOTX64.EFI": "grub", "EFI/fallow/grub.cfg": GRUB.replace("linux /vmlinuz", "linux /gone").encode(),
                                  "boot/grub/grub.cfg": GRUB.replace("linux /vmlinuz", "linux /gone").encode(),
                                  "vmlinuz": KERNEL, "initrd.img": INITRD}}, False, "boot-files-missing"),
}


def fat(folder, name, files, what, megabytes):
    image, tree = f"{folder}/{name}.fat", f"{folder}/{name}"
    for path, content in files.items():
        place = os.path.join(tree, path)
        os.makedirs(os.path.dirname(place), exist_ok=True)
        open(place, "wb").write(what[content] if isinstance(content, str) else content)
    if os.path.exists(image):
        os.remove(image)
    run("truncate", "-s", f"{megabytes}M", image)
    run("mkfs.vfat", "-F", "32", "-s", "1", image)
    if files:
        run("mcopy", "-s", "-Q", "-i", image, *[os.path.join(tree, n) for n in os.listdir(tree)], "::/")
    return image


def root(folder):
    tree = f"{folder}/root"
    for name in "bin sbin etc/init.d proc sys dev run tmp usr/lib".split():
        os.makedirs(f"{tree}/{name}", exist_ok=True)
    open(f"{tree}/bin/busybox", "wb").write(xz(f"{PARTS}/busybox/amd64.xz"))
    os.chmod(f"{tree}/bin/busybox", 0o755)
    for name, of in {"bin/sh": "busybox", "bin/mount": "busybox", "bin/login": "busybox", "sbin/init": "../bin/busybox", "sbin/getty": "../bin/busybox"}.items():
        os.symlink(of, f"{tree}/{name}")
    for name, text in {
        "etc/passwd": "root:x:0:0:root:/root:/bin/sh\n", "etc/hostname": "bramley\n", "etc/fstab": f"PARTUUID={ROOT} / ext4 defaults 0 1\n",
        "etc/inittab": "::sysinit:/bin/mount -t proc proc /proc\nttyS0::respawn:/sbin/getty -L 115200 ttyS0 vt100\n",
        "usr/lib/os-release": 'PRETTY_NAME="Fallow 12 server"\nVERSION_ID="12"\n',
    }.items():
        open(f"{tree}/{name}", "w").write(text)
    run("mkfs.ext4", "-q", "-F", "-d", tree, f"{folder}/root.fs", "24M")
    return f"{folder}/root.fs"


def make(name, out):
    what, _, _ = CASES[name]
    folder = f"{out}/{name}.parts"
    shutil.rmtree(folder, ignore_errors=True)
    os.makedirs(folder)
    content = {
        "menu": open(f"{EFI}/systemd-bootx64.efi", "rb").read(), "kernel": xz(f"{PARTS}/kernel/amd64-bzImage.xz"),
        "initrd": open(f"{PARTS}/initrd/amd64.cpio.gz", "rb").read(), "grub": open(f"{PARTS}/efi/grubx64.efi", "rb").read(),
    }
    if "uki" in what:
        content["uki"] = unified(folder, **what["uki"])
    pieces = [(fat(folder, "esp", what["files"], content, 64), "C12A7328-F81F-11D2-BA4B-00A0C93EC93B", "11111111-2222-4222-a222-222222222222", 64)]
    if "extended" in what:
        pieces.append((fat(folder, "extended", what["extended"], content, 48), "BC13C2FF-59E6-4262-A352-B275FD6F7172", "22222222-2222-4222-a222-222222222222", 48))
    pieces.append((root(folder), "0FC63DAF-8483-4772-8E79-3D69D8477DE4", ROOT, 24))
    image = f"{out}/{name}.img"
    table, at = "label: gpt\n", 1
    for _, kind, uuid, size in pieces:
        table += f"start={at * 2048}, size={size * 2048}, type={kind}, uuid={uuid}\n"
        at += size
    with open(image, "wb") as file:
        file.truncate((at + 2) << 20)
    run("sfdisk", "-q", "--no-reread", "--no-tell-kernel", image, input=table.encode())
    at = 1
    for path, _, _, size in pieces:
        run("dd", f"if={path}", f"of={image}", "bs=1M", f"seek={at}", "conv=notrunc,sparse")
        at += size
    shutil.rmtree(folder)
    return image


def start(name, image, out):
    """What the serial line shows within the time: whether a login came."""
    console, variables = f"{out}/{name}.console", f"{out}/{name}.vars"
    shutil.copy("/usr/share/OVMF/OVMF_VARS_4M.fd", variables)
    disk = f"{out}/{name}.run"
    shutil.copy(image, disk)
    machine = subprocess.Popen(
        ["qemu-system-x86_64", "-machine", "q35", "-cpu", "max", "-m", "512", "-display", "none", "-no-reboot", "-net", "none",
         "-drive", "if=pflash,format=raw,readonly=on,file=/usr/share/OVMF/OVMF_CODE_4M.fd", "-drive", f"if=pflash,format=raw,file={variables}",
         "-drive", f"if=virtio,format=raw,file={disk}", "-serial", f"file:{console}"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    until, text = time.time() + SECONDS, b""
    while time.time() < until and machine.poll() is None:
        time.sleep(1)
        text = open(console, "rb").read() if os.path.exists(console) else b""
        if b"login:" in text or b"Kernel panic" in text or b"UEFI Interactive Shell" in text or b"No bootable" in text:
            break
    machine.kill()
    machine.wait()
    os.remove(disk)
    os.remove(variables)
    return b"login:" in text


def judge(name, image, out):
    board = f"{out}/board.json"
    json.dump(BOARD, open(board, "w"))
    answer = json.loads(run("dotnet", APP, "inspect", image, "--board", board, "--json").stdout)["dryBoot"]
    return answer["verdict"], answer["causes"]


def one(name, out):
    image = make(name, out)
    verdict, causes = judge(name, image, out)
    return name, verdict, causes, start(name, image, out)


if __name__ == "__main__":
    if len(sys.argv) < 2:
        sys.exit(__doc__)
    os.environ["PATH"] += ":/usr/sbin:/sbin"
    out = os.path.abspath(sys.argv[1])
    os.makedirs(out, exist_ok=True)
    names = sys.argv[2:] or list(CASES)
    agreed, right, ways = 0, 0, {}
    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        for name, verdict, causes, started in pool.map(lambda n: one(n, out), names):
            what, expected, cause = CASES[name]
            same = verdict == ("boots" if started else "does-not-boot")
            cause_right = (causes[:1] == [cause]) if cause else not causes or not started
            agreed, right = agreed + same, right + cause_right
            counted = ways.setdefault(what["way"], [0, 0, 0])
            counted[0] += 1
            counted[1] += same
            counted[2] += cause_right
            note = "" if started == expected else "   (the emulator says otherwise than the one who made it)"
            print(f"{'  ' if same and cause_right else '! '}{name:28} emulator {'boots' if started else 'does not':9} dry boot {verdict:14} {','.join(causes) or '-'}{note}", flush=True)
    for way, (count, same, cause_right) in ways.items():
        print(f"{way:18} {count:3} images, verdict {same}, cause {cause_right}")
    print(f"{len(names)} images, verdict agrees on {agreed}, cause on {right}")
