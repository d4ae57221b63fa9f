#!/usr/bin/env bash
# What the tests need beside Python: a Chromium to drive, and Node with what checks scripts, glTF and accessibility.
set -eu
cd "$(dirname "$0")/.."

if ! command -v chromium-headless-shell >/dev/null; then
  if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium-headless-shell >/dev/null
  else
    echo "The browser tests drive Chromium. Install it so that 'chromium-headless-shell' is on the PATH (on Debian: sudo apt install chromium-headless-shell)."
    exit 1
  fi
fi

if ! command -v npm >/dev/null; then
  if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq nodejs npm >/dev/null
  else
    echo "The scripts are checked with Node, and so are the glTF files that Lazzik writes. Install Node.js with npm (on Debian: sudo apt install nodejs npm)."
    exit 1
  fi
fi
if ! cmp -s package-lock.json node_modules/.ready; then
  npm ci --silent --no-audit --no-fund
  cp package-lock.json node_modules/.ready
fi
