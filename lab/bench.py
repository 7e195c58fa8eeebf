"""The bench of the lab: makes an image from parts, starts it in the emulator, asks the dry boot, and compares.

An image is a System: a way in, an instruction set, files for the boot partition and for the root, and what a case changed of them.
"""
import json
import os
import re
import shutil
import subprocess
import time
from functools import lru_cache

HERE = os.path.dirname(os.path.abspath(__file__))
PARTS = os.path.join(HERE, "../../shared/images/parts")
APP = os.path.join(HERE, "../.build/app/Buttonhook.App.dll")
ROOT = "44444444-2222-4222-a222-222222222222"
ROOT_UUID = "77777777-2222-4222-a222-222222222222"
ESP, LINUX, EXTENDED = (
    "C12A7328-F81F-11D2-BA4B-00A0C93EC93B", "0FC63DAF-8483-4772-8E79-3D69D8477DE4", "BC13C2FF-59E6-4262-A352-B275FD6F7172")
TTY = {"arm64": "ttyAMA0", "armhf": "ttyAMA0", "riscv64": "ttyS0", "amd64": "ttyS0"}
os.environ["PATH"] += ":/usr/sbin:/sbin"
os.environ["MTOOLS_SKIP_CHECK"] = "1"


def run(*words, **more):
    return subprocess.run(words, check=True, capture_output=True, **more).stdout


@lru_cache
def part(path):
    """A part of ../shared/images, unpacked where it is packed with xz."""
    return run("xz", "-dc", f"{PARTS}/{path}") if path.endswith(".xz") else open(f"{PARTS}/{path}", "rb").read()


# What ../shared/images does not have: (kernel, initrd or busybox, instruction set) to a function.
ELSEWHERE = {}


def kernel(arch):
    if ("kernel", arch) in ELSEWHERE:
        return ELSEWHERE["kernel", arch]()
    return part({"arm64": "kernel/arm64-Image.xz", "armhf": "kernel/armhf-zImage.xz", "amd64": "kernel/amd64-bzImage.xz"}[arch])


def initrd(arch):
    return ELSEWHERE["initrd", arch]() if ("initrd", arch) in ELSEWHERE else part(f"initrd/{arch}.cpio.gz")


def busybox(arch):
    return ELSEWHERE["busybox", arch]() if ("busybox", arch) in ELSEWHERE else part(f"busybox/{arch}.xz")


class Link(str):
    """The target of a symbolic link, as the content of a path."""


class Program(bytes):
    """A file that may be executed."""


def small_root(arch, tty=None):
    """A root with busybox as its first program and a login on the serial port."""
    tty = tty or TTY[arch]
    files = {"bin/busybox": Program(busybox(arch))}
    files.update({f"bin/{name}": Link("busybox") for name in "sh mount login cat ls echo".split()})
    files.update({f"sbin/{name}": Link("../bin/busybox") for name in "init getty reboot".split()})
    files.update({f"{name}/.keep": b"" for name in "proc sys dev run tmp root".split()})
    files.update({
        "etc/passwd": b"root:x:0:0:root:/root:/bin/sh\n", "etc/hostname": b"bramley\n",
        "etc/fstab": f"PARTUUID={ROOT} / ext4 defaults 0 1\n".encode(),
        "etc/inittab": f"::sysinit:/bin/mount -t proc proc /proc\n{tty}::respawn:/sbin/getty -L 115200 {tty} vt100\n".encode(),
        "usr/lib/os-release": b'PRETTY_NAME="Fallow 12 server"\nID=fallow\nVERSION_ID="12"\n',
    })
    return files


def write(folder, files):
    """Files in a folder: bytes, a Link, or a Program."""
    for path, content in files.items():
        place = os.path.join(folder, path)
        os.makedirs(os.path.dirname(place), exist_ok=True)
        if isinstance(content, Link):
            os.symlink(content, place)
            continue
        open(place, "wb").write(content.encode() if isinstance(content, str) else content)
        os.chmod(place, 0o755 if isinstance(content, Program) else 0o644)


