const { test, expect } = require("@playwright/test");
const { address, signIn, bench } = require("./help");

test("profiles: a pasted snippet becomes a supplier, mistakes are told while typing, and it is tried", async ({
  page,
}) => {
  const errors = await signIn(page);
  await page.goto(address() + "/profiles");
  await page.getByRole("link", { name: "New supplier from a snippet" }).click();
  await page
    .getByLabel("Paste the code as you got it")
    .fill("Please paste: <script async src=\u201dhttps://cdn.osier.test/l.js\u201d data-key=\u201dab12cd34\u201d></script>");
  await page.getByRole("button", { name: "Make draft profile" }).click();
  await expect(page.getByText("The snippet has the key ab12cd34")).toBeVisible();
  const text = page.getByLabel("Profile (TOML)");
  const launcher = page.getByLabel("Launcher (selector)");

  // A field goes into the text, and what is wrong with it is told.
  await launcher.fill("#osier >");
  await launcher.blur();
  await expect(page.getByText("which is not a selector")).toBeVisible();
  await expect(text).toHaveValue(/launcher = "#osier >"/);
  // The text goes into the fields.
  await text.fill((await text.inputValue()).replace('"#osier >"', '"#osier-launcher"'));
  await expect(launcher).toHaveValue("#osier-launcher");
  await expect(page.getByText("Valid.")).toBeVisible();

  // Fields that are typed one after the other, faster than answers come, all go in.
  let release;
  const held = new Promise((done) => (release = done));
  await page.route("**/profiles/look", async (route) => {
    await held;
    await route.continue();
  });
  for (const [field, value] of [["open.click", "#a"], ["open.panel", "#b"], ["open.close", "#c"]]) {
    await page.locator(`[data-field="${field}"]`).fill(value);
    await page.keyboard.press("Tab");
  }
  release();
  for (const line of [/click = "#a"/, /panel = "#b"/, /close = "#c"/]) await expect(text).toHaveValue(line);
  await page.unroute("**/profiles/look");

  // Tried on a page before it is kept: nothing of it is there, and what was searched is told.
  const site = await page.evaluate(async () => {
    const rows = await (await fetch("/sites/export.csv")).text();
    return rows.match(/http:[^,]*wendlemill[^,]*/)[0];
  });
  await page.getByLabel("Address", { exact: true }).fill(site);
  await page.getByRole("button", { name: "Test" }).click();
  await expect(page.getByText("Nothing of this supplier was recognised")).toBeVisible();
  // A field that is typed and saved at once is saved.
  await page.locator('[data-field="name"]').fill("Osier Chat");
  await page.getByRole("button", { name: "Save profile" }).click();
  await expect(page).toHaveURL(/profiles\/supplier\/osier/);
  await expect(page.getByRole("heading", { name: "Osier Chat, supplier" })).toBeVisible();

  // Somebody else saves it while it is open here: both texts are shown, and nothing is overwritten unseen.
  const other = await page.context().newPage();
  await other.goto(page.url());
  await other.locator('[data-field="name"]').fill("Osier Talk");
  await other.getByRole("button", { name: "Save profile" }).click();
  await expect(other.getByRole("heading", { name: "Osier Talk, supplier" })).toBeVisible();
  await other.close();
  await page.locator('[data-field="name"]').fill("Osier Box");
  await page.getByRole("button", { name: "Save profile" }).click();
  await expect(page.getByRole("alert").first()).toContainText("this was changed after you opened it");
  await expect(page.getByRole("alert").first()).toContainText("Osier Talk");
  await page.getByRole("button", { name: "Save profile" }).click();
  await expect(page.getByRole("heading", { name: "Osier Box, supplier" })).toBeVisible();
  await page.getByRole("button", { name: "Remove profile" }).click();
  await expect(page).toHaveURL(/profiles$/);
  // The conflict is answered with a status of its own.
  expect(errors.filter((e) => !e.includes("422"))).toEqual([]);
});

test("ticks: after Back the label says what is ticked, and that is what a button acts on", async ({ page }) => {
  await signIn(page);
  for (const list of ["/lens/estate", "/people", "/profiles"]) {
    await page.goto(address() + list);
    const boxes = page.locator('main td input[type="checkbox"]');
    await boxes.first().check();
    await page.goto(address() + "/rounds");
    await page.goBack();
    await expect(boxes.first()).toBeVisible();
    await expect(async () => {
      const ticked = await boxes.evaluateAll((all) => all.filter((b) => b.checked).length);
      const words = ticked ? `${ticked} selected` : "0 selected";
      await expect(page.getByText(words, { exact: true }).first()).toBeVisible({ timeout: 200 });
    }).toPass({ timeout: 10_000 });
  }
});

test("survey: what is on a site is seen with its evidence, and taken over by ticking", async ({ page }) => {
  const errors = await signIn(page);
  const url = await bench(page, "corrievalley");
  await page.goto(url + "/settings");
  await page.getByLabel("Languages").fill("cy");
  await page.getByRole("button", { name: "Save settings" }).click();
  await page.goto(url);
  await page.getByRole("link", { name: "Pages", exact: true }).click();
  await page.getByRole("button", { name: "Survey site" }).click();
  await expect(async () => {
    await page.goto(url + "/pages");
    await expect(page.getByText("pages by kind")).toBeVisible({ timeout: 500 });
  }).toPass({ timeout: 100_000, intervals: [1000] });
  await expect(page.getByText("its generator is")).toBeVisible();
  await expect(page.getByRole("img", { name: "1 pages of the kind home" })).toBeVisible();
  await page.getByRole("checkbox", { name: "en" }).check();
  await page.getByRole("button", { name: "Apply selected" }).click();
  await expect(page).toHaveURL(/settings/);
  await expect(page.getByLabel("Languages")).toHaveValue("en");
  expect(errors).toEqual([]);
});
