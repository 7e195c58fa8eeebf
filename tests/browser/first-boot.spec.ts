import { readFileSync } from "node:fs";
import { resolve } from "node:path";
import { causes, check, expect, expectAccessible, next, target, putOnBench, steps, tellWritten, test } from "./bench";

const log = (name: string) => resolve(import.meta.dirname, `../logs/${name}/console.log`);

test("from the bench to kept settings, over one fault", async ({ page }) => {
  await putOnBench(page, "Quince", "The command line names another card's partition");

  // Match: the best image is offered with its record.
  await expect(next(page).getByRole("heading")).toHaveText("Take Fallow 12 server");
  await expect(page.getByRole("region", { name: "Will not start" })).toContainText("this board is 64-bit RISC-V");
  await next(page).getByRole("button", { name: /Take it/ }).click();

  // Prepare shows the card to scale, Connect the crossed wires.
  await expect(page.getByText(/Fallow 12 server on a 32 GB card: 29\.1 GiB to 29\.\d GiB, as 2 measured cards held/)).toBeVisible();
  await expect(next(page).getByRole("heading")).toHaveText("Prepare and write the card");
  await tellWritten(page);
  await steps(page).getByRole("link", { name: "Connect" }).click();
  await expect(page.getByText("Needs 2.2 A at the board; this supply gives 3.0 A")).toBeVisible();

  // Boot: it stops at the root, the lines that prove it are marked.
  await next(page).getByRole("button", { name: /Boot it/ }).click();
  await expect(page.getByRole("status").filter({ hasText: "Stopped at root" })).toBeVisible();
  await expect(next(page)).toContainText("Root not found, 9");
  await expect(page.locator("[data-evidence]").filter({ hasText: "PARTUUID=5e1c04aa-02 does not exist" })).toBeVisible();

  // Diagnose: the same cause with its lines, the check and the fix.
  await page.getByRole("link", { name: "Diagnose" }).first().click();
  const cause = page.getByRole("listitem").filter({ has: page.getByRole("heading", { name: "Root not found" }) });
  await expect(cause).toContainText("Gave up waiting for root file system device");
  await expect(check(page)).toContainText("Is the partition that PARTUUID=5e1c04aa-02 names among those of this card?");

  // The person looks; what was found stands at the cause and can be taken back.
  await check(page).getByRole("button", { name: "It is there" }).click();
  await expect(cause).toContainText("An answer rules it out.");
  await cause.getByRole("button", { name: "Take it back" }).click();
  await check(page).getByRole("button", { name: "Others are there, not this one" }).click();
  await expect(cause).toContainText("An answer finds it.");
  await expectAccessible(page);

  // Correct it and boot again, to the login.
  await next(page).getByRole("button", { name: /Correct it/ }).click();
  await expect(next(page).getByRole("heading")).toHaveText("Boot again");
  await next(page).getByRole("button", { name: /Boot it/ }).click();
  await expect(page.getByRole("status").filter({ hasText: "Reached login" })).toBeVisible();

  // The cause of the first boot is confirmed by the second one.
  const failed = (await (await page.request.get("/api/bench")).json()) as { id: string; nickname: string }[];
  const quince = failed.find((b) => b.nickname === "Quince")?.id ?? "";
  const all = (await (await page.request.get(`/api/boards/${quince}/boots`)).json()) as { id: string; number: number }[];
  await page.goto(`/boards/${quince}/diagnose?boot=${all.find((b) => b.number === 1)?.id ?? ""}`);
  await expect(cause).toContainText(/^.*Confirmed: .*, and boot 2 went on\./);
  await page.goto(`/boards/${quince}/boot`);

  // Keep: filled in from the log, completed by a note, saved and exported.
  await next(page).getByRole("button", { name: /Keep the settings/ }).click();
  await expect(page.getByText("/dev/mmcblk0p2", { exact: true })).toBeVisible();
  await expect(page.getByText(/The kernel command line names the root partition of this card\./)).toBeVisible();
  await page.getByLabel("Notes for the next board").fill("Hangs on the southern wall");
  await page.getByRole("button", { name: "Keep as version 1" }).click();
  await expect(page.getByText("Version 1", { exact: true })).toBeVisible();
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "JSON" }).click();
  const kept = JSON.parse(readFileSync(await (await download).path(), "utf8")) as {
    notes: string;
    format: string;
    settings: { id: string; value: string; standing: string }[];
  };
  expect(kept).toMatchObject({ notes: "Hangs on the southern wall", format: "buttonhook.working-settings/2" });
  expect(kept.settings.find((s) => s.id === "system.mounted")).toMatchObject({ value: "/dev/mmcblk0p2", standing: "proven" });
  await page.goto("/");
  await expect(page.getByRole("main").getByRole("listitem").filter({ hasText: "Quince" })).toContainText("Working settings");
});

