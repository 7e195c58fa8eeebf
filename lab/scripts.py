"""Boot scripts as distributions write them, and what goes wrong in them: addresses, overlays, environment files, slots, the network.

This loader has no `fdt apply` (it is built without OF_LIBFDT_OVERLAY), so an overlay that does not fit cannot be started here.
"""
import os
import subprocess
import tempfile

import bench
import ways
from ways import script

HEAD = 'setenv bootargs "{options}"\n'
LOADS = """load ${devtype} ${devnum}:${distro_bootpart} ${kernel_addr_r} /vmlinuz
load ${devtype} ${devnum}:${distro_bootpart} ${ramdisk_addr_r} /initrd.img
"""
GO = "booti ${kernel_addr_r} ${ramdisk_addr_r}:${filesize} ${fdtcontroladdr}\n"


def overlay(text):
    with tempfile.TemporaryDirectory() as folder:
        open(f"{folder}/a.dts", "w").write("/dts-v1/;\n/plugin/;\n" + text)
        subprocess.run(["dtc", "-q", "-@", "-I", "dts", "-O", "dtb", "-o", f"{folder}/a.dtbo", f"{folder}/a.dts"], check=True, capture_output=True)
        return open(f"{folder}/a.dtbo", "rb").read()


FITS = lambda: overlay('/ { fragment@0 { target-path = "/"; __overlay__ { orchard { note = "frost"; }; }; }; };')
TREE = """load ${devtype} ${devnum}:${distro_bootpart} 0x4a000000 /virt.dtb
fdt addr 0x4a000000
fdt resize 8192
"""
SLOTS = """test -n "${BOOT_ORDER}" || setenv BOOT_ORDER "A B"
test -n "${BOOT_A_LEFT}" || setenv BOOT_A_LEFT 3
test -n "${BOOT_B_LEFT}" || setenv BOOT_B_LEFT 3
setenv slot
for BOOT_SLOT in "${BOOT_ORDER}"; do
  if test "x${slot}" != "x"; then
    echo "a slot is chosen"
  elif test "x${BOOT_SLOT}" = "xA"; then
    if test 0x${BOOT_A_LEFT} -gt 0; then
      setexpr BOOT_A_LEFT ${BOOT_A_LEFT} - 1
      setenv slot A
    fi
  elif test "x${BOOT_SLOT}" = "xB"; then
    if test 0x${BOOT_B_LEFT} -gt 0; then
      setexpr BOOT_B_LEFT ${BOOT_B_LEFT} - 1
      setenv slot B
    fi
  fi
done
if test "x${slot}" = "xA"; then setenv bootargs "%s"; else setenv bootargs "%s"; fi
"""
WRONG = "root=PARTUUID=55555555-2222-4222-a222-222222222222 rootwait rw console=ttyAMA0,115200"
GOOD = f"root=PARTUUID={bench.ROOT} rootwait rw console=ttyAMA0,115200"

