#!/usr/bin/env bash
# Installs the Debian packages of programs that are missing. Arguments: PROGRAM=PACKAGE...
set -euo pipefail
PATH=$PATH:/usr/sbin:/sbin
missing=()
for pair in "$@"; do
  command -v "${pair%%=*}" >/dev/null || missing+=("${pair#*=}")
done
[ ${#missing[@]} -eq 0 ] && exit 0
as_root=()
if [ "$(id -u)" -ne 0 ]; then
  if command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
    as_root=(sudo -n)
  else
    echo "These Debian packages are missing and you may not install them: ${missing[*]}. Ask somebody who may, then run this again." >&2
    exit 1
  fi
fi
command -v apt-get >/dev/null || { echo "These programs' packages are missing and this is no Debian: ${missing[*]}" >&2; exit 1; }
echo "Installing from Debian: ${missing[*]}"
log=$(mktemp)
trap 'rm -f "$log"' EXIT
apt=("${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=580 -q)
if ! { "${apt[@]}" update && "${apt[@]}" install -y --no-install-recommends "${missing[@]}"; } >"$log" 2>&1; then
  tail -n 3 "$log" >&2
  echo "Installing ${missing[*]} failed: see the lines above (no network, or the disk is full?), then run this again." >&2
  exit 1
fi
