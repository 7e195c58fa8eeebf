import type { Page } from "@playwright/test";
import { expect, expectAccessible, putOnBench, steps, target, test } from "./bench";

const consoleOf = (page: Page) => page.getByRole("region", { name: "Console" });

/** How many characters and rows of console text there is room for. */
const roomOf = (page: Page) =>
  consoleOf(page).evaluate((box) => {
    const text = box.querySelector("[data-line] > span:last-child")!;
    const probe = document.createElement("span");
    probe.textContent = "0".repeat(100);
    probe.style.cssText = `font:${getComputedStyle(box).font};position:absolute;white-space:pre`;
    document.body.append(probe);
    const character = probe.getBoundingClientRect().width / 100;
    probe.remove();
    const style = getComputedStyle(text);
    const width = text.clientWidth - parseFloat(style.paddingLeft) - parseFloat(style.textIndent);
    return { columns: width / character, rows: box.clientHeight / box.querySelector("[data-line]")!.clientHeight };
  });

/** Three pictures of a screen of 60 Hz: 50 ms, a little more by its own clock. */
const threePictures = 51;

/** What this machine needs, right now, to show forty other lines of plain text in each frame, without any of ours: the longest frame, in milliseconds. */
const plainLines = (page: Page) =>
  page.evaluate(async () => {
    const box = document.createElement("pre");
    box.style.cssText = "position:fixed;inset:0;z-index:9999;background:#fff";
    document.body.append(box);
    let longest = 0;
    let last = await new Promise(requestAnimationFrame);
    for (let n = 0; n < 180; n++) {
      box.replaceChildren(...Array.from({ length: 40 }, (_, k) => Object.assign(document.createElement("div"), { textContent: `tick ${n * 40 + k}` })));
      const now = await new Promise<number>(requestAnimationFrame);
      if (n > 5) longest = Math.max(longest, now - last);
      last = now;
    }
    box.remove();
    return longest;
  });

/**
 * The longest time between two frames while something goes on, in milliseconds, and what may be asked of this machine: three
 * pictures, or twice what plain lines need here when the machine is slower than that. Tried again, since other work of the machine is none of the page's.
 */
async function longestFrame(
  page: Page,
  act: () => Promise<void>,
  begin: () => Promise<unknown> = () => Promise.resolve(),
  tries = 5,
): Promise<{ longest: number; allowed: number }> {
  let best = Infinity;
  let plain = Infinity;
  for (let n = 0; n < tries && best > threePictures; n++) {
    plain = Math.min(plain, await plainLines(page));
    await begin();
    await page.evaluate(() => {
      const frames: number[] = [];
      let last = performance.now();
      const next = (now: number) => {
        frames.push(now - last);
        last = now;
        if (!("stopFrames" in window)) requestAnimationFrame(next);
      };
      Object.assign(window, { frames });
      delete (window as { stopFrames?: boolean }).stopFrames;
      requestAnimationFrame((now) => {
        last = now;
        requestAnimationFrame(next);
      });
    });
    await act();
    const frames = await page.evaluate(() => {
      Object.assign(window, { stopFrames: true });
      return (window as unknown as { frames: number[] }).frames;
    });
    expect(frames.length).toBeGreaterThan(30);
    best = Math.min(best, Math.max(...frames));
  }
  return { longest: best, allowed: Math.max(threePictures, 2 * plain + 1) };
}

/** Drops a log on a board through the contract, and opens it. */
async function openLog(page: Page, board: string, log: Buffer) {
  const sent = await page.request.post(`/api/boards/${board}/logs?name=made.log`, {
    data: log,
    headers: { "content-type": "application/octet-stream" },
    timeout: 120_000,
  });
  const boot = (await sent.json()) as { id: string };
  await page.goto(`/boards/${board}/boot?boot=${boot.id}`);
  return boot.id;
}

test("at 1280 by 800 the console has 90 columns and 28 lines", async ({ page }) => {
  await page.goto("/boards/bramley/boot");
  await expect(target(page)).toContainText("Gave up waiting for root");
  const room = await roomOf(page);
  expect(room.columns).toBeGreaterThanOrEqual(90);
  expect(room.rows).toBeGreaterThanOrEqual(28);
});

