import { execFileSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";

const start = 1 << 20;
const root = 11 << 20;

/** A small Linux image: one ext4 partition with extlinux.conf, the head of an ARM64 kernel and a root file system; with a device tree beside the kernel when one is named. */
export function linuxImage(path: string, tree?: string) {
  const folder = mkdtempSync(join(tmpdir(), "buttonhook-root-"));
  const kernel = Buffer.alloc(64 << 10);
  kernel.writeUInt32LE(kernel.length, 16);
  kernel.write("ARM\x64", 56, "latin1");
  const files: [string, string | Buffer][] = [
    ["etc/os-release", 'NAME="Orchard"\nVERSION_ID="7"\nID=orchard\nPRETTY_NAME="Orchard 7 server"\n'],
    ["etc/passwd", "root:x:0:0:root:/root:/bin/sh\n"],
    ["etc/fstab", "LABEL=orchard / ext4 defaults 0 1\n"],
    ["boot/Image", kernel],
    [
      "boot/extlinux/extlinux.conf",
      "default o\nlabel o\n  linux /boot/Image\n  append root=LABEL=orchard rootwait console=ttyS0,115200\n",
    ],
  ];
  if (tree !== undefined) files.push(["boot/dtbs/pip.dtb", readFileSync(tree)]);
  for (const [name, content] of files) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), content);
  }
  const fileSystem = join(folder, "..", `${Date.now()}.ext4`);
  execFileSync("/sbin/mke2fs", ["-q", "-t", "ext4", "-L", "orchard", "-d", folder, fileSystem, `${root >> 10}k`]);
  const disk = Buffer.alloc(start + root);
  disk[446] = 0x80;
  disk[446 + 4] = 0x83;
  disk.writeUInt32LE(start / 512, 446 + 8);
  disk.writeUInt32LE(root / 512, 446 + 12);
  disk.writeUInt16LE(0xaa55, 510);
  readFileSync(fileSystem).copy(disk, start);
  writeFileSync(path, disk);
}
