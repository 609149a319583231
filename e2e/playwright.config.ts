import { defineConfig } from "@playwright/test";

// The browser is Debian's; the application is started by each worker for itself (see app.ts).
// A name for this run, which its workers inherit: two runs have nothing in common.
process.env.ZESTYLOOM_E2E_RUN ??= String(process.pid);

const measured = Boolean(process.env.BENCH || process.env.SCREENSHOTS);
const stories = measured ? "all" : ((process.env.STORIES ?? "some") as "all" | "alone" | "some");

export default defineConfig({
  testDir: ".",
  // Pictures and measurements are no tests: make screenshots and make bench ask for them.
  testMatch: process.env.BENCH ? "bench.spec.ts" : process.env.SCREENSHOTS ? "screenshots.spec.ts" : "*.story.spec.ts",
  outputDir: "./test-results",
  globalSetup: "./seed.ts",
  // What is measured, or plays in real time, has the machine to itself.
  workers: measured || stories === "alone" ? 1 : 2,
  // What takes long is left to make test-all, and there what plays in real time is left to a run of its own.
  ...{ all: { grepInvert: /@alone/ }, alone: { grep: /@alone/ }, some: { grepInvert: /@long/ } }[stories],
  // Far beyond what anything takes: on a machine that is busy with other things all of it takes longer.
  timeout: 240_000,
  // What passes only the second time, in a worker of its own that begins anew, is named as flaky.
  retries: measured ? 0 : 1,
  expect: { timeout: 60_000 },
  reporter: [["list"]],
  use: {
    viewport: { width: 1280, height: 800 },
    // A trace takes pictures all the while, and a third of the time: TRACE=1 asks for one.
    trace: process.env.TRACE ? "retain-on-failure" : "off",
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
