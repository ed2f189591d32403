#!/usr/bin/env bash
# What is generated from the contract must be what the contract says now.
set -euo pipefail
dir=$(mktemp -d)
trap 'rm -rf "$dir"' EXIT
for part in server client; do
  mkdir -p "$dir/$part"
  sed "s|^output: .*|output: $dir/$part.gen.go|" "api/$part.cfg.yaml" >"$dir/$part.yaml"
  (cd api && go tool oapi-codegen -config "$dir/$part.yaml" openapi.yaml)
  cmp -s "$dir/$part.gen.go" "api/$part/$part.gen.go" || { echo "api/$part/$part.gen.go is not what api/openapi.yaml says: run 'make generate'" >&2; exit 1; }
done
(cd web && npx --no-install openapi-typescript ../api/openapi.yaml --enum-values -o "$dir/schema.ts" >/dev/null)
cmp -s "$dir/schema.ts" web/src/data/schema.ts || { echo "web/src/data/schema.ts is not what api/openapi.yaml says: run 'make generate'" >&2; exit 1; }
