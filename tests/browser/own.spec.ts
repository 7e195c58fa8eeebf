import { type ChildProcess, spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Locator, Page } from "@playwright/test";
import { expect, expectAccessible, steps, test } from "./bench";
import { linuxImage } from "./image";

const root = join(import.meta.dirname, "../..");
const url = `http://127.0.0.1:${5393 + 10 * Number(process.env.TEST_PARALLEL_INDEX)}`;
const log = join(root, "tests/logs/amd64-good-boot-1/console.log");

let folder: string;
let server: ChildProcess;
const players: ChildProcess[] = [];

/** A bench of one's own that begins with an empty data folder. */
test.beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), "buttonhook-own-"));
  server = spawn("dotnet", [join(root, ".build/app/Buttonhook.App.dll"), "serve", "--data", join(folder, "data"), "--urls", url]);
  await expect
    .poll(() => fetch(`${url}/api/bench`).then((r) => r.status, () => 0), { timeout: 180_000 })
    .toBe(200);
});
test.afterEach(async ({ page }) => {
  // A page whose server has gone would say so.
  await page.close();
  for (const player of players.splice(0)) player.kill();
  // The next server takes the same port, so this one must have let it go.
  const ended = server.exitCode === null && new Promise((over) => server.once("exit", over));
  server.kill();
  await ended;
  rmSync(folder, { recursive: true, force: true });
});

/** A pseudo-terminal, and what makes it print a real log. */
async function terminal(): Promise<{ path: string; play: () => void }> {
  const player = spawn("/usr/bin/python3", [
    "-u",
    "-c",
    `import os, pty, sys, time, tty
master, slave = pty.openpty()
tty.setraw(slave)
print(os.ttyname(slave))
sys.stdin.readline()
log = open(${JSON.stringify(log)}, "rb").read()
for at in range(0, len(log), 1024):
    os.write(master, log[at:at + 1024])
    time.sleep(0.01)
time.sleep(600)`,
  ]);
  players.push(player);
  return new Promise((found) =>
    player.stdout.once("data", (line: Buffer) =>
      found({ path: line.toString().trim(), play: () => player.stdin.write("\n") }),
    ),
  );
}

async function bring(page: Page, what: string) {
  await page.getByLabel(/Or what is printed on the board/).fill(what);
  await page.getByRole("button", { name: "Look at it" }).click();
}

/** Opens the console on a terminal that plays a real log, and waits for the login. */
async function bootToLogin(page: Page) {
  const { path, play } = await terminal();
  await steps(page).getByRole("link", { name: "Boot" }).click();
  const again = page.getByRole("button", { name: "Log", exact: true });
  const port = page.getByRole("radio", { name: "A serial port" });
  await expect(again.or(port)).toBeVisible();
  if (await again.isVisible()) {
    await again.click();
    await page.getByRole("button", { name: "Other console" }).click();
  }
  await port.check();
  await page.getByLabel(/Port, or another path/).fill(path);
  await page.getByLabel(/Speed, bits a second/).fill("115200");
  await page.getByRole("main").locator("form").getByRole("button", { name: "Open the console" }).click();
  await expect(page.getByText(`from ${path} at 115200 8N1`)).toBeVisible();
  play();
  await expect(page.getByRole("list", { name: "Stages of this boot" })).toContainText("Login, reached", { timeout: 180_000 });
}

async function keep(page: Page) {
  await steps(page).getByRole("link", { name: "Keep" }).click();
  await page.getByRole("button", { name: "Keep as version 1" }).click();
  await expect(page.getByText("Version 1", { exact: true })).toBeVisible();
}

