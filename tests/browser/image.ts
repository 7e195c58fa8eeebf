import { execFileSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";

const start = 1 << 20;
const root = 11 << 20;

/** What an image is made with besides its usual files. */
export type Made = { tree?: string; append?: string; mountTable?: string; firstLoader?: { at: number; mark: string } };

/** A small Linux image: one ext4 partition with extlinux.conf, the head of an ARM64 kernel and a root file system; with a device tree beside the kernel when one is named. */
export function linuxImage(path: string, { tree, append, mountTable, firstLoader }: Made = {}) {
  const folder = mkdtempSync(join(tmpdir(), "buttonhook-root-"));
  const kernel = Buffer.alloc(64 << 10);
  kernel.writeUInt32LE(kernel.length, 16);
  kernel.write("ARM\x64", 56, "latin1");
  // Drivers that it has built in.
  kernel.write("EXT4-fs mmcblk usb-storage", 4096, "latin1");
  const program = Buffer.alloc(64);
  program.write("\x7fELF\x02\x01", 0, "latin1");
  program.writeUInt16LE(183, 18);
  const files: [string, string | Buffer][] = [
    ["etc/os-release", 'NAME="Orchard"\nVERSION_ID="7"\nID=orchard\nPRETTY_NAME="Orchard 7 server"\n'],
    ["etc/passwd", "root:x:0:0:root:/root:/bin/sh\n"],
    ["etc/fstab", `LABEL=orchard / ext4 defaults 0 1\n${mountTable ?? ""}`],
    ["etc/inittab", "ttyS0::respawn:/sbin/getty -L ttyS0 115200 vt100\n"],
    ["sbin/init", program],
    ["lib/systemd/systemd", program],
    ["boot/Image", kernel],
    [
      "boot/extlinux/extlinux.conf",
      `default o\nlabel o\n  linux /boot/Image\n  append ${append ?? "root=LABEL=orchard rootwait console=ttyS0,115200"}\n`,
    ],
  ];
  if (tree !== undefined) files.push(["boot/dtbs/pip.dtb", readFileSync(tree)]);
  for (const [name, content] of files) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), content, { mode: name === "sbin/init" ? 0o755 : 0o644 });
  }
  const fileSystem = join(folder, "..", `${Date.now()}.ext4`);
  execFileSync("/sbin/mke2fs", ["-q", "-t", "ext4", "-L", "orchard", "-d", folder, fileSystem, `${root >> 10}k`]);
  const disk = Buffer.alloc(start + root);
  disk[446] = 0x80;
  disk[446 + 4] = 0x83;
  disk.writeUInt32LE(start / 512, 446 + 8);
  disk.writeUInt32LE(root / 512, 446 + 12);
  disk.writeUInt16LE(0xaa55, 510);
  if (firstLoader) disk.write(firstLoader.mark, firstLoader.at, "latin1");
  readFileSync(fileSystem).copy(disk, start);
  writeFileSync(path, disk);
}