test("a real terminal device is captured and typed to", async ({ page }) => {
  await putOnBench(page, "Medlar", "none");
  await next(page).getByRole("button", { name: /Take it/ }).click();
  await page.getByRole("navigation", { name: "Steps of the work" }).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: "A serial port" }).check();
  await page.getByRole("button", { name: /Medlar simulated, \/dev\/pts/ }).click();
  await page.getByRole("button", { name: "Open the console" }).click();
  await expect(page.getByText(/from \/dev\/pts\/\d+ at 115200 8N1/)).toBeVisible();
  await expect(page.getByRole("status").filter({ hasText: "Reached login" })).toBeVisible();
  const console = page.getByRole("region", { name: "Console" });
  for (const [text, answer] of [
    ["fallow", "Password:"],
    ["quiet", "fallow@medlar:~$"],
    ["uname -a", "riscv64 GNU/Linux"],
  ] as const) {
    await page.getByLabel("Type to the board").fill(text);
    await page.keyboard.press("Enter");
    await expect(console).toContainText(answer);
  }
  await expect(console).not.toContainText("quiet");
  await page.getByRole("button", { name: /Power off/ }).click();
  await expect(page.getByText("Ended by you.")).toBeVisible();
});

test("a real log is told why, with the lines that prove it", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Bullace", "none");
  await next(page).getByRole("button", { name: /Take it/ }).click();
  await page.getByRole("navigation", { name: "Steps of the work" }).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: "A log file" }).check();
  await page.getByLabel(/A console log/).setInputFiles(log("armhf-dtb-file-missing-1"));
  await expect(page.getByRole("status").filter({ hasText: "Stopped at second loader" })).toBeVisible();
  await page.getByRole("navigation", { name: "Steps of the work" }).getByRole("link", { name: "Diagnose" }).click();
  const first = causes(page).first();
  await expect(first.getByRole("heading")).toHaveText("Device tree missing");
  await expect(first).toContainText("Failed to load '/dtb/board-v2.dtb'");
  await first.getByRole("link", { name: "Line 34" }).click();
  await expect(target(page)).toContainText("Failed to load '/dtb/board-v2.dtb'");
});

test("a log with escapes and markup is shown as text", async ({ page }) => {
  await putOnBench(page, "Sloe", "none");
  await page.getByRole("navigation", { name: "Steps of the work" }).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: "A log file" }).check();
  const text = "U-Boot 2024.01\r\n\u001b[31m<img src=x onerror=document.title='taken'>\u001b[0m\r\n(initramfs) ";
  await page.getByLabel(/A console log/).setInputFiles({ name: "odd.log", mimeType: "text/plain", buffer: Buffer.from(text) });
  await expect(page.getByRole("region", { name: "Console" })).toContainText("<img src=x onerror=document.title='taken'>");
  await expect(page).toHaveTitle(/Sloe/);
});

test("a log dropped on a console becomes the newest boot", async ({ page }) => {
  await page.goto("/boards/codlin/boot");
  await expect(page.getByRole("region", { name: "Console" })).toContainText("Under-voltage detected");
  const transfer = await page.evaluateHandle(() => {
    const data = new DataTransfer();
    data.items.add(new File(["error: no such device: 7c1e.\r\ngrub rescue> "], "dropped.log"));
    return data;
  });
  await page.getByRole("region", { name: "Console" }).dispatchEvent("drop", { dataTransfer: transfer });
  await expect(page.getByText("attempt 3 from dropped.log")).toBeVisible();
  await expect(next(page)).toContainText("Loader configuration missing");
});
