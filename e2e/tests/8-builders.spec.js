// Faults of the other builders and of the tag manager: each is told with its cause, mended by a person from the
// page of placing or at the site's own desk, and turns green.
const { test, expect } = require("@playwright/test");
const { address, bench, section, signIn } = require("./help.js");

async function desk(page, url) {
  await page.goto(url + "/place");
  const link = await page.getByRole("link", { name: "Open the site's admin pages" }).getAttribute("href");
  await page.goto(link);
}

const publish = async (page, url) => {
  await page.goto(url + "/place");
  await page.getByRole("button", { name: "Publish to site" }).click();
  await expect(page.getByText("Published to the site.")).toBeVisible();
};

const FAULTS = [
  ["gallery.wendlemill", "placed.unpublished", publish],
  [
    "parts.pellclocks",
    "placed.stale-cache",
    async (page, url) => {
      await desk(page, url);
      await page.getByRole("button", { name: "Empty the page cache" }).click();
    },
  ],
  [
    "camp.reedwater",
    "placed.absent",
    async (page, url) => {
      // A listing host without an interface: by its steps, with the code that is shown.
      await page.goto(url + "/place");
      const code = await page.locator("pre.code").first().innerText();
      await desk(page, url);
      const box = page.getByLabel("Page wrapper, bottom");
      await box.fill((await box.inputValue()) + code + "\n");
      await page.locator("form", { has: box }).getByRole("button").click();
    },
  ],
  [
    "spares.gustkites",
    "placed.tag-rule",
    async (page, url) => {
      await page.goto(url + "/place");
      await expect(page.getByText("gets the site's page rules")).toBeVisible();
      await page.getByRole("button", { name: "Publish a new version" }).click();
      await expect(page.getByText("The published tag is correct.")).toBeVisible();
    },
  ],
  [
    "league.northmere",
    "placed.twice",
    async (page, url) => {
      await page.goto(url + "/place");
      await page.getByText("Remove the code from the slots", { exact: true }).click();
      await page.getByRole("button", { name: "Remove and publish" }).click();
      await expect(page.getByText("The widget was removed from all slots")).toBeVisible();
    },
  ],
  [
    "book.skerrin",
    "shown.covered",
    async (page, url) => {
      await desk(page, url);
      await page.getByRole("button", { name: "Switch the offer off" }).click();
    },
  ],
  [
    "choirs.threetowers",
    "started.silent",
    async (page, url) => {
      // What is wrong at the supplier is mended at the supplier's own desk.
      await page.goto(url);
      const port = (await page.locator(`a[href*=".localhost:"]`).first().getAttribute("href")).match(/:(\d+)/)[1];
      await page.goto(`http://console.brindle.localhost:${port}/desk`);
      await page.getByRole("button", { name: "Put the settings of threetowers-live-silent right" }).click();
    },
  ],
];

test("faults of every kind of builder are told, mended by a person, and turn green", async ({ page }) => {
  test.setTimeout(400_000);
  page.setDefaultTimeout(20_000);
  await signIn(page);
  const sites = [];
  for (const [words] of FAULTS) {
    const url = await bench(page, words);
    sites.push(url);
    await page.locator("#load").getByRole("button", { name: "Verify now" }).click();
  }
  for (const [i, [words, code, mend]] of FAULTS.entries()) {
    await test.step(`${words}: ${code}`, async () => {
      await section(page, sites[i], "load", "failing");
      await expect(page.getByText(code, { exact: true }).first()).toBeVisible();
      await mend(page, sites[i]);
      await page.goto(sites[i]);
      await page.locator("#load").getByRole("button", { name: "Verify now" }).click();
    });
  }
  for (const url of sites) await section(page, url, "load", "passing");
});

