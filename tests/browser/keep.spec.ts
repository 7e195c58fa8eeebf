import { spawn } from "node:child_process";
import { readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import type { Page } from "@playwright/test";
import { expect, expectAccessible, next, steps, test } from "./bench";

const root = resolve(import.meta.dirname, "../..");
test.describe.configure({ timeout: 480_000 });

/** A simulated board on the bench with an image chosen, by the interface's own calls. */
async function board(page: Page, nickname: string, model = "quill-v", revision = "B", image = "fallow-12-server-riscv64") {
  const made = await page.request.post("/api/boards", {
    data: {
      nickname,
      modelId: model,
      revisionId: revision,
      memoryMiB: 4096,
      connected: { cardGb: 32, screen: false, network: true, supplyId: "usb-5v-3a", adapterId: "usb-33" },
      toldBy: ["mark"],
      simulated: true,
      faultId: null,
    },
  });
  expect(made.ok(), await made.text()).toBe(true);
  const { id } = ((await made.json()) as { board: { id: string } }).board;
  await page.request.put(`/api/boards/${id}/image`, { data: { imageId: image } });
  return id;
}

/** Applies power to a board that is shown, and waits for its login. */
async function bootToLogin(page: Page, id: string) {
  await page.goto(`/boards/${id}/boot`);
  await page.request.post(`/api/boards/${id}/boots`, { data: { source: "simulated", speed: null } });
  await expect(page.getByRole("list", { name: "Stages of this boot" })).toContainText("Login, reached", { timeout: 180_000 });
}

async function type(page: Page, id: string, text: string) {
  const view = (await (await page.request.get(`/api/boards/${id}`)).json()) as { latestBootId: string };
  await page.request.post(`/api/boots/${view.latestBootId}/typed`, { data: { text: `${text}\r` } });
  await page.waitForTimeout(700);
}

test("from the login over the first settings to a printed sheet that another bench reads", async ({ page }) => {
  const id = await board(page, "Tayberry");
  await bootToLogin(page, id);

  // First login: the commands go over the console, and are ticked where it shows that they took.
  await steps(page).getByRole("link", { name: "Keep" }).click();
  await page.getByRole("link", { name: "First login" }).click();
  await type(page, id, "fallow");
  await type(page, id, "fallow");
  const task = (name: RegExp) => page.getByRole("listitem").filter({ has: page.getByRole("heading", { name }) });
  await expect(task(/^Root has no password/)).toContainText("to do");
  // Nothing is locked before the board said who is logged in and may become root.
  await expect(task(/^Root has no password/)).toContainText("Ask first what the system has.");
  await page.getByRole("button", { name: /^Send: What the system has/ }).click();
  await expect(task(/^What the system has/)).toContainText("fallow is logged in and may become root");
  // One after the other: what is sent while the board is at work is held back.
  for (const [name, done] of [
    [/^Root has no password/, "done"],
    [/^Host name tayberry/, "done"],
    [/^The clock/, "It says "],
  ] as const) {
    await task(name).getByRole("button", { name: /^Send: / }).click();
    await expect(task(name)).toContainText(done);
  }
  await expect(task(/^Root has no password/)).toContainText("done");
  await expect(task(/^Host name tayberry/)).toContainText("done");
  await expect(task(/^The clock/)).toContainText("It says ");
  await page.getByRole("button", { name: /^Say that it is done ?: Updates/ }).click();
  await expect(task(/^Updates/)).toContainText("done, as you say");
  await expectAccessible(page);

  // What worked: proven by its lines, corrected by hand, kept.
  await page.getByRole("link", { name: "What worked" }).click();
  await expect(page.getByText("/dev/mmcblk0p2")).toBeVisible();
  await page.getByRole("button", { name: "Correct Supply" }).click();
  await page.getByLabel("Supply, as you say").fill("The white one of the shed");
  await page.getByRole("button", { name: "Say it" }).click();
  await expect(page.getByText("(told: 5 V, 3 A with USB-C)")).toBeVisible();
  await page.getByLabel("Notes for the next board").fill("Hangs on the western wall");
  await page.getByRole("button", { name: "Keep as version 1" }).click();
  await expect(page.getByText("Version 1", { exact: true })).toBeVisible();
  await expectAccessible(page);

  // The card: on paper as large as it says, with a text that another bench reads.
  await page.getByRole("link", { name: "Print its sheet" }).click();
  await expect(page.getByRole("article", { name: "The card" })).toContainText("The white one of the shed");
  await expectAccessible(page);
  for (const [label, width, height] of [
    ["A6 sheet, 105 × 148 mm", 105, 148],
    ["Label, 62 x 29 mm", 62, 29],
  ] as const) {
    await page.getByLabel(label).check();
    await expect(page.getByRole("img", { name: /short text/ })).toBeVisible();
    const pdf = (await page.pdf({ preferCSSPageSize: true })).toString("latin1");
    const boxes = [...pdf.matchAll(/\/MediaBox \[0 0 ([\d.]+) ([\d.]+)\]/g)];
    expect(boxes).toHaveLength(1);
    expect(Number(boxes[0]?.[1])).toBeCloseTo((width / 25.4) * 72, -0.5);
    expect(Number(boxes[0]?.[2])).toBeCloseTo((height / 25.4) * 72, -0.5);
  }
  const text = await (await page.request.get(`/api/boards/${id}/settings/1.txt`)).text();
  await page.goto("/boards/russet/keep");
  await page.getByLabel("Or the text of its square code").fill(text);
  await page.getByRole("button", { name: "Look at it" }).click();
  await expect(page.getByText("These are the settings of Tayberry. Nothing is kept yet.")).toBeVisible();
  await expect(page.getByText("The white one of the shed")).toBeVisible();
  await page.getByRole("button", { name: "Keep it as version 1" }).click();
  await expect(page.getByText("from a pasted text")).toBeVisible();
  await page.getByRole("button", { name: "Compare version 1" }).click();
  await page.getByLabel("Beside").selectOption({ label: "Tayberry, its newest version" });
  await expect(page.getByText("Margin:", { exact: false })).toBeVisible();
});

test("a batch of eight from one record, two of which fail for reasons that are named", { tag: "@long" }, async ({ page }) => {
  const id = await board(page, "Greengage");
  await bootToLogin(page, id);
  await steps(page).getByRole("link", { name: "Keep" }).click();
  await page.getByRole("button", { name: "Keep as version 1" }).click();
  await expect(page.getByText("Version 1", { exact: true })).toBeVisible();
  await page.goto("/batches");
  await page.getByLabel("As this board").selectOption({ label: "Greengage, Quill V, rev B, 4 GB" });
  await page.getByLabel("Name of the batch").fill("Northern hedge");
  await page.getByLabel("Nicknames begin with").fill("Hedge");
  await expect(page.getByText("Hedge 1 to Hedge 8, host names hedge-1 to hedge-8.")).toBeVisible();
  await expectAccessible(page);
  await page.getByRole("button", { name: "Put them on the bench" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Northern hedge" })).toBeVisible();
  const row = (n: number) => page.getByRole("row").filter({ has: page.getByRole("rowheader", { name: `Hedge ${n}` }) });
  await expect(row(4)).toContainText("hedge-4");
  await page.getByRole("button", { name: "Files of Hedge 4" }).click();
  await expect(page.getByLabel("/var/lib/cloud/seed/nocloud/user-data")).toContainText('hostname: "hedge-4"');
  await page.getByRole("button", { name: "Files of Hedge 4" }).click();
  const boards = ((await (await page.request.get("/api/bench")).json()) as { id: string; nickname: string }[]).filter((b) =>
    /^Hedge \d$/.test(b.nickname),
  );
  expect(boards).toHaveLength(8);
  for (const [nickname, faultId] of [
    ["Hedge 3", "root-not-found"],
    ["Hedge 6", "initrd-corrupt"],
  ]) {
    const those = boards.find((b) => b.nickname === nickname);
    const view = (await (await page.request.get(`/api/boards/${those?.id ?? ""}`)).json()) as { board: object };
    await page.request.put(`/api/boards/${those?.id ?? ""}`, { data: { ...view.board, faultId } });
  }
  for (const b of boards) await page.request.post(`/api/boards/${b.id}/boots`, { data: { source: "simulated", speed: null } });
  await expect(row(8)).toContainText("Reached login", { timeout: 180_000 });
  await expect(row(3)).toContainText(/Stopped at root.*root/i, { timeout: 180_000 });
  await expect(row(6)).toContainText(/initial file system|initrd/i, { timeout: 180_000 });
  await expect(page.getByText("6 reached the login.")).toBeVisible();
  await expectAccessible(page);
  const csv = page.waitForEvent("download");
  await page.getByRole("link", { name: "CSV" }).click();
  expect(readFileSync(await (await csv).path(), "utf8").trim().split("\r\n")).toHaveLength(9);
  await page.goto("about:blank");
  for (const b of boards) await page.request.delete(`/api/boards/${b.id}`);
});

test("a move to soldered flash is proven by the next boot", { tag: "@long" }, async ({ page }) => {
  const id = await board(page, "Mirabelle", "core-4", "2", "fallow-12-server-core");
  await page.request.put(`/api/boards/${id}`, {
    data: {
      ...((await (await page.request.get(`/api/boards/${id}`)).json()) as { board: object }).board,
      connected: { cardGb: 16, screen: false, network: true, supplyId: "usb-5v-3a", adapterId: "usb-33" },
    },
  });
  await bootToLogin(page, id);
  await page.goto(`/boards/${id}/keep?show=move`);
  await expect(page.getByRole("region", { name: "SSD" })).toContainText("This board has no slot for a drive.");
  // The running system tells its disks first; which one is erased is confirmed by its size.
  for (const line of ["fallow", "fallow"]) await type(page, id, line);
  const flash = page.getByRole("region", { name: "Soldered flash" });
  await flash.getByRole("button", { name: /^Send ?: Ask the running system for its disks/ }).click();
  await expect(flash.getByText("/dev/mmcblk0", { exact: true })).toBeVisible();
  await flash.getByRole("radio", { name: /^\/dev\/mmcblk1, / }).check();
  await flash.getByLabel(/Its size in GB/).fill("16");
  await flash.getByRole("button", { name: "Plan the copy to the soldered flash" }).click();
  await expect(page.getByText("Not proven yet: no boot since the move was begun.")).toBeVisible();
  await expect(page.getByText("This erases /dev/mmcblk1.", { exact: false }).first()).toBeVisible();
  await expectAccessible(page);
  for (const step of [/^Send ?: Write a new partition table/, /^Send ?: Copy the loader/, /^Send ?: Make file systems/, /^Send ?: Copy all files/]) {
    await flash.getByRole("button", { name: step }).click();
    await expect(flash.getByRole("button", { name: step })).toHaveCount(0);
  }
  const { latestBootId } = (await (await page.request.get(`/api/boards/${id}`)).json()) as { latestBootId: string };
  await expect
    .poll(async () => ((await (await page.request.get(`/api/boots/${latestBootId}/found?text=all files are on /dev/mmcblk1`)).json()) as { count: number }).count)
    .toBeGreaterThan(1);
  await bootToLogin(page, id);
  await page.goto(`/boards/${id}/keep?show=move`);
  await expect(page.getByText("The root was mounted from /dev/mmcblk1p2: it runs from the soldered flash.")).toBeVisible();
  await expect(page.getByText("Keep the card as the rescue.")).toBeVisible();
});

test("all data go out as one file and come back on an empty machine", { tag: "@long" }, async ({ page, server }, info) => {
  await page.goto("/learnt");
  const waiting = page.waitForEvent("download");
  await page.getByRole("link", { name: "All data as one file" }).click();
  const file = await (await waiting).path();
  const folder = join(info.outputPath(), "empty");
  const app = join(root, ".build/app/Buttonhook.App.dll");
  const run = (...words: string[]) =>
    new Promise<number | null>((over) => spawn("dotnet", [app, ...words], { stdio: "ignore" }).once("exit", over));
  expect(await run("restore", file, "--data", folder)).toBe(0);
  expect(await run("restore", file, "--data", folder)).toBe(1);
  const url = server.replace(/\d+$/, (port) => String(Number(port) + 7));
  const second = spawn("dotnet", [app, "serve", "--data", folder, "--urls", url], { stdio: "ignore" });
  try {
    await expect.poll(() => fetch(`${url}/api/shelves`).then((r) => r.status, () => 0), { timeout: 180_000 }).toBe(200);
    await page.goto(url);
    await expect(page.getByRole("main").getByRole("listitem").filter({ hasText: "Costard" })).toBeVisible();
    await page.goto(`${url}/boards/costard/keep`);
    await expect(page.getByText("Runs the northern hedge; the stick with the frost log stays at home.")).toBeVisible();
    await page.goto("about:blank");
  } finally {
    const ended = new Promise((over) => second.once("exit", over));
    second.kill();
    await ended;
  }
});

test("a practice round is won by reading, one is lost by guessing, and one is given up", { tag: "@long" }, async ({ page }) => {
  const begin = async (fault: string) => {
    await page.goto("/practice");
    await page.getByLabel("Hide a fault for somebody else").selectOption({ label: fault });
    await page.getByRole("button", { name: "Begin" }).click();
    await expect(page.getByText("0 of 60 minutes are gone.")).toBeVisible();
  };
  const fix = async (n: number) => {
    const choice = page.getByLabel("What you would do; the boot that follows is counted");
    await choice.selectOption({ index: n });
    // The choice stands there until the answer comes: only a further step, or the end, tells that it came.
    const tried = page.getByText("That was not it.");
    const before = await tried.count();
    await page.getByRole("button", { name: "Fix it" }).click();
    await expect.poll(async () => (await tried.count()) > before || (await page.getByText(/^(Won|Lost)/).count()) > 0, { timeout: 120_000 }).toBe(true);
  };
  await page.goto("/practice");
  await expectAccessible(page);
  await begin("The command line names another card's partition");
  await page.getByRole("button", { name: /Apply power and read the console/ }).click();
  await expect(page.getByRole("region", { name: "The console of this boot" })).toContainText("does not exist");
  await page
    .getByLabel("What you would do; the boot that follows is counted")
    .selectOption({ label: "Name the root partition of this card on the command line. (9 min)" });
  await page.getByRole("button", { name: "Fix it" }).click();
  await expect(page.getByText("Won: The command line names another card's partition.")).toBeVisible();
  await expect(page.getByText(/^The log told it, in line \d+\.$/)).toBeVisible();
  await expect(page.getByText("No step gave minutes away.")).toBeVisible();
  await expectAccessible(page);

  await begin("The serial console is not on the command line");
  for (let n = 1; n < 18 && (await page.getByText("Lost. It was:").count()) === 0; n++) {
    const label = await page.locator("#mend option").nth(n).textContent();
    if (!label!.includes("serial console")) await fix(n);
  }
  await expect(page.getByText("Lost. It was: The serial console is not on the command line.")).toBeVisible();
  await expect(page.getByText(/Gave away [\d.]+ min\. Better then: /).first()).toBeVisible();
  await expect(page.getByText(/Your steps gave \d+ min away/)).toBeVisible();
  await expectAccessible(page);

  await begin("The supply sags when the radio starts");
  await page.getByRole("button", { name: /Measure the volts/ }).click();
  await page.getByRole("button", { name: "Give up" }).click();
  await expect(page.getByText("Lost. It was: The supply sags when the radio starts.")).toBeVisible();
  await expect(page.getByText(/Giving up: [\d.]+ min more would have been needed/)).toBeVisible();
  await page.getByRole("link", { name: "Another round" }).click();
  await expect(page.getByText("1 of 3 won.")).toBeVisible();
});

test("a device is found between two lists, and a refused key is told with its command", { tag: "@long" }, async ({ page }) => {
  await page.goto("/boards/costard/keep?show=network");
  await page.getByLabel("Without the board").fill("192.0.2.1 dev eth0 lladdr 02:00:5e:10:00:01 REACHABLE");
  await page
    .getByLabel("With the board", { exact: true })
    .fill("192.0.2.1 dev eth0 lladdr 02:00:5e:10:00:01 REACHABLE\n192.0.2.31 dev eth0 lladdr 02:00:5e:10:00:31 STALE");
  await page.getByRole("button", { name: "Tell the difference" }).click();
  await expect(page.getByText("192.0.2.31 came since: that is most likely the board.")).toBeVisible();
  await page
    .getByLabel("What the program that connects said")
    .fill("WARNING: REMOTE HOST IDENTIFICATION HAS CHANGED!\nHost key for 192.0.2.31 has changed");
  await page.getByRole("button", { name: "Tell what it means" }).click();
  await expect(page.getByText('ssh-keygen -R "192.0.2.31"')).toBeVisible();
  await expectAccessible(page);
  await expect(next(page)).toBeVisible();
});

test("what was learnt is given out under a name, and what a file brings is told before it is taken", { tag: "@long" }, async ({ page }) => {
  await page.goto("/learnt");
  await page.getByLabel("What others may call this bench").fill("Orchard hall");
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "Give out what was learnt" }).click();
  const file = join(tmpdir(), `buttonhook-learnt-${process.pid}.yaml`);
  await (await download).saveAs(file);
  await page.getByLabel("A file that another bench gave out").setInputFiles(file);
  const brings = page.getByRole("region", { name: "From other benches" }).getByRole("status");
  await expect(brings).toContainText(/What Orchard hall learnt until \d{4}-\d\d-\d\d: \d+ of \d+ boots reached the login/);
  await expect(brings).toContainText("Board profile Quillon Quill V: as it is here");
  await expectAccessible(page);
  // Another test would see what is taken here: it is left.
  await brings.getByRole("button", { name: "Leave it" }).click();
  await expect(brings).toHaveCount(0);
});
