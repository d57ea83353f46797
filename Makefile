# make test    everything that must pass, sets up what it lacks
# make lint    what tools find by reading the code
# make e2e     the browser's tests; only=NAME runs those whose names hold it, files=NAMES those of
#              the named files
# make race    store and web under the race detector
# make sweep   what make test samples, whole: every part in every dialect
# make targets whether the program is right for every system, and releases are reproducible
# make bench   speeds as ratios of one run
# make soak    ten minutes of many people at one server: nothing may grow
# make fuzz    a minute for each fuzz target
# make mutants changes the core in 200 places, one at a time, and prints what no test has missed;
#              at=FILE only there, n=COUNT, seed=N
# make shots   refreshes docs/screenshots from the running demo
# make build   rebuilds web/assets/dist
# make release archives for six systems in dist/, with checksums; version=V names them
SHELL := /bin/bash
# As a release is built: what is compiled for the tests needs not be compiled again for it.
export CGO_ENABLED := 0
export GOFLAGS := -trimpath $(GOFLAGS)
install = as=$$([ $$(id -u) = 0 ] || echo sudo); $$as apt-get update -qq && $$as apt-get install -y -qq $(1)
.PHONY: test lint go-test race sweep targets e2e bench soak fuzz mutants shots build release setup

test: setup
	$(MAKE) -s lint
	$(MAKE) -s go-test
	node web/assets/build.mjs --check
	node --test --test-reporter=spec test/unit/*.test.mjs
	$(MAKE) -s e2e

lint: setup
	@test -z "$$(gofmt -l app cmd core demo store web test)" || { echo "not gofmt-ed:"; gofmt -l app cmd core demo store web test; exit 1; }
	go vet ./...
	go tool staticcheck ./...
	@$(MAKE) -s tmp/reached
	npx eslint --cache --cache-location tmp/eslint .
	npx prettier --check --log-level warn --cache --cache-location tmp/prettier .

# What nothing reaches takes longer to find than all other tools together, and is found again only
# when a Go file has come, changed or gone (its folder is newer then).
gofiles := $(shell find app cmd core demo store web test -name '*.go')
tmp/reached: go.mod $(gofiles) $(sort $(dir $(gofiles)))
	@mkdir -p tmp; dead=$$(go tool deadcode -test ./...) || exit 1; \
	[ -z "$$dead" ] || { echo "$$dead"; exit 1; }
	@touch $@

setup: node_modules/.ready
	@command -v "$${CHROMIUM:-chromium-headless-shell}" >/dev/null || \
		{ $(call install,chromium-headless-shell); }

node_modules/.ready: package-lock.json
	npm ci --no-audit --no-fund
	@touch $@

go-test:
	go test ./... 2>&1

race:
	@command -v gcc >/dev/null || { $(call install,gcc libc6-dev); }
	CGO_ENABLED=1 go test -race -short ./app/... ./store ./web/...

sweep:
	DOGEAR_SWEEP=1 go test -count=1 -timeout 30m ./demo ./core/landmark

targets: setup
	DOGEAR_SWEEP=1 go test -count=1 ./cmd/pack

e2e:
	mkdir -p tmp && go build -o tmp/dogear-e2e ./cmd/dogear
	@DOGEAR=$(CURDIR)/tmp/dogear-e2e ONLY="$(only)" node test/e2e/run.mjs $(files)

bench:
	go test -run '^$$' -bench . -benchtime 1x -cpu 1 ./core/... ./web/...

soak:
	DOGEAR_SOAK=10m go test ./web -run TestSoak -timeout 30m -v -count=1

fuzz:
	@for p in $$(go list ./core/...); do for f in $$(go test -list '^Fuzz' $$p | grep '^Fuzz'); do echo "$$p $$f"; go test -run '^$$' -fuzz "^$$f$$" -fuzztime 1m -fuzzminimizetime 1s $$p || exit 1; done; done

mutants:
	go run ./cmd/mutants -n $(or $(n),200) $(if $(seed),-seed $(seed)) $(if $(at),-at $(at))

shots: setup
	mkdir -p tmp && go build -o tmp/dogear-e2e ./cmd/dogear
	DOGEAR=$(CURDIR)/tmp/dogear-e2e node test/e2e/shots.mjs

build: setup
	npm run -s build

release: setup
	go run ./cmd/pack -o dist $(if $(version),-version $(version))
