import { resolve } from "node:path";
import { readFileSync } from "node:fs";
import { causes, expect, expectAccessible, openGroup, next, putOnBench, steps, tellWritten, test } from "./bench";

const done = (page: import("@playwright/test").Page, step: string) =>
  steps(page).getByRole("link", { name: new RegExp(`${step}.*done`) });

test.describe("choosing, writing and wiring are three things", () => {
  test.describe.configure({ timeout: 480_000 });

  test("the steps and the next thing are true at every moment", { tag: "@long" }, async ({ page }) => {
    await putOnBench(page, "Sorb", "none");
    await next(page).getByRole("button", { name: /Take it/ }).click();
    await expect(done(page, "Match")).toBeVisible();
    await expect(done(page, "Prepare")).toHaveCount(0);
    await expect(next(page).getByRole("heading")).toHaveText("Prepare and write the card");
    await expect(page).toHaveURL(/prepare$/);
    await expect(page.getByText("A stand-in.", { exact: true })).toBeVisible();
    await steps(page).getByRole("link", { name: "Match" }).click();
    await expect(page.getByText("Chosen, not on a card yet")).toBeVisible();

    // Half written: stopped in the middle.
    await steps(page).getByRole("link", { name: "Prepare" }).click();
    await page.getByLabel("Slot", { exact: true }).selectOption("slot-6");
    await page.getByRole("button", { name: "Write this card" }).click();
    await expect(page.getByRole("progressbar", { name: /^Writing/ })).toBeVisible({ timeout: 180_000 });
    await expect(next(page).getByRole("heading")).toHaveText("Wait for the card");
    await page.getByRole("button", { name: "Stop", exact: true }).click();
    await expect(next(page).getByRole("heading")).toHaveText("Write the card again");
    await expect(done(page, "Prepare")).toHaveCount(0);
    await expect(page.getByRole("listitem").filter({ hasText: "Sorb" }).first()).toContainText("Card half written");

    // Written and read back; then wires and supply, then power.
    await page.getByLabel("Slot", { exact: true }).selectOption("slot-1");
    await page.getByRole("button", { name: "Write this card" }).click();
    await expect(page.getByText(/^Ready: Fallow 12 server \(stand-in\)/)).toBeVisible({ timeout: 240_000 });
    await expect(done(page, "Prepare")).toBeVisible();
    await expect(done(page, "Connect")).toHaveCount(0);
    await expect(next(page).getByRole("heading")).toHaveText("Wire the console and the supply");
    await next(page).getByRole("button", { name: /Wires and supply/ }).click();
    await expect(page.getByText("Leave the adapter's supply wire off (5 V, red)")).toBeVisible();
    await expectAccessible(page);
    await next(page).getByRole("button", { name: /Boot it/ }).click();
    await expect(page.getByRole("status").filter({ hasText: "Reached login" })).toBeVisible();
    await expect(done(page, "Connect")).toBeVisible();
    await expect(done(page, "Boot")).toBeVisible();
  });
});

test.describe("what was typed", () => {
  test.use({ provoked: /status of 412/ });
  test.describe.configure({ timeout: 480_000 });

  test("stays while the person looks elsewhere, and two windows do not overwrite each other", { tag: "@long" }, async ({ page, context }) => {
    await putOnBench(page, "Nonpareil", "none");
    await next(page).getByRole("button", { name: /Take it/ }).click();
    await page.getByLabel("Host name").fill("frost-west");
    await expect(page.getByText("Not set yet; it is kept here")).toBeVisible();
    await steps(page).getByRole("link", { name: "Identify" }).click();
    await steps(page).getByRole("link", { name: "Prepare" }).click();
    await expect(page.getByLabel("Host name")).toHaveValue("frost-west");

    // Another window sets a time zone meanwhile.
    const other = await context.newPage();
    await other.goto(page.url());
    await openGroup(other, "Where it stands");
    await other.getByLabel("Time zone").fill("Europe/Lisbon");
    await other.getByRole("button", { name: "Set this" }).click();
    await expect(other.getByText("Set. Passwords are kept only")).toBeVisible();
    await other.close();

    await page.getByRole("button", { name: "Set this" }).click();
    await expect(page.getByText("Changed in another window meanwhile.")).toBeVisible();
    await expect(page.getByText("The time zone was set to Europe/Lisbon.")).toBeVisible();
    await expect(page.getByLabel("Host name")).toHaveValue("frost-west");
    await openGroup(page, "Where it stands");
    await expect(page.getByLabel("Time zone")).toHaveValue("Europe/Lisbon");
    await page.getByRole("button", { name: "Set this" }).click();
    await expect(page.getByText("Set. Passwords are kept only")).toBeVisible();
    await page.reload();
    await expect(page.getByLabel("Host name")).toHaveValue("frost-west");
    await openGroup(page, "Where it stands");
    await expect(page.getByLabel("Time zone")).toHaveValue("Europe/Lisbon");

    // What was typed and not set yet is set before the card is written.
    await page.getByLabel("Keyboard").fill("pt");
    await page.getByRole("button", { name: "Write this card" }).click();
    await expect(page.getByText(/^Ready: Fallow 12 server/)).toBeVisible({ timeout: 240_000 });
    await page.reload();
    await expect(page.getByLabel("Keyboard")).toHaveValue("pt");
  });
});

