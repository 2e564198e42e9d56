// Whether every test that docs/security.md names ran and passed: node claims.mjs LOG [ROOT]
import fs from "node:fs";
import path from "node:path";

const [log, root = path.join(import.meta.dirname, "..")] = process.argv.slice(2);
const passed = new Set();
for (const line of fs.readFileSync(log, "utf8").split("\n")) {
  const told = line.match(/^test (\S+)( - should panic)? \.\.\. ok/);
  if (told) passed.add(told[1].split("::").at(-1));
}
const rows = fs
  .readFileSync(path.join(root, "docs/security.md"), "utf8")
  .split("\n")
  .filter((line) => line.startsWith("| ") && !line.startsWith("| Who | wants"));
const wrong = [];
let claims = 0;
for (const row of rows) {
  const shown = row.split(" | ").at(-1);
  const named = shown.match(/\b[a-z][a-z0-9]*(?:_[a-z0-9]+){2,}\b(?!\.rs)/g) ?? [];
  if (!named.length) wrong.push("names no test: " + row.slice(0, 100));
  let file = "";
  for (const word of shown.split(/[ ,()|]+/)) {
    if (/^`[a-z]+\/.*\.rs`$/.test(word)) file = path.join(root, "crates", word.slice(1, -1));
    if (!named.includes(word)) continue;
    claims++;
    if (!fs.existsSync(file) || !fs.readFileSync(file, "utf8").includes("fn " + word + "("))
      wrong.push(`${word} is not in ${file}`);
    else if (!passed.has(word)) wrong.push(word + " did not run, or did not pass");
  }
}
if (claims < 60) wrong.push(`${claims} claims are too few to mean anything`);
for (const why of wrong) console.error("docs/security.md: " + why);
process.exit(wrong.length ? 1 : 0);
