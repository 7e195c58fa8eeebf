import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { tmpdir } from "node:os";
import { expect, expectAccessible, next, openGroup, putOnBench, steps, test } from "./bench";

/** Takes an image for the board that is shown. */
async function take(page: import("@playwright/test").Page, title: string) {
  await page.getByRole("link", { name: "Match" }).click();
  await page.getByRole("button", { name: `Take ${title}` }).first().click();
  await expect(page.getByRole("heading", { name: "Write the card", exact: true })).toBeVisible();
}

// A whole card is written: on a slow machine that takes longer than a page.
test.describe.configure({ timeout: 480_000 });

test.describe("from an image to a login", () => {
  test.use({ provoked: /422/ });
test("an image goes onto a card with its first-boot files, and the board starts from that very card", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Egremont", "The command line names another card's partition");
  await take(page, "Fallow 12 server");
  await page.getByLabel("Host name").fill("Frost North");
  await page.getByRole("button", { name: "Set this" }).click();
  await expect(page.getByRole("alert")).toContainText("A host name has small letters, digits and dashes");
  await page.getByLabel("Host name").fill("frost-north");
  await page.getByLabel("User", { exact: true }).fill("warden");
  await page.getByLabel("Password", { exact: true }).fill("correct horse battery");
  await page.getByLabel("Remote login").check();
  await openGroup(page, "Where it stands");
  await page.getByLabel("Time zone").fill("Europe/Lisbon");
  await openGroup(page, "Recipes");
  await page.getByLabel("Frost sentinel, logging to memory").check();
  await page.getByRole("button", { name: "Set this" }).click();
  await expect(page.getByText("Set. Passwords are kept only")).toBeVisible();
  await page.getByText("/var/lib/cloud/seed/nocloud/user-data").first().click();
  const userData = page.getByLabel("/var/lib/cloud/seed/nocloud/user-data");
  await expect(userData).toContainText('hostname: "frost-north"');
  await expect(userData).toContainText("$6$");
  await expect(userData).not.toContainText("correct horse");
  await expect(page.getByText("played on this board without starting it")).toBeVisible();
  await expectAccessible(page);

  await page.getByLabel("Slot", { exact: true }).selectOption("slot-1");
  await page.getByRole("button", { name: "Write this card" }).click();
  await expect(page.getByRole("progressbar")).toBeVisible();
  // Writing goes on while the page is elsewhere.
  await page.goto("/");
  await page.goBack();
  await expect(page.getByText(/^Ready: Fallow 12 server \(stand-in\) in 32 GB card, sound/)).toBeVisible({ timeout: 240_000 });
  await expect(page.getByRole("list", { name: "What was proven" })).toContainText("Dry boot from this very card: it boots.");
  await page.getByText("Its links, one by one").click();
  await expect(page.getByRole("list", { name: "Links of the boot chain" }).first()).toBeVisible();
  await expectAccessible(page);

  await steps(page).getByRole("link", { name: "Connect" }).click();
  await next(page).getByRole("button", { name: /Boot it/ }).click();
  await expect(page.getByText("frost-north login:")).toBeVisible({ timeout: 240_000 });
});
});

test("a card with two systems behind a menu starts the one that is taken, and a loader starts its root on a drive", { tag: "@long" }, async ({ page }) => {
  // Cards of its own: other tests write theirs meanwhile.
  for (const [id, name] of [["slot-menu", "8 GB card for a menu"], ["slot-drive", "8 GB drive"]])
    await page.request.put(`/api/slots/${id}`, {
      data: { name, setup: { labelGb: 8, trueGb: null, readOnlyFromMiB: null, unreadableAtMiB: null, removedAtMiB: null, megabytesPerSecond: 100 } },
    });
  await putOnBench(page, "Dunnock", "none");
  await take(page, "Tallow 4 minimal");
  await page.getByLabel("How it is laid out").selectOption("boot-menu");
  await page.getByLabel("Slot", { exact: true }).selectOption("slot-menu");
  const write = page.getByRole("button", { name: "Write this card" });
  await expect(write).toBeDisabled();
  await page.getByRole("group", { name: "Systems beside it in the menu" }).getByLabel(/^Tallow 3/).check();
  await expectAccessible(page);
  await write.click();
  const proven = page.getByRole("list", { name: "What was proven" });
  await expect(proven).toContainText("Dry boot of entry 1, Tallow 4 minimal (stand-in), root on partition 2: it boots.", { timeout: 240_000 });
  await expect(proven).toContainText(/Dry boot of entry 2, Tallow 3.*root on partition 3: it boots\./);
  await steps(page).getByRole("link", { name: "Connect" }).click();
  await next(page).getByRole("button", { name: /Boot it/ }).click();
  // Without a choice the first one starts. The menu is short here: a sequence answers it at the next start.
  await expect(page.getByText("dunnock login:")).toBeVisible({ timeout: 240_000 });
  const type = async (text: string) => {
    await page.getByLabel("Type to the board").fill(text);
    await page.getByLabel("Type to the board").press("Enter");
  };
  await type("tallow");
  await type("tallow");
  await expect(page.getByText("@dunnock:", { exact: false }).last()).toBeVisible();
  await page.getByRole("region", { name: "Console", exact: true }).focus();
  await page.keyboard.press("m");
  const sequences = page.getByRole("region", { name: "Sequences" });
  await sequences.getByRole("button", { name: "Write a sequence" }).click();
  await sequences.getByLabel("Name of the sequence").fill("Second system");
  await sequences.getByLabel("1. Wait for").fill("Enter choice:");
  await sequences.getByLabel("Then type").fill("2\\r");
  await sequences.getByRole("button", { name: "Keep the sequence" }).click();
  await sequences.getByRole("button", { name: "Second system" }).click();
  await type("sudo reboot");
  await expect(page.getByRole("list", { name: "What was seen and done" })).toContainText("Second system: done");
  await expect(page.getByRole("region", { name: "Console", exact: true })).toContainText("mmcblk0p3", { timeout: 240_000 });
  await page.getByRole("button", { name: "Power off" }).click();

  await steps(page).getByRole("link", { name: "Prepare" }).click();
  await page.getByLabel("How it is laid out").selectOption("loader-on-card");
  await page.getByLabel("Slot", { exact: true }).selectOption("slot-menu");
  await page.getByLabel("Slot of the drive that takes the root").selectOption("slot-drive");
  await expect(page.getByText("Writing erases what is in both slots.")).toBeVisible();
  await write.click();
  await expect(proven).toContainText("Dry boot from this very card and its drive: it boots.", { timeout: 240_000 });
});

