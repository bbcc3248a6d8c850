#!/usr/bin/env bash
# Runs every test. The argument is how many random cases a property is tried on.
set -euo pipefail
checks=${1:-100}
cd "$(dirname "$0")/.."
unformatted=$(gofmt -l $(git ls-files '*.go'))
[ -z "$unformatted" ] || { echo "gofmt would change: $unformatted" >&2; exit 1; }
go vet ./...
(
  cd web
  npm run --silent check
  npm run --silent lint
  npm run --silent test
)
properties=$(go list -f '{{$p := .ImportPath}}{{range .XTestImports}}{{if eq . "pgregory.net/rapid"}}{{$p}}{{end}}{{end}}' ./...)
rest=$(go list ./... | grep -vxF "$properties")
# shellcheck disable=SC2086
go test -count=1 -timeout 30m $properties -rapid.checks="$checks"
# shellcheck disable=SC2086
go test -count=1 -timeout 30m $rest
# What many use at once, with the race detector; laws of what is computed are left out.
go test -race -short -count=1 -timeout 30m ./mapfile ./server ./connect/... ./service/...
go test -race -short -count=1 -timeout 30m ./workspace ./store -rapid.checks=10
