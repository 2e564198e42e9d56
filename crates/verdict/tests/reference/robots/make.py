"""Verdicts of two reference parsers of robots.txt over invented files and addresses: PyPI protego 0.7.0 here,
npm robots-parser 3.0.1 in add.mjs.

    pip install protego==0.7.0 && npm install robots-parser@3.0.1
    python3 make.py | node add.mjs > expected.json
"""

import json
import random

from protego import Protego

random.seed(9309)
PIECES = ["/", "/shop", "/shop/", "/shop/*", "/*.html", "/*.html$", "/a*c", "/kite$", "*", "/%7Ekite", "/caf%C3%A9",
          "/café", "/list?page=", "/*?", "/deep/*/end$", "/deep/", "/a%2Fb", "/x//y", "/private", "/privateer"]
PATHS = ["/", "/shop", "/shop/", "/shop/kite", "/shop/kite.html", "/shop/kite.html?x=1", "/abc", "/ac", "/ab", "/kite",
         "/kite/", "/~kite", "/%7Ekite", "/caf%C3%A9", "/list?page=2", "/list", "/deep/one/end", "/deep/end",
         "/deep/one/two/end", "/deep/one/end/", "/a%2Fb", "/a/b", "/x//y", "/x/y", "/private", "/privateer/1", "/?q"]
AGENTS = ["newtfern", "otherbot"]


def group(agent):
    lines = [f"User-agent: {agent}"]
    for _ in range(random.randint(0, 4)):
        lines.append(f"{random.choice(['Allow', 'Disallow', 'disallow', 'ALLOW'])}: {random.choice(PIECES)}")
    return lines


cases = []
for i in range(150):
    lines = []
    for agent in random.sample(["*", "newtfern", "otherbot", "NewtFern"], random.randint(1, 3)):
        lines += group(agent) + ([""] if random.random() < 0.5 else [])
    if random.random() < 0.3:
        lines.insert(0, "# a comment")
    text = "\n".join(lines)
    parsed = Protego.parse(text)
    told = {agent: "".join("01"[parsed.can_fetch("https://kites.example" + path, agent)] for path in PATHS) for agent in AGENTS}
    cases.append({"text": text, "protego": told})
print(json.dumps({"paths": PATHS, "cases": cases}, separators=(",", ":")))
