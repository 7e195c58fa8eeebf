import { createHash } from "node:crypto";
import { type ChildProcess, spawn } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Page } from "@playwright/test";
import { causes, expect, expectAccessible, next, putOnBench, steps, test } from "./bench";
import { Console, Devices } from "./terminals";

const root = join(import.meta.dirname, "../..");
const consoles: Console[] = [];

async function make(program: string | null = null) {
  const console = await Console.make(program);
  consoles.push(console);
  return console;
}

test.afterEach(async ({ page }) => {
  await page.close();
  for (const console of consoles.splice(0)) await console.end();
});

/** The screen of the terminal, as a person sees it and a screen reader reads it. */
const screen = (page: Page, text: string) =>
  page.getByRole("region", { name: "Terminal" }).getByRole("listitem").filter({ hasText: text }).first();

const row = (page: Page) => page.getByRole("region", { name: "Console", exact: true });
const events = (page: Page) => page.getByRole("list", { name: "What was seen and done" });

/** Puts a simulated board with the image that fits on the bench, and opens Boot. */
async function simulate(page: Page, nickname: string) {
  await putOnBench(page, nickname, "none");
  await next(page).getByRole("button", { name: /Take it/ }).click();
  await expect(page).toHaveURL(/prepare$/);
  await steps(page).getByRole("link", { name: "Boot" }).click();
}

/** Waits for the login and lets the computer log in; the hands for that stay open. */
async function logIn(page: Page, host: string) {
  await expect(row(page)).toContainText(`${host} login:`);
  await row(page).focus();
  await page.keyboard.press("m");
  const login = page.getByRole("region", { name: "Log in" });
  await login.getByLabel("Name").fill("fallow");
  await login.getByLabel("Password, not kept").fill("perry-and-cider");
  await login.getByRole("button", { name: "Wake the prompt and log in" }).click();
  await expect(events(page)).toContainText("Log in: done");
}

/** Puts a real board on the bench and opens a port for it. */
async function openPort(page: Page, nickname: string, path: string, speed = "115200") {
  await putOnBench(page, nickname, null);
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByLabel("Port, or another path under /dev").fill(path);
  await page.getByLabel("Speed, bits a second").fill(speed);
  await page.getByRole("button", { name: "Open the console" }).click();
  await expect(row(page)).toBeVisible();
}

test("a boot menu and an editor are driven through the terminal, and the lines show the same journal", { tag: "@long" }, async ({ page }) => {
  const console = await make(
    "whiptail --title 'Boot menu' --menu Start 15 60 4 one 'Fallow 12' two 'Rescue system' 2>/tmp/buttonhook-choice-$$; " +
      "printf 'chosen: '; cat /tmp/buttonhook-choice-$$; rm /tmp/buttonhook-choice-$$; echo; nano -I /tmp/buttonhook-edited-$$; echo; cat /tmp/buttonhook-edited-$$; rm -f /tmp/buttonhook-edited-$$; sleep 600",
  );
  await openPort(page, "Menu", console.path);
  await page.keyboard.press("v");
  await expect(screen(page, "Boot menu")).toBeVisible();
  await expectAccessible(page);
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Enter");
  await expect(screen(page, "GNU nano")).toBeVisible();
  await page.keyboard.type("hostname=frost-7");
  await expect(screen(page, "hostname=frost-7")).toBeVisible();
  await page.keyboard.press("Control+o");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Control+x");
  await expect(screen(page, "chosen: two")).toBeVisible();
  await page.keyboard.press("Shift+Escape");
  await expect(row(page)).toContainText("hostname=frost-7");
  await page.getByRole("button", { name: "Log", exact: true }).click();
  const [saved] = await Promise.all([page.waitForEvent("download"), page.getByText("Save as plain text").click()]);
  const text = readFileSync(await saved.path(), "utf8");
  expect(text).toContain("chosen: two");
  expect(text).not.toContain("\u001b");
  // Every control character can be seen, too.
  await row(page).focus();
  await page.keyboard.press("r");
  await expect(row(page)).toContainText("‹ESC›[");
  await page.keyboard.press("r");
  await expect(row(page)).not.toContainText("‹ESC›[");
});

