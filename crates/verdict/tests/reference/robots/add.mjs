// Adds the verdicts of npm robots-parser 3.0.1: see make.py.
import fs from "node:fs";
import robotsParser from "robots-parser";
const data = JSON.parse(fs.readFileSync(0, "utf8"));
for (const one of data.cases) {
  const parsed = robotsParser("https://kites.example/robots.txt", one.text);
  const told = (agent) => data.paths.map((p) => (parsed.isAllowed("https://kites.example" + p, agent) === false ? "0" : "1")).join("");
  one.robots_parser = Object.fromEntries(Object.keys(one.protego).map((agent) => [agent, told(agent)]));
}
console.log(JSON.stringify(data));
