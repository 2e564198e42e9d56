// Fifty sites on several builders, from the spreadsheet to proven: what a person does for it is counted, and
// what waits for machines is not. Each click, each file and each field that is typed into is one.
const { test, expect } = require("@playwright/test");
const { address, signIn } = require("./help.js");

const MOST_INTERACTIONS = 30;
const BUILDERS = ["kelpshop", "lintel", "wharfside", "cobble"];

test("fifty sites are taken on, placed and proven with few interactions", async ({ page }) => {
  test.setTimeout(420_000);
  page.setDefaultTimeout(20_000);
  await signIn(page);
  // The stand-ins' port is part of every address.
  await page.goto(address() + "/lens/estate?q=northmere");
  const port = (await page.locator(".address").first().innerText()).match(/:(\d+)/)[1];
  const rows = Array.from({ length: 50 }, (_, i) => {
    const host = `fifty${String(i + 1).padStart(2, "0")}.${BUILDERS[i % BUILDERS.length]}.localhost:${port}`;
    return `Northmere Ice Rink,Fifty ${i + 1},http://${host}/,brindle,northmere-live,CA,demo-token-for-stand-ins`;
  });
  const csv = ["client,name,address,supplier,key,country,platform_token", ...rows].join("\n");

  let interactions = 0;
  const began = Date.now();
  let waited = 0;
  const once = async (act) => {
    interactions += 1;
    await act();
  };
  const machines = async (wait) => {
    const from = Date.now();
    await wait();
    waited += Date.now() - from;
  };
  const roundIsOver = () =>
    machines(async () => {
      const id = page.url().match(/rounds\/(\d+)/)[1];
      await expect(async () => {
        await page.goto(`${address()}/rounds/${id}`);
        await expect(page.locator(".question")).toContainText("0 under way, 0 waiting", { timeout: 500 });
      }).toPass({ timeout: 240_000, intervals: [1500] });
      await expect(page.locator(".question")).toContainText("50 done, 0 failed");
    });
  const fifty = async () => {
    await once(() => page.getByRole("link", { name: /^Estate/ }).first().click());
    await once(() => page.getByLabel("Search sites").fill("fifty"));
    await once(() => page.getByLabel("Search sites").press("Enter"));
    await once(() => page.getByLabel("Tick all rows of this page").check());
    await expect(page.getByText("50 ticked")).toBeVisible();
  };

  // From the spreadsheet.
  await once(() => page.getByRole("link", { name: "Add sites" }).click());
  await once(() => page.getByRole("link", { name: "many from a spreadsheet" }).click());
  await once(() =>
    page.locator("input[name=file]").setInputFiles({ name: "fifty.csv", mimeType: "text/csv", buffer: Buffer.from(csv) }),
  );
  await once(() => page.getByRole("button", { name: "Show what it would change" }).click());
  await expect(page.getByRole("button", { name: "Take it: 50 new, 0 changed" })).toBeVisible();
  await once(() => page.getByRole("button", { name: "Take it: 50 new" }).click());
  await expect(page.getByText("Taken: 50 added")).toBeVisible();

  // What they are built with.
  await fifty();
  await once(() => page.getByRole("button", { name: "Survey", exact: true }).click());
  await roundIsOver();
  await fifty();
  await once(() => page.getByRole("button", { name: "Change\u2026" }).click());
  await once(() => page.getByRole("button", { name: "Take over", exact: true }).click());
  await expect(page.getByText("50 sites changed; 0 have no survey yet.")).toBeVisible();

  // Placed, the differences first.
  await once(() => page.getByRole("button", { name: "Publish to the sites\u2026" }).click());
  await expect(page.getByRole("heading", { name: "Publish to 50 of 50 sites" })).toBeVisible();
  await expect(page.getByText("gets the code, at its end").first()).toBeHidden();
  await once(() => page.getByRole("button", { name: "Publish to 50 sites" }).click());
  await roundIsOver();

  // Proven in a browser.
  await fifty();
  await once(() => page.getByRole("button", { name: "Verify", exact: true }).click());
  await roundIsOver();
  await page.goto(address() + "/lens/load?q=fifty&state=passing");
  await expect(page.locator(".pager")).toContainText("1 to 50 of 50");
  await page.goto(address() + "/lens/place?q=fifty&state=passing");
  await expect(page.locator(".pager")).toContainText("1 to 50 of 50");

  const own = (Date.now() - began - waited) / 1000;
  console.log(`fifty sites: ${interactions} interactions; ${own.toFixed(0)} s of pages, ${(waited / 1000).toFixed(0)} s of waiting for machines`);
  expect(interactions).toBeLessThanOrEqual(MOST_INTERACTIONS);

  // And all of it can be put back.
  await page.goto(address() + "/rounds");
  await page.getByRole("link", { name: "Publish to the sites: 50 sites" }).click();
  await page.getByRole("button", { name: "Put back what this round published" }).click();
  await roundIsOver();
});
