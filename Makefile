# What a person needs: make test, make lint, make dist, make docs, make sentences, make man, make bench, make fuzz, make mutate.
VERSION ?= $(shell git describe --tags --always --dirty 2>/dev/null || echo dev)
LDFLAGS := -s -w -X upperpath.example/upperpath/internal/cli.Version=$(VERSION)
# The race detector needs a C compiler; without one the tests run without it.
RACE := $(shell command -v gcc >/dev/null 2>&1 && echo -race)
GOLANGCI := github.com/golangci/golangci-lint/v2/cmd/golangci-lint@v2.5.0
TARGETS := linux/amd64 linux/arm64 darwin/amd64 darwin/arm64 windows/amd64 windows/arm64

.PHONY: build test raced plain peers lint docs sentences man bench fuzz soak mutate dist screenshots

build:
	CGO_ENABLED=0 go build -trimpath -ldflags '$(LDFLAGS)' -o upperpath .

# COVER=-coverprofile=coverage.out has the coverage written down.
COVER ?=
# Everything: installs the peers that are missing (as root on Debian; PEERS=skip leaves that), then runs all tests. The
# race detector runs where there is concurrency; elsewhere it finds nothing and takes several times as long. Both run at
# once, since most of the tests wait for sockets; those that take longest begin first.
# internal/cli stays out: with it the detector would have all of SQLite compiled anew. Memory is cheaper there than time:
# GOGC has the collector run less often, in the compiler too; test/hostile, which measures, sets it back.
RACED := grep -lrE 'go func|crew\.Crew|\.Go\(|crew\.Each\(' internal --include=*.go | grep -v _test.go | xargs -n1 dirname | grep -v internal/cli | sort -u | sed 's|^|./|'
raced plain: export GOGC := 300
test: peers
	@$(MAKE) --no-print-directory -j2 $(if $(filter output-sync,$(.FEATURES)),--output-sync=target) raced plain

raced:
	go test -count=1 $(RACE) $(COVER) $$($(RACED))

plain:
	go test -count=1 -timeout 20m $$(go list ./test/...) $$(go list ./... | grep -vxF "$$(go list ./test/... $$($(RACED)))")

peers:
	@test/install-peers.sh

lint:
	go mod tidy -diff
	go run $(GOLANGCI) run --allow-parallel-runners ./...

# A manual page a command, from the program's own help, into man/.
man:
	go run ./docs/man man

# Writes the pages that repeat the program's own tables; a test fails if they are stale.
docs:
	UPDATE=1 go test ./internal/report -run 'Docs' -count=1

# Writes the list of every sentence, for people to read through; a test fails if it is stale.
sentences:
	go test ./internal/words -run TestSentences -count=1 -update

bench:
	go test -run '^$$' -bench . ./...
	test/bench.sh
	test/rates.sh
	test/oldurls.sh

# Every reader and writer, a minute each: FUZZTIME=10s ONLY=Zone make fuzz is quicker.
fuzz:
	test/fuzz.sh

# Every test that draws at random, for an hour: MINUTES=5 SEED=7 make soak. The seeds are printed.
MINUTES ?= 60
SEED ?= 1
soak:
	MINUTES=$(MINUTES) SEED=$(SEED) test/soak.sh

# Small changes of the code, drawn at random, that no test notices: N=50 SEED=3 PKG=./internal/core/chain make mutate.
N ?= 40
PKG ?= $(filter-out ./internal/core,$(shell find ./internal/core -mindepth 1 -maxdepth 1 -type d -not -name testdata))
mutate:
	go run ./test/mutate -n $(N) -seed $(SEED) $(PKG)

dist:
	@mkdir -p dist
	@for target in $(TARGETS); do \
		os=$${target%/*}; arch=$${target#*/}; ending=; [ $$os = windows ] && ending=.exe; \
		echo "dist/upperpath-$$os-$$arch$$ending"; \
		CGO_ENABLED=0 GOOS=$$os GOARCH=$$arch go build -trimpath -ldflags '$(LDFLAGS)' -o dist/upperpath-$$os-$$arch$$ending . || exit 1; \
	done
	@cd dist && sha256sum upperpath-* > checksums.txt && echo dist/checksums.txt

screenshots:
	docs/screenshots/make.sh
