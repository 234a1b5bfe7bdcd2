#!/usr/bin/env bash
# Installs what the browser tests need where it is missing: npm packages, and Debian's Chromium.
set -euo pipefail
cd "$(dirname "$0")/.."

if ! command -v node >/dev/null || ! command -v npm >/dev/null; then
  echo "The browser tests need Node.js 20 or newer with npm. Install it, then run this again." >&2
  exit 1
fi
if [ ! -x node_modules/.bin/playwright ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
  PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD=1 npm ci --no-audit --no-fund
fi
if [ ! -x /usr/bin/chromium ]; then
  as_root=""
  [ "$(id -u)" -eq 0 ] || as_root="sudo -n"
  if command -v apt-get >/dev/null && { [ -z "$as_root" ] || $as_root true 2>/dev/null; }; then
    $as_root apt-get update -q
    DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -q --no-install-recommends chromium
  else
    echo "The browser tests need Chromium at /usr/bin/chromium. On Debian: apt-get install chromium. Then run this again." >&2
    exit 1
  fi
fi
