import AxeBuilder from "@axe-core/playwright";
import { expect, test as base } from "@playwright/test";
import type { Page } from "@playwright/test";

/** A page on which every console error and every uncaught error fails the test, but for refusals that a test provokes itself. */
export const test = base.extend<{ provoked: RegExp | undefined }>({
  provoked: [undefined, { option: true }],
  page: async ({ page, provoked }, use) => {
    const errors: string[] = [];
    page.on("console", (message) => {
      if (message.type() === "error" && !provoked?.test(message.text())) errors.push(message.text());
    });
    page.on("pageerror", (error) => errors.push(error.message));
    await use(page);
    expect(errors).toEqual([]);
  },
});

export { expect };

/** Puts a simulated Quill V on the bench through the form. */
export async function putOnBench(page: Page, nickname: string, fault: string) {
  await page.goto("/boards/new");
  await page.getByLabel("Nickname").fill(nickname);
  await page.getByLabel("Model").selectOption({ label: "Quillon Quill V" });
  await page.getByRole("radio", { name: /QUILL-V B/ }).check();
  await page.getByRole("radio", { name: "4 GB" }).check();
  await page.getByLabel(/Card, as its label says/).fill("32");
  await page.getByLabel("Supply").selectOption({ label: "5 V, 3 A with USB-C" });
  await page.getByLabel("Console adapter").selectOption({ label: "USB adapter, 3.3 V" });
  await page.getByLabel("A simulated board, to try and to practise with").check();
  await page.getByLabel("Fault put into it").selectOption({ label: fault });
  await page.getByRole("button", { name: "Put it on the bench" }).click();
  await expect(page.getByRole("heading", { level: 1, name: nickname })).toBeVisible();
}

/** Says that the card of the board that is shown was written elsewhere. */
export async function tellWritten(page: Page) {
  await steps(page).getByRole("link", { name: "Prepare" }).click();
  await page.getByRole("button", { name: "Say that it was written elsewhere" }).click();
  await expect(page.getByText("You say that this card was written elsewhere.")).toBeVisible();
}

/** The seam. */
export const steps = (page: Page) => page.getByRole("navigation", { name: "Steps of the work" });

/** The panel of the next thing. */
export const next = (page: Page) => page.getByRole("complementary", { name: "The next thing" });

/** No accessibility finding on what is shown (WCAG 2.2 A and AA), in both themes: the second differs by its colours alone. */
export async function expectAccessible(page: Page) {
  for (const theme of ["light", "dark"]) {
    await page.evaluate((t) => (document.documentElement.dataset.bsTheme = t), theme);
    const axe = new AxeBuilder({ page });
    const found = await (
      theme === "light"
        ? axe.withTags(["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"])
        : axe.withRules(["color-contrast", "link-in-text-block"])
    ).analyze();
    expect(found.violations.map((v) => `${theme}: ${v.id}: ${v.nodes.map((n) => n.target.join(" ")).join(" | ")}`)).toEqual([]);
  }
  await page.evaluate(() => (document.documentElement.dataset.bsTheme = "light"));
}
