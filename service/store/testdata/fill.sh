#!/usr/bin/env bash
# Makes filled.sql.gz: the tables as an earlier commit leaves them, with its sample data, some of
# it edited, acknowledged and removed. Run it in the root of a checkout: fill.sh [COMMIT]
set -euo pipefail
commit=${1:-71cab3c}
dir=$(mktemp -d)
git worktree add -q "$dir/old" "$commit"
trap 'git worktree remove --force "$dir/old"' EXIT
(cd "$dir/old" && go build -o bin/wharf ./cmd/wharf && go build -o bin/demo ./demo)
cd "$dir/old"
WHARF_DEMO_PORT=9470 bin/demo &
demo=$!
sleep 90 # until what was sold has been imported, and reflected
export XDG_CONFIG_HOME=$PWD/.demo/config
bin/wharf conflict acknowledge 1 --note "Called both guests"
bin/wharf feed edit "Crane, Yard Board" --every 1h
bin/wharf publication remove "Gigs, for Strand & Tern" --yes
bin/wharf platform add "Nobody's"
bin/wharf feed refresh --all
sleep 20
address="root:$(cat .demo/mariadb/password)@tcp(127.0.0.1:9481)/wharf"
cd - >/dev/null
go run ./internal/localdb/dumpdb "$address" | gzip -9 -n >service/store/testdata/filled.sql.gz
kill -INT "$demo"
wait "$demo"
