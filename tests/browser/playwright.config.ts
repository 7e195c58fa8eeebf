import { defineConfig } from "@playwright/test";
import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

const scratch = process.env.BUTTONHOOK_TEST_SCRATCH ?? mkdtempSync(join(tmpdir(), "buttonhook-browser-"));
process.env.BUTTONHOOK_TEST_SCRATCH = scratch;

/** The real application in Debian's Chromium; each worker has a server with the demo of its own (see bench.ts). */
export default defineConfig({
  testDir: ".",
  outputDir: join(scratch, "results"),
  // A machine under load may take long; what never comes fails all the same.
  timeout: 300_000,
  expect: { timeout: 60_000 },
  workers: 1,
  fullyParallel: false,
  retries: 0,
  reporter: [["list"], ["json", { outputFile: join(scratch, "report.json") }]],
  use: {
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
});