test("what a board sends to play tricks stays in its terminal", { tag: "@long" }, async ({ page }) => {
  const console = await make();
  await openPort(page, "Trickster", console.path);
  const title = await page.title();
  await page.keyboard.press("v");
  console.print("first line\r\n\u001b]0;stolen title\u0007\u001b]52;c;c3RvbGVu\u0007<img src=x onerror=alert(1)>\r\n\u001b[3Jsafe\r\n");
  await expect(screen(page, "<img src=x onerror=alert(1)>")).toBeVisible();
  await expect(screen(page, "first line")).toBeVisible();
  expect(await page.title()).toBe(title);
  await expect(page.locator("img[src=x]")).toHaveCount(0);
  // A full reset takes nothing of what scrolled by, also when it is cut in two.
  console.print("before the reset\r\n\u001b");
  console.print("cbehind the reset\r\n");
  await expect(screen(page, "behind the reset")).toBeVisible();
  await page.keyboard.press("Shift+PageUp");
  await page.keyboard.press("Shift+PageUp");
  await expect(screen(page, "first line")).toBeVisible();
  await page.keyboard.press("Shift+Escape");
  await expect(row(page)).toContainText("<img src=x onerror=alert(1)>");
  expect(await page.title()).toBe(title);
});

test("a long paste into the terminal reaches the board to its last letter", { tag: "@long" }, async ({
  page,
}) => {
  const console = await make(
    "stty -icanon -echo; head -c 5000 | sha256sum; sleep 600",
  );
  await openPort(page, "Paster", console.path);
  await page.keyboard.press("v");
  await page
    .getByRole("region", { name: "Terminal" })
    .getByRole("textbox")
    .focus();
  const text = Array.from({ length: 5000 }, (_, n) =>
    String.fromCharCode(97 + (n % 26)),
  ).join("");
  await page.evaluate((t) => {
    const data = new DataTransfer();
    data.setData("text/plain", t);
    document.activeElement?.dispatchEvent(
      new ClipboardEvent("paste", { clipboardData: data, bubbles: true }),
    );
  }, text);
  await expect(
    screen(page, createHash("sha256").update(text).digest("hex").slice(0, 40)),
  ).toBeVisible({ timeout: 60_000 });
});

