// Every main page: axe finds no serious fault, nothing is wider than the window, no console error.
const { test, expect } = require("@playwright/test");
const fs = require("fs");
const { address, signIn, bench, standsStill } = require("./help");

const axe = fs.readFileSync(require.resolve("axe-core/axe.min.js"), "utf8");

for (const [name, size] of [
  ["desktop", { width: 1280, height: 800 }],
  ["phone", { width: 390, height: 844 }],
]) {
  test(`on a ${name}`, async ({ browser }) => {
    test.setTimeout(300_000);
    // axe is put in past our own policy.
    const page = await (await browser.newContext({ viewport: size, bypassCSP: true })).newPage();
    const errors = await signIn(page);
    // Pages under way renew themselves: what is looked at should stand still.
    await standsStill(page);
    const site = (await bench(page, "Members")).replace(address(), "");
    for (const path of [
      "/lens/estate",
      "/lens/load",
      "/lens/pages",
      "/lens/place",
      "/lens/weigh",
      "/removed",
      "/lens/brand",
      "/worklist",
      "/clients",
      "/sites/new",
      "/sites/import",
      "/rounds",
      "/settings",
      "/house-style",
      "/audit",
      site,
      "/line-up",
      "/suppliers-by-weight",
      site + "/design",
      site + "/design/sheet",
      site + "/widgets",
      site + "/intended",
      site + "/test",
      site + "/place",
      site + "/diary",
      site + "/settings",
    ]) {
      await page.goto(address() + path);
      // What is folded away counts too.
      await page.evaluate(() =>
        document.querySelectorAll("details").forEach((d) => {
          d.open = true;
        }),
      );
      const standingOut = await page.evaluate(() =>
        [...document.querySelectorAll("main input, main select, main button, main textarea")]
          // What moves in a line of its own is reached with a finger.
          .filter((e) => !["auto", "scroll"].includes(getComputedStyle(e.parentElement).overflowX))
          .filter((e) => {
            const box = e.getBoundingClientRect(),
              panel = e.closest(".panel-plain, main").getBoundingClientRect();
            return box.width > 0 && (box.right > panel.right + 1 || box.left < panel.left - 1);
          })
          .map((e) => e.outerHTML.slice(0, 120)),
      );
      expect(standingOut, path).toEqual([]);
      const wide = await page.evaluate(
        () => document.documentElement.scrollWidth - window.innerWidth,
      );
      expect(wide, path + " is wider than the window").toBeLessThanOrEqual(0);
      await page.evaluate(axe);
      const result = await page.evaluate(() => axe.run(document, { resultTypes: ["violations"] }));
      const bad = result.violations
        .filter((v) => v.impact === "serious" || v.impact === "critical")
        .map(
          (v) =>
            `${path}: ${v.id}: ${v.nodes
              .slice(0, 3)
              .map((n) => n.html.slice(0, 160))
              .join(" | ")}`,
        );
      expect(bad).toEqual([]);
    }
    expect(errors).toEqual([]);
  });
}

test("frequent acts work by keyboard", async ({ page }) => {
  await signIn(page);
  await page.keyboard.press("/");
  await expect(page.getByLabel("Search sites")).toBeFocused();
  await page.keyboard.type("skerrin");
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/q=skerrin/);
  await page.locator("h1").click();
  await page.keyboard.press("n");
  await page.keyboard.press("n");
  await expect(page.locator(".sitecell a").nth(1)).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/sites\/\d+/);
});
