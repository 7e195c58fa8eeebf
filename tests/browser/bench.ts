import AxeBuilder from "@axe-core/playwright";
import { expect, test as base } from "@playwright/test";
import type { Page } from "@playwright/test";
import { spawn } from "node:child_process";
import { join, resolve } from "node:path";

const root = resolve(import.meta.dirname, "../..");

/** A server of this worker, with the demo and simulated boards at twenty times their pace; and a page on which every console error and every uncaught error fails the test, but for refusals that a test provokes itself. */
export const test = base.extend<{ provoked: RegExp | undefined }, { server: string }>({
  server: [
    async ({}, use, worker) => {
      const url = `http://127.0.0.1:${5391 + 10 * worker.parallelIndex}`;
      const data = join(process.env.BUTTONHOOK_TEST_SCRATCH ?? "/tmp", `data-${worker.workerIndex}`);
      const server = spawn("dotnet", [
        join(root, ".build/app/Buttonhook.App.dll"),
        ...["demo", "--data", data, "--urls", url, "--pace", "20"],
      ]);
      await expect
        .poll(() => fetch(`${url}/api/shelves`).then((r) => r.status, () => 0), { timeout: 240_000 })
        .toBe(200);
      await use(url);
      const ended = server.exitCode === null && new Promise((over) => server.once("exit", over));
      server.kill();
      await ended;
    },
    { scope: "worker", auto: true, timeout: 240_000 },
  ],
  baseURL: async ({ server }, use) => use(server),
  provoked: [undefined, { option: true }],
  page: async ({ page, provoked }, use) => {
    const errors: string[] = [];
    page.on("console", (message) => {
      if (message.type() === "error" && !provoked?.test(message.text()))
        errors.push(`${message.text()} ${message.location().url}`);
    });
    page.on("pageerror", (error) => errors.push(error.message));
    await use(page);
    expect(errors).toEqual([]);
  },
});

export { expect };

/** Puts a Quill V on the bench through the form, says what is connected to it, and opens Match. It is simulated with a fault, or a real one. */
export async function putOnBench(page: Page, nickname: string, fault: string | null) {
  await page.goto("/boards/new");
  await page.getByLabel("Nickname").fill(nickname);
  await page.getByLabel("Model").selectOption({ label: "Quillon Quill V" });
  await page.getByRole("radio", { name: /QUILL-V B/ }).check();
  await page.getByRole("radio", { name: "4 GB" }).check();
  if (fault !== null) {
    await page.getByLabel("A simulated board, to try and to practise with").check();
    await page.getByLabel("Fault of the simulated board").selectOption({ label: fault });
  }
  await page.getByRole("button", { name: "Put it on the bench" }).click();
  await expect(page.getByRole("heading", { level: 1, name: nickname })).toBeVisible();
  await steps(page).getByRole("link", { name: "Identify" }).click();
  await page.getByLabel(/Card, as its label says/).fill("32");
  await page.getByLabel("Supply", { exact: true }).selectOption({ label: "5 V, 3 A with USB-C" });
  await page.getByLabel("Console adapter", { exact: true }).selectOption({ label: "USB adapter, 3.3 V" });
  await page.getByRole("button", { name: "Save what changed" }).click();
  await expect(page.getByText("Saved.")).toBeVisible();
  await steps(page).getByRole("link", { name: "Match" }).click();
}

/** Says that the card of the board that is shown was written elsewhere. */
export async function tellWritten(page: Page) {
  await steps(page).getByRole("link", { name: "Prepare" }).click();
  await page.getByRole("button", { name: "Say that it was written elsewhere" }).click();
  await expect(page.getByText("You say that this card was written elsewhere.")).toBeVisible();
}

/** The steps. */
export const steps = (page: Page) => page.getByRole("navigation", { name: "Steps of the work" });

/** The strip of the next thing. */
export const next = (page: Page) => page.getByRole("region", { name: "The next thing" });

/** The check that Diagnose asks in its place. */
export const check = (page: Page) => page.getByRole("region", { name: "The next check" });

/** The causes on Diagnose, the likeliest first. */
export const causes = (page: Page) => page.getByRole("list", { name: /^Causes/ }).locator("> li");

/** The console line that was gone to. */
export const target = (page: Page) => page.locator("[data-line][aria-current]");

/** Opens a group of the first-boot settings. */
export const openGroup = (page: Page, name: string) =>
  page.locator("details", { has: page.locator("summary strong", { hasText: name }) }).locator("> summary").click();

/** No accessibility finding on what is shown (WCAG 2.2 A and AA), in both themes: the second differs by its colours alone. */
export async function expectAccessible(page: Page) {
  for (const theme of ["light", "dark"]) {
    await page.evaluate((t) => (document.documentElement.dataset.bsTheme = t), theme);
    const axe = new AxeBuilder({ page }).options({ resultTypes: ["violations"] });
    const found = await (
      theme === "light"
        ? axe.withTags(["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"])
        : axe.withRules(["color-contrast", "link-in-text-block"])
    ).analyze();
    expect(found.violations.map((v) => `${theme}: ${v.id}: ${v.nodes.map((n) => n.target.join(" ")).join(" | ")}`)).toEqual([]);
  }
  await page.evaluate(() => (document.documentElement.dataset.bsTheme = "light"));
}
