// For the benchmark: `node bare.js AT_ONCE URL...` loads each page with Playwright on both screens side
// by side, each in a context of its own, waits for the widget and as long as our visits watch, and takes
// a picture. Prints visits a minute; the start of the browser is not counted.
const { chromium } = require("@playwright/test");
const fs = require("fs");

const SCREENS = [
  { viewport: { width: 1280, height: 800 } },
  { viewport: { width: 390, height: 844 }, isMobile: true, hasTouch: true, deviceScaleFactor: 3 },
];

async function visit(browser, url, screen) {
  const context = await browser.newContext(screen);
  const page = await context.newPage();
  await page.goto(url, { waitUntil: "load" });
  await page.waitForSelector("#brindle-launcher", { timeout: 8500 }).catch(() => null);
  await page.waitForTimeout(2000);
  await page.screenshot();
  await context.close();
}

(async () => {
  const [atOnce, ...urls] = process.argv.slice(2);
  const known = ["/usr/lib/chromium/chromium", "/usr/bin/chromium"];
  const executablePath = known.find((p) => fs.existsSync(p));
  const args = ["--no-sandbox", "--host-resolver-rules=MAP *.localhost 127.0.0.1"];
  const browser = await chromium.launch({ executablePath, args });
  const began = Date.now(),
    left = [...urls];
  const worker = async () => {
    for (let url = left.shift(); url; url = left.shift()) {
      await Promise.all(SCREENS.map((s) => visit(browser, url, s)));
    }
  };
  await Promise.all(Array.from({ length: Number(atOnce) }, worker));
  console.log(((urls.length * SCREENS.length) / (Date.now() - began)) * 60000);
  await browser.close();
})();
