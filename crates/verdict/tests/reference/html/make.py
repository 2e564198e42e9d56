"""Makes pages/ and expected.json: pages of Debian's package postgresql-doc-15 (PostgreSQL licence) with a
made-up snippet put in whole and damaged, and what html5lib 1.1, a reference parser of the HTML standard,
sees in each. python3 make.py FOLDER_OF_PAGES > expected.json
"""
import json, os, sys
import html5lib

folder = sys.argv[1]
here = os.path.dirname(os.path.abspath(__file__))
good = '<script async src="https://cdn.example.test/l.js" data-key="abcd-1234"></script>'
forms = {
    "whole": good, "comment": "<!-- " + good + " -->", "escaped": good.replace("<", "&lt;"), "textarea": "<textarea>" + good + "</textarea>",
    "noscript": "<noscript>" + good + "</noscript>", "template": "<template>" + good + "</template>", "wrapped": "<script>" + good + "</script>",
    "quotes": good.replace('"', "\u201d"), "open": good.replace("</script>", ""), "table": "<table><tr>" + good + "</table>", "title": "<title>" + good + "</title>",
    "select": "<select>" + good + "</select>", "svg": "<svg><g></g></svg>" + good, "style": "<style>" + good + "</style>",
}
names = sorted(n for n in os.listdir(folder) if n.endswith(".html") and 3000 < os.path.getsize(os.path.join(folder, n)) < 9000)
names = names[:: max(1, len(names) // len(forms))][: len(forms)]
os.makedirs(os.path.join(here, "pages"), exist_ok=True)
out = []
for name, (form, code) in zip(names, forms.items()):
    text = open(os.path.join(folder, name), encoding="utf-8").read()
    text = text.replace("</body>", code + "\n</body>")
    open(os.path.join(here, "pages", form + ".html"), "w", encoding="utf-8").write(text)
    tree = html5lib.parse(text, treebuilder="etree", namespaceHTMLElements=False)
    counts, comments, scripts, links = {}, 0, [], []
    for el in tree.iter():
        if not isinstance(el.tag, str):
            comments += 1
            continue
        tag = el.tag.split("}")[-1]
        counts[tag] = counts.get(tag, 0) + 1
        if tag == "script":
            scripts.append({"src": el.get("src"), "text": el.text or ""})
        if tag == "a" and el.get("href"):
            links.append(el.get("href"))
    out.append({"page": form, "counts": counts, "comments": comments, "scripts": scripts, "links": len(links)})
print(json.dumps({"html5lib": html5lib.__version__, "pages": out}, indent=1))
