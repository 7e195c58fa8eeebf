import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, expectAccessible, test } from "./bench";

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
  await expect(page.getByText("Get the whole image and write it again.")).toBeVisible();
  await expectAccessible(page);
});

test("an unknown board is told from its log, and sources that disagree are shown", async ({ page }) => {
  await page.goto("/boards/new");
  await page.getByText("Not sure which board it is?").click();
  await page.getByLabel("Its boot log, or text of the running system").fill("Model: Thornlea Spindle 2 rev 1.3\nDRAM:  2 GiB\n");
  await page.getByRole("button", { name: "Tell me" }).click();
  await expect(page.locator(".candidates li").first()).toContainText("Thornlea Spindle 2, revision 1.3, 2 GB");
  await page.getByLabel("What is printed on it").fill("SP2 v1.1");
  await page.getByRole("button", { name: "Tell me" }).click();
  await expect(page.getByText("The mark says Spindle 2, revision 1.1, the log says Spindle 2, revision 1.3.")).toBeVisible();
  await expect(page.getByText("Look here next: under the maker's name, beside the header.")).toBeVisible();
  await expectAccessible(page);
  await page.getByRole("button", { name: "Use Thornlea Spindle 2, revision 1.3" }).click();
  await expect(page.getByRole("radio", { name: /SP2 v1.3/ })).toBeChecked();
});
