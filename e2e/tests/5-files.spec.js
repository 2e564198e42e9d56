// Files that we read and write, against validators that are not ours: the expectation file by its JSON Schema
// (npm ajv, smol-toml), archives of visits by the schema of HAR 1.2 (npm har-schema).
const { test, expect } = require("@playwright/test");
const { execFile } = require("node:child_process");
const fs = require("node:fs");
const http = require("node:http");
const os = require("node:os");
const path = require("node:path");
const Ajv = require("ajv/dist/2020");
const AjvOld = require("ajv");
const formats = require("ajv-formats");
const hars = require("har-schema");

const binary = path.resolve(process.env.NEWTFERN_BINARY || "../target/debug/newtfern");
const schema = JSON.parse(fs.readFileSync(path.join(__dirname, "../../docs/expectation.schema.json"), "utf8"));
const ajv = formats(new Ajv({ allErrors: true }));
const fits = ajv.compile(schema);

function run(args) {
  return new Promise((done) => {
    execFile(binary, args, { timeout: 120_000 }, (error, stdout, stderr) => done({ code: error ? error.code : 0, stdout, stderr }));
  });
}

// The file of the public contract.
const WHOLE = `
address = "http://127.0.0.1/"
country = "GB"
languages = ["en", "cy"]
time_zone = "Europe/London"
consent = "none"
[[widget]]
supplier = "example"
key = "ab12cd34"
on = ["/**"]
not_on = ["/legal/**", "/imprint", "kind:basket"]
viewports = ["desktop", "phone"]
delay_s = 0
start = "closed"
form = "launcher"
outside_hours = "message"
[[widget.hours]]
days = ["mon", "tue"]
from = "09:00"
to = "24:00"
[[widget.closed]]
on = "2026-12-25"
[[widget.channel]]
kind = "phone"
target = "tel:+441632960123"
[widget.design]
launcher_colour = "#0b7285"
corner = "bottom-right"
offset_side_px = 20
[widget.texts.en]
title = "Kite workshop"
prompt_after_s = 5
`;

const WRONG = [
  ["country", "contry"],
  ['"GB"', '"GBR"'],
  ['address = "http', 'address = "ftp'],
  ['"/imprint"', '"imprint"'],
  ["kind:basket", "kind:baskets"],
  ['"phone"]', '"tablet"]'],
  ["delay_s = 0", "delay_s = -1"],
  ['start = "closed"', 'start = "shut"'],
  ['"24:00"', '"24:01"'],
  ['"2026-12-25"', '"2026-13-25"'],
  ['kind = "phone"', 'kind = "pigeon"'],
  ['"bottom-right"', '"lower-right"'],
  ["title =", "titel ="],
  ["texts.en", "texts.e"],
  ['supplier = "example"', ""],
];

let folder;
test.beforeAll(() => (folder = fs.mkdtempSync(path.join(os.tmpdir(), "newtfern-files-"))));
test.afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

// Read to its end: what stops the check then is that the address is a private one, or no profile is there.
async function reads(text) {
  const file = path.join(folder, "site.toml");
  fs.writeFileSync(file, text);
  const { code, stdout } = await run(["check", "--site", file, "--json"]);
  expect(code).toBe(2);
  return /among the profiles|--allow-private/.test(JSON.parse(stdout).error);
}

test("an expectation that the schema takes is read, and what it refuses is refused", async () => {
  const toml = await import("smol-toml");
  expect(fits(toml.parse(WHOLE)), JSON.stringify(fits.errors)).toBe(true);
  expect(await reads(WHOLE)).toBe(true);
  for (const [from, to] of WRONG) {
    const text = WHOLE.replace(from, to);
    expect(text).not.toBe(WHOLE);
    expect(fits(toml.parse(text)), `${to} by the schema`).toBe(false);
    expect(await reads(text), `${to} by the program`).toBe(false);
  }
});

test("what a survey writes fits the schema, and archives fit that of HAR", async () => {
  test.setTimeout(120_000);
  const toml = await import("smol-toml");
  const server = http.createServer((request, answer) => {
    answer.setHeader("content-type", request.url.endsWith(".js") ? "text/javascript" : "text/html");
    answer.end(request.url.endsWith(".js") ? "1" : '<!doctype html><html lang=en><title>Kites</title><script async src="http://' + request.headers.host + '/l.js?k=ab12cd34&x=%20"></script><img src="/none.png">');
  });
  await new Promise((done) => server.listen(0, "127.0.0.1", done));
  const address = `http://kites.localhost:${server.address().port}/`;
  const profiles = path.join(folder, "profiles");
  fs.mkdirSync(profiles);
  fs.writeFileSync(path.join(profiles, "own.toml"), `id = "own"\nname = "Own"\n[recognise]\nscript_hosts = ["kites.localhost"]\nkey_patterns = ['k=(?P<key>[a-z0-9]{8})']\n[snippet]\ntemplate = '<script async src="/l.js?k={{key}}"></script>'\n[alive]\nscript = "true"\n`);
  const file = path.join(folder, "found.toml");
  const survey = await run(["survey", address, "--profiles", profiles, "--allow-private", "--json", "--write", file]);
  expect(survey.code, survey.stderr).toBe(0);
  const found = toml.parse(fs.readFileSync(file, "utf8"));
  expect(fits(found), JSON.stringify(fits.errors)).toBe(true);
  expect(found.widget[0]).toMatchObject({ supplier: "own", key: "ab12cd34" });
  const archives = path.join(folder, "har");
  const report = path.join(folder, "report.xml");
  const check = await run(["check", "--site", file, "--profiles", profiles, "--allow-private", "--json", "--har", archives, "--junit", report]);
  expect(JSON.parse(check.stdout).pages).toHaveLength(1);
  server.close();
  const old = formats(new AjvOld({ schemas: Object.values(hars).map(plain), strict: false, validateSchema: false }));
  const names = fs.readdirSync(archives);
  expect(names).toHaveLength(2);
  for (const name of names) {
    const archive = JSON.parse(fs.readFileSync(path.join(archives, name), "utf8"));
    const valid = old.validate("har.json", archive);
    expect(valid, JSON.stringify(old.errors)).toBe(true);
    expect(archive.log.entries.length).toBeGreaterThan(1);
  }
  expect(fs.readFileSync(report, "utf8")).toContain('<testsuite name="');
});

// The package's schemas name a draft of JSON Schema that the validator does not ship.
function plain(one) {
  const { $schema, ...rest } = one;
  return rest;
}
