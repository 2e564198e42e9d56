const { test, expect } = require("@playwright/test");
const { address, signIn } = require("./help");

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
  for (let i = 0; i < 8; i++) await answer("nobody@fenwick.example");
  expect(await answer("nobody@fenwick.example")).toContain("Too many attempts");
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
