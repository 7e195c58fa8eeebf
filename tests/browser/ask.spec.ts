import { existsSync } from "node:fs";
import type { Page } from "@playwright/test";
import { expect, expectAccessible, steps, test } from "./bench";
import { Console } from "./terminals";

const emulated = new URL("../../.build/emulator/", import.meta.url).pathname;

/** An emulated computer with a distribution's own packages, its console behind a pseudo-terminal; nothing is written to its card. */
const emulator = (root: string) =>
  Console.make(
    `qemu-system-x86_64 -accel tcg -m 512 -display none -monitor none -serial stdio -nic none -no-reboot -snapshot ` +
      `-kernel ${emulated}vmlinuz -initrd ${emulated}initrd.img -drive file=${emulated}system.img,format=raw,if=virtio ` +
      `-append "root=${root} rw console=ttyS0,115200 no_timer_check"`,
  );

/** Puts a board on the bench, simulated where it has a fault; gives its id. */
async function board(page: Page, nickname: string, faultId: string | null): Promise<string> {
  const made = await page.request.post("/api/boards", {
    data: {
      nickname,
      modelId: "spindle-2",
      revisionId: "1.3",
      memoryMiB: 2048,
      connected: { cardGb: 32, screen: false, network: true, supplyId: "usb-5v-3a", adapterId: "usb-33" },
      toldBy: ["mark"],
      simulated: faultId !== null,
      faultId,
    },
  });
  return ((await made.json()) as { board: { id: string } }).board.id;
}

/** Puts a simulated board with a fault on the bench and boots it; gives its id. */
async function bootWith(page: Page, nickname: string, faultId: string): Promise<string> {
  const id = await board(page, nickname, faultId);
  await page.request.put(`/api/boards/${id}/image`, { data: { imageId: "fallow-12-server-arm64" } });
  await page.request.post(`/api/boards/${id}/boots`, { data: { source: "simulated", speed: null } });
  await page.goto(`/boards/${id}/boot`);
  return id;
}

const asking = (page: Page) => page.getByRole("region", { name: "Ask the board" });
const asked = (page: Page) => page.getByRole("list", { name: "What the board was asked" });
const consoleOf = (page: Page) => page.getByRole("region", { name: "Console" });

test("a shell of the initial file system is asked, and its answer finds the cause", async ({ page }) => {
  await bootWith(page, "Greave", "root-not-found");
  await expect(asking(page)).toContainText("The shell of the initial file system waits at the console.");
  await expect(asking(page)).toContainText("reads only");
  await steps(page).getByRole("link", { name: "Diagnose" }).click();
  await expect(asking(page).locator("code").first()).toHaveText("blkid");
  await expectAccessible(page);
  await page.keyboard.press("q");
  await expect(asked(page).getByRole("listitem")).toContainText("Others are there, not this one");
  await expect(asking(page)).toContainText(/Root not found: 9\d %\./);
  const cause = page.getByRole("listitem").filter({ has: page.getByRole("heading", { name: "Root not found" }) });
  await expect(cause).toContainText("An answer finds it.");
  // The lines that came back are kept with the answer, and stand in the log as typed by Buttonhook.
  await asked(page).getByText("2 lines").click();
  await expect(asked(page)).toContainText('PARTUUID="');
  await expectAccessible(page);
  await asked(page).getByRole("button", { name: /^Take it back: / }).click();
  await expect(cause).not.toContainText("An answer finds it.");
  await steps(page).getByRole("link", { name: "Boot" }).click();
  await expect(consoleOf(page)).toContainText("; blkid; echo");
  await expect(page.getByText("Ask the board: begins")).toHaveCount(1);
});

test("a loader's shell is asked", async ({ page }) => {
  const id = await bootWith(page, "Cinder", "boot-files-missing");
  await expect(asking(page)).toContainText("The loader's shell waits at the console.");
  await asking(page).getByRole("button", { name: /Ask the board/ }).click();
  await expect(asked(page)).toContainText("It is not there");
  await page.goto(`/boards/${id}/diagnose`);
  const first = page.getByRole("list", { name: "Causes, the likeliest first" }).getByRole("listitem").first();
  await expect(first).toContainText("Boot files missing");
  await expect(first).toContainText("An answer finds it.");
});

