import { join } from "node:path";
import { causes, expect, expectAccessible, next, putOnBench, steps, test } from "./bench";

const log = (name: string) => join(import.meta.dirname, "../logs", name, "console.log");

test("a board that says nothing is found out by one look after another", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Bardsey", null);
  await steps(page).getByRole("link", { name: "Diagnose" }).click();
  const triage = page.getByRole("region", { name: "Nothing comes over the console" });
  const ranking = triage.getByRole("list", { name: "Causes, the likeliest first" });
  await expect(ranking.getByRole("listitem").first()).toContainText("%");
  await expectAccessible(page);
  // Whatever is asked: the board of this story is dark and its supply is dead.
  const story = [/^No light at all/, /^None at all/, /^Neither/, /^It stays on, or never/, /^It finds no signal/, /^Nothing comes back|^They come back/];
  for (let looks = 0; looks < 8; looks++) {
    if (await triage.getByRole("heading", { name: "No power", exact: true }).isVisible()) break;
    const question = await triage.locator("h3").first().textContent();
    const answers = await triage.getByRole("listitem").getByRole("button").allTextContents();
    const answer = answers.find((a) => story.some((s) => s.test(a))) ?? "I cannot look";
    await triage.getByRole("button", { name: answer }).click();
    await expect(triage.locator("h3").first()).not.toHaveText(question ?? "");
  }
  await expect(triage.getByRole("heading", { name: "No power", exact: true })).toBeVisible();
  await expect(triage.getByText("Plug in the supply, switch its outlet on, try another cable.")).toBeVisible();
  // It stands in the address: a reload keeps it, and an answer can be asked again.
  await page.reload();
  await expect(triage.getByRole("heading", { name: "No power", exact: true })).toBeVisible();
  await triage.getByRole("button", { name: /^Ask again: Does a light/ }).click();
  await expect(triage.getByRole("button", { name: /^Ask again: Does a light/ })).toHaveCount(0);
});

test("a failed boot stands beside the good one of the same board", async ({ page }) => {
  await page.goto("/boards/pearmain/diagnose");
  await expect(page.getByRole("list", { name: "Causes, the likeliest first" })).toBeVisible();
  await page.goto("/boards/bramley/diagnose");
  const good = page.getByRole("region", { name: "Beside the good one" });
  await expect(good).toContainText(/Boot \d+ of .* reached the login/);
  await expect(good.getByRole("heading", { name: /^Missing here \(\d+\)/ })).toBeVisible();
  await expectAccessible(page);
  await good.getByRole("link", { name: "Look at both" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Compare two logs" })).toBeVisible();
});

test("the first check clears a cause, and the second one confirms another", async ({ page }) => {
  await putOnBench(page, "Lodgemore", null);
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: "A log file" }).check();
  await page.getByLabel(/A console log/).setInputFiles(log("armhf-kernel-wrong-arch-1"));
  await expect(page.getByRole("region", { name: "Console" })).toContainText("U-Boot");
  await steps(page).getByRole("link", { name: "Diagnose" }).click();
  await expect(causes(page).first()).toContainText("Kernel for another instruction set");
  const check = page.getByRole("region", { name: "The next check" });
  await expect(check.getByRole("heading")).toContainText("For which instruction set is the kernel on the card?");
  await check.getByRole("button", { name: "For this board's" }).click();
  await expect(causes(page).first()).toContainText("Kernel damaged");
  await expect(check.getByRole("heading")).toContainText("Do size and checksum of the kernel on the card equal");
  await expect(check.getByRole("listitem").filter({ hasText: "They differ" })).toContainText(/Kernel damaged stands at 9\d %/);
  await check.getByRole("button", { name: "They differ" }).click();
  await expect(causes(page).first()).toContainText("Kernel damaged");
  await expect(causes(page).first()).toContainText("An answer finds it.");
  await expect(causes(page).first().getByText(/9\d %/)).toBeVisible();
});

