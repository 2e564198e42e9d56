const { expect } = require("@playwright/test");
const address = () => process.env.NEWTFERN_ADDRESS;

/** Signs in; gives the console errors seen from then on. */
async function signIn(page, email = "demo@fenwick.example") {
  const errors = [];
  page.on("console", (m) => {
    if (m.type() === "error") errors.push(m.text());
  });
  page.on("pageerror", (e) => errors.push(e.message));
  await page.goto(address() + "/sign-in");
  await page.getByLabel("E-mail").fill(email);
  await page.getByLabel("Password").fill("fern-and-sallow");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page).toHaveURL(/lens\/estate/);
  return errors;
}

/** Opens a site's bench by the words of its row. */
async function bench(page, words) {
  await page.goto(address() + "/lens/estate?q=" + encodeURIComponent(words));
  await page.locator(".sitecell a").first().click();
  await expect(page).toHaveURL(/sites\/\d+/);
  return page.url().split("#")[0].split("?")[0];
}

/** Waits until a section of the bench has one of the states. */
async function section(page, url, id, state) {
  await expect(async () => {
    await page.goto(url);
    await expect(page.locator(`#${id} .statewords`)).toHaveText(state, { timeout: 500 });
  }).toPass({ timeout: 200_000, intervals: [1000] });
}

/** Cancels the rounds that earlier tests left (one that failed cancels nothing) and waits for their last visits. */
async function standsStill(page) {
  await page.goto(address() + "/rounds");
  const left = await page
    .locator("tr", { has: page.locator("td[data-l=Left]:not(:text-is('0'))") })
    .evaluateAll((rows) => rows.map((row) => row.querySelector("a").href));
  for (const round of left) {
    await page.goto(round);
    const cancel = page.getByRole("button", { name: "Cancel remaining sites" });
    if (await cancel.count()) await cancel.click();
  }
  await expect(async () => {
    await page.goto(address() + "/lens/estate");
    await expect(page.locator(".roundbar")).toHaveCount(0, { timeout: 200 });
  }).toPass({ timeout: 180_000, intervals: [500] });
}

module.exports = { address, signIn, bench, section, standsStill };