test.describe("a million lines @alone", () => {
  test.describe.configure({ timeout: 480_000 });
  test("scroll from end to end without a frame over 50 ms, and words in them are found", async ({ page }) => {
    const lines = 1_000_000;
    const log = Buffer.from(
      Array.from({ length: lines }, (_, n) => `[${(n / 1000).toFixed(6).padStart(12)}] tick ${n}${n % 250_000 === 7 ? " hail" : ""}`).join("\n") + "\n",
    );
    await openLog(page, "russet", log);
    await expect(consoleOf(page)).toContainText("tick 0");
    await page.keyboard.press("End");
    await expect(consoleOf(page)).toContainText(`tick ${lines - 1}`);
    await page.keyboard.press("Home");
    await expect(consoleOf(page)).toContainText("tick 3");
    const { longest, allowed } = await longestFrame(page, () =>
      consoleOf(page).evaluate(async (box) => {
        const far = box.scrollHeight - box.clientHeight;
        for (let n = 0; n <= 120; n++) {
          box.scrollTop = (far * n) / 120;
          await new Promise(requestAnimationFrame);
        }
        for (let n = 0; n < 60; n++) {
          box.scrollTop -= 90;
          await new Promise(requestAnimationFrame);
        }
      }),
    );
    test.info().annotations.push({ type: "longest frame", description: `${longest.toFixed(1)} ms` });
    console.log(`  longest frame while 1,000,000 lines scroll: ${longest.toFixed(1)} ms, ${allowed.toFixed(1)} allowed`);
    expect(longest).toBeLessThanOrEqual(allowed);

    await page.keyboard.press("f");
    await page.getByLabel("Find in this log").fill("HAIL");
    const search = page.getByRole("search", { name: "This log" });
    await expect(search.getByRole("status")).toHaveText(/^(1 of )?4 lines$/);
    await page.keyboard.press("Enter");
    await page.keyboard.press("Enter");
    await expect(target(page)).toContainText("tick 250007 hail");
    await expect(search.getByRole("status")).toHaveText("2 of 4 lines");
    await expect(target(page).locator("mark")).toHaveText("hail");
    await expectAccessible(page);
  });
});

test.describe("eight boards at once @alone", () => {
  test.describe.configure({ timeout: 480_000 });
  test("print while the page that shows one of them keeps its frames", async ({ page }) => {
    const boards: string[] = [];
    for (let n = 1; n <= 8; n++) {
      const made = await page.request.post("/api/boards", {
        data: {
          nickname: `Pippin ${n}`,
          modelId: "quill-v",
          revisionId: "B",
          memoryMiB: 4096,
          connected: { cardGb: 32, screen: false, network: true, supplyId: "usb-5v-3a", adapterId: "usb-33" },
          toldBy: ["mark"],
          simulated: true,
          faultId: null,
        },
      });
      const id = ((await made.json()) as { board: { id: string } }).board.id;
      await page.request.put(`/api/boards/${id}/image`, { data: { imageId: "fallow-12-server-riscv64" } });
      boards.push(id);
    }
    const power = () =>
      Promise.all(
        boards.map((id) => page.request.post(`/api/boards/${id}/boots`, { data: { source: "simulated", speed: null } })),
      );
    await power();
    await page.goto(`/boards/${boards[0]}/boot`);
    await expect(consoleOf(page).locator("[data-line]").first()).toBeVisible();
    const { longest, allowed } = await longestFrame(page, () => page.waitForTimeout(2000), power);
    console.log(`  longest frame while eight boards print: ${longest.toFixed(1)} ms, ${allowed.toFixed(1)} allowed`);
    expect(longest).toBeLessThanOrEqual(allowed);
    // A page that still shows a board when it goes asks for it once more, rightly in vain.
    await page.goto("about:blank");
    for (const id of boards) await page.request.delete(`/api/boards/${id}`);
  });
});