# name: (the text, more files, whether it starts, the causes that are right)
SCRIPTS = {
    "plain": (HEAD + LOADS + GO, {}, True, []),
    "initrd-without-size": (HEAD + LOADS + "booti ${kernel_addr_r} ${ramdisk_addr_r} ${fdtcontroladdr}\n", {}, False, ["initrd-missing", "initrd-corrupt"]),
    "tree-not-named": (HEAD + LOADS + "booti ${kernel_addr_r} ${ramdisk_addr_r}:${filesize}\n", {}, False, ["dtb-missing"]),
    "initrd-over-kernel": (HEAD + LOADS.replace("${ramdisk_addr_r}", "0x41000000") + GO.replace("${ramdisk_addr_r}", "0x41000000"), {}, False, ["initrd-corrupt", "kernel-corrupt"]),
    "kernel-over-initrd": (HEAD + "\n".join(reversed(LOADS.strip().split("\n"))).replace("${ramdisk_addr_r}", "0x41800000") + "\nsetenv size 0x20bc98\n" + GO.replace("${ramdisk_addr_r}:${filesize}", "0x41800000:${size}"), {}, False, ["initrd-corrupt", "kernel-corrupt"]),
    "initrd-behind-kernel": (HEAD + LOADS.replace("${ramdisk_addr_r}", "0x43000000") + GO.replace("${ramdisk_addr_r}", "0x43000000"), {}, True, []),
    "other-medium": (HEAD + LOADS.replace("${devtype} ${devnum}:${distro_bootpart}", "mmc 0:1") + GO, {}, False, ["boot-files-missing"]),
    "fixed-medium": (HEAD + LOADS.replace("${devtype} ${devnum}:${distro_bootpart}", "virtio 0:1") + GO, {}, True, []),
    "wrong-partition": (HEAD + LOADS.replace("${distro_bootpart}", "2") + GO, {}, False, ["boot-files-missing"]),
    "fall-back": (HEAD + LOADS.replace("/vmlinuz", "/vmlinuz-new || load ${devtype} ${devnum}:${distro_bootpart} ${kernel_addr_r} /vmlinuz") + GO, {}, True, []),
    "overlay-fits": (HEAD + TREE + "load ${devtype} ${devnum}:${distro_bootpart} 0x4b000000 /a.dtbo && fdt apply 0x4b000000\n" + LOADS + GO.replace("${fdtcontroladdr}", "0x4a000000"), {"a.dtbo": FITS, "virt.dtb": None}, True, []),
    "overlay-gone": (HEAD + TREE + "load ${devtype} ${devnum}:${distro_bootpart} 0x4b000000 /a.dtbo && fdt apply 0x4b000000\n" + LOADS + GO.replace("${fdtcontroladdr}", "0x4a000000"), {"virt.dtb": None}, True, []),
    "environment": ("load ${devtype} ${devnum}:${distro_bootpart} ${scriptaddr} /orchard.txt && env import -t ${scriptaddr} ${filesize}\nsetenv bootargs root=${rootdev} rootwait rw console=ttyAMA0,115200\n" + LOADS + GO, {"orchard.txt": f"rootdev=PARTUUID={bench.ROOT}\n".encode()}, True, []),
    "environment-windows": ("load ${devtype} ${devnum}:${distro_bootpart} ${scriptaddr} /orchard.txt && env import -t ${scriptaddr} ${filesize}\nsetenv bootargs root=${rootdev} rootwait rw console=ttyAMA0,115200\n" + LOADS + GO, {"orchard.txt": f"rootdev=PARTUUID={bench.ROOT}\r\n".encode()}, False, ["root-not-found"]),
    "slots": (SLOTS % (GOOD, WRONG) + LOADS + GO, {}, True, []),
    "slots-other": (SLOTS % (WRONG, GOOD) + LOADS + GO, {}, False, ["root-not-found"]),
    "slots-first-used-up": ("setenv BOOT_A_LEFT 0\n" + SLOTS % (WRONG, GOOD) + LOADS + GO, {}, True, []),
    "comp-cleared": (HEAD + "setenv kernel_comp_addr_r\n" + LOADS + GO, {"packed": True}, False, ["kernel-corrupt"]),
    "comp-set": (HEAD + "setenv kernel_comp_addr_r 0x50000000\nsetenv kernel_comp_size 0x4000000\n" + LOADS + GO, {"packed": True}, True, []),
    "comp-over-initrd": (HEAD + "setenv kernel_comp_addr_r 0x44000000\nsetenv kernel_comp_size 0x4000000\n" + LOADS + GO, {"packed": True}, False, ["initrd-corrupt"]),
    "menu-by-script": ("sysboot ${devtype} ${devnum}:${distro_bootpart} any ${scriptaddr} /menu.conf\n", {"menu.conf": f"label fallow\n kernel /vmlinuz\n initrd /initrd.img\n append {GOOD}\n".encode()}, True, []),
    "network": ("dhcp ${kernel_addr_r} fallow.img && booti ${kernel_addr_r} - ${fdtcontroladdr}\n", {}, "network", []),
    "part-uuid": ("part uuid ${devtype} ${devnum}:2 id\nsetenv bootargs root=PARTUUID=${id} rootwait rw console=ttyAMA0,115200\n" + LOADS + GO, {}, True, []),
    "unknown-command": (HEAD + "frobnicate all\n" + LOADS + GO, {}, True, []),
    "never-closed": (HEAD + "if test -n x; then\n" + LOADS + GO, {}, False, ["loader-config-missing"]),
}


def cases():
    for name, (text, files, boots, causes) in SCRIPTS.items():
        def build(text=text, files=files):
            system = ways.WAYS["script-arm64"]()
            system.way = "boot script of every kind"
            system.firmware = "U-Boot 2023.01 distro boot; own device tree with stdout-path"
            if files.get("packed"):
                system.kernel = __import__("gzip").compress(system.kernel, 1)

            def fill(s):
                out = {"boot.scr": script(text.replace("{options}", s.options)), "vmlinuz": s.kernel, "initrd.img": s.initrd}
                for path, content in files.items():
                    if path != "packed":
                        out[path] = bench.part("dtb/virt-arm64.dtb") if content is None else content() if callable(content) else content
                return out
            system.fill = fill
            return system
        yield f"script.{name}", build, boots, causes
