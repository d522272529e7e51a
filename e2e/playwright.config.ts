import { defineConfig } from "@playwright/test";

// What stops the database that all use, listens to the beat or times a hand is marked @alone: it has the machine to itself. The
// others, each on a server and a database of its own, run three at a time.
export default defineConfig({
  globalSetup: "./tests/database.ts",
  testDir: "tests",
  workers: 1,
  projects: [
    { name: "beside", grepInvert: /@alone/, fullyParallel: true },
    { name: "alone", grep: /@alone/ },
  ],
  timeout: 90_000,
  // Hands and clocks run in real time: a machine that stalls makes a tap late. script/test names what needed another try.
  retries: 2,
  expect: { timeout: 8_000 },
  reporter: [["list"]],
  outputDir: "test-results",
  use: {
    viewport: { width: 1280, height: 800 },
    screenshot: "only-on-failure",
    // Tests of what works without a network allow it; the others see each request themselves.
    serviceWorkers: "block",
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
        // A camera that shows a test picture, for photographs.
        "--use-fake-device-for-media-stream",
        "--use-fake-ui-for-media-stream",
      ],
    },
  },
});
