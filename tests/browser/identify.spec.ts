import { join } from "node:path";
import { expect, expectAccessible, test } from "./bench";

const candidates = (page: import("@playwright/test").Page) => page.getByRole("list", { name: "Boards that it may be" });

test("an unknown board is told from its log, and sources that disagree are shown", { tag: "@long" }, async ({ page }) => {
  await page.goto("/boards/new");
  await page.getByText("Not sure which board it is?").click();
  await page.getByLabel("Its boot log, or text of the running system").fill("Model: Thornlea Spindle 2 rev 1.3\nDRAM:  2 GiB\n");
  await page.getByRole("button", { name: "Tell me" }).click();
  await expect(candidates(page).getByRole("listitem").first()).toContainText("Thornlea Spindle 2, revision 1.3, 2 GB");
  await page.getByLabel("What is printed on it").fill("SP2 v1.1");
  await page.getByRole("button", { name: "Tell me" }).click();
  await expect(page.getByText("The mark says Spindle 2, revision 1.1, the log says Spindle 2, revision 1.3.")).toBeVisible();
  await expect(page.getByText("Look here next: under the maker's name, beside the header.")).toBeVisible();
  await expectAccessible(page);
  await page.getByRole("button", { name: "Use Thornlea Spindle 2, revision 1.3" }).click();
  await expect(page.getByRole("radio", { name: /SP2 v1.3/ })).toBeChecked();
});

test("what eyes see narrows the candidates, one look after another", { tag: "@long" }, async ({ page }) => {
  await page.goto("/boards/new");
  await page.getByText("Not sure which board it is?").click();
  await page.getByLabel("What is printed on it").fill("SPINDLE 2");
  await page.getByRole("button", { name: "Tell me" }).click();
  await expect(candidates(page)).toContainText("Thornlea Spindle 2, revision 1.1");
  await page.getByRole("button", { name: /^SP2 v1.3/ }).click();
  await expect(candidates(page).getByRole("listitem").first()).toContainText("Thornlea Spindle 2, revision 1.3");
  await expect(page.getByText("You saw SP2 v1.3 there.")).toBeVisible();
  await page.getByRole("button", { name: "Take it back" }).click();
  await expect(page.getByText("You saw SP2 v1.3 there.")).toHaveCount(0);
});

test("a revision code is read field by field", { tag: "@long" }, async ({ page }) => {
  await page.goto("/boards/new");
  await page.getByText("Not sure which board it is?").click();
  await page.getByLabel("Its revision code").fill("c4023");
  await page.getByRole("button", { name: "Tell me" }).click();
  await expect(page.locator("dl", { hasText: "Code, read as" })).toContainText("Spindle 2");
  await expect(candidates(page).getByRole("listitem").first()).toContainText("Spindle 2, revision 1.3");
});

test("a board without a card gets one from its device tree, asking only for the rest", { tag: "@long" }, async ({ page }) => {
  await page.goto("/boards/new");
  await page.getByText("Not sure which board it is?").click();
  await page.getByLabel("A device tree, or a log file").setInputFiles(join(import.meta.dirname, "pip.dtb"));
  await page.getByRole("button", { name: "Tell me" }).click();
  await page.getByRole("button", { name: "It has no profile here: make one from pip.dtb" }).click();
  const draft = page.getByRole("form", { name: "A profile for it" });
  await expect(draft.locator("dl")).toContainText("Quince");
  await expect(draft.locator("dl")).toContainText("64-bit ARM");
  await expect(draft.locator("dl")).toContainText("ttyS0");
  await expect(draft.locator("dl")).toContainText("115200 bits a second");
  await expect(draft.getByLabel("Who made it?")).toHaveCount(0);
  await draft.getByLabel("What is printed on it?").fill("PIP-1 A");
  await draft.getByLabel("Header").fill("Three pins beside the socket");
  await draft.getByLabel("Ground pin").fill("1");
  await draft.getByLabel("Transmit pin").fill("2");
  await draft.getByLabel("Receive pin").fill("3");
  await expectAccessible(page);
  await draft.getByRole("button", { name: "Keep this profile" }).click();
  await expect(page.getByRole("radio", { name: /PIP-1 A/ })).toBeChecked();
  await expect(page.getByRole("combobox", { name: "Model" })).toHaveValue("quince-pip-1");

  await page.goto("/profiles#quince-pip-1");
  const card = page.getByRole("group", { name: /^Details of .*Pip 1/ });
  await expect(card.getByRole("rowheader", { name: "A", exact: true })).toBeVisible();
  const download = page.waitForEvent("download");
  await page.getByRole("checkbox", { name: /^Choose .*Pip 1/ }).check();
  await page.getByRole("link", { name: "Take as YAML" }).click();
  const file = await (await download).path();
  await page.getByRole("button", { name: "Remove it" }).click();
  await expect(page.locator("#quince-pip-1")).toHaveCount(0);
  await page.getByLabel("Bring in a profile or a pack").setInputFiles(file);
  await expect(page.getByText("Added: quince-pip-1.")).toBeVisible();
  await page.getByRole("checkbox", { name: /^Choose .*Pip 1/ }).check();
  await page.getByRole("button", { name: "Remove it" }).click();
  await expect(page.locator("#quince-pip-1")).toHaveCount(0);
});

test.describe("a refused pack", () => {
  test.use({ provoked: /422/ });
  test("a pack that is not one is refused in words", async ({ page }) => {
    await page.goto("/profiles");
    await page.getByLabel("Bring in a profile or a pack").setInputFiles({
      name: "list.yaml",
      mimeType: "application/yaml",
      buffer: Buffer.from("apples: 3\n"),
    });
    await expect(page.getByRole("alert")).toContainText("list.yaml");
    await expectAccessible(page);
  });
});
