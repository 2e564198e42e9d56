// For the benchmark: loads each page with Playwright on both screens side by side, each in a context of
// its own, waits for the widget and as long as our visits watch, and takes a picture. Prints visits a
// minute.
const { chromium } = require("@playwright/test");
const fs = require("fs");
(async () => {
  const executablePath = ["/usr/lib/chromium/chromium", "/usr/bin/chromium"].find((p) => fs.existsSync(p));
  const browser = await chromium.launch({ executablePath, args: ["--no-sandbox", "--host-resolver-rules=MAP *.localhost 127.0.0.1"] });
  const urls = process.argv.slice(2), began = Date.now();
  const screens = [{ viewport: { width: 1280, height: 800 } }, { viewport: { width: 390, height: 844 }, isMobile: true, hasTouch: true, deviceScaleFactor: 3 }];
  const visit = async (url, screen) => {
    const context = await browser.newContext(screen);
    const page = await context.newPage();
    await page.goto(url, { waitUntil: "load" });
    await page.waitForSelector("#brindle-launcher", { timeout: 8500 }).catch(() => null);
    await page.waitForTimeout(2000);
    await page.screenshot();
    await context.close();
  };
  for (const url of urls) await Promise.all(screens.map((s) => visit(url, s)));
  console.log(Math.round((urls.length * screens.length / (Date.now() - began)) * 60000) + " visits a minute, 1 site at once");
  await browser.close();
})();
