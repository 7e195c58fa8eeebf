import { expect, expectAccessible, test } from "./bench";

test("what is wanted ranks the images again at once", async ({ page }) => {
  await page.goto("/boards/russet/match");
  const first = page.getByRole("main").getByRole("heading", { level: 3 }).first();
  await expect(first).toHaveText("Fallow 12 server");
  const changed = page.getByRole("region", { name: "Fits after a change" });
  await expect(changed).toContainText("Asks its first questions on a screen");
  await page.getByLabel("With a screen").check();
  await expect(changed).not.toContainText("Asks its first questions on a screen");
  await page.getByLabel("How it lies on the media").selectOption({ label: "Soldered flash later" });
  await expect(page.getByText("This board has no soldered flash that it starts from.").first()).toBeVisible();
  await expectAccessible(page);
});

test("two images are laid side by side by keyboard, and their difference is named", { tag: "@long" }, async ({ page }) => {
  await page.goto("/boards/russet/match");
  for (const name of ["Fallow 12 server", "Tallow 4 minimal"]) {
    await page
      .getByRole("checkbox", {
        name: `Compare ${name}, 64-bit RISC-V`,
      })
      .focus();
    await page.keyboard.press("Space");
  }
  const table = page.getByRole("region", { name: "Two images" });
  await expect(table.getByRole("row", { name: /^Kernel *, differs 6.6.30 6.6.12/ })).toBeVisible();
  await expect(table.getByRole("row", { name: /^Console ttyS0,115200 ttyS0,115200/ })).toBeVisible();
  await expect(table).toContainText("on this board");
  await expectAccessible(page);
  await page.getByRole("button", { name: "Back to the list" }).click();
  await expect(table).toHaveCount(0);
});
