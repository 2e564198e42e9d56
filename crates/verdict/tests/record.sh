#!/usr/bin/env bash
# Makes the recorded observations anew: real runs of the program against the stand-ins. Run from the
# project's folder after a build; a record a stand-in with a fault, and a few without.
set -euo pipefail
program="${CARGO_TARGET_DIR:-target}/debug/newtfern"
out=crates/verdict/tests/recorded
port=7411
"$program" admin stand-ins --port "$port" --profiles "$out" > "$out/sites.tsv" &
standins=$!
trap 'kill $standins' EXIT
until curl -s -o /dev/null "http://northmere.localhost:$port/"; do :; done

record() {
  local name=$1 site=$2 line key banner consent=()
  line="$(grep -F "http://$site" "$out/sites.tsv" | head -1)"
  key="$(cut -f2 <<<"$line")"
  banner="$(cut -f3 <<<"$line")"
  [ "$banner" = banner ] && consent=(--consent "$out/hedgegate.toml")
  "$program" check "$(cut -f1 <<<"$line")" --supplier "$out/brindle.toml" --supplier "$out/quoin.toml" --key "$key" \
    "${consent[@]}" --allow-private --record "$out/$name.json" > /dev/null || [ $? -eq 1 ]
  printf '%s\n' "$name"
}

record healthy northmere.
record waits wendlemill.
tail -n +1 "$out/sites.tsv" | awk -F'\t' '$4 != "in order" { print $1 "\t" tolower($4) }' | while IFS=$'\t' read -r site name; do
  site="${site#http://}"
  record "$name" "${site%%:*}"
done

# Whole sites with their expectations: the command line's own tests make these visits, and keep them where they are
# asked to.
NEWTFERN_RECORDS="$PWD/$out/visitors" cargo test --locked -p newtfern --test all -- --test-threads=1 visitors:: other_makes:: designs:: site::
