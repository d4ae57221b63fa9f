#!/usr/bin/env bash
# What the tests need beside Python: a Chromium to drive, and the glTF validator with the accessibility rules.
set -eu
here=$(cd "$(dirname "$0")" && pwd)

if ! command -v chromium >/dev/null; then
  if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium >/dev/null
  else
    echo "The browser tests drive Chromium. Install it so that 'chromium' is on the PATH (on Debian: sudo apt install chromium)."
    exit 1
  fi
fi

if ! command -v npm >/dev/null; then
  if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq nodejs npm >/dev/null
  else
    echo "The tests run the Khronos glTF validator with Node. Install Node.js with npm (on Debian: sudo apt install nodejs npm)."
    exit 1
  fi
fi
test -d "$here/validator/node_modules/gltf-validator" || (cd "$here/validator" && npm ci --silent --no-audit --no-fund)
