import { expect, expectAccessible, next, putOnBench, steps, target, tellWritten, test } from "./bench";

const views = [
  "/",
  "/boards/new",
  "/boards/bramley/identify",
  "/boards/russet/match",
  "/boards/bramley/prepare",
  "/boards/pearmain/connect",
  "/boards/bramley/boot",
  "/boards/codlin/diagnose",
  "/boards/costard/keep",
  "/images",
  "/profiles",
  "/logs",
  "/parts",
  "/rules",
  "/changes",
  "/batches",
  "/learnt",
  "/practice",
  "/boards/costard/keep?show=login",
  "/boards/costard/keep?show=network",
  "/boards/costard/keep?show=move",
  "/boards/costard/settings/1/sheet",
];

for (const view of views)
  test(`${view} is accessible in both themes`, { tag: /^\/$|diagnose$|keep$/.test(view) ? [] : "@long" }, async ({ page }) => {
    await page.goto(view);
    await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
    await page.waitForLoadState("networkidle");
    await expectAccessible(page);
  });

test("nothing is broken from 360 to 2560 wide", { tag: "@long" }, async ({ page }) => {
  for (const view of views) {
    await page.goto(view);
    await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
    await page.waitForLoadState("networkidle");
    for (const width of [2560, 1920, 1100, 768, 390, 360]) {
      await page.setViewportSize({ width, height: 900 });
      await page.evaluate(() => new Promise(requestAnimationFrame));
      const beyond = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
      expect(beyond, `${view} at ${width}`).toBeLessThanOrEqual(0);
    }
  }
});

test("hands on the keyboard reach everything", async ({ page }) => {
  await page.goto("/boards/bramley/boot");
  await expect(page.getByRole("heading", { level: 1, name: "Bramley" })).toBeVisible();
  await page.keyboard.press("6");
  await expect(page).toHaveURL(/bramley\/diagnose/);
  await expect(page.getByRole("navigation", { name: "On the bench" })).toContainText("Pearmain");
  await page.keyboard.press("]");
  await expect(page.getByRole("heading", { level: 1, name: "Costard" })).toBeVisible();
  await page.keyboard.press("[");
  await expect(page.getByRole("heading", { level: 1, name: "Bramley" })).toBeVisible();
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog")).toContainText("next and previous evidence");
  await page.keyboard.press("Escape");
  await page.keyboard.press("/");
  await page.keyboard.type("device tree of another");
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/rules#dtb-wrong-board/);
  await expect(page.getByRole("heading", { level: 1, name: "Rule book" })).toBeVisible();
  await page.keyboard.press("b");
  await expect(page.getByRole("heading", { level: 1, name: "The bench" })).toBeVisible();
  await page.keyboard.press("a");
  await expect(page.getByRole("heading", { level: 1, name: "Put a board on the bench" })).toBeVisible();
  await page.getByLabel("Nickname").pressSequentially("b1/a?");
  await expect(page.getByLabel("Nickname")).toHaveValue("b1/a?");
});

test("Enter that comes before everything is here opens what was typed as soon as it is", { tag: "@long" }, async ({ page }) => {
  await page.route("**/api/rules", async (route) => {
    await new Promise((wait) => setTimeout(wait, 2000));
    await route.continue();
  });
  await page.goto("/boards/bramley/boot");
  await expect(page.getByRole("heading", { level: 1, name: "Bramley" })).toBeVisible();
  await page.keyboard.press("/");
  await page.keyboard.type("device tree of another");
  await page.keyboard.press("Enter");
  await expect(page.getByText("Looking…")).toBeVisible();
  await expect(page).toHaveURL(/rules#dtb-wrong-board/);
});

test("evidence is walked through with e, and the large mode comes and goes with l", { tag: "@long" }, async ({ page }) => {
  await page.goto("/boards/bramley/boot");
  await expect(target(page)).toContainText("Gave up waiting for root");
  await page.keyboard.press("e");
  await expect(target(page)).toContainText("does not exist");
  await page.keyboard.press("Shift+E");
  await expect(target(page)).toContainText("Gave up waiting for root");
  await page.keyboard.press("l");
  await expect(page.getByRole("button", { name: /Small/ })).toBeVisible();
  await expectAccessible(page);
  await page.keyboard.press("l");
  await expect(page.getByRole("button", { name: /Large/ })).toBeVisible();
});

test("a boot goes on while the page is reloaded, and marks are kept", async ({ page }) => {
  await putOnBench(page, "Wilding", "none");
  await next(page).getByRole("button", { name: /Take it/ }).click();
  await tellWritten(page);
  await steps(page).getByRole("link", { name: "Connect" }).click();
  await next(page).getByRole("button", { name: /Boot it/ }).click();
  await expect(page.getByRole("region", { name: "Console" })).toContainText(/U-Boot|\[ +\d+\.\d+\]/);
  await page.reload();
  await expect(page.getByRole("status").filter({ hasText: "Reached login" })).toBeVisible();
  await expect(page.getByRole("meter", { name: "Quiet time" })).toBeVisible();
  await page.getByRole("heading", { level: 1 }).click();
  await page.keyboard.press("Space");
  await page.getByRole("button", { name: "A picture came up" }).click();
  await expect(page.getByRole("list", { name: "What was seen" })).toContainText("A picture came up");
});

test("a supply that is too weak is told before power", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Crab", "none");
  await next(page).getByRole("button", { name: /Take it/ }).click();
  await expect(page).toHaveURL(/\/prepare$/);
  await page.getByRole("navigation", { name: "Steps of the work" }).getByRole("link", { name: "Identify" }).click();
  await page.getByLabel("Supply", { exact: true }).selectOption({ label: "5 V, 1 A with micro USB" });
  await page.getByRole("button", { name: "Save what changed" }).click();
  await tellWritten(page);
  await expect(next(page)).toContainText("This supply ends in micro USB; the board takes USB-C.");
});

