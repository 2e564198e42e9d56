#!/usr/bin/env bash
# Makes assets/bulma.min.css from the npm package (without its helpers): only the rules whose classes occur in our templates,
# Rust or script. Run it in this folder after a class of Bulma is used that was not used before; the
# test `every_class_of_bulma_that_is_used_is_shipped` says when. It also renews the list of all classes.
set -euo pipefail
cd "$(dirname "$0")/.."
work="$(mktemp -d)"
trap 'rm -rf "$work"' EXIT
npm install --silent --prefix "$work" bulma@1.0.4 purgecss@8
"$work/node_modules/.bin/purgecss" --css "$work/node_modules/bulma/css/versions/bulma-no-helpers.min.css" \
  --content 'templates/**/*.html' 'src/**/*.rs' 'assets/newtfern.js' --output "$work/out.css"
cp "$work/out.css" assets/bulma.min.css
grep -oE '\.[a-zA-Z][A-Za-z0-9_-]*' "$work/node_modules/bulma/css/versions/bulma-no-helpers.min.css" | cut -c2- | sort -u > tests/bulma-classes.txt
