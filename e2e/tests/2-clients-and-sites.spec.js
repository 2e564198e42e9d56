const { test, expect } = require("@playwright/test");
const { address, signIn } = require("./help");

test("a client with a brand sheet, a logo and design tokens", async ({ page }) => {
  await signIn(page);
  await page.goto(address() + "/clients");
  await page.getByLabel("Name", { exact: true }).fill("Test Lantern Makers");
  await page.getByLabel("Primary colour").fill("not a colour");
  await page.getByRole("button", { name: "Add client" }).click();
  await expect(page.getByRole("alert")).toContainText("not a colour");
  await page.goBack();
  await page.getByLabel("Name", { exact: true }).fill("Test Lantern Makers");
  await page.getByLabel("Primary colour").fill("hsl(20 60% 30%)");
  await page.getByRole("button", { name: "Add client" }).click();
  await expect(page.getByLabel("Primary colour")).toHaveValue("#7a3d1f");
  await page.setInputFiles('input[name="logo"]', {
    name: "logo.svg",
    mimeType: "image/svg+xml",
    buffer: Buffer.from(
      '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><script>document.title="run"</script><rect width="9" height="9"/></svg>',
    ),
  });
  await page.getByRole("button", { name: "Save logo" }).click();
  const logo = page.getByAltText("Logo of Test Lantern Makers");
  await expect(logo).toBeVisible();
  // A picture is never a page that runs.
  const src = await logo.getAttribute("src");
  const headers = (await page.request.get(address() + src)).headers();
  expect(headers["content-security-policy"]).toContain("sandbox");
  await page.setInputFiles('input[name="logo"]', {
    name: "logo.png",
    mimeType: "image/png",
    buffer: Buffer.from("<html>"),
  });
  await page.getByRole("button", { name: "Save logo" }).click();
  await expect(page.getByRole("alert")).toContainText("PNG, JPEG or SVG");
  await page.goBack();
  const tokens = await (await page.request.get(page.url() + "/tokens.json")).json();
  expect(tokens.color.primary.$value.hex).toBe("#7a3d1f");
});

test("an address is looked at at once, and what was typed is kept when it is refused", async ({
  page,
}) => {
  await signIn(page);
  await page.goto(address() + "/sites/new");
  await page.getByLabel("Client").selectOption({ label: "Gust Kite Workshop" });
  await page.getByLabel("Address").fill("ftp://kites.example");
  await page.getByLabel("Key").fill("gustkites-live");
  await expect(page.locator(".hint[aria-live]")).toContainText("only http: and https:");
  await page.getByRole("button", { name: "Add site" }).click();
  await expect(page.locator(".wrong")).toContainText("only http: and https:");
  await expect(page.getByLabel("Key")).toHaveValue("gustkites-live");
  await page.getByLabel("Address").fill("http://nowhere.test/");
  await page.getByRole("button", { name: "Add site" }).click();
  await expect(page.locator(".wrong")).toContainText("does not resolve");
});

test("a site that answers is added with its platform guessed and its name from the page", async ({
  page,
}) => {
  await signIn(page);
  await page.goto(address() + "/lens/estate?q=wind.gustkites");
  const known = "http://" + (await page.locator(".address").first().innerText());
  await page.goto(address() + "/sites/new");
  await page.getByLabel("Client").selectOption({ label: "Gust Kite Workshop" });
  await page.getByLabel("Address").fill(known + "/prices");
  await page.getByLabel("Key").fill("gustkites-live");
  await expect(page.locator(".hint[aria-live]")).toContainText("The site answers");
  await expect(page.getByLabel("Platform")).toHaveValue("tarnwork");
  await page.getByRole("button", { name: "Add site" }).click();
  await expect(page.locator("h1")).toContainText("Prices - Wind today");
  await page.goto(address() + "/sites/new");
  await page.getByLabel("Client").selectOption({ label: "Gust Kite Workshop" });
  await page.getByLabel("Address").fill(known + "/prices");
  await page.getByRole("button", { name: "Add site" }).click();
  await expect(page.locator(".wrong")).toContainText("already");
});

test("a spreadsheet comes in with a result a row, and goes out again", async ({ page }) => {
  await signIn(page);
  await page.goto(address() + "/sites/import");
  const csv =
    'client,name,address,country\n"Lamp, Ltd",Home,https://lamps.example/,GB\n,Shop,https://shop.example/,\nLamp,Bad,ftp://x.example,\n"Lamp, Ltd",Again,https://lamps.example/,GB\n';
  await page.setInputFiles('input[name="file"]', {
    name: "sites.csv",
    mimeType: "text/csv",
    buffer: Buffer.from(csv),
  });
  await page.getByRole("button", { name: "Preview changes" }).click();
  await expect(page.locator("tbody tr")).toHaveCount(4);
  await expect(page.locator("tbody tr").nth(1)).toContainText("client: it is empty");
  await expect(page.locator("tbody tr").nth(3)).toContainText("twice");
  await page.getByRole("button", { name: "Import 1 new and 0 changed sites" }).click();
  await expect(page.getByRole("status")).toContainText("1 added, 0 changed");
  const out = await (await page.request.get(address() + "/sites/export.csv")).text();
  expect(out).toContain('"Lamp, Ltd",Home,https://lamps.example/');
});

test("the lens keeps search and state, pages are counted, nothing found says so", async ({
  page,
}) => {
  await signIn(page);
  await page.goto(address() + "/lens/load?q=northmere");
  await expect(page.locator("tbody tr")).toHaveCount(8);
  await page.getByRole("link", { name: /^Weigh/ }).click();
  await expect(page).toHaveURL(/lens\/weigh\?q=northmere/);
  await page.goto(address() + "/lens/load?q=zzzz");
  await expect(page.locator(".empty")).toContainText("No sites match");
});
