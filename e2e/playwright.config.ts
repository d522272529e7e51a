import { defineConfig } from "@playwright/test";

// One worker: some tests stop the server or the database they all use.
export default defineConfig({
  testDir: "tests",
  workers: 1,
  timeout: 90_000,
  // Runs pass twelve times faster than real time: a machine that stalls for a second may cost a test one more try.
  retries: process.env.CI ? 1 : 0,
  expect: { timeout: 8_000 },
  reporter: [["list"]],
  outputDir: "test-results",
  use: {
    viewport: { width: 1280, height: 800 },
    screenshot: "only-on-failure",
    actionTimeout: 10_000,
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: [
        "--no-sandbox",
        "--disable-quic",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--no-first-run",
      ],
    },
  },
});