class System:
    """One image, before it is written."""

    def __init__(self, way, arch, loader, start=None):
        self.way, self.arch, self.loader = way, arch, loader
        self.start_with = start or loader
        self.tty = TTY[arch]
        self.table = "gpt"
        self.kernel, self.initrd = kernel(arch), initrd(arch)
        self.options = f"root=PARTUUID={ROOT} rootwait rw console={self.tty},115200"
        self.root = small_root(arch)
        self.root_is_boot = False  # one partition, the boot files under its root
        self.root_make = None  # path of a folder -> path of a file-system image
        self.root_mb = 24
        self.boot_mb = 64
        self.bootable = True
        self.extended = None
        self.pieces = None  # other partitions behind the root: (path of an image, type, uuid, MB)
        self.fill = None  # System -> files of the boot partition
        self.after = None  # path of the image, once written
        self.memory = 512
        self.firmware = ""
        self.media = "virtio"
        self.seconds, self.quiet = 120, 45

    def board(self):
        return {
            "architecture": self.arch, "loader": self.loader, "bootMedium": self.media, "consoleDevice": self.tty,
            "consoleSpeed": 115200, "memoryMiB": self.memory, "compatible": [], "firmware": self.firmware,
        }


def fat(folder, name, files, megabytes):
    tree, image = f"{folder}/{name}", f"{folder}/{name}.fs"
    write(tree, files)
    os.makedirs(tree, exist_ok=True)
    run("truncate", "-s", f"{megabytes}M", image)
    run("mkfs.vfat", "-F", "32", "-s", "1", image)
    if files:
        run("mcopy", "-s", "-Q", "-i", image, *[os.path.join(tree, n) for n in sorted(os.listdir(tree))], "::/")
    return image


def ext4(tree, image, megabytes, *more):
    run("mkfs.ext4", "-q", "-F", "-U", ROOT_UUID, "-L", "fallowroot", *more, "-d", tree, image, f"{megabytes}M")
    return image


def make(system, folder, image):
    """Writes the image of a system."""
    shutil.rmtree(folder, ignore_errors=True)
    os.makedirs(folder)
    boot = system.fill(system)
    if system.root_is_boot:
        system.root.update(boot)
        system.root_mb += system.boot_mb
    write(f"{folder}/root", system.root)
    made = system.root_make or (lambda tree, out: ext4(tree, out, system.root_mb))
    pieces = []
    if not system.root_is_boot:
        pieces.append((fat(folder, "boot", boot, system.boot_mb), ESP, "11111111-2222-4222-a222-222222222222", system.boot_mb))
    if system.extended is not None:
        pieces.append((fat(folder, "extended", system.extended, 48), EXTENDED, "22222222-2222-4222-a222-222222222222", 48))
    root = made(f"{folder}/root", f"{folder}/root.fs")
    size = -(-os.path.getsize(root) >> 20) if os.path.getsize(root) % (1 << 20) == 0 else (os.path.getsize(root) >> 20) + 1
    pieces.append((root, LINUX, ROOT, size))
    pieces += system.pieces(folder) if system.pieces else []
    at = 1
    # The marks that a loader of boards looks for: legacy BIOS bootable in a GPT, the active partition in an MBR.
    mark = ""
    rows = ["label: gpt" if system.table == "gpt" else "label: dos\nlabel-id: 0xfa110012"]
    for number, (path, kind, uuid, megabytes) in enumerate(pieces):
        row = f"start={at * 2048}, size={megabytes * 2048}"
        mark = system.bootable and number == 0
        if system.table == "gpt":
            row += f", type={kind}, uuid={uuid}" + (', attrs="LegacyBIOSBootable"' if mark and system.loader == "distro" else "")
        else:
            row += f", type={'c' if kind == ESP else '83'}" + (", bootable" if mark else "")
        rows.append(row)
        at += megabytes
    if os.path.exists(image):
        os.remove(image)
    with open(image, "wb") as file:
        file.truncate((at + 2) << 20)
    run("sfdisk", "-q", "--no-reread", "--no-tell-kernel", image, input=("\n".join(rows) + "\n").encode())
    at = 1
    for path, _, _, megabytes in pieces:
        run("dd", f"if={path}", f"of={image}", "bs=1M", f"seek={at}", "conv=notrunc,sparse")
        at += megabytes
    if system.after:
        system.after(image)
    shutil.rmtree(folder)


