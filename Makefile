# make demo and make test do everything on a machine that has Go, Node and npm.

SOURCES := $(shell find api cmd client core demo internal -name '*.go' -o -name '*.sql' -o -name '*.yaml') go.mod go.sum
CONSOLE := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts docs/reference/openapi.json
BINARIES := bin/rankwarden bin/rankwardend bin/rankwarden-agent bin/rankwarden-pam

# One way to compile, so that commands, tests and checks share what is compiled, and no path of this machine gets in.
export GOFLAGS += -trimpath
export CGO_ENABLED := 0

.PHONY: help demo demo-reset packages build test test-console test-go lint race attack mutate bench cuts storm ha fuzz screenshots clean

# Lists the targets.
help:
	@awk '/^# /{said = said substr($$0, 3) " "; next} /^[a-z-]+:([^=]|$$)/ && said != "" {sub(/:.*/, ""); sub(/\. .*/, ".", said); printf "%-13s %s\n", $$0, said} !/\?=/{said = ""}' Makefile

# Starts everything on loopback: PostgreSQL, the service, a simulated fleet. REAL=1 adds three workstations with a real Linux to the simulated ones; it needs root.
demo: build
	@scripts/install postgresql $(if $(REAL),workstation)
	bin/rankwardend demo $(if $(REAL),--real 3) $(ANEW)

# The same, begun anew.
demo-reset: ANEW = --anew
demo-reset: demo

# Builds the three programs into bin/, with the console in the service.
build: $(BINARIES)

$(BINARIES): $(SOURCES) console/dist/index.html console/embed.go
	go build -o bin/ ./cmd/...

console/node_modules/.package-lock.json: console/package.json console/package-lock.json
	cd console && npm ci --no-fund --no-audit --loglevel=error
	@touch $@

console/dist/index.html: $(CONSOLE) console/node_modules/.package-lock.json
	cd console && npm run --silent build

# Runs every test against the real thing.
test: build
	@scripts/install postgresql directory domain workstation packages windows chromium pooler monitoring
	@$(MAKE) --no-print-directory --output-sync -j2 test-console test-go

test-console:
	cd console && npm run --silent test

test-go:
	GOGC=400 BINARIES=$(CURDIR)/bin go test -vet=off -timeout 38m -parallel 6 ./... # make lint vets

# Formatting, vet, staticcheck, biome and tsc, and whether the modules are tidy.
lint: build
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { gofmt -d $$(git ls-files '*.go'); exit 1; }
	go vet ./...
	go test -run TestTheHouse ./internal # lines, functions and files that are too long
	for arch in amd64 arm64; do GOOS=windows GOARCH=$$arch go vet ./cmd/rankwarden-agent ./internal/agent/... || exit 1; done
	go tool -modfile=tools/go.mod staticcheck ./...
	checker=$$(go tool -modfile=tools/go.mod -n staticcheck) && GOOS=windows $$checker ./cmd/rankwarden-agent ./internal/agent/host/... ./internal/kit/atomicfile
	cd console && npm run --silent check
	go mod tidy -diff
	go mod verify
	@scripts/vulnerabilities

# The tests of the rules under the race detector, which needs a C compiler; and a small storm, unless STORM is empty.
STORM ?= 20s
race: build
	@scripts/install compiler postgresql
	CGO_ENABLED=1 go test -race -vet=off -timeout 20m ./core/... ./internal/...
	$(if $(STORM),CGO_ENABLED=1 STORM_FOR=$(STORM) go test -race -vet=off -count 1 -timeout 20m -run 'EverythingAtOnce|DatabaseGoesAway|FullDisk' ./e2e)

# Attacks a started service as everybody who might, and races agreement against edits a thousand times.
attack: build
	@scripts/install postgresql
	go test -vet=off -count 1 -timeout 20m -run 'Attack|Nobody|NoOther|Alone|TakingBack|Strangers|Rights|Reach|Nonsense|ContentEncoding|Budget|OneWay|FillsTheTrail|WorkedOut' ./e2e
	RACES=1000 go test -vet=off -count 1 -timeout 20m -run 'Races|Judge|Milder|QuickEdit|Widening|SmallSteps|OneWave|ReachesAll' ./internal/room/changes ./core/gate