test("a port of the browser that refuses a line is told, read on as it was, and opened again", { tag: "@long" }, async ({
  page,
}) => {
  // A port as the standard has it: what its types do not have is a TypeError, what the adapter cannot do a NetworkError.
  await page.addInitScript(() => {
    let feed: ReadableStreamDefaultController<Uint8Array> | undefined;
    const port = {
      readable: null as ReadableStream<Uint8Array> | null,
      writable: null as WritableStream<Uint8Array> | null,
      open: (options: Record<string, unknown>) => {
        if (port.readable)
          return Promise.reject(
            new DOMException("The port is already open.", "InvalidStateError"),
          );
        if (typeof options.baudRate !== "number" || options.baudRate <= 0)
          return Promise.reject(new TypeError("baudRate"));
        if (
          !["none", "even", "odd", undefined].includes(options.parity as string)
        )
          return Promise.reject(
            new TypeError(`parity: ${String(options.parity)}`),
          );
        if (
          !["none", "hardware", undefined].includes(
            options.flowControl as string,
          )
        )
          return Promise.reject(new TypeError("flowControl"));
        if (
          ![7, 8, undefined].includes(options.dataBits as number) ||
          ![1, 2, undefined].includes(options.stopBits as number)
        )
          return Promise.reject(new TypeError("bits"));
        if (options.baudRate > 1_000_000)
          return Promise.reject(
            new DOMException("Failed to open serial port.", "NetworkError"),
          );
        port.readable = new ReadableStream({ start: (c) => void (feed = c) });
        port.writable = new WritableStream();
        Object.assign(window, {
          opened: [
            ...((window as unknown as { opened?: unknown[] }).opened ?? []),
            options,
          ],
        });
        return Promise.resolve();
      },
      close: () => {
        port.readable = port.writable = null;
        return Promise.resolve();
      },
      setSignals: () => Promise.resolve(),
      getInfo: () => ({ usbVendorId: 0x0403, usbProductId: 0x6001 }),
    };
    Object.defineProperty(navigator, "serial", {
      value: {
        requestPort: () => Promise.resolve(port),
        getPorts: () => Promise.resolve([port]),
      },
    });
    const say = async (text: string) => {
      while (!feed) await new Promise((later) => setTimeout(later, 50));
      feed.enqueue(new TextEncoder().encode(text));
    };
    Object.assign(window, { say });
  });
  const say = (text: string) =>
    page.evaluate(
      (t) =>
        (window as unknown as { say: (t: string) => Promise<void> }).say(t),
      text,
    );
  await putOnBench(page, "Refuser", null);
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: /through the browser/ }).check();
  await page.getByRole("button", { name: "Choose a port and open it" }).click();
  await say("U-Boot 2024.01\r\n");
  await expect(row(page)).toContainText("U-Boot 2024.01");
  await row(page).focus();
  await page.keyboard.press("m");
  const line = page.getByRole("region", { name: "The line" });
  // Another speed and parity: opened anew in the standard's own words.
  await line.getByLabel("Speed, bits a second").fill("57600");
  await line.getByLabel("Frame").selectOption("8E1");
  await line.getByRole("button", { name: "Set the line" }).click();
  await expect
    .poll(() =>
      page.evaluate(() =>
        (
          window as unknown as {
            opened: { baudRate: number; parity: string }[];
          }
        ).opened.at(-1),
      ),
    )
    .toMatchObject({ baudRate: 57600, parity: "even" });
  await say("at another speed\r\n");
  await expect(row(page)).toContainText("at another speed");
  // What the adapter refuses is told, and the port is read on as it was.
  await line.getByLabel("Speed, bits a second").fill("3000000");
  await line.getByRole("button", { name: "Set the line" }).click();
  await expect(
    page.getByText("Failed to open serial port.", { exact: false }),
  ).toBeVisible();
  await expectAccessible(page);
  await say("and goes on\r\n");
  await expect(row(page)).toContainText("and goes on");
  await expect(row(page)).toContainText("U-Boot 2024.01");
});

test("a wrong speed is told within two seconds and one key reads on at the right one", { tag: "@long" }, async ({ page }) => {
  await simulate(page, "Swift");
  await page.getByRole("radio", { name: "A serial port" }).check();
  await page.getByRole("button", { name: /Swift simulated, \/dev\/pts/ }).click();
  await page.getByLabel("Speed, bits a second").fill("57600");
  await page.getByRole("button", { name: "Open the console" }).click();
  await expect(page.getByText(/the board seems to run at 115200, this port at 57600/)).toBeVisible();
  await row(page).focus();
  await page.keyboard.press("u");
  await expect(page.getByText(/the board seems to run/)).toHaveCount(0);
  // What came at the wrong speed is gone for good; a prompt comes again.
  await page.getByLabel("Type to the board").press("Enter");
  await expect(row(page)).toContainText("swift login:");
  await expect(events(page)).toContainText("The line is 115200 8N1 from here on");
  // The same board behind a bridge, at the right speed from the start.
  await page.getByRole("button", { name: "Log", exact: true }).click();
  await page.getByRole("button", { name: "Other console" }).click();
  await page.getByRole("radio", { name: "A serial port" }).check();
  await page.getByRole("button", { name: /Swift simulated, behind a bridge/ }).click();
  await page.getByRole("button", { name: "Open the console" }).click();
  await expect(row(page)).toContainText("swift login:");
  await expect(page.getByText(/from 127\.0\.0\.1:\d+ at 115200 8N1/)).toBeVisible();
});