MBR_ROOT = "fa110012-02"
OVMF, AAVMF = "/usr/share/OVMF/OVMF_CODE_4M.fd", "/usr/share/AAVMF/AAVMF_CODE.fd"


def machine(system, disk, scratch):
    """The words that start the emulator for a system."""
    memory = ["-m", str(system.memory), "-display", "none", "-no-reboot", "-net", "none"]
    drive = ["-drive", f"if=none,id=card,format=raw,file={disk}", "-device", "virtio-blk-pci,drive=card"]
    if system.arch == "amd64":
        words = ["qemu-system-x86_64", "-machine", "q35", "-cpu", "max"]
        if system.start_with == "efi":
            shutil.copy("/usr/share/OVMF/OVMF_VARS_4M.fd", f"{scratch}.vars")
            words += ["-drive", f"if=pflash,format=raw,readonly=on,file={OVMF}", "-drive", f"if=pflash,format=raw,file={scratch}.vars"]
        return words + memory + drive
    if system.arch == "riscv64":
        return ["qemu-system-riscv64", "-machine", "virt", "-kernel", "/usr/lib/u-boot/qemu-riscv64_smode/u-boot.bin"] + memory + drive
    if system.arch == "armhf":
        return ["qemu-system-arm", "-machine", "virt,highmem=off", "-cpu", "cortex-a15", "-bios", "/usr/lib/u-boot/qemu_arm/u-boot.bin"] + memory + drive
    words = ["qemu-system-aarch64", "-machine", "virt", "-cpu", "cortex-a57"]
    if system.start_with == "efi":
        run("truncate", "-s", "64M", f"{scratch}.vars")
        run("cp", AAVMF, f"{scratch}.code")
        run("truncate", "-s", "64M", f"{scratch}.code")
        words += ["-drive", f"if=pflash,format=raw,readonly=on,file={scratch}.code", "-drive", f"if=pflash,format=raw,file={scratch}.vars"]
    else:
        words += ["-bios", "/usr/lib/u-boot/qemu_arm64/u-boot.bin"]
    return words + memory + drive


ENDS = [
    b"login:", b"Kernel panic", b"UEFI Interactive Shell", b"No bootable", b"starting a rescue shell", b"grub> ", b"grub rescue>", b"(initramfs)",
    b"emergency mode", b"Boot failed: not a bootable disk", b"Press any key to continue", b"dracut:/#", b"in emergency", b"Please unlock disk", b"Please enter passphrase",
]
PROMPT = re.compile(rb"\n=> $")


def start(system, image, console):
    """Whether a login came, and why the waiting ended."""
    disk = f"{console}.run"
    shutil.copy(image, disk)
    process = subprocess.Popen(
        machine(system, disk, console) + ["-serial", f"file:{console}"], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    begun = changed = time.time()
    text, why = b"", "nothing more came"
    while time.time() < begun + system.seconds:
        time.sleep(0.5)
        now = open(console, "rb").read() if os.path.exists(console) else b""
        if now != text:
            text, changed = now, time.time()
        ended = next((e for e in ENDS if e in text), None) or (b"=> " if PROMPT.search(text) else None)
        if ended:
            # A loader's prompt can come and go while a menu goes on; the others stay.
            if time.time() > changed + (3 if ended in (b"=> ", b"UEFI Interactive Shell", b"Press any key to continue") else 0.5):
                why = ended.decode().strip()
                break
        if process.poll() is not None:
            why = "the machine stopped"
            break
        if time.time() > changed + system.quiet:
            break
    process.kill()
    process.wait()
    for left in (disk, f"{console}.vars", f"{console}.code"):
        if os.path.exists(left):
            os.remove(left)
    return b"login:" in text, why, round(time.time() - begun, 1)


def judge(system, image, board):
    json.dump(system.board(), open(board, "w"))
    answer = json.loads(run("dotnet", APP, "inspect", image, "--board", board, "--json"))["dryBoot"]
    return answer["verdict"], answer["causes"], [s["text"] for s in answer["steps"] if s["result"] != "passed"]