# Breaks rules one by one, and fails when the tests beside them notice fewer than nine of ten.
mutate:
	@scripts/install postgresql
	go run ./e2e/mutate

# Measures, and prints ratios; docs/speed.md says what they mean.
bench: build
	@scripts/install postgresql
	@mkdir -p .cache
	go run ./demo/largefleet/write > .cache/large-fleet.json
	bin/rankwarden resolve .cache/large-fleet.json --output counts || true
	for n in 100000 1000000; do \
		go run ./demo/largefleet/write -hard $$n > .cache/hard-fleet.json; \
		bin/rankwarden resolve .cache/hard-fleet.json --output counts || true; done
	go test -run '^$$' -bench . -benchmem ./core/... ./internal/...
	go test -run '^$$' -bench 'Deposits|Reports|CheckIns|GoToVerified|Warrants|Fleet$$|Console$$|Scrolling|FirstPaint' -benchtime 3x ./e2e > .cache/bench.txt
	@cat .cache/bench.txt
	cd tools && go run ./plots < ../.cache/bench.txt
	BINARIES=$(CURDIR)/bin go test -count 1 -run 'HeldRequestsAreCheap|AgentAtRest' -v ./e2e | grep -E 'KiB|MiB|turn'

# Packages of the agent and of the service, with checksums, in dist/.
packages: build
	@scripts/install windows packages
	scripts/packages

# Cuts devices, service and link at every step of changing passwords, SEEDS times over; with HOST=linux the power of real
# workstations.
SEEDS ?= 200
HOST ?= simulated
cuts: build
	@scripts/install postgresql workstation
	@go run ./e2e/cuts/run -seeds $(SEEDS) -host $(HOST)

# Kills processes of the service, stops PostgreSQL, cuts connections, fills disks, takes power away and restores
# backups for STORM_FOR, in any order and several at a time; then the same one by one, TIMES over.
STORM_FOR ?= 10m
TIMES ?= 3
AGENTS ?= 500
storm: build
	@scripts/install postgresql
	STORM_FOR=$(STORM_FOR) go test -count 1 -timeout 120m -run 'EverythingAtOnce' -v ./e2e
	AGENTS=$(AGENTS) go test -count 1 -timeout 120m -run 'AFailover|AFrozenReplica|OneLockedRow|CutsDevicesOff|ManyJoin|ReadyMeans' -v ./e2e
	go test -count $(TIMES) -timeout 120m -run 'DatabaseGoesAway|TakenUpAgain|Poisoned|RestoredDatabase|FullDisk|LostLock|AtOnce' ./e2e

# Runs three PostgreSQL with Patroni and etcd, two services and two proxies on loopback, as docs/guide/high-availability.md
# has them on machines of their own; HA=check loses the leader and looks whether the service is there.
HA ?= up
ha: build
	@scripts/install postgresql ha
	scripts/ha $(HA)

# Sends ROUNDS times as much nonsense to every operation as the tests do, and fuzzes what reads documents.
ROUNDS ?= 400
FUZZ_TIME ?= 60s
fuzz: build
	@scripts/install postgresql
	NONSENSE_ROUNDS=$(ROUNDS) go test -count 1 -timeout 60m -run 'Nonsense' ./e2e
	@for f in $$(grep -rhoE '^func Fuzz[A-Za-z]+' --include='*_test.go' core internal | sed 's/^func //'); do \
		go test -run '^$$' -fuzz "^$$f\$$" -fuzztime $(FUZZ_TIME) $$(dirname $$(grep -rlE "^func $$f\(" --include='*_test.go' core internal) | sed 's,^,./,') || exit 1; done

# Takes every picture of docs/screenshots again, from the demo that runs at 127.0.0.1:8470.
screenshots: build
	@scripts/install chromium pictures
	go run ./e2e/shots

# Removes what was built.
clean:
	rm -rf bin dist console/dist/* console/src/gen .cache
	touch console/dist/.gitkeep
