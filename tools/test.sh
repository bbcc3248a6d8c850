#!/usr/bin/env bash
# Runs every test. The argument is how many random cases a property is tried on.
set -euo pipefail
checks=${1:-100}
cd "$(dirname "$0")/.."
unformatted=$(gofmt -l $(git ls-files '*.go'))
[ -z "$unformatted" ] || { echo "gofmt would change: $unformatted" >&2; exit 1; }
go vet ./...
go run ./cmd/gatemap openapi > web/openapi.json
(
  cd web
  npx --no openapi-typescript openapi.json -o schema.fresh.d.ts >/dev/null 2>&1
  cmp -s schema.fresh.d.ts src/api/schema.d.ts || { echo "the console's types of the API are old: make types" >&2; exit 1; }
  rm -f openapi.json schema.fresh.d.ts
  npm run --silent check
  npm run --silent test
)
properties=$(go list -f '{{$p := .ImportPath}}{{range .XTestImports}}{{if eq . "pgregory.net/rapid"}}{{$p}}{{end}}{{end}}' ./...)
rest=$(go list ./... | grep -vxF "$properties")
# shellcheck disable=SC2086
go test -count=1 $properties -rapid.checks="$checks"
# shellcheck disable=SC2086
go test -count=1 $rest