for (const [slot, checkSize, said] of [
  ["slot-2", true, /It holds about 7\.3 GiB/],
  ["slot-3", false, /Became read-only at/],
  ["slot-4", false, /It cannot be read at 70 MiB/],
  ["slot-5", false, /It was gone at/],
] as const)
  test(`the fault of the card in ${slot} is found and named`, { tag: slot === "slot-5" ? [] : "@long" }, async ({ page }) => {
    await putOnBench(page, `Egremont ${slot}`, "none");
    await take(page, "Tallow 4 minimal");
    await page.getByLabel("Slot", { exact: true }).selectOption(slot);
    if (checkSize) await page.getByLabel("Check first whether it is as large").check();
    await page.getByRole("button", { name: "Write this card" }).click();
    await expect(page.getByRole("alert")).toContainText(said, { timeout: 240_000 });
    await expectAccessible(page);
  });

test("a file that comes back from an editor is mended", async ({ page }) => {
  await page.goto("/boards/bramley/prepare");
  await page.getByText("A boot file that you edited yourself").click();
  const path = join(tmpdir(), `cmdline.txt.txt`);
  writeFileSync(path, "\uFEFFconsole=ttyS0,115200 \u201Croot=LABEL=x\u201D\u00A0rootwait\r\nquiet\r\n");
  await page.getByLabel("Choose it, and see").setInputFiles(path);
  await expect(page.getByText("Its name has a hidden ending")).toContainText("cmdline.txt");
  await expect(page.getByText("It has 2 lines; only the first one counts.")).toBeVisible();
  await expect(page.getByLabel("The clean text")).toHaveText('console=ttyS0,115200 "root=LABEL=x" rootwait quiet\n');
});

test("the files are taken as a zip, and a recipe as YAML", async ({ page }) => {
  await page.goto("/boards/bramley/prepare");
  await openGroup(page, "Where it stands");
  await page.getByLabel("Keyboard").fill("pt");
  await page.getByRole("button", { name: "Set this" }).click();
  await openGroup(page, "Recipes");
  const zip = page.waitForEvent("download");
  await page.getByRole("link", { name: "Take the files as a zip" }).click();
  const file = readFileSync(await (await zip).path());
  expect(file.subarray(0, 2).toString()).toBe("PK");
  expect(file.includes("user-data")).toBe(true);
  await page.getByText("What it does").first().click();
  const recipe = page.waitForEvent("download");
  await page.getByRole("link", { name: /Take .* as YAML/ }).first().click();
  expect(readFileSync(await (await recipe).path(), "utf8")).toContain("buttonhook.recipe/1");
});

test("a supply, a cable and a wiring that would fail are refused with their numbers", { tag: "@long" }, async ({ page }) => {
  await page.goto("/boards/russet/identify");
  await page.getByLabel("Supply", { exact: true }).selectOption({ label: "5 V, 3 A with USB-C" });
  await page.getByLabel("Its cable", { exact: true }).selectOption({ label: "2 m, thin (0.08 mm²)" });
  await page.getByRole("button", { name: "Save what changed" }).click();
  await expect(page.getByText("Saved.")).toBeVisible();
  await page.getByRole("link", { name: "Connect" }).click();
  await expect(page.getByText("3.04 V arrive at the board, it needs 4.70 V").first()).toBeVisible();
  await expect(page.getByText("Take this cable: 0.5 m, thick (0.5 mm²).")).toBeVisible();
  await expect(page.getByRole("heading", { name: "Before power" })).toBeVisible();
  await expectAccessible(page);
  await page.goto("/boards/russet/identify");
  await page.getByLabel("Its cable", { exact: true }).selectOption({ label: "0.5 m, thick (0.5 mm²)" });
  await page.getByLabel("Spinning disk", { exact: true }).check();
  await page.getByLabel("Console adapter", { exact: true }).selectOption({ label: "USB adapter, RS-232 with nine-pin plug" });
  await page.getByRole("button", { name: "Save what changed" }).click();
  await expect(page.getByText("Saved.")).toBeVisible();
  await page.getByRole("link", { name: "Connect" }).click();
  await expect(page.getByText("Do not wire this.")).toBeVisible();
  await expect(page.getByText("RS-232 destroys a logic pin.")).toBeVisible();
  await expect(page.getByText("Needs 4.0 A at the board; this supply gives 3.0 A.").first()).toBeVisible();
  await expect(page.getByText("Feed this part from its own supply: Spinning disk, 1.8 A.")).toBeVisible();
  await page.goto("/boards/russet/identify");
  await page.getByLabel("Spinning disk", { exact: true }).uncheck();
  await page.getByLabel("Console adapter", { exact: true }).selectOption({ label: "USB adapter, 3.3 V" });
  await page.getByRole("button", { name: "Save what changed" }).click();
  await expect(page.getByText("Saved.")).toBeVisible();
});
