import { createHash } from "node:crypto";
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, expectAccessible, test } from "./bench";
import { linuxImage } from "./image";

test("an image file is looked into and its chain is shown torn where it breaks", async ({ page }) => {
  // One partition that ends beyond the file: an image that was cut off.
  const disk = Buffer.alloc(2 << 20);
  disk.writeUInt32LE(2048, 446 + 8);
  disk.writeUInt32LE(1 << 16, 446 + 12);
  disk[446 + 4] = 0x83;
  disk.writeUInt16LE(0xaa55, 510);
  const path = join(mkdtempSync(join(tmpdir(), "buttonhook-")), "cut.img");
  writeFileSync(path, disk);
  await page.goto("/images");
  await page.getByLabel(/Path on this computer/).fill(path);
  await page.getByLabel("Dry boot on").selectOption({ label: "Bramley, Spindle 2, rev 1.3, 2 GB" });
  await page.getByRole("button", { name: "Look into it" }).click();
  await expect(page.getByRole("heading", { name: "It does not boot on this board" })).toBeVisible();
  await expect(page.getByRole("list", { name: "Links of the boot chain" })).toContainText("Partition 1 ends at byte 34603008");
  await expect(page.getByRole("list", { name: "Links of the boot chain" }).getByRole("listitem").last()).toHaveText(/Login.*not reached/);
  await expect(page.getByText("Get the whole image and write it again.")).toBeVisible();
  await expectAccessible(page);
});

test("two faults are shown at once, and a copy with both mended boots dry", { tag: "@long" }, async ({ page }) => {
  const folder = mkdtempSync(join(tmpdir(), "buttonhook-"));
  const path = join(folder, "orchard-8.img");
  linuxImage(path, {
    append: "root=LABEL=orchrd rootwait console=ttyS2,115200",
    mountTable: "UUID=00c0ffee-0000-4000-a000-000000000001 /srv ext4 defaults 0 2\n",
    firstLoader: { at: 32768, mark: "SPL2" },
  });
  const before = createHash("sha256").update(readFileSync(path)).digest("hex");
  await page.goto("/images");
  await page.getByLabel(/Path on this computer/).fill(path);
  await page.getByLabel("Dry boot on").selectOption({ label: "Bramley, Spindle 2, rev 1.3, 2 GB" });
  await page.getByRole("button", { name: "Look into it" }).click();
  await expect(page.getByRole("heading", { name: "It does not boot on this board" })).toBeVisible();
  await expect(page.getByText("2 links are broken. In this order they are mended:")).toBeVisible();
  await expect(page.locator("del", { hasText: "root=LABEL=orchrd" })).toBeVisible();
  await expect(page.locator("ins", { hasText: "defaults,nofail" })).toBeVisible();
  await expectAccessible(page);
  await page.getByRole("button", { name: "Make these 2 changes in a copy" }).click();
  await expect(page.getByRole("heading", { name: "It boots on this board" })).toBeVisible();
  await expect(page.getByText(`a copy of ${path} with the lines changed that its dry boot named`)).toBeVisible();
  await expect(page.getByRole("button", { name: /in a copy/ })).toHaveCount(0);
  // The image itself is as it was.
  expect(createHash("sha256").update(readFileSync(path)).digest("hex")).toBe(before);
});

test("a file that is sent is looked into, compared with its sum and put on the shelf", { tag: "@long" }, async ({ page }) => {
  const disk = Buffer.alloc(2 << 20, 1);
  disk.writeUInt16LE(0, 510);
  const name = `sent-${Date.now()}.img`;
  const sum = createHash("sha256").update(disk).digest("hex");
  await page.goto("/images");
  await page.getByLabel(/Published SHA-256/).fill(`${sum}  other.img`);
  await page.getByLabel(/choose or drop a file/).setInputFiles({
    name,
    mimeType: "application/octet-stream",
    buffer: disk,
  });
  await expect(page.getByText("This text has no such line.").or(page.getByText(/“.*” is none/))).toBeVisible();
  await page.getByLabel(/Published SHA-256/).fill(sum);
  await page.getByRole("button", { name: "Look into it" }).click();
  await expect(page.getByText("The checksum is the published one.")).toBeVisible();
  await page.reload();
  await expect(page.getByText("Nothing that is known here stands at its beginning")).toBeVisible();
});

test("an image is put on the shelf, with its card, and taken off again", { tag: "@long" }, async ({ page }) => {
  const folder = mkdtempSync(join(tmpdir(), "buttonhook-"));
  const path = join(folder, "orchard-7.img");
  linuxImage(path);
  await page.goto("/images");
  await page.getByLabel(/Path on this computer/).fill(path);
  await page.getByRole("button", { name: "Look into it" }).click();
  await expect(page.getByText("Orchard 7 server")).toBeVisible();
  await page.getByRole("button", { name: "Put it on the shelf" }).click();
  await expect(page.getByText(/is on the shelf, 12 MiB unpacked/)).toBeVisible();
  await page.getByRole("button", { name: "Orchard 7 server", exact: true }).click();
  const card = page.getByRole("group", { name: "Details of Orchard 7 server" });
  await expect(card.getByText(path)).toBeVisible();
  await expect(card.getByText("ttyS0,115200").first()).toBeVisible();
  await expectAccessible(page);
  await page.getByRole("checkbox", { name: "Choose Orchard 7 server" }).check();
  await page.getByRole("button", { name: "Remove it" }).click();
  await expect(card).toHaveCount(0);
  await page.getByRole("button", { name: "Take it back" }).click();
  await expect(page.getByRole("button", { name: "Orchard 7 server", exact: true })).toBeVisible();
  await page.getByRole("checkbox", { name: "Choose Orchard 7 server" }).check();
  await page.getByRole("button", { name: "Remove it" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Removed: Orchard 7 server." })).toBeVisible();
});
