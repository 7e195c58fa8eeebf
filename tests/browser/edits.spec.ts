import { readFileSync } from "node:fs";
import type { Page } from "@playwright/test";
import { expect, expectAccessible, test } from "./bench";

test.use({ provoked: /status of 412/ });

/** Puts a board on the bench and opens Identify. */
async function putBoard(page: Page, nickname: string) {
  await page.goto("/boards/new");
  await page.getByLabel("Nickname").fill(nickname);
  await page.getByLabel("Model").selectOption({ label: "Wickerby Thimble" });
  await page.getByRole("radio").first().check();
  await page.getByRole("button", { name: "Put it on the bench" }).click();
  await expect(page.getByRole("heading", { level: 1, name: nickname })).toBeVisible();
  await page.goto(page.url().replace(/match$/, "identify"));
}

test("a change is listed in words, taken back, and had again", async ({ page }) => {
  await putBoard(page, "Blenheim");
  await page.getByLabel("Nickname").fill("Keswick");
  await page.getByRole("button", { name: "Save what changed" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Keswick" })).toBeVisible();
  await page.getByRole("heading", { level: 1 }).click();
  await page.keyboard.press("b");
  await page.getByRole("link", { name: "Undo history" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Undo history" })).toBeVisible();
  await expectAccessible(page);
  await page.getByRole("button", { name: "Take it back: Keswick: it is called Keswick instead of Blenheim." }).click();
  await expect(page.getByRole("navigation", { name: "On the bench" })).toContainText("Blenheim");
  await page.getByRole("button", { name: /Take it back: Taken back: Keswick/ }).click();
  await expect(page.getByRole("navigation", { name: "On the bench" })).toContainText("Keswick");
});

test("of two pages on one board the later save is told what the earlier one changed", { tag: "@long" }, async ({ page, context }) => {
  await putBoard(page, "Catshead");
  const other = await context.newPage();
  await other.goto(page.url());
  await other.getByLabel("Nickname").fill("Tydeman");
  await other.getByRole("button", { name: "Save what changed" }).click();
  await expect(other.getByRole("heading", { level: 1, name: "Tydeman" })).toBeVisible();
  await other.close();
  // A page that has not heard of it yet.
  await page.route("**/api/boards/*", async (route) => {
    if (route.request().method() !== "PUT") return route.continue();
    const body = route.request().postDataJSON() as { version: number };
    await route.continue({ postData: JSON.stringify({ ...body, version: 1 }) });
  });
  await page.getByLabel("Nickname").fill("Quarrenden");
  await page.getByRole("button", { name: "Save what changed" }).click();
  await expect(page.getByRole("alert")).toContainText("it is called Tydeman instead of Catshead");
  await expect(page.getByRole("heading", { level: 1, name: "Tydeman" })).toBeVisible();
  await expect(page.getByLabel("Nickname")).toHaveValue("Quarrenden");
  await page.unroute("**/api/boards/*");
  await page.getByRole("button", { name: "Save what changed" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Quarrenden" })).toBeVisible();
});

test("a photo is scaled down, kept without its metadata, told in words, removed and taken back", { tag: "@long" }, async ({ page }) => {
  await putBoard(page, "Wealthy");
  // 3000 pixels wide, with a comment in it.
  const drawn = await page.evaluate(async () => {
    const canvas = document.createElement("canvas");
    canvas.width = 3000;
    canvas.height = 1500;
    canvas.getContext("2d")?.fillRect(100, 100, 900, 900);
    const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, "image/jpeg"));
    return [...new Uint8Array(await blob!.arrayBuffer())];
  });
  const secret = Buffer.from("north orchard gate");
  const comment = Buffer.concat([Buffer.from([0xff, 0xfe, 0, secret.length + 2]), secret]);
  const jpeg = Buffer.concat([Buffer.from(drawn.slice(0, 2)), comment, Buffer.from(drawn.slice(2))]);
  await page.getByLabel(/Drop a photo here/).setInputFiles({ name: "print.jpg", mimeType: "image/jpeg", buffer: jpeg });
  const image = page.getByRole("img", { name: /Photo of/ });
  await expect(image).toBeVisible();
  await page.getByLabel(/What the photo of .* shows/).fill("The print beside the socket");
  await page.getByLabel("Nickname").focus();
  const named = page.getByRole("img", { name: "The print beside the socket" });
  await expect(named).toBeVisible();
  await expectAccessible(page);
  const kept = Buffer.from(await (await page.request.get((await named.getAttribute("src"))!)).body());
  expect(kept.includes(secret)).toBe(false);
  expect(await named.evaluate((i: HTMLImageElement) => [i.naturalWidth, i.naturalHeight])).toEqual([1600, 800]);

  await page.getByRole("button", { name: "Remove the photo The print beside the socket" }).click();
  await expect(named).toHaveCount(0);
  await page.getByRole("button", { name: /Take back photo of Wealthy/ }).click();
  await expect(named).toBeVisible();

  // What is no picture is refused in words.
  await page
    .getByLabel(/Drop a photo here/)
    .setInputFiles({ name: "pip.dtb", mimeType: "image/jpeg", buffer: readFileSync(`${import.meta.dirname}/pip.dtb`) });
  await expect(page.getByRole("alert")).toContainText("pip.dtb cannot be read as one");
});
