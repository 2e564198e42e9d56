// The demo is started once on a free port with data of its own; every test signs in anew.
const { defineConfig } = require("@playwright/test");
const fs = require("fs");
const chromium = [
  process.env.NEWTFERN_CHROMIUM,
  "/usr/lib/chromium/chromium",
  "/usr/bin/chromium",
].find((p) => p && fs.existsSync(p));
module.exports = defineConfig({
  testDir: "tests",
  globalSetup: require.resolve("./start.js"),
  workers: 1,
  timeout: 240_000,
  expect: { timeout: 15_000 },
  reporter: [["list"]],
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: chromium,
      args: process.getuid() === 0 ? ["--no-sandbox"] : [],
    },
    // A trace of every step takes the processor from the browsers that are tested.
    trace: process.env.TRACE ? "retain-on-failure" : "off",
  },
});