test("an emergency shell is asked once somebody logged in, and nothing is typed at the question for the password", async ({ page }) => {
  await bootWith(page, "Tansy", "fstab-device-missing");
  await expect(consoleOf(page)).toContainText("Give root password for maintenance");
  await expect(asking(page)).toHaveCount(0);
  await page.getByPlaceholder("Type to the board").fill("orchard");
  await page.keyboard.press("Enter");
  await expect(asking(page)).toContainText("A rescue shell waits at the console.");
  await asking(page).getByRole("button", { name: /Ask the board/ }).click();
  await expect(asked(page)).toContainText(/It is not there|A service failed/);
  await expect(asking(page)).toContainText(/Mount table names a device that is not there: 9\d %\./);
});

test("any key stops a round", async ({ page }) => {
  // A board that echoes and never answers: the round waits for as long as the key needs.
  const terminal = await Console.make();
  try {
    const id = await board(page, "Sorrel", null);
    const begun = await page.request.post(`/api/boards/${id}/boots`, { data: { source: terminal.path, speed: 115200 } });
    const boot = ((await begun.json()) as { id: string }).id;
    await page.goto(`/boards/${id}/boot`);
    terminal.print(
      ["[    0.000000] Linux version 6.1.0", "ALERT!  PARTUUID=5e1c04aa-02 does not exist.  Dropping to a shell!", "(initramfs) "].join("\r\n"),
    );
    await expect(asking(page)).toContainText("waits at the console.");
    await page.keyboard.press("q");
    await expect(asking(page)).toContainText("Asking the board.");
    await page.keyboard.press("x");
    await expect(asking(page)).toContainText("Ended by you.");
    const view = (await (await page.request.get(`/api/boots/${boot}/asked`)).json()) as { state: string };
    expect(view.state).toBe("ended");
  } finally {
    await terminal.end();
  }
});

test("what is tried until reset proves the cause, and the edit that lasts is closed by a boot without a hand", async ({ page }) => {
  const id = await bootWith(page, "Whorl", "root-not-found");
  await steps(page).getByRole("link", { name: "Diagnose" }).click();
  await asking(page).getByRole("button", { name: /Ask the board/ }).click();
  const trial = asking(page).getByRole("group", { name: "Try it until the board restarts" });
  await expect(trial).toContainText("Start with /dev/mmcblk0p2 as root.");
  await expect(trial).toContainText("A restart undoes it.");
  await expect(trial.getByLabel("What is typed")).toContainText("dev_id=/dev/mmcblk0p2");
  await expectAccessible(page);
  await trial.getByRole("button", { name: "Try it until reset" }).click();
  const tried = asking(page).getByRole("list", { name: "What was tried" });
  await expect(tried).toContainText("It proved itself: the board came to its login. Root not found was the cause.");
  await expect(tried).toContainText("root=PARTUUID=5e1c04aa-02 becomes root=PARTUUID=");
  await expectAccessible(page);
  // A boot that a hand helped is no boot: nothing is to be kept of it.
  await expect(page.getByRole("heading", { name: "Correct the card" })).toBeVisible();
  await tried.getByRole("link", { name: "Correct the card" }).click();
  const proved = page.getByRole("region", { name: "What proved itself" });
  await expect(proved).toContainText("in the kernel command line root=PARTUUID=5e1c04aa-02 becomes");
  await expectAccessible(page);
  await proved.getByRole("button", { name: "Correct the card" }).click();
  await expect(proved).toHaveCount(0);
  await expect(page.getByRole("heading", { name: "Boot again" })).toBeVisible();
  await page.request.post(`/api/boards/${id}/boots`, { data: { source: "simulated", speed: null } });
  await page.goto(`/boards/${id}/diagnose`);
  await expect(page.getByRole("heading", { name: /Keep/ })).toBeVisible();
  const boots = (await (await page.request.get(`/api/boards/${id}/boots`)).json()) as { number: number; word: string }[];
  expect(boots.find((b) => b.number === 1)!.word).toBe("Reached login with what was tried");
});

test("ten starts are captured and judged, and what the ones that failed share is told @long", async ({ page }) => {
  test.setTimeout(400_000);
  const id = await bootWith(page, "Marrow", "card-loose");
  await expect(consoleOf(page)).toContainText("login:", { timeout: 60_000 });
  await page.keyboard.press("m");
  const form = page.getByRole("region", { name: "Start it again and again" });
  await form.getByLabel("Its password, not kept").fill("orchard");
  await form.getByRole("button", { name: "Start it 10 times" }).click();
  const starts = page.getByRole("region", { name: "Starts" });
  await expect(starts).toContainText("3 of 3 Card not seen; the last stage was second loader.", { timeout: 300_000 });
  await expect(page.getByRole("status").getByText("All 10 starts are over. 7 of 10 came up.")).toBeVisible({ timeout: 60_000 });
  await expect(starts).toContainText("8 of 11 starts reached the login (at least 52 % expected).");
  await expect(starts.getByRole("img", { name: /^Login: \d+\.\d s to \d+\.\d s/ })).toBeVisible();
  await expect(starts).toContainText("Printed by none that came up: Card did not respond");
  // The password stands nowhere.
  await expect(page.locator("body")).not.toContainText("orchard");
  await expectAccessible(page);
  await starts.getByRole("button", { name: /^Start 3: did not come up, Card not seen/ }).click();
  await expect(consoleOf(page)).toContainText("U-Boot");
  await page.goto(`/boards/${id}/keep`);
  await expect(page.getByText("8 of 11 starts reached the login (at least 52 % expected)")).toBeVisible();
});

