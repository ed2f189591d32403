#!/usr/bin/env bash
# Go and Node are asked for; everything else is installed.
set -euo pipefail
command -v go >/dev/null || { echo "Go is missing: install Go 1.26 or newer and put it on the PATH." >&2; exit 1; }
command -v node >/dev/null && command -v npm >/dev/null || { echo "Node is missing: install Node 20 or newer with npm." >&2; exit 1; }
major=$(node -p 'process.versions.node.split(".")[0]')
[ "$major" -ge 20 ] || { echo "Node $major is too old: install Node 20 or newer." >&2; exit 1; }
free=$(df -Pm . | awk 'NR==2 {print $4}')
[ "$free" -ge 1024 ] || { echo "Only $free MB are free on this disk: make room for at least 1024 MB." >&2; exit 1; }