test("all pages of a site are told by its rules, and the lens draws them", async ({ page }) => {
  test.setTimeout(300_000);
  page.setDefaultTimeout(20_000);
  await signIn(page);
  const url = await bench(page, "zines.inkwell");
  await page.locator("#pages").getByRole("button", { name: "Check all pages" }).click();
  await section(page, url, "pages", "failing");
  const list = page.locator("#pages .pagelist").first();
  await expect(list.locator("tr", { hasText: "/privacy" })).toContainText("unwanted");
  await expect(list.locator("tr", { hasText: "/privacy" })).toContainText("/privacy excludes it");
  await page.goto(address() + "/lens/pages?q=zines.inkwell");
  await expect(page.locator("svg.pagestates g path.unwanted")).toHaveCount(2);
  // The rules are shown against the pages that are known, while they are typed.
  await page.goto(url + "/settings");
  await page.getByLabel("Pages without the widget").fill("/privacy");
  await expect(page.locator(".rulesfield table")).toContainText("without /privacy");
  await page.getByLabel("Pages without the widget").fill("");
  await page.getByRole("button", { name: "Save settings" }).click();
  await section(page, url, "pages", "stale");
});

test("rules in the extension and at the supplier that contradict the site's are told, and mended there", async ({ page }) => {
  test.setTimeout(300_000);
  page.setDefaultTimeout(20_000);
  await signIn(page);
  const url = await bench(page, "recipes.wendlemill");
  await page.locator("#pages").getByRole("button", { name: "Check all pages" }).click();
  await section(page, url, "pages", "failing");
  await expect(page.getByText("pages.rules-contradict", { exact: true })).toHaveCount(2);
  await expect(page.getByText("Talk app, key keeps the widget off 1 page").first()).toBeVisible();
  await expect(page.getByText("Brindle\u2019s console keeps the widget off 1 page").first()).toBeVisible();
  const port = (await page.locator(`a[href*=".localhost:"]`).first().getAttribute("href")).match(/:(\d+)/)[1];
  await page.goto(`http://console.brindle.localhost:${port}/desk`);
  await page.getByRole("button", { name: "Put the settings of wendlemill-live-ruled right" }).click();
  await desk(page, url);
  const box = page.locator("form", { has: page.getByRole("heading", { name: "Talk app, pages without it" }) });
  await box.getByRole("textbox").fill("");
  await box.getByRole("button", { name: "Save the theme" }).click();
  await page.getByRole("button", { name: "Empty the page cache" }).click();
  await page.goto(url);
  await page.locator("#pages").getByRole("button", { name: "Check all pages" }).click();
  await section(page, url, "pages", "passing");
});

test("a supplier's profile comes from its snippet and one visit", async ({ page }) => {
  await signIn(page);
  await page.goto(address() + "/lens/estate?q=northmere");
  const port = (await page.locator(".address").first().innerText()).match(/:(\d+)/)[1];
  await page.goto(address() + "/profiles/from-snippet");
  const code = `<script async src=”http://cdn.brindle.localhost:${port}/l.js?k=northmere-live”></script>`;
  await page.locator("textarea[name=snippet]").fill(code);
  await page.getByRole("button", { name: "Make draft profile" }).click();
  await expect(page.getByText("typographic quotes were made plain", { exact: true })).toBeVisible();
  await page.getByLabel("Address", { exact: true }).fill(`http://northmere.localhost:${port}/`);
  await page.getByRole("button", { name: "Visit and suggest values" }).click();
  await expect(page.getByText("alive.launcher: #brindle-launcher")).toBeVisible({ timeout: 60_000 });
  // What was not found is said; what may be the launcher is drawn, and the right one is pressed.
  await expect(page.getByText("cannot be told from a visit")).toBeVisible();
  const launcher = page.locator('[data-field="alive.launcher"]');
  await expect(launcher).toHaveValue("#brindle-launcher");
  await launcher.fill("#other");
  await page.getByRole("button", { name: /^Use #brindle-launcher.* as launcher$/ }).click();
  await expect(launcher).toHaveValue("#brindle-launcher");
  const text = page.locator("textarea[name=text]");
  for (const wanted of ["#brindle-launcher", "api.brindle.localhost", "live.brindle.localhost"]) {
    await expect(text).toHaveValue(new RegExp(wanted.replace(".", "\\.")));
  }
});
