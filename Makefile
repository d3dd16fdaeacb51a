# What a person needs: make test, make lint, make dist, make docs, make bench, make fuzz.
VERSION ?= $(shell git describe --tags --always --dirty 2>/dev/null || echo dev)
LDFLAGS := -s -w -X upperpath.example/upperpath/internal/cli.Version=$(VERSION)
# The race detector needs a C compiler; without one the tests run without it.
RACE := $(shell command -v gcc >/dev/null 2>&1 && echo -race)
STATICCHECK := honnef.co/go/tools/cmd/staticcheck@v0.8.2
TARGETS := linux/amd64 linux/arm64 darwin/amd64 darwin/arm64 windows/amd64 windows/arm64

.PHONY: build test peers lint docs bench fuzz dist screenshots

build:
	CGO_ENABLED=0 go build -trimpath -ldflags '$(LDFLAGS)' -o upperpath .

# Everything: installs the peers that are missing (as root on Debian; PEERS=skip leaves that), then runs all tests.
test: peers
	go test -count=1 $(RACE) ./...

peers:
	@test/install-peers.sh

lint:
	@unformatted=$$(gofmt -l .); if [ -n "$$unformatted" ]; then echo "not formatted: $$unformatted"; exit 1; fi
	go vet ./...
	go run $(STATICCHECK) ./...

# Makes the pages that repeat the program's own tables anew; a test fails where they are stale.
docs:
	UPDATE=1 go test ./internal/report -run 'Docs' -count=1

bench:
	go test -run '^$$' -bench . ./...
	test/bench.sh
	test/rates.sh

# Every reader and writer, a minute each: FUZZTIME=10s ONLY=Zone make fuzz is quicker.
fuzz:
	test/fuzz.sh

dist:
	@mkdir -p dist
	@for target in $(TARGETS); do \
		os=$${target%/*}; arch=$${target#*/}; ending=; [ $$os = windows ] && ending=.exe; \
		echo "dist/upperpath-$$os-$$arch$$ending"; \
		CGO_ENABLED=0 GOOS=$$os GOARCH=$$arch go build -trimpath -ldflags '$(LDFLAGS)' -o dist/upperpath-$$os-$$arch$$ending . || exit 1; \
	done

screenshots:
	docs/screenshots/make.sh