test("the loader is stopped, a text pasted slowly, a sequence written and run, what is seen marked", { tag: "@long" }, async ({ page }) => {
  await simulate(page, "Handy");
  await page.getByRole("button", { name: "Power on" }).click();
  await logIn(page, "handy");
  // The order of hands: it waits for the countdown first, then the board starts; here nothing starts, and it is ended.
  await page.getByRole("button", { name: "Stop loader" }).click();
  await expect(page.getByText("Waits for the loader's countdown.")).toBeVisible();
  await page.getByRole("button", { name: "End it" }).click();
  await expect(events(page)).toContainText("Stop the loader: ended by you");
  const slow = page.getByRole("region", { name: "Paste slowly" });
  await slow.getByLabel(/^Text/).fill("hostname\ncat /proc/cmdline\n");
  await slow.getByLabel("Pause a line, ms").fill("20");
  await slow.getByRole("button", { name: "Paste" }).click();
  await expect(page.getByText("All of it is typed.")).toBeVisible();
  await expect(row(page)).toContainText("root=PARTUUID=");
  const sequences = page.getByRole("region", { name: "Sequences" });
  await sequences.getByRole("button", { name: "Write a sequence" }).click();
  await sequences.getByLabel("Name of the sequence").fill("Which address");
  await sequences.getByLabel("Then type").fill("ip -br addr\\r");
  await sequences.getByRole("button", { name: "Add a step" }).click();
  await sequences.getByLabel("2. Wait for").fill("eth0");
  await sequences.getByRole("button", { name: "Keep the sequence" }).click();
  await expectAccessible(page);
  await sequences.getByRole("button", { name: "Which address" }).click();
  await expect(events(page)).toContainText("Which address: done");
  await page.getByLabel("What you saw, in your own words").fill("A thread of smoke");
  await page.getByRole("button", { name: "Mark it", exact: true }).click();
  await expect(events(page)).toContainText("A thread of smoke");
  await page.getByRole("button", { name: /^Mark/ }).first().click();
  // This board's own lights are there to be marked, by the names on its card.
  await page.locator(".dropdown-menu.show button").first().click();
  await expect(events(page).locator("li").filter({ hasText: ": on" })).toHaveCount(1);
  await page.getByRole("button", { name: "Power off" }).click();
});

test("a login is typed by itself, and its password is shown nowhere", async ({ page }) => {
  await simulate(page, "Porter");
  await page.getByRole("button", { name: "Power on" }).click();
  await logIn(page, "porter");
  await expect(events(page)).toContainText("Something was typed that did not come back; it is not kept");
  await expect(page.getByText("perry-and-cider")).toHaveCount(0);
});

test("a real log that is played again ends in the same diagnosis as the file itself", { tag: "@long" }, async ({ page }) => {
  await putOnBench(page, "Player", null);
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: "A log file" }).check();
  await page.getByLabel(/^A console log/).setInputFiles(join(root, "tests/logs/arm64-initrd-file-missing-1/console.log"));
  await expect(row(page)).toBeVisible();
  await steps(page).getByRole("link", { name: "Diagnose" }).click();
  const told = await causes(page).first().innerText();
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("button", { name: "Log", exact: true }).click();
  await page.getByRole("button", { name: "Play it again twenty times as fast" }).click();
  await expect(page.getByText("The replay is over.")).toBeVisible();
  await expect(page.getByText(/from replay of boot 1 at 20 times its pace/)).toBeVisible();
  await steps(page).getByRole("link", { name: "Diagnose" }).click();
  await expect.poll(() => causes(page).first().innerText()).toBe(told);
});