test("long lines wrap or go sideways by one key, colours are kept, and plain text is copied", async ({ page, context }) => {
  await context.grantPermissions(["clipboard-read", "clipboard-write"]);
  await openLog(
    page,
    "russet",
    Buffer.from(`[\u001b[0;1;31mFAILED\u001b[0m] Failed to start.\n${"long ".repeat(60)}\nthird\nfourth\n`),
  );
  const lines = consoleOf(page).locator("[data-line]");
  await expect(lines.nth(0)).toContainText("[FAILED] Failed to start.");
  const red = await lines.nth(0).locator("span", { hasText: /^FAILED$/ }).last().evaluate((e) => getComputedStyle(e).color);
  expect(red).not.toBe(await lines.nth(2).evaluate((e) => getComputedStyle(e).color));
  const height = () => lines.nth(1).evaluate((e) => e.getBoundingClientRect().height);
  expect(await height()).toBeGreaterThan(30);
  await page.keyboard.press("w");
  await expect.poll(height).toBeLessThan(20);
  expect(await consoleOf(page).evaluate((e) => e.scrollWidth > e.clientWidth)).toBe(true);
  await page.keyboard.press("w");
  await expect.poll(height).toBeGreaterThan(30);

  // What is selected over several lines is copied without numbers, times and colours.
  await page.evaluate(() => {
    const text = (n: number) => document.querySelector(`[data-line="${n}"] > span:last-child`)!;
    getSelection()!.setBaseAndExtent(text(1), 0, text(3), text(3).childNodes.length);
  });
  await page.keyboard.press("ControlOrMeta+c");
  const copied = await page.evaluate(() => navigator.clipboard.readText());
  expect(copied.split("\n").map((l) => l.trim())).toEqual(["[FAILED] Failed to start.", "long ".repeat(60).trim(), "third"]);

  // A range by its numbers.
  await page.getByText("3", { exact: true }).first().click();
  await page.getByText("4", { exact: true }).first().click({ modifiers: ["Shift"] });
  await page.getByRole("button", { name: "Copy lines 3 to 4" }).click();
  await expect.poll(() => page.evaluate(() => navigator.clipboard.readText())).toBe("third\nfourth\n");
});

test("the rail opens by pointer, focus and key, and stays as the person left it", async ({ page }) => {
  await page.goto("/boards/bramley/boot");
  const bench = page.getByRole("navigation", { name: "On the bench" });
  const foot = page.getByRole("link", { name: /Board profiles/ });
  const width = () => page.locator("#bench").evaluate((e) => e.getBoundingClientRect().width);
  await expect(foot).toBeHidden();
  expect(await width()).toBeLessThan(70);
  await bench.getByRole("link", { name: /Bramley/ }).hover();
  await expect(foot).toBeVisible();
  // It lies over the page, which does not move.
  expect(await width()).toBeLessThan(70);
  await page.mouse.move(900, 500);
  await expect(foot).toBeHidden();
  await page.keyboard.press("Tab");
  await page.keyboard.press("Tab");
  await expect(foot).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(foot).toBeHidden();
  await page.keyboard.press("b");
  await expect(bench.getByRole("link", { name: /Bramley/ })).toBeFocused();
  expect(await width()).toBeGreaterThan(200);
  await page.reload();
  await expect(foot).toBeVisible();
  await page.getByRole("heading", { level: 1 }).click();
  await page.keyboard.press("b");
  await expect(foot).toBeHidden();
  await page.setViewportSize({ width: 1920, height: 1000 });
  await page.evaluate(() => localStorage.removeItem("buttonhook-bench"));
  await page.reload();
  await expect(foot).toBeVisible();
});