test("a late answer does not move a person who has gone elsewhere", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Winesap", "none");
  await page.route("**/api/boards/*/image", async (route) => {
    await new Promise((r) => setTimeout(r, 1500));
    await route.continue();
  });
  const answered = page.waitForResponse((r) => r.url().endsWith("/image"));
  await next(page).getByRole("button", { name: /Take it/ }).click();
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await answered;
  await expect(next(page).getByRole("heading")).toHaveText("Prepare and write the card");
  await expect(page).toHaveURL(/\/boot$/);
});

test("on a real board p marks power, and only a deliberate act ends the capture", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Pomander", "none");
  const ports = (await (await page.request.get("/api/ports")).json()) as { path: string; name: string }[];
  const port = ports.find((p) => p.name.includes("Pomander"))!.path;
  await putOnBench(page, "Medlar real", null);
  await next(page).getByRole("button", { name: /Take it/ }).click();
  await tellWritten(page);
  await steps(page).getByRole("link", { name: "Connect" }).click();
  await next(page).getByRole("button", { name: /Open the console/ }).click();
  await page.getByLabel(/Port, or another path/).fill(port);
  await page.getByRole("main").getByRole("button", { name: "Open the console" }).click();
  await expect(page.getByText(`from ${port} at 115200 8N1`)).toBeVisible();
  await expect(page.getByText(/since (the console was opened|the first loader's first line)/)).toBeVisible();
  await page.getByRole("heading", { level: 1 }).click();
  await page.keyboard.press("p");
  await expect(page.getByRole("list", { name: "What was seen" })).toContainText("Power applied");
  await expect(page.getByText("since power")).toBeVisible();
  await expect(page.getByRole("button", { name: /Power taken/ })).toBeVisible();
  await expectAccessible(page);
  await page.getByRole("button", { name: "Log", exact: true }).click();
  await page.getByRole("button", { name: "End the capture" }).click();
  await expect(page.getByText("Ended by you.")).toBeVisible();
});

test("a log that merely ends accuses nobody", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Ribston", "none");
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: "A log file" }).check();
  const log = readFileSync(resolve(import.meta.dirname, "../logs/amd64-good-boot-1/console.log"));
  await page
    .getByLabel(/A console log/)
    .setInputFiles({ name: "cut.log", mimeType: "text/plain", buffer: log.subarray(0, Math.floor(log.length / 3)) });
  await expect(page.getByRole("status").filter({ hasText: /Capture ended at/ })).toBeVisible();
  await steps(page).getByRole("link", { name: "Diagnose" }).click();
  await expect(causes(page).first()).toContainText("the capture ended on the way");
  await expect(causes(page)).toHaveCount(1);
  await expectAccessible(page);
});

test("boards and logs are removed and taken back", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Jonagold", "none");
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: "A log file" }).check();
  await page.getByLabel(/A console log/).setInputFiles(resolve(import.meta.dirname, "../logs/arm64-initrd-file-missing-1/console.log"));
  await expect(page.getByRole("region", { name: "Console" })).toContainText("U-Boot");
  await page.goto("/logs");
  await page.getByRole("checkbox", { name: "Choose Jonagold, boot 1" }).check();
  await page.getByRole("button", { name: "Remove it" }).click();
  await expect(page.getByRole("row").filter({ hasText: "Jonagold" })).toHaveCount(0);
  await expectAccessible(page);
  await page.getByRole("button", { name: /Take back boot 1 of Jonagold/ }).click();
  await expect(page.getByRole("row").filter({ hasText: "Jonagold" })).toHaveCount(1);

  await page.goto("/");
  await page.getByRole("main").getByRole("link", { name: "Jonagold" }).click();
  await steps(page).getByRole("link", { name: "Identify" }).click();
  await page.getByRole("button", { name: "Remove Jonagold from the bench" }).click();
  await expect(page.getByRole("heading", { name: "The bench" })).toBeVisible();
  await expect(page.getByRole("main").getByRole("link", { name: "Jonagold" })).toHaveCount(0);
  await page.getByRole("button", { name: "Take back Jonagold" }).click();
  await expect(page.getByRole("main").getByRole("link", { name: "Jonagold" }).first()).toBeVisible();
});