test("logs are found by their words, filtered, and two lie beside each other where they part", { tag: "@long" }, async ({ page }) => {
  await page.goto("/logs");
  await page.getByLabel("Find words in all logs").fill("Gave up waiting");
  const found = page.getByRole("region", { name: "Found in the logs" });
  await expect(found.getByText(/\d+ lines? in \d+ logs?/)).toBeVisible();
  await expect(found.locator("mark").first()).toHaveText(/gave|up|waiting/i);
  await expectAccessible(page);
  await page.getByLabel("Find words in all logs").fill("");
  await page.getByLabel("Only this board").selectOption({ label: "Bramley" });
  await expect(page.getByRole("button", { name: /^Bramley, boot 4/ })).toBeVisible();
  await expect(page.getByRole("button", { name: /^Pearmain/ })).toHaveCount(0);
  await page.getByRole("checkbox", { name: /^Choose Bramley, boot 4/ }).check();
  await page.getByRole("checkbox", { name: /^Choose Bramley, boot 3/ }).check();
  const [zip] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: "Save as one zip" }).click()]);
  expect(readFileSync(await zip.path()).subarray(0, 2).toString()).toBe("PK");
  await page.getByRole("link", { name: "Compare" }).click();
  await expect(page.getByText(/They part (once|\d+ times), (first )?at line \d+ and line \d+/)).toBeVisible();
  await expect(page.getByRole("region", { name: "Both logs" })).toContainText("Gave up waiting for root");
  await expectAccessible(page);
  const folds = page.getByRole("button", { name: /lines alike/ });
  const before = await folds.count();
  await folds.first().click();
  await expect(folds).toHaveCount(before - 1);
});

test("another device is told how to get in", { tag: "@long" }, async ({ page }) => {
  await page.goto("/");
  await page.getByRole("button", { name: "On another device" }).click();
  await expect(page.getByRole("dialog")).toContainText("--share tls");
  await expectAccessible(page);
});

test("a port of this device is read through the browser, and again after a reload", { tag: "@long" }, async ({ page }) => {
  // A browser without a monitor has no list of ports to choose from: one port is put in its place, the rest is the real page.
  await page.addInitScript(() => {
    let feed: ReadableStreamDefaultController<Uint8Array> | undefined;
    const port = {
      readable: null as ReadableStream<Uint8Array> | null,
      writable: null as WritableStream<Uint8Array> | null,
      open: () => {
        port.readable = new ReadableStream({ start: (c) => void (feed = c) });
        port.writable = new WritableStream({
          write: (bytes) => feed?.enqueue(new TextEncoder().encode(`heard ${new TextDecoder().decode(bytes)}\r\n`)),
        });
        return Promise.resolve();
      },
      close: () => Promise.resolve(),
      setSignals: () => Promise.resolve(),
      getInfo: () => ({ usbVendorId: 0x0403, usbProductId: 0x6001 }),
    };
    Object.defineProperty(navigator, "serial", {
      value: { requestPort: () => Promise.resolve(port), getPorts: () => Promise.resolve([port]) },
    });
    // What is printed before the page has opened the port waits for it.
    const say = async (text: string) => {
      while (!feed) await new Promise((later) => setTimeout(later, 50));
      feed.enqueue(new TextEncoder().encode(text));
    };
    Object.assign(window, { say });
  });
  const say = (text: string) => page.evaluate((t) => (window as unknown as { say: (t: string) => Promise<void> }).say(t), text);
  await putOnBench(page, "Laptop", null);
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: /through the browser/ }).check();
  await page.getByRole("button", { name: "Choose a port and open it" }).click();
  await expect(page.getByText(/from USB adapter 0403:6001 of the computer with the page/)).toBeVisible();
  await say("U-Boot 2024.01\r\n");
  await expect(row(page)).toContainText("U-Boot 2024.01");
  await page.getByLabel("Type to the board").fill("boot");
  await page.getByRole("button", { name: "Enter", exact: true }).click();
  await expect(row(page)).toContainText("heard boot");
  await page.reload();
  await page.getByRole("button", { name: "Read it here" }).click();
  await expect(page.getByRole("button", { name: "Read it here" })).toHaveCount(0);
  await say("after the reload\r\n");
  await expect(row(page)).toContainText("after the reload");
  await expect(row(page)).toContainText("U-Boot 2024.01");
});

