// From a site without the widget to a confirmed handover, on the stand-ins, through the real worker.
const { test, expect } = require("@playwright/test");
const { address, signIn, bench, section } = require("./help");

test.describe.configure({ mode: "serial" });

test("design: values say where they come from, numbers follow, a wrong value is told and kept", async ({
  page,
}) => {
  const errors = await signIn(page);
  await bench(page, "Members");
  const port = (await page.locator("a[href*='.localhost:']").first().getAttribute("href")).match(/localhost:(\d+)/)[1];
  await page.getByRole("link", { name: "Design", exact: true }).last().click();
  const line = page.locator(".line", { has: page.getByLabel("Button colour") });
  await expect(line.locator(".from")).toContainText("brand sheet");
  await expect(page.locator(".numbers")).toContainText("0.0, the same to the eye");
  await page.getByLabel("Button colour").fill("#ffe680");
  await expect(page.locator(".numbers td.weak")).not.toHaveCount(0);
  await expect(page.locator(".numbers")).toContainText("another colour");
  // The nearest colour that can be read is offered, and takes the weakness away.
  const weak = page.locator('.numbers tr[data-key="icon_on_button"]');
  await weak.getByRole("button", { name: /^use #/ }).click();
  await expect(weak.locator("td.weak")).toHaveCount(0);
  await expect(page.getByLabel("Icon on the button")).not.toHaveValue("#ffffff");
  // Each state is drawn, and a text that it lacks is told.
  await page.getByLabel("State").selectOption("Away");
  await expect(page.locator(".stage").first()).toContainText("No text is designed for this state");
  await page.getByText("While nobody answers").click();
  await page.getByLabel("While away").fill("Leave us a message.");
  await expect(page.locator(".stage").first()).toContainText("Leave us a message.");
  await page.getByLabel("Title", { exact: true }).fill("A title that is much too long for the strip of any panel that people use");
  await expect(page.getByRole("status").filter({ hasText: "The title does not fit" })).toBeVisible();
  await page.getByLabel("Title", { exact: true }).fill("Harrow Down Observatory");
  // Logo and photo are each fetched once, and drawn on both screens.
  const picture = (name) => `http://w.farthing.localhost:${port}/${name}.png`;
  await page.getByLabel("State").selectOption("Chatting");
  await page.getByLabel("Logo in the panel").selectOption("shown");
  await page.getByLabel("Logo, address").fill(picture("mark"));
  await page.getByLabel("Agent\u2019s photo, address").fill(picture("face"));
  for (const drawn of [".stage .wlogo", ".stage .wface"]) {
    await expect(page.locator(drawn)).toHaveCount(2);
    await expect(page.locator(drawn).first()).toHaveAttribute("src", /^data:image/);
  }
  await page.getByLabel("Logo in the panel").selectOption("hidden");
  for (const name of ["Logo, address", "Agent\u2019s photo, address"]) await page.getByLabel(name).fill("");
  // The logo's colours go into the field that was used last.
  await page.getByLabel("Button colour").focus();
  await page.getByRole("button", { name: /^Use #2b2f6b/ }).click();
  await expect(page.getByLabel("Button colour")).toHaveValue("#2b2f6b");
  await page.getByLabel("Button colour").fill("greenish");
  await page.getByRole("button", { name: "Save design" }).click();
  await expect(page.getByRole("alert").first()).toContainText("not a colour");
  await expect(page.getByLabel("Button colour")).toHaveValue("greenish");
  await page.getByLabel("Button colour").fill("#2b2f6c");
  await page.getByRole("button", { name: "Save design" }).click();
  await expect(line.locator(".from")).toContainText("this site");
  await line.getByRole("button", { name: "reset" }).click();
  await page.getByRole("button", { name: "Save design" }).click();
  await expect(line.locator(".from")).toContainText("brand sheet");
  expect(errors.filter((e) => !e.includes("422"))).toEqual([]);
});

test("the design is written at the supplier with its difference first, and put back", async ({ page }) => {
  await signIn(page);
  await bench(page, "Courses");
  await page.getByRole("link", { name: "Design", exact: true }).last().click();
  await page.getByRole("link", { name: "Value sheet and supplier settings" }).click();
  await expect(page.getByRole("row", { name: /button_colour/ }).first()).toContainText("#d98c2b");
  await page.getByRole("button", { name: /^Write \d/ }).click();
  await expect(page.getByText("all settings at Brindle match the design")).toBeVisible();
  await page.getByRole("button", { name: "Restore previous settings" }).click();
  await expect(page.getByRole("row", { name: /button_colour/ }).first()).toContainText("#d98c2b");
});

test("what is intended: hours are typed, holidays come from a calendar, the plan says why", async ({ page }) => {
  await signIn(page);
  await bench(page, "Members");
  await page.getByRole("link", { name: "Design", exact: true }).last().click();
  await page.getByRole("link", { name: "Hours, channels, other languages" }).click();
  const shift = page.getByRole("group", { name: "Shift 1" });
  for (const day of ["mon", "fri"]) await shift.getByLabel(day).check();
  await shift.getByLabel("From").fill("9");
  await shift.getByLabel("To").fill("17:30");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("alert")).toContainText("not a time of day");
  // Several shifts and channels are typed in one go, hours as people write them.
  await shift.getByLabel("From").fill("9:00");
  await page.getByRole("button", { name: "Add shift" }).click();
  await page.getByRole("button", { name: "Add shift" }).click();
  for (const [n, day, from] of [[2, "sat", "10:00"], [3, "sun", "11:00"]]) {
    const further = page.getByRole("group", { name: "Shift " + n });
    await further.getByLabel(day).check();
    await further.getByLabel("From").fill(from);
    await further.getByLabel("To").fill("14:00");
  }
  await page.getByRole("button", { name: "Save" }).click();
  const week = "Staffed mon, fri 09:00 to 17:30; sat 10:00 to 14:00; sun 11:00 to 14:00";
  await expect(page.getByRole("img", { name: week })).toBeVisible();
  // The same hours for another site: what that would change is seen first.
  const here = page.url();
  const title = (await page.locator(".crumb a").first().innerText()).trim();
  await page.goto(address() + "/lens/estate?q=fares");
  await page.locator("table.rows a[href^='/sites/']").first().click();
  await page.getByRole("link", { name: "Hours and channels" }).click();
  await page.getByRole("button", { name: "Copy from another site" }).click();
  await page.getByLabel("Site, by name or address").fill(title);
  await page.getByRole("checkbox", { name: "Hours", exact: true }).check();
  await page.getByRole("button", { name: "Preview copy" }).click();
  await expect(page.getByText("mon, fri 09:00-17:30; sat 10:00-14:00; sun 11:00-14:00").last()).toBeVisible();
  await expect(page.getByRole("button", { name: "Change 1 site", exact: true })).toBeVisible();
  await page.goto(here);
  for (const [n, day] of [[2, "sat"], [3, "sun"]]) {
    const further = page.getByRole("group", { name: "Shift " + n });
    await further.getByLabel(day).uncheck();
    await further.getByLabel("From").fill("");
    await further.getByLabel("To").fill("");
  }
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("img", { name: "Staffed mon, fri 09:00 to 17:30" })).toBeVisible();
  const soon = new Date(Date.now() + 20 * 86400e3).toISOString().slice(0, 10);
  const calendar = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//x//y", "BEGIN:VEVENT", "UID:1", "DTSTART;VALUE=DATE:" + soon.replaceAll("-", ""), "END:VEVENT", "END:VCALENDAR", ""].join("\r\n");
  await page.getByLabel("Public holidays (iCalendar file)").setInputFiles({ name: "h.ics", mimeType: "text/calendar", buffer: Buffer.from(calendar) });
  await page.getByRole("button", { name: "Add holidays" }).click();
  await expect(page.getByRole("status")).toContainText("The file has 1 whole days");
  await expect(page.getByLabel("Closed days")).toHaveValue(soon);
  await expect(page.getByRole("heading", { name: /visits per check/ })).toBeVisible();
  // Back to always, so that what follows is judged the same at any hour.
  for (const day of ["mon", "fri"]) await shift.getByLabel(day).uncheck();
  await shift.getByLabel("From").fill("");
  await shift.getByLabel("To").fill("");
  await page.getByLabel("Closed days").fill("");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("img", { name: "Always staffed" })).toBeVisible();
});

test("verify: a site without the snippet is told so", async ({ page }) => {
  await signIn(page);
  const url = await bench(page, "Members");
  await page.getByRole("button", { name: "Verify now" }).first().click();
  // What was asked for is seen to be under way, and can be cancelled.
  await expect(page.locator(".pending")).toContainText("Verify:");
  await expect(page.locator(".pending").getByRole("button", { name: "Cancel" })).toBeVisible();
  await section(page, url, "load", "failing");
  await expect(page.locator("#history")).toContainText("placed.absent");
  await expect(page.locator("#place")).toContainText("placed.absent");
  await expect(page.locator(".shots img").first()).toBeVisible();
  expect(
    await page
      .locator(".shots img")
      .first()
      .evaluate((i) => i.naturalWidth),
  ).toBeGreaterThan(300);
});

test("place: pushing adds the code, keeps others' code, twice changes nothing, and it can be put back", async ({
  page,
}) => {
  await signIn(page);
  const url = await bench(page, "Members");
  await page.goto(url + "/place");
  await expect(page.locator(".diff .added").first()).toContainText("harrowdown-live");
  await expect(page.locator(".diff .same").first()).toContainText("visitor counter");
  await page.getByRole("button", { name: "Publish to site" }).click();
  await expect(page.getByRole("status")).toContainText("Published to the site");
  await expect(page.getByText("The slots already have this code")).toBeVisible();
  await page
    .locator("details", { hasText: "Site code, end of body" })
    .filter({ hasText: "Restore previous code" })
    .first()
    .locator("summary")
    .click();
  await page.getByRole("button", { name: "Restore previous code" }).click();
  await expect(page.getByRole("status")).toContainText("The previous code was restored");
  await expect(page.locator(".diff .added").first()).toContainText("harrowdown-live");
  await page.getByRole("button", { name: "Publish to site" }).click();
  await expect(page.getByRole("status")).toContainText("Published to the site");
});

test("verify again: the chain holds, consent waits, the looks are compared", async ({ page }) => {
  await signIn(page);
  const url = await bench(page, "Members");
  await page.getByRole("button", { name: "Verify now" }).first().click();
  await section(page, url, "load", "passing");
  await expect(page.locator("#load")).toContainText("allowed.consent-waits");
  await expect(page.locator("#consent .statewords")).toHaveText(/^passing/);
  await expect(page.locator("#brand .statewords")).toHaveText(/^passing/);
  await expect(page.locator("#brand img.crop")).toHaveCount(2);
  await expect(page.getByAltText(/panel open/).first()).toBeVisible();
});

test("echo: a message through the live widget and its answer back", async ({ page }) => {
  await signIn(page);
  const url = await bench(page, "Members");
  await page.getByRole("button", { name: "Send test message" }).first().click();
  await section(page, url, "echo", "passing");
  await expect(page.locator("#echo")).toContainText("Arrived in the console");
  await expect(page.locator("#echo")).toContainText("members.harrowdown.localhost");
});

test("hand over: a sheet on the web and as PDF, a link that works without an account and can be withdrawn", async ({
  page,
  browser,
}) => {
  await signIn(page);
  const url = await bench(page, "Members");
  await page.getByRole("button", { name: "Make handover sheet" }).first().click();
  await section(page, url, "hand_over", "undecided");
  const pdf = await page.request.get(
    address() + (await page.getByRole("link", { name: "PDF" }).getAttribute("href")),
  );
  expect((await pdf.body()).subarray(0, 5).toString()).toBe("%PDF-");
  await page.getByRole("button", { name: "Make client link" }).click();
  const link = await page.getByLabel("Link").inputValue();
  const stranger = await (await browser.newContext()).newPage();
  await stranger.goto(link);
  await expect(stranger.locator("h1")).toContainText("Chat on Members");
  await expect(stranger.locator(".pictures img").first()).toBeVisible();
  await stranger.getByLabel("Your name").fill("The observer");
  await stranger.getByRole("button", { name: /Confirm that it works/ }).click();
  await expect(stranger.getByRole("status")).toContainText("Confirmed by The observer");
  await section(page, url, "hand_over", "passing");
  await page.getByRole("button", { name: "Withdraw link" }).click();
  await stranger.goto(link);
  await expect(stranger.locator("h1")).toContainText("does not work");
});

test("ticks stay from page to page and from lens to lens, until they are acted on", async ({
  page,
}) => {
  await signIn(page);
  await page.goto(address() + "/lens/estate?q=reedwater");
  await page.locator('td input[name="site"]').first().check();
  await page.goto(address() + "/lens/brand?q=harrowdown");
  await page.locator('td input[name="site"]').first().check();
  await expect(page.locator(".bulkbar")).toContainText("2 selected, 1 on other pages");
  await page.getByRole("button", { name: "Verify", exact: true }).click();
  await expect(page.locator("h1")).toHaveText("Verify: 2 sites");
  await page.goto(address() + "/lens/estate");
  await expect(page.locator(".bulkbar")).toContainText("0 selected");
});

test("a round is watched live and can be cancelled", async ({ page }) => {
  // A check makes four visits; on a busy machine the first of seven takes minutes.
  test.setTimeout(400_000);
  await signIn(page);
  await page.goto(address() + "/lens/load?q=reedwater");
  await page.getByLabel("Select all rows on this page").check();
  await expect(page.locator(".bulkbar")).toContainText("7 selected");
  await page.getByRole("button", { name: "Verify", exact: true }).click();
  await expect(page).toHaveURL(/rounds\/\d+/);
  const words = page.locator(".roundpage span[aria-live]");
  await expect(words).toContainText("of 7 sites");
  // The count moves by itself: the page is not loaded anew meanwhile.
  await page.evaluate(() => {
    window.stillHere = true;
  });
  await expect(words).not.toContainText("0 of 7", { timeout: 300_000 });
  await page.getByRole("button", { name: "Cancel remaining sites" }).click();
  await expect(page.locator(".question")).toContainText("0 waiting");
});

test("while a round is under way every lens opens, and pages seen together share one stream", async ({
  page,
  context,
}) => {
  // Twenty pages beside visits that keep the machine busy: how long each takes says nothing, that it comes does.
  test.setTimeout(600_000);
  await signIn(page);
  // The requests themselves are kept: the end of a stream that began before we counted (the bar of an earlier
  // round) is none of ours.
  const streams = new Set();
  let most = 0;
  context.on("request", (r) => {
    if (r.url().endsWith("/events")) most = Math.max(most, streams.add(r).size);
  });
  for (const end of ["requestfinished", "requestfailed"]) context.on(end, (r) => streams.delete(r));
  await page.goto(address() + "/lens/estate");
  await page.getByLabel("Select all rows on this page").check();
  await page.getByRole("button", { name: "Verify" }).first().click();
  await expect(page).toHaveURL(/rounds\/\d+/);
  const round = page.url();
  await expect.poll(() => streams.size).toBe(1);
  // A browser opens six connections to a host: with a stream for each, the seventh page never came.
  const pages = await Promise.all([...Array(8)].map(() => context.newPage()));
  for (const other of pages) {
    await other.goto(address() + "/lens/load");
    await expect(other.locator(".roundbar")).toBeVisible();
  }
  const stops = await page.locator(".trail a").evaluateAll((all) => all.map((a) => a.href));
  expect(stops.length).toBe(11);
  for (const stop of stops) {
    await page.goto(stop);
    await expect(page.locator(".roundbar")).toBeVisible();
  }
  expect(most).toBeLessThanOrEqual(3);
  for (const other of pages) await other.close();
  await page.goto(round);
  await page.getByRole("button", { name: "Cancel" }).first().click();
  await expect(page.locator(".roundbar")).toHaveCount(0);
});

test("what ended before a page could listen is shown once it listens", async ({ page, context }) => {
  test.setTimeout(120_000);
  await signIn(page);
  await page.goto(address() + "/lens/estate");
  await page.locator("input[name=site]").first().check();
  await page.getByRole("button", { name: "Verify" }).first().click();
  await expect(page).toHaveURL(/rounds\/\d+/);
  const round = page.url(),
    late = await context.newPage();
  await page.goto("about:blank");
  // Another window's stream comes late: it is held back until the round is over.
  const held = [];
  await late.route("**/events", (route) => held.push(route));
  await late.goto(address() + "/lens/load");
  await expect(late.locator(".roundbar")).toBeVisible();
  await expect.poll(() => held.length).toBe(1);
  await page.goto(round);
  await page.getByRole("button", { name: "Cancel remaining sites" }).click();
  await expect
    .poll(async () => (await (await page.request.get(round + "/progress")).json()).finished)
    .toBe(true);
  await expect(late.locator(".roundbar")).toBeVisible();
  for (const route of held) await route.continue();
  await expect(late.locator(".roundbar")).toHaveCount(0);
});
