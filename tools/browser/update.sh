#!/usr/bin/env bash
# Copies what the pages use from npm into the source tree, with its licences, as pinned in the lock file.
set -euo pipefail
here=$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)
assets=$here/../../crates/web/assets
suite=$here/../../crates/tally/tests/suite/vendor
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cp "$here/package.json" "$here/package-lock.json" "$work"
(cd "$work" && npm ci --ignore-scripts --no-audit --no-fund)
from=$work/node_modules

cp "$from/bootstrap/dist/css/bootstrap.min.css" "$assets/vendor/"
sed -i 's/\/\*# sourceMappingURL.*//' "$assets/vendor/bootstrap.min.css"
cp "$from/bootstrap/LICENSE" "$assets/vendor/bootstrap.LICENSE"
cp "$from/htmx.org/dist/htmx.min.js" "$assets/vendor/"
cp "$from/htmx.org/LICENSE" "$assets/vendor/htmx.LICENSE"
cp "$from/idiomorph/dist/idiomorph.min.js" "$assets/vendor/"
cp "$from"/idiomorph/LICENSE* "$assets/vendor/idiomorph.LICENSE"
cp "$from/interactjs/dist/interact.min.js" "$assets/vendor/"
sed -i 's/\/\/# sourceMappingURL.*//' "$assets/vendor/interact.min.js"
cp "$from/interactjs/LICENSE" "$assets/vendor/interact.LICENSE"
mkdir -p "$assets/flags"
for flag in "$from"/country-flag-icons/3x2/*.svg; do
  cp "$flag" "$assets/flags/$(basename "$flag" | tr '[:upper:]' '[:lower:]')"
done
cp "$from/country-flag-icons/LICENSE" "$assets/flags/country-flag-icons.LICENSE"
node "$here/fonts.mjs" "$work"
cp "$from/axe-core/axe.min.js" "$suite/"
cp "$from/axe-core/LICENSE" "$suite/axe-core.LICENSE"
