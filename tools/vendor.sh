#!/usr/bin/env bash
# Fetches the scripts, styles and fonts that ship with the application, at the versions in vendor.txt,
# and lists them with their licences in lazzik/web/static/vendor/VENDORED.md. Needs npm and a network.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
out="$here/../lazzik/web/static/vendor"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

rm -rf "$out"
mkdir -p "$out"
list="$out/VENDORED.md"
{
  echo "# Libraries and fonts that ship with Lazzik"
  echo
  echo "Made by \`tools/vendor.sh\`; the versions are set in \`tools/vendor.txt\`."
  echo
  echo "| package | version | licence | files |"
  echo "| --- | --- | --- | --- |"
} > "$list"

grep -v '^#' "$here/vendor.txt" | while read -r name version files; do
  version=${version%:}
  folder="$out/$(basename "$name")"
  archive=$(cd "$work" && npm pack --silent "$name@$version" 2>/dev/null)
  rm -rf "$work/package"
  tar -xzf "$work/$archive" -C "$work"
  mkdir -p "$folder"
  for file in $files; do
    # add-ons keep their places, since they import each other from there
    case "$file" in examples/jsm/*) place="$folder/addons/${file#examples/jsm/}" ;; *) place="$folder/$(basename "$file")" ;; esac
    mkdir -p "$(dirname "$place")"
    # source maps are not shipped, so their references would only make the browser ask in vain
    sed '/^\/\/# sourceMappingURL=/d; s/\/\*# sourceMappingURL=[^*]*\*\///' "$work/package/$file" > "$place" 2>/dev/null \
      || cp "$work/package/$file" "$place"
    case "$file" in *.woff2) cp "$work/package/$file" "$place" ;; esac
  done
  licence=$(node -p "JSON.parse(require('fs').readFileSync('$work/package/package.json')).license")
  echo "| $name | $version | $licence | $(for f in $files; do basename "$f"; done | paste -sd ' ') |" >> "$list"
done
