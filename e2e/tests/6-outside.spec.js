const { test, expect } = require("@playwright/test");
const { address, signIn, bench } = require("./help");

test("profiles: a pasted snippet becomes a supplier, mistakes are told while typing, and it is tried", async ({
  page,
}) => {
  const errors = await signIn(page);
  await page.goto(address() + "/profiles");
  await page.getByRole("link", { name: "Supplier from its snippet" }).click();
  await page
    .getByLabel("The code as it came")
    .fill("Please paste: <script async src=\u201dhttps://cdn.osier.test/l.js\u201d data-key=\u201dab12cd34\u201d></script>");
  await page.getByRole("button", { name: "Make a draft of it" }).click();
  await expect(page.getByText("the key in it is ab12cd34")).toBeVisible();
  const text = page.getByLabel("Profile (TOML)");
  const launcher = page.getByLabel("Launcher, a selector");

  // A field goes into the text, and what is wrong with it is told.
  await launcher.fill("#osier >");
  await launcher.blur();
  await expect(page.getByText("which is no selector")).toBeVisible();
  await expect(text).toHaveValue(/launcher = "#osier >"/);
  // The text goes into the fields.
  await text.fill((await text.inputValue()).replace('"#osier >"', '"#osier-launcher"'));
  await expect(launcher).toHaveValue("#osier-launcher");
  await expect(page.getByText("It can be kept.")).toBeVisible();

  // Tried on a page before it is kept: nothing of it is there, and what was searched is told.
  const site = await page.evaluate(async () => {
    const rows = await (await fetch("/sites/export.csv")).text();
    return rows.match(/http:[^,]*wendlemill[^,]*/)[0];
  });
  await page.getByLabel("Address", { exact: true }).fill(site);
  await page.getByRole("button", { name: "Try" }).click();
  await expect(page.getByText("Nothing of this supplier was recognised")).toBeVisible();
  await page.getByRole("button", { name: "Keep the profile" }).click();
  await expect(page).toHaveURL(/profiles\/supplier\/osier/);
  await expect(page.getByRole("heading", { name: "Osier, supplier" })).toBeVisible();
  await page.getByRole("button", { name: "Remove this profile" }).click();
  await expect(page).toHaveURL(/profiles$/);
  expect(errors).toEqual([]);
});

test("survey: what is on a site is seen with its evidence, and taken over by ticking", async ({ page }) => {
  const errors = await signIn(page);
  const url = await bench(page, "corrievalley");
  await page.goto(url + "/settings");
  await page.getByLabel("Languages").fill("cy");
  await page.getByRole("button", { name: "Keep the settings" }).click();
  await page.goto(url);
  await page.getByRole("link", { name: "Pages", exact: true }).click();
  await page.getByRole("button", { name: "Survey the site" }).click();
  await expect(async () => {
    await page.goto(url + "/pages");
    await expect(page.getByText("pages by kind")).toBeVisible({ timeout: 500 });
  }).toPass({ timeout: 100_000, intervals: [1000] });
  await expect(page.getByText("its generator is")).toBeVisible();
  await expect(page.getByRole("img", { name: "1 pages of the kind home" })).toBeVisible();
  await page.getByRole("checkbox", { name: "en" }).check();
  await page.getByRole("button", { name: "Take what is ticked over" }).click();
  await expect(page).toHaveURL(/settings/);
  await expect(page.getByLabel("Languages")).toHaveValue("en");
  expect(errors).toEqual([]);
});