test("forty boards are grouped by what they wait for, searched and folded, and the foot stays in view", { tag: "@long" }, async ({ page }) => {
  const boards: string[] = [];
  for (let n = 1; n <= 36; n++) {
    const made = await page.request.post("/api/boards", {
      data: {
        nickname: `Row ${n}`,
        modelId: "thimble",
        revisionId: "C",
        memoryMiB: 512,
        connected: { cardGb: 8, screen: false, network: true, supplyId: null, adapterId: null },
        toldBy: ["mark"],
        simulated: true,
        faultId: null,
      },
    });
    boards.push(((await made.json()) as { board: { id: string } }).board.id);
  }
  await page.goto("/");
  const bench = page.getByRole("navigation", { name: "On the bench" });
  const needy = bench.getByRole("group", { name: "Needs a look" });
  await expect(needy.getByRole("link", { name: /Bramley/ })).toBeVisible();
  await expect(bench.getByRole("group", { name: "Needs a card" }).getByRole("link", { name: /Row 1\b/ })).toBeVisible();
  await expect(page.getByRole("button", { name: /Find anything/ })).toBeInViewport({ ratio: 1 });
  await expect(page.getByRole("button", { name: /theme/ })).toBeInViewport({ ratio: 1 });
  await expectAccessible(page);
  await bench.getByRole("button", { name: /Needs a card/ }).click();
  await expect(bench.getByRole("link", { name: /Row 1\b/ })).toHaveCount(0);
  await page.reload();
  await expect(needy).toBeVisible();
  await expect(bench.getByRole("link", { name: /Row 1\b/ })).toHaveCount(0);
  await page.getByLabel("Find a board on the bench").fill("row 36");
  await expect(bench.getByRole("link")).toHaveCount(1);
  await bench.getByRole("link", { name: /Row 36/ }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Row 36" })).toBeVisible();
  await page.goto("about:blank");
  for (const id of boards) await page.request.delete(`/api/boards/${id}`);
});

test("on a phone the next thing and the console come first, and the stage bar lies", { tag: "@long" }, async ({ page }) => {
  await page.setViewportSize({ width: 390, height: 844 });
  await page.goto("/boards/bramley/boot");
  await expect(target(page)).toContainText("Gave up waiting for root");
  const top = (e: { boundingBox: () => Promise<{ y: number; height: number; width: number } | null> }) =>
    e.boundingBox().then((b) => b!);
  const next = await top(page.getByRole("region", { name: "The next thing" }));
  const bar = await top(page.getByRole("list", { name: "Stages of this boot" }));
  const box = await top(consoleOf(page));
  expect(next.y).toBeLessThan(bar.y);
  expect(bar.height).toBeLessThan(60);
  expect(box.y).toBeLessThan(600);
  await expectAccessible(page);
});

test("a known board is on the bench within ten stops of the tab key, and an error has the focus", async ({ page }) => {
  await page.goto("/boards/new");
  await expect(page.getByLabel(/Or what is printed on the board/)).toBeFocused();
  // What is not there yet is no stop.
  await expect(page.getByLabel("Nickname")).toBeVisible();
  let stops = 0;
  const tabTo = async (found: () => Promise<boolean>) => {
    while (!(await found())) {
      await page.keyboard.press("Tab");
      stops++;
      expect(stops).toBeLessThan(10);
    }
  };
  const focused = (label: string | RegExp) => () => page.getByLabel(label).evaluateAll((all) => all.includes(document.activeElement as HTMLElement));
  await tabTo(focused("Nickname"));
  await page.keyboard.type("Tabbed");
  await tabTo(focused("Model"));
  await page.keyboard.type("Quillon Quill");
  await tabTo(() => page.getByRole("radio").evaluateAll((all) => all.includes(document.activeElement as HTMLElement)));
  await page.keyboard.press("Space");
  await tabTo(() => page.getByRole("button", { name: "Put it on the bench" }).evaluateAll((all) => all.includes(document.activeElement as HTMLElement)));
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { level: 1, name: "Tabbed" })).toBeVisible();
  expect(stops).toBeLessThan(10);
});

test("the files change as one types, with the changed characters marked, and nothing is set by that", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Typed", "none");
  await page.getByRole("button", { name: "Take Fallow 12 server" }).first().click();
  await steps(page).getByRole("link", { name: "Prepare" }).click();
  await expect(page.getByText("Nothing changes on this image.")).toBeVisible();
  await page.getByLabel("Host name").fill("frost-north");
  const file = page.getByLabel("/var/lib/cloud/seed/nocloud/user-data");
  await expect(file.locator("ins")).toContainText('hostname: "frost-north"');
  await expect(page.getByText("host name frost-north")).toBeVisible();
  await page.getByLabel("Host name").fill("Frost North");
  await expect(page.getByRole("list", { name: "Not right yet" })).toContainText("A host name has small letters");
  await page.evaluate(() => window.addEventListener("beforeunload", (e) => e.stopImmediatePropagation(), true));
  await page.getByLabel("How it is laid out").selectOption({ index: 1 });
  await expect(page.getByRole("img", { name: /^card: Loader and menu/ })).toBeVisible();
  await expectAccessible(page);
});

