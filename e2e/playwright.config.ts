import { defineConfig } from "@playwright/test";

// The browser is Debian's; the application is started by each worker for itself (see app.ts).
export default defineConfig({
  testDir: ".",
  // Pictures and measurements are no tests: make screenshots and make bench ask for them.
  testMatch: process.env.BENCH ? "bench.spec.ts" : process.env.SCREENSHOTS ? "screenshots.spec.ts" : "*.story.spec.ts",
  outputDir: "./test-results",
  workers: 1,
  timeout: 120_000,
  expect: { timeout: 20_000 },
  reporter: [["list"]],
  use: {
    viewport: { width: 1280, height: 800 },
    // A trace takes pictures all the while: what is measured is without one.
    trace: process.env.BENCH ? "off" : "retain-on-failure",
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
