import { defineConfig } from "@playwright/test";
import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";

const url = "http://127.0.0.1:5391";
const root = resolve(import.meta.dirname, "../..");
const scratch = process.env.BUTTONHOOK_TEST_SCRATCH ?? mkdtempSync(join(tmpdir(), "buttonhook-browser-"));
process.env.BUTTONHOOK_TEST_SCRATCH = scratch;

/** The real application with the demo, simulated boards at twenty times their pace, in Debian's Chromium. */
export default defineConfig({
  testDir: ".",
  outputDir: join(scratch, "results"),
  timeout: 90_000,
  expect: { timeout: 20_000 },
  workers: 1,
  fullyParallel: false,
  retries: 0,
  reporter: [["list"], ["json", { outputFile: join(scratch, "report.json") }]],
  use: {
    baseURL: url,
    viewport: { width: 1280, height: 800 },
    // Colours change at once, so that what is measured is what stays.
    contextOptions: { reducedMotion: "reduce" },
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
      ],
    },
  },
  webServer: {
    command: `dotnet ${join(root, ".build/app/Buttonhook.App.dll")} demo --data ${join(scratch, "data")} --urls ${url} --pace 20`,
    url: `${url}/api/shelves`,
    timeout: 120_000,
    reuseExistingServer: false,
  },
});
