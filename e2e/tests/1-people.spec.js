const { test, expect } = require("@playwright/test");
const { createHmac } = require("crypto");
const { address, signIn } = require("./help");

/** The code of a secret now: RFC 6238 over RFC 4226, by Node's own HMAC. */
function code(secret) {
  const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567";
  const bits = [...secret.replaceAll(" ", "")]
    .map((c) => letters.indexOf(c).toString(2).padStart(5, "0"))
    .join("");
  const key = Buffer.from(bits.match(/.{8}/g).map((b) => parseInt(b, 2)));
  const step = Buffer.alloc(8);
  step.writeBigUInt64BE(BigInt(Math.floor(Date.now() / 30_000)));
  const hash = createHmac("sha1", key).update(step).digest();
  const number = hash.readUInt32BE(hash[19] & 15) & 0x7fffffff;
  return String(number % 1_000_000).padStart(6, "0");
}

test("a wrong password and an unknown address get the same answer, and many attempts end", async ({
  page,
}) => {
  const answer = async (email) => {
    await page.goto(address() + "/sign-in");
    await page.getByLabel("E-mail").fill(email);
    await page.getByLabel("Password").fill("wrong");
    await page.getByRole("button", { name: "Sign in" }).click();
    return page.getByRole("alert").innerText();
  };
  expect(await answer("tech@fenwick.example")).toBe(await answer("nobody@fenwick.example"));
  // Each failure doubles the wait, so whoever goes on trying meets it.
  await expect(async () => {
    expect(await answer("nobody@fenwick.example")).toContain("Too many attempts. Wait");
  }).toPass({ intervals: [0] });
});

test("nothing is shown without signing in", async ({ request }) => {
  for (const path of [
    "/lens/estate",
    "/sites/1",
    "/clients",
    "/sites/export.csv",
    "/audit",
    "/events",
  ]) {
    const answer = await request.get(address() + path, { maxRedirects: 0 });
    expect(answer.status(), path).toBe(303);
  }
  expect((await request.get(address() + "/health")).status()).toBe(200);
});

test("a viewer may look and not change, whatever the form says", async ({ page }) => {
  await signIn(page, "view@fenwick.example");
  await expect(page.getByRole("button", { name: "Verify" })).toHaveCount(0);
  const csrf = await page.locator('input[name="csrf"]').first().inputValue();
  const status = await page.evaluate(
    async (csrf) =>
      (
        await fetch("/bulk", {
          method: "POST",
          body: new URLSearchParams({ csrf, kind: "check", site: "1" }),
        })
      ).status,
    csrf,
  );
  expect(status).toBe(403);
});

test("a form without the session's token is refused, and so is one from another site", async ({
  page,
  request,
}) => {
  await signIn(page);
  const status = await page.evaluate(
    async () =>
      (
        await fetch("/bulk", {
          method: "POST",
          body: new URLSearchParams({ csrf: "guess", kind: "check", site: "1" }),
        })
      ).status,
  );
  expect(status).toBe(403);
  const foreign = await request.post(address() + "/sign-in", {
    headers: { origin: "https://elsewhere.example" },
    form: { email: "x", password: "y" },
  });
  expect(foreign.status()).toBe(403);
});

test("only an administrator changes the network rule; every change is in the audit trail", async ({
  page,
}) => {
  await signIn(page, "tech@fenwick.example");
  const csrf = await page.locator('input[name="csrf"]').first().inputValue();
  const status = await page.evaluate(
    async (csrf) =>
      (await fetch("/settings", { method: "POST", body: new URLSearchParams({ csrf }) })).status,
    csrf,
  );
  expect(status).toBe(403);
  await page.goto(address() + "/audit?q=signed");
  await expect(page.locator("table")).toContainText("Second Technician");
});

test("our own pages run under a strict policy without inline code", async ({ page, request }) => {
  const policy = (await request.get(address() + "/sign-in")).headers()["content-security-policy"];
  expect(policy).toContain("default-src 'none'");
  expect(policy).not.toContain("unsafe");
});

test("somebody new chooses a password by a link, sets up a second factor and signs in with it", async ({
  page,
  browser,
}) => {
  const errors = await signIn(page);
  await page.goto(address() + "/people");
  await page.getByLabel("Name", { exact: true }).fill("Third Technician");
  await page.getByLabel("E-mail").fill("third@fenwick.example");
  await page.getByRole("button", { name: "Add person" }).click();
  const link = await page.locator(".good code").innerText();

  const other = await (await browser.newContext()).newPage();
  await other.goto(link);
  await other.getByLabel("Password, 12").fill("three kites aloft");
  await other.getByRole("button", { name: "Save password" }).click();
  const enter = async () => {
    await other.getByLabel("E-mail").fill("third@fenwick.example");
    await other.getByLabel("Password").fill("three kites aloft");
    await other.getByRole("button", { name: "Sign in" }).click();
  };
  await enter();
  await other.getByRole("link", { name: "Third Technician" }).click();
  await other.locator("#second").getByLabel("Current password").fill("three kites aloft");
  await other.getByRole("button", { name: "Set up two-factor sign-in" }).click();
  await expect(other.getByRole("img", { name: /QR code with the secret/ })).toBeVisible();
  const secret = await other.locator(".steps code").innerText();
  await other.getByLabel("Code", { exact: true }).fill(code(secret));
  await other.getByRole("button", { name: "Confirm" }).click();
  await expect(other.locator(".codes li")).toHaveCount(10);
  const recovery = await other.locator(".codes li").first().innerText();
  await other.getByRole("button", { name: "Sign out" }).click();

  await enter();
  await expect(other.getByRole("heading", { name: "Enter your code" })).toBeVisible();
  await other.getByLabel("Code", { exact: true }).fill("000000");
  await other.getByRole("button", { name: "Continue" }).click();
  await expect(other.getByRole("alert")).toContainText("is wrong");
  await other.getByLabel("Code", { exact: true }).fill(recovery);
  await other.getByRole("button", { name: "Continue" }).click();
  await expect(other).toHaveURL(/lens\/estate/);

  // Locked, they are out at their next click.
  await page.goto(address() + "/people?q=third");
  await page.getByLabel("Third Technician", { exact: true }).check();
  await page.getByRole("button", { name: "Lock", exact: true }).click();
  await expect(page.locator("tr.locked")).toContainText("Third Technician");
  await other.getByRole("link", { name: "Worklist" }).click();
  await expect(other).toHaveURL(/sign-in/);
  expect(errors).toEqual([]);
});