test("the theme that was chosen stays", async ({ page }) => {
  await page.goto("/");
  await page.getByRole("button", { name: "Dark theme" }).click();
  await page.reload();
  await expect(page.locator("html")).toHaveAttribute("data-bs-theme", "dark");
});

test.describe("input that cannot be used", () => {
  test.use({ provoked: /status of (422|409)/ });

  test("gets three plain sentences and loses nothing", async ({ page }) => {
    await putOnBench(page, "Damson", "none");
    await page.getByRole("navigation", { name: "Steps of the work" }).getByRole("link", { name: "Boot" }).click();
    await page.getByRole("radio", { name: "A log file" }).check();
    await page.getByLabel(/A console log/).setInputFiles({ name: "empty.log", mimeType: "text/plain", buffer: Buffer.alloc(0) });
    await expect(page.getByRole("alert")).toContainText(/empty.log is empty.\s*Check whether the right file was chosen/);
    await page.getByRole("radio", { name: "A serial port" }).check();
    await page.getByLabel(/Port, or another path/).fill("/dev/ttyUSB77");
    await page.getByRole("button", { name: "Open the console" }).click();
    await expect(page.getByRole("alert").filter({ hasText: "There is no such device." })).toBeVisible();
    await page.goto("/boards/new");
    await page.getByLabel("Nickname").fill("bramley");
    await page.getByLabel("Model").selectOption({ label: "Wickerby Thimble" });
    await page.getByRole("radio", { name: /^THIMBLE/i }).first().check();
    await page.getByRole("button", { name: "Put it on the bench" }).click();
    await expect(page.getByRole("alert")).toContainText(/bramley is taken.\s*Choose another one./);
    await expect(page.getByRole("alert")).toBeFocused();
  });
});

test("the first page needs less than 190 kB of script and style, packed and kept for good", async ({ page, server }) => {
  const client = await page.context().newCDPSession(page);
  await client.send("Network.enable");
  const answers = new Map<string, { type: string; headers: Record<string, string> }>();
  let bytes = 0;
  client.on("Network.responseReceived", (e) => answers.set(e.requestId, { type: e.type, headers: e.response.headers }));
  client.on("Network.loadingFinished", (e) => {
    const { type = "", headers = {} } = answers.get(e.requestId) ?? {};
    if (type !== "Script" && type !== "Stylesheet") return;
    bytes += e.encodedDataLength;
    expect(headers["Content-Encoding"]).toBe("br");
    expect(headers["Cache-Control"]).toContain("immutable");
  });
  await page.goto("/");
  await expect(page.getByRole("heading", { level: 1, name: "The bench" })).toBeVisible();
  await page.waitForLoadState("networkidle");
  console.log(`  script and style of the first page: ${(bytes / 1000).toFixed(0)} kB`);
  expect(bytes).toBeGreaterThan(50_000);
  expect(bytes).toBeLessThan(190_000);

  // Who takes nothing packed gets the same file as it is; the page itself is asked for again.
  const script = await page.evaluate(() => document.querySelector<HTMLScriptElement>("script[src]")!.src);
  const plain = await fetch(script, { headers: { "Accept-Encoding": "identity" } });
  expect(plain.headers.get("content-encoding")).toBeNull();
  expect(plain.headers.get("content-type")).toContain("javascript");
  expect((await fetch(`${server}/`)).headers.get("cache-control")).toBe("no-cache");
});

test("every dialog and menu is accessible in both themes, and the focus never falls to the body", { tag: "@long" }, async ({ page }) => {
  const focus = () => page.evaluate(() => document.activeElement?.tagName);
  await page.goto("/boards/bramley/boot");
  await expect(target(page)).toContainText("Gave up waiting for root");
  await page.getByRole("region", { name: "Console" }).focus();
  for (const key of ["/", "?"]) {
    await page.keyboard.press(key);
    await expect(page.getByRole("dialog")).toBeVisible();
    await expectAccessible(page);
    await page.keyboard.press("Escape");
    await expect(page.getByRole("dialog")).toHaveCount(0);
    await expect.poll(focus).not.toBe("BODY");
  }
  for (const name of ["Jump", "Log", /^Mark/]) {
    await page.getByRole("button", { name }).click();
    await expect(page.locator(".dropdown-menu.show")).toBeVisible();
    await expectAccessible(page);
    await page.keyboard.press("Escape");
    await expect(page.locator(".dropdown-menu.show")).toHaveCount(0);
  }
  await page.keyboard.press("f");
  await expect(page.getByLabel("Find in this log")).toBeFocused();
  await page.keyboard.press("Escape");
  await expect.poll(focus).not.toBe("BODY");
  // What was pressed is switched off until its answer is there, and then another thing to press.
  await page.route("**/answers/*", async (route) => {
    await new Promise((wait) => setTimeout(wait, 500));
    await route.continue();
  });
  await page.goto("/boards/pearmain/diagnose");
  const answer = page.getByRole("region", { name: "The next check" }).getByRole("button", { name: "I cannot check this" });
  await answer.focus();
  await page.keyboard.press("Enter");
  await expect(page.getByText("Nobody could check it.")).toBeVisible();
  await expect.poll(focus).not.toBe("BODY");
  await page.getByRole("button", { name: "Take it back" }).focus();
  await page.keyboard.press("Enter");
  await expect(page.getByText("Nobody could check it.")).toHaveCount(0);
  await expect.poll(focus).not.toBe("BODY");
  // By the keys to another page.
  await page.keyboard.press("1");
  await expect(page.getByRole("heading", { name: "Which board" })).toBeVisible();
  await expect.poll(focus).not.toBe("BODY");
});