test("an image with a chosen device tree leads from an empty bench to kept settings", { tag: "@long" }, async ({ page }) => {
  await page.goto(url);
  await expect(page.getByRole("heading", { level: 1, name: "What lies in front of you?" })).toBeVisible();
  await expectAccessible(page);
  const image = join(folder, "orchard.img");
  linuxImage(image, { tree: join(import.meta.dirname, "pip.dtb") });
  await bring(page, image);
  await expect(page.getByRole("status")).toContainText("orchard.img is an image");
  await expect(page.getByRole("status")).toContainText("It carries a device tree for one board.");
  await expectAccessible(page);
  await page.getByLabel("Nickname").fill("Damson");
  await page.getByRole("button", { name: "Put it on the bench" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Damson" })).toBeVisible();
  await bootToLogin(page);
  await keep(page);
});

test("an image and then the print become one board with that image on its shelf", { tag: "@long" }, async ({ page }) => {
  await page.goto(url);
  const image = join(folder, "orchard.img");
  linuxImage(image);
  await bring(page, image);
  await expect(page.getByText("this image does not name a board", { exact: false })).toBeVisible();
  await bring(page, "Damson X1 rev 2");
  await expect(page.getByRole("status")).toContainText("is printed on it");
  await expect(page.getByText("Also at hand: orchard.img is an image")).toBeVisible();
  await expectAccessible(page);
  await page.getByLabel("Nickname").fill("Damson");
  await page.getByRole("button", { name: "Put it on the bench" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Damson" })).toBeVisible();
  await steps(page).getByRole("link", { name: "Match" }).click();
  await expect(page.getByText("1 images on the shelf", { exact: false })).toBeVisible();
  await expect(steps(page).getByRole("link", { name: "Match" })).toContainText("done");
});

test("a console that is opened on a running board counts for no boot", { tag: "@long" }, async ({ page }) => {
  await page.goto(url);
  await bring(page, "Damson X1 rev 2");
  await page.getByLabel("Nickname").fill("Damson");
  await page.getByRole("button", { name: "Put it on the bench" }).click();
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await page.getByRole("radio", { name: "A log file" }).check();
  const text = Buffer.from("\r\nfrost-north login: ");
  await page.getByLabel(/A console log/).setInputFiles({ name: "attached.log", mimeType: "text/plain", buffer: text });
  await expect(page.getByRole("status").filter({ hasText: "Attached to a running board, at its login" })).toBeVisible();
  await expect(page.getByRole("button", { name: /Keep the settings/ })).toHaveCount(0);
  await expectAccessible(page);
});

test.describe("what is refused", () => {
  test.use({ provoked: /status of 422/ });
  test("one board from image and print over an attached log and a real boot to a record with a claim and a foreign one", { tag: "@long" }, async ({ page }) => {
    test.setTimeout(240_000);
    await page.goto(url);
    const image = join(folder, "orchard.img");
    linuxImage(image);
    await bring(page, image);
    await expect(page.getByText("this image does not name a board", { exact: false })).toBeVisible();
    await bring(page, "Damson X1 rev 2 2GB 12V/2A");
    await expect(page.getByText("Also at hand: orchard.img is an image")).toBeVisible();
    // What is printed is read, and is no nickname.
    await expect(page.getByLabel("Nickname")).toHaveValue("Damson X1");
    await expect(page.getByRole("main")).toContainText("12 V");
    await page.getByLabel("Nickname").fill("Damson");
    await page.getByRole("button", { name: "Put it on the bench" }).click();
    await expect(page.getByRole("heading", { level: 1, name: "Damson" })).toBeVisible();

    // A console opened on a board that is up already counts for no boot.
    await steps(page).getByRole("link", { name: "Boot" }).click();
    await page.getByRole("radio", { name: "A log file" }).check();
    const attached = { name: "attached.log", mimeType: "text/plain", buffer: Buffer.from("\r\nfrost-north login: ") };
    await page.getByLabel(/A console log/).setInputFiles(attached);
    await expect(page.getByRole("status").filter({ hasText: "Attached to a running board, at its login" })).toBeVisible();
    await expect(page.getByRole("button", { name: /Keep the settings/ })).toHaveCount(0);

    await bootToLogin(page);
    await steps(page).getByRole("link", { name: "Keep" }).click();
    await page.getByRole("region", { name: "System" }).getByRole("button", { name: "Correct Kernel" }).click();
    await page.getByLabel("Kernel, as you say").fill("6.1.99-mine");
    await page.getByRole("button", { name: "Say it" }).click();
    await expect(page.getByText("(you say: 6.1.99-mine)")).toBeVisible();
    await page.getByRole("button", { name: "Keep as version 1" }).click();
    await expect(page.getByText("What is proven and what you say should be the same.")).toBeVisible();
    await page.getByLabel(/Keep both where I say other than what is proven/).check();
    await page.getByRole("button", { name: "Keep as version 1" }).click();
    await expect(page.getByText("Version 1", { exact: true })).toBeVisible();
    await expectAccessible(page);

    // A record of a board of another model is told before it is kept.
    const id = /boards\/([^/]+)/.exec(page.url())?.[1] ?? "";
    const record = (await (await page.request.get(`${url}/api/boards/${id}/settings/1.json`)).json()) as {
      bench: { modelId: string };
      settings: { id: string; value: string | null }[];
    };
    record.bench.modelId = "russet-one";
    for (const s of record.settings) if (s.id === "board.model") s.value = "Orchardist Russet One";
    await page
      .getByLabel("A file that Keep gave out (JSON or zip)")
      .setInputFiles({ name: "russet.json", mimeType: "application/json", buffer: Buffer.from(JSON.stringify(record)) });
    await expect(page.getByText("They are of a Orchardist Russet One, and Damson is a", { exact: false })).toBeVisible();
    await expect(page.getByRole("button", { name: "Keep it as version 2" })).toBeDisabled();
    await expectAccessible(page);
    await page.getByRole("button", { name: "Leave it" }).click();

    // Two boards of a batch do not get one address.
    await page.goto(`${url}/batches`);
    await page.getByLabel("As this board").selectOption({ index: 1 });
    await page.getByLabel("Name of the batch").fill("Northern hedge");
    await page.getByLabel("Nicknames begin with").fill("Hedge");
    await page.getByRole("button", { name: "Put them on the bench" }).click();
    await expect(page.getByRole("heading", { level: 1, name: "Northern hedge" })).toBeVisible();
    for (const name of ["Hedge 1", "Hedge 2"]) {
      await page.getByRole("navigation").getByRole("link", { name: new RegExp(`^${name}`) }).first().click();
      await steps(page).getByRole("link", { name: "Prepare" }).click();
      await page.locator("summary").filter({ hasText: "Network" }).click();
      await page.getByLabel(/Fixed address with its length/).fill("192.0.2.50/24");
      await page.getByRole("button", { name: "Set this" }).click();
      await expect(page.getByText("Another board on your bench has the address 192.0.2.50", { exact: false }).first()).toBeVisible({
        visible: name === "Hedge 2",
      });
    }
  });
});

test("a log alone brings its board, and what it does not tell stays unknown", { tag: "@long" }, async ({ page }) => {
  await page.goto(url);
  await bring(page, log);
  await expect(page.getByRole("status")).toContainText("This is a boot log");
  await page.getByLabel("Nickname").fill("Damson");
  await page.getByRole("button", { name: "Put it on the bench" }).click();
  await steps(page).getByRole("link", { name: "Identify" }).click();
  await expect(page.getByRole("heading", { name: "What is not known of it" })).toBeVisible();
  await page.getByLabel(/Volts it takes/).fill("12");
  await page.getByRole("button", { name: "Put it into the profile" }).click();
  await expect(page.getByLabel(/Volts it takes/)).toHaveCount(0);
  await expect(page.getByRole("region", { name: /^What is known of the/ })).toContainText("12 V, amperes not known");
  await page.getByText("What was changed on this board and its profile").click();
  await page.getByRole("button", { name: /Take it back: You said: power.volts 12/ }).click();
  await expect(page.getByLabel(/Volts it takes/)).toBeVisible();
  await expectAccessible(page);
  await bootToLogin(page);
  await keep(page);
});

test("a bare device tree makes a board that an image is found for", { tag: "@long" }, async ({ page }) => {
  await page.goto(url);
  await page.getByLabel("Drop it here, or choose a file").setInputFiles(join(import.meta.dirname, "pip.dtb"));
  await expect(page.getByRole("status")).toContainText("is a device tree");
  await expect(page.getByLabel("What it tells of the board")).toContainText("ttyS0");
  await expect(page.getByLabel("What it tells of the board")).toContainText("not known");
  await page.getByLabel("Nickname").fill("Damson");
  await page.getByRole("button", { name: "Put it on the bench" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Damson" })).toBeVisible();
  await steps(page).getByRole("link", { name: "Connect" }).click();
  await expect(page.getByText(/Cannot tell without the volts/).first()).toBeVisible();
  await expectAccessible(page);
  await bootToLogin(page);
  await keep(page);
});

/** Goes with the tab key to what has this name. */
async function tabTo(page: Page, target: Locator) {
  await expect(target.first()).toBeEnabled();
  for (let i = 0; i < 150; i++) {
    if (await target.evaluateAll((found) => found.some((e) => e === document.activeElement))) return;
    await page.keyboard.press("Tab");
  }
  throw new Error(`150 presses of the tab key do not lead to ${target}`);
}

test("the whole way from nothing to kept settings with the keyboard alone", async ({ page }) => {
  const image = join(folder, "orchard.img");
  linuxImage(image, { tree: join(import.meta.dirname, "pip.dtb") });
  const { path, play } = await terminal();
  const press = async (name: string | RegExp) => {
    await tabTo(page, page.getByRole("button", { name }));
    await page.keyboard.press("Enter");
  };
  const type = async (label: RegExp | string, text: string) => {
    await tabTo(page, page.getByLabel(label));
    await page.keyboard.press("ControlOrMeta+a");
    await page.keyboard.type(text);
  };
  await page.goto(url);
  await expect(page.getByRole("heading", { level: 1, name: "What lies in front of you?" })).toBeVisible();
  await type(/Or what is printed on the board/, image);
  await press("Look at it");
  await expect(page.getByRole("status")).toContainText("orchard.img is an image");
  await type("Nickname", "Damson");
  await press("Put it on the bench");
  await expect(page.getByRole("heading", { level: 1, name: "Damson" })).toBeVisible();
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  await page.keyboard.press("5");
  await expect(page).toHaveURL(/\/boot$/);
  const port = page.getByRole("radio", { name: "A serial port" });
  const sources = page.getByRole("radio").first();
  await expect(sources).toBeVisible();
  await tabTo(page, page.getByRole("radio"));
  for (let i = 0; i < 6 && !(await port.isChecked()); i++) await page.keyboard.press("ArrowDown");
  await expect(port).toBeChecked();
  await type(/Port, or another path/, path);
  await type(/Speed, bits a second/, "115200");
  await tabTo(page, page.getByRole("main").getByRole("button", { name: "Open the console" }));
  await page.keyboard.press("Enter");
  await expect(page.getByText(`from ${path} at 115200 8N1`)).toBeVisible();
  play();
  await expect(page.getByRole("list", { name: "Stages of this boot" })).toContainText("Login, reached", { timeout: 180_000 });
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  await page.keyboard.press("7");
  await press("Keep as version 1");
  await expect(page.getByText("Version 1", { exact: true })).toBeVisible();
});

test("a nickname that is typed while the board is still read stays, and its letters are no keys", async ({ page }) => {
  await page.route(/\/draft/, async (route) => {
    await new Promise((r) => setTimeout(r, 1500));
    await route.continue();
  });
  await page.goto(url);
  await bring(page, join(import.meta.dirname, "pip.dtb"));
  await page.getByLabel("Nickname").pressSequentially("Damson by the well", { delay: 120 });
  await expect(page.getByLabel("What it tells of the board")).toContainText("ttyS0");
  await expect(page.getByLabel("Nickname")).toHaveValue("Damson by the well");
  await expect(page.getByLabel("Nickname")).toBeFocused();
});