test.describe("at a bench of one's own", () => {
  const url = `http://127.0.0.1:${5394 + 10 * Number(process.env.TEST_PARALLEL_INDEX)}`;
  let folder: string;
  let server: ChildProcess;
  let devices: Devices;
  const start = async () => {
    server = spawn("dotnet", [
      join(root, ".build/app/Buttonhook.App.dll"),
      ...["serve", "--data", join(folder, "data"), "--urls", url, "--devices", devices.folder],
    ]);
    await expect.poll(() => fetch(`${url}/api/bench`).then((r) => r.status, () => 0), { timeout: 180_000 }).toBe(200);
  };
  const end = async (signal: NodeJS.Signals) => {
    const ended = server.exitCode === null && new Promise((over) => server.once("exit", over));
    server.kill(signal);
    await ended;
  };
  test.beforeEach(async () => {
    folder = mkdtempSync(join(tmpdir(), "buttonhook-capture-"));
    devices = new Devices();
    await start();
  });
  test.afterEach(async ({ page }) => {
    await page.close();
    await end("SIGTERM");
    devices.end();
    rmSync(folder, { recursive: true, force: true });
  });
  test.use({ baseURL: url, provoked: /Failed to load resource|WebSocket|ERR_CONNECTION/ });

  test("an adapter is offered when it is plugged in, waited for when it is pulled, and a kill of the server is a gap", { tag: "@long" }, async ({ page }) => {
    await page.goto("/");
    await page.getByLabel("Image, device tree, package, folder or log").or(page.getByRole("textbox").first()).first().waitFor();
    await fetch(`${url}/api/imports`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ path: null, text: "Sentinel 3" }),
    })
      .then((r) => r.json() as Promise<{ id: string }>)
      .then(({ id }) =>
        fetch(`${url}/api/imports/${id}/board`, {
          method: "POST",
          headers: { "Content-Type": "application/json" },
          body: JSON.stringify({ nickname: "Sentinel", tree: null, mark: "Sentinel 3", candidate: null }),
        }),
      );
    await page.reload();
    await expect(page.getByRole("link", { name: /Sentinel/ }).first()).toBeVisible();
    const first = await make();
    devices.plug("ttyUSB0", first);
    await expect(page.getByText("Plugged in just now:")).toBeVisible({ timeout: 2000 });
    await expectAccessible(page);
    await page.getByRole("button", { name: /Open it for Sentinel/ }).click();
    // Nothing tells the speed of this board: the form asks for it, with the port filled in.
    await page.getByLabel("Speed, bits a second").fill("115200");
    await page.getByRole("button", { name: "Open the console" }).click();
    first.print("U-Boot 2024.01\r\nbefore the plug was pulled\r\n");
    await expect(row(page)).toContainText("before the plug was pulled");

    devices.pull("ttyUSB0");
    await first.end();
    await expect(page.getByText(/Plug it in again: the capture goes on by itself/)).toBeVisible();
    const second = await make();
    devices.plug("ttyUSB0", second);
    await expect(events(page)).toContainText("is heard again after");
    second.print("after it was plugged in\r\n");
    await expect(row(page)).toContainText("after it was plugged in");
    await expect(row(page)).toContainText("before the plug was pulled");

    await end("SIGKILL");
    await start();
    await expect(events(page)).toContainText("Buttonhook was stopped");
    second.print("after the kill\r\n");
    await expect(row(page)).toContainText("after the kill");
    await expect(row(page)).toContainText("before the plug was pulled");
    await page.reload();
    await expect(row(page)).toContainText("after the kill");
  });
});