test("beside the causes the console follows the line that is pointed at, and equal lines are one with a count", { tag: "@long" }, async ({ page }) => {
  await page.setViewportSize({ width: 1600, height: 900 });
  // Another test may have given this board a newer log.
  const boots = (await (await page.request.get("/api/boards/codlin/boots")).json()) as { id: string; number: number }[];
  await page.goto(`/boards/codlin/diagnose?boot=${boots.find((b) => b.number === 2)!.id}`);
  const proof = page.getByRole("list", { name: "What proves it: Supply too weak" });
  await expect(proof).toContainText(/\d+ times, also at 118, 177/);
  await expect(proof.getByRole("link", { name: "Line 118" })).toHaveCount(0);
  await page.goto("/boards/bramley/diagnose");
  await expect(target(page)).toHaveAttribute("data-line", "67");
  const lines = page.getByRole("list", { name: "What proves it: Root not found" });
  await lines.getByRole("listitem").filter({ hasText: "does not exist" }).hover();
  await expect(target(page)).toHaveAttribute("data-line", "71");
  await lines.getByRole("link", { name: "Line 67" }).focus();
  await expect(target(page)).toHaveAttribute("data-line", "67");
  // The check stands once on the page.
  await expect(page.getByText(/Is the partition that PARTUUID=5e1c04aa-02 names among those of this card/)).toHaveCount(1);
  await expectAccessible(page);
});

test("a shelf is narrowed, sorted, opened, and what is chosen is taken or removed and had back", { tag: "@long" }, async ({ page }) => {
  await page.goto("/parts");
  const rows = page.getByRole("row");
  await page.getByLabel("Narrow the list").fill("adapter 3.3");
  await expect(rows).toHaveCount(3);
  await page.getByLabel("Narrow the list").fill("");
  await page.getByRole("button", { name: "Sort by part" }).click();
  await expect(rows.nth(1)).toContainText("5 V, 1 A");
  await page.getByRole("button", { name: "Sort by part" }).click();
  await expect(page.getByRole("columnheader", { name: "Sort by part" })).toHaveAttribute("aria-sort", "descending");
  await expect(rows.nth(1)).toContainText("USB stick");
  await page.getByText("Add one of your own, by its print").click();
  await page.getByLabel("Volts").fill("9");
  await page.getByLabel("Amperes").fill("2");
  await page.getByRole("button", { name: "Add it" }).click();
  await page.getByLabel("Narrow the list").fill("9 V your own");
  await page.getByRole("checkbox", { name: /^Choose 9 V/ }).check();
  await page.getByRole("button", { name: "Remove it" }).click();
  await expect(page.getByText("Nothing here has these words.")).toBeVisible();
  await page.getByRole("button", { name: "Take it back" }).click();
  await page.getByRole("button", { name: /^9 V/ }).click();
  await expect(page.getByRole("group", { name: /^Details of 9 V/ })).toContainText("not known");
  // What came with the product stays.
  await page.getByLabel("Narrow the list").fill("fan");
  await page.getByRole("checkbox", { name: "Choose Fan" }).check();
  await expect(page.getByText(/came with Buttonhook and stay/)).toBeVisible();
  await expectAccessible(page);
});

test("what is removed again while its taking back is still being told can be taken back again", { tag: "@long" }, async ({ page }) => {
  await page.goto("/parts");
  await page.getByText("Add one of your own, by its print").click();
  await page.getByLabel("Volts").fill("11");
  await page.getByLabel("Amperes").fill("2");
  await page.getByRole("button", { name: "Add it" }).click();
  await page.getByLabel("Narrow the list").fill("11 V your own");
  const choice = page.getByRole("checkbox", { name: /^Choose 11 V/ });
  const removed = page.getByRole("status").filter({ hasText: "Removed: 11 V" });
  await choice.check();
  await page.getByRole("button", { name: "Remove it" }).click();
  await expect(removed).toBeVisible();
  await page.route("**/api/bench", async (route) => {
    await new Promise((r) => setTimeout(r, 3000));
    await route.continue().catch(() => undefined);
  });
  await page.getByRole("button", { name: "Take it back" }).click();
  await choice.check();
  await page.getByRole("button", { name: "Remove it" }).click();
  await expect(page.getByRole("group", { name: "For what is chosen" })).toHaveCount(0);
  await page.unrouteAll({ behavior: "wait" });
  await page.getByRole("button", { name: "Take it back" }).click();
  await expect(choice).toBeVisible();
});