test("a key ends a series of starts, and a name is wanted where a login waits", async ({ page }) => {
  await bootWith(page, "Purslane", "card-loose");
  await expect(consoleOf(page)).toContainText("login:", { timeout: 60_000 });
  await page.keyboard.press("m");
  const form = page.getByRole("region", { name: "Start it again and again" });
  await form.getByLabel("Name to log in with").fill("");
  await form.getByRole("button", { name: "Start it 10 times" }).click();
  const said = page.getByRole("status").filter({ hasText: "Start it again and again" });
  await expect(said).toContainText("The board waits at its login: give a name and a password");
  await form.getByLabel("Name to log in with").fill("fallow");
  await form.getByRole("button", { name: "Start it 10 times" }).click();
  await expect(said).toContainText("Start 1 of 10", { timeout: 30_000 });
  await page.keyboard.press("x");
  await expect(said).toContainText("Ended by you.");
});

test("a running system is read in one press, through its login, and the record has what it told", async ({ page }) => {
  const id = await bootWith(page, "Yarrow", "card-loose");
  await expect(consoleOf(page)).toContainText("login:", { timeout: 60_000 });
  const read = page.getByRole("region", { name: "Read this system" });
  await expect(read).toContainText("A login waits at the console.");
  await expect(read.getByLabel("Name", { exact: true })).toHaveValue("fallow");
  await read.getByLabel("Password, not kept").fill("orchard");
  await read.getByRole("button", { name: "Log in and read this system" }).click();
  const told = read.getByLabel("What the system told");
  await expect(told).toContainText("47.2 °C", { timeout: 60_000 });
  await expect(told).toContainText("Failed services");
  await expect(told).not.toContainText("not told");
  await expectAccessible(page);
  await page.goto(`/boards/${id}/keep`);
  await expect(page.getByRole("region", { name: "What worked for Yarrow" }).getByText("Memory that the system has")).toBeVisible();
  await expect(page.locator("body")).not.toContainText("orchard");
  // Where a shell waits, it is one press.
  const again = page.getByRole("region", { name: "Read this system" });
  await expect(again).toContainText("A user’s shell waits at the console.");
  await page.keyboard.press("q");
  await expect(again).toContainText("Reading this system.");
  await page.keyboard.press("x");
  await expect(again.getByRole("button", { name: /Read this system/ })).toBeVisible({ timeout: 20_000 });
});

test("an emulated system whose root is named wrongly is asked, tried and comes to its login @long @alone", async ({ page }) => {
  test.skip(!existsSync(`${emulated}system.img`), "There is no system for the emulator (tests/emulator/make).");
  const id = await board(page, "Teasel", null);
  const terminal = await emulator("PARTUUID=11111111-02");
  try {
    await page.request.post(`/api/boards/${id}/boots`, { data: { source: terminal.path, speed: 115200 } });
    await page.goto(`/boards/${id}/boot`);
    await expect(asking(page)).toContainText("The shell of the initial file system waits at the console.", { timeout: 200_000 });
    await asking(page).getByRole("button", { name: /Ask the board/ }).click();
    await expect(asked(page)).toContainText("Others are there, not this one");
    await expect(asking(page)).toContainText(/Root not found: 9\d %\./);
    const trial = asking(page).getByRole("group", { name: "Try it until the board restarts" });
    await expect(trial).toContainText("Start with /dev/vda2 as root.");
    await trial.getByRole("button", { name: "Try it until reset" }).click();
    const tried = asking(page).getByRole("list", { name: "What was tried" });
    await page.goto(`/boards/${id}/diagnose`);
    await expect(tried).toContainText("It proved itself: the board came to its login. Root not found was the cause.", { timeout: 250_000 });
    await expect(tried).toContainText("root=PARTUUID=11111111-02 becomes root=PARTUUID=f0570001-02");
  } finally {
    await terminal.end();
  }
});
