# Gate Map: building, trying and testing it.
SHELL := /bin/bash
NPM := npm --no-fund --no-audit --loglevel=error
CHECKS ?= 1000

.PHONY: all web build package demo demo-ldap demo-linked test needs bench soak attack types shots clean

all: build

web/node_modules/.package-lock.json: web/package-lock.json
	cd web && $(NPM) ci

# The console, ready to be embedded.
web: types
	cd web && $(NPM) run --silent build -- --logLevel warn

build: web
	go build -o bin/gatemap ./cmd/gatemap

# The package for Debian, with a static program, manual pages, completions and licences, in
# package/.
VERSION ?= 0.1.0
package: build
	go run ./tools/package --version $(VERSION)
	@ls package/*.deb

demo: build
	./bin/gatemap demo

# The demo with its people in a directory server (slapd) that streams changes.
demo-ldap: build needs
	@go build -o bin/demoldap ./tools/demoldap && exec ./bin/demoldap $(ARGS)

# The demo with a database server (PostgreSQL) that a system of the map is linked to, in which some
# things are not as the map says.
demo-linked: build needs
	@go build -o bin/demolinked ./tools/demolinked && exec ./bin/demolinked $(ARGS)

# The console's types of the API, drawn from the service's own description.
types: web/node_modules/.package-lock.json
	@go run ./cmd/gatemap openapi > web/openapi.json
	@cd web && npx --no openapi-typescript openapi.json -o src/api/schema.d.ts >/dev/null
	@rm web/openapi.json

needs:
	@bash tools/needs.sh

test: needs build
	@bash tools/test.sh $(CHECKS)

# Go benchmarks on the demo, and the table of docs/performance.md on a large map:
# SIZE=S|M|L, with PostgreSQL beside it where that is installed.
SIZE ?= M
bench: build
	go test ./... -run '^$$' -bench . -benchmem
	go run ./tools/measure --size $(SIZE)

# An hour's worth of questions, trials, commits and intake runs in five minutes, on the
# large map; and a shorter one on a small map with the race detector.
soak: build
	go run ./tools/soak --size $(SIZE)
	go run -race ./tools/soak --size S --for 2m --untimed

# The worst that can be done to the built program, bounded in time: floods, slow bodies,
# sign-ins at once, and input that is long to work on.
attack: build
	go run ./tools/attack

# The pictures of docs/screenshots, from the demo.
shots: needs build
	GATEMAP_SCREENSHOTS=$(CURDIR)/docs/screenshots go test ./e2e -count=1 -run TestScreenshots

clean:
	rm -rf bin package web/node_modules web/packages.txt web/dist/*