test("a rule of one's own is tried, kept, seen at work and taken away", { tag: "@long" }, async ({ page }) => {
  await page.goto("/rules");
  await page.getByPlaceholder("Filter by name, stage or what it looks like").fill("overlay does not apply");
  await page.getByText("Device tree overlay does not apply").click();
  await page.getByRole("button", { name: "Add a rule" }).click();
  await page.getByLabel("Words in the line").fill("no such hedge at all");
  await page.getByRole("button", { name: "Try it over all logs" }).click();
  await expect(page.getByText(/^It fires in none of the \d+ logs/)).toBeVisible();
  await page.getByLabel("Words in the line").fill("Linux version");
  await page.getByRole("button", { name: "Try it over all logs" }).click();
  await expect(page.getByText(/^It would fire in \d+ logs? of \d+/)).toBeVisible();
  await page.getByLabel("What they show").fill("a hedge of our own");
  await page.getByLabel("How strongly").selectOption("A hint");
  await expectAccessible(page);
  await page.getByRole("button", { name: "Keep the rule" }).click();
  await expect(page.getByText("a hedge of our own")).toBeVisible();
  await expect(page.getByText("1 of your own, 0 switched off.")).toBeVisible();
  await page.getByRole("button", { name: "Remove the rule Linux version" }).click();
  await expect(page.getByText("was removed.")).toBeVisible();
  await page.getByRole("button", { name: "Take it back" }).click();
  await expect(page.getByText("a hedge of our own")).toBeVisible();
  await page.getByRole("button", { name: "Remove the rule Linux version" }).click();
  await expect(page.getByText("1 of your own, 0 switched off.")).toHaveCount(0);
  const off = page.getByLabel("In use: fdt_overlay_apply");
  await off.uncheck();
  await expect(page.getByText("0 of your own, 1 switched off.")).toBeVisible();
  await off.check();
  await expect(page.getByText(/switched off\./)).toHaveCount(0);
});

test("what came of a cause is shown up to the end, and a good boot of the lab where the bench has none", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Selsley", null);
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: "A log file" }).check();
  await page.getByLabel(/A console log/).setInputFiles({
    name: "orchard.log",
    mimeType: "text/plain",
    buffer: Buffer.from(
      "[    0.000000] Linux version 6.1.0\r\n[    1.000000] mmc0: error -110 whilst initialising SD card\r\n" +
        "[    2.000000] Waiting for root device /dev/mmcblk0p2...\r\n" +
        '[    9.000000] VFS: Cannot open root device "/dev/mmcblk0p2" or unknown-block(0,0): error -6\r\n' +
        "[    9.100000] Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0)\r\n",
    ),
  });
  await expect(page.getByRole("region", { name: "Console" })).toContainText("Unable to mount root");
  await steps(page).getByRole("link", { name: "Diagnose" }).click();
  await expect(causes(page).first()).toContainText("Card not seen");
  const later = causes(page).first().getByRole("list", { name: "What came of it: Card not seen" });
  await expect(later.getByRole("listitem")).toHaveText([/4 Root not found: .*Cannot open root device/, /5 The boot ended here: .*Kernel panic/]);
  await later.getByRole("link", { name: "4" }).click();
  await expect(page.getByRole("region", { name: "Console" })).toContainText("Cannot open root device");
});

test("a real log without a good boot on the bench stands beside the nearest one of the lab", { tag: "@long" }, async ({ page }) => {
  await page.goto("/boards/new");
  await page.getByLabel("Nickname").fill("Uley");
  await page.getByLabel("Model").selectOption({ label: "Windle Vane 3" });
  await page.getByRole("radio").first().check();
  await page.getByRole("button", { name: "Put it on the bench" }).click();
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: "A log file" }).check();
  await page.getByLabel(/A console log/).setInputFiles(log("arm64-too-little-ram-2"));
  await expect(page.getByRole("region", { name: "Console" })).toContainText("Linux version");
  await steps(page).getByRole("link", { name: "Diagnose" }).click();
  const good = page.getByRole("region", { name: "Beside the good one" });
  await expect(good).toContainText(/The nearest good one of the lab is .*, Linux \d+\.\d+\. From line \d+ on/);
  await expect(good.getByRole("heading", { name: /^Only here/ })).toBeVisible();
});

test("what the eyes saw is counted, also behind the end of the capture", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Stancombe", "none");
  await next(page).getByRole("button", { name: /Take it/ }).click();
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("button", { name: "Power on" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Reached login" })).toBeVisible();
  await page.getByRole("button", { name: "Power off" }).click();
  await page.getByRole("button", { name: /^Mark/ }).first().click();
  await page.getByRole("button", { name: "The screen stays dark" }).click();
  await steps(page).getByRole("link", { name: "Diagnose" }).click();
  await expect(causes(page).first()).toContainText("Screen output off or another socket");
  await expect(causes(page).first()).toContainText("it boots, and the screen stays dark");
  await expectAccessible(page);
});
