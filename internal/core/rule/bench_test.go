package rule

import (
	"fmt"
	"math/rand/v2"
	"runtime"
	"strings"
	"testing"

	"upperpath.example/upperpath/internal/core/web"
)

// bigTable is a million exact rules and ten thousand patterns of old sites of the same hundred
// hosts; its URLs are 60 octets long in the mean.
type bigTable struct {
	index    *Index
	plain    map[string]int // the plain keys of the exact rules, as a counterpart
	raw      []string       // URLs that exact rules take
	keys     []string       // the same as keys of the map
	encoded  []string       // the same, two octets of each percent-encoded
	patterns []string       // URLs that patterns take
	mean     float64        // octets of a URL
}

var bigOnce *bigTable

func big(b *testing.B) *bigTable {
	b.Helper()
	if bigOnce != nil {
		return bigOnce
	}
	const exact, patterns = 1_000_000, 10_000
	t := &bigTable{plain: make(map[string]int, exact)}
	rules := make([]*Rule, 0, exact+patterns)
	length := 0
	for i := range exact {
		host := web.MustParseHost(fmt.Sprintf("old%d.example", i%100))
		path := fmt.Sprintf("/archive/%04d/exhibits/obj-%07d.html", i%5000, i)
		rules = append(
			rules,
			&Rule{
				Line: i + 2,
				Old:  Pattern{Host: host, Parts: []Part{{Literal: path}}},
				New:  Target{Parts: []Part{{Literal: fmt.Sprintf("/collections/%d/item-%d/", i%5000, i)}}},
			},
		)
		raw := "https://" + host.String() + path
		length += len(raw)
		t.raw = append(t.raw, raw)
		t.plain[strings.Clone(raw)] = i
		t.encoded = append(
			t.encoded,
			strings.NewReplacer("/archive/", "/%61rchive/", "/exhibits/", "/exhibit%73/").Replace(raw),
		)
	}
	t.mean = float64(length) / exact
	for i := range patterns {
		row := Row{
			Line: exact + i + 2,
			Old:  fmt.Sprintf("old%d.example/section-%d/{year:digits}/{name}/{+rest}", i%100, i),
			New:  "/s/{name}/{+rest}",
		}
		parsed, faults := Parse([]Row{row}, scope)
		if len(faults) > 0 {
			b.Fatal(faults)
		}
		rules = append(rules, parsed...)
		for j := range 10 {
			t.patterns = append(
				t.patterns,
				fmt.Sprintf("https://old%d.example/section-%d/1998/lace-and-light-%d/index.html", i%100, i, j),
			)
		}
	}
	t.index = NewIndex(rules, scope)
	shuffle := rand.New(rand.NewPCG(3, 4))
	shuffle.Shuffle(len(t.raw), func(i, j int) {
		t.raw[i], t.raw[j] = t.raw[j], t.raw[i]
		t.encoded[i], t.encoded[j] = t.encoded[j], t.encoded[i]
	})
	shuffle.Shuffle(len(t.patterns), func(i, j int) {
		t.patterns[i], t.patterns[j] = t.patterns[j], t.patterns[i]
	})
	for i, raw := range t.raw {
		t.raw[i] = strings.Clone(raw)
		t.keys = append(t.keys, strings.Clone(raw))
	}
	bigOnce = t
	return t
}

// BenchmarkLookup looks URLs up as they came, normalising included, in random order, beside looking
// their plain keys up in a Go map of the same size: exact hits should take at most twice its time,
// pattern hits and percent-encoded URLs at most four times.
func BenchmarkLookup(b *testing.B) {
	t := big(b)
	run := func(name string, urls []string, look func(string) bool) {
		b.Run(name, func(b *testing.B) {
			b.ReportAllocs()
			i := 0
			for b.Loop() {
				if !look(urls[i]) {
					b.Fatal("not found: " + urls[i])
				}
				if i++; i == len(urls) {
					i = 0
				}
			}
		})
	}
	find := func(u string) bool { _, ok := t.index.Find(u); return ok }
	run("map", t.keys, func(key string) bool { _, ok := t.plain[key]; return ok })
	run("exact", t.raw, find)
	run("encoded", t.encoded, find)
	run("pattern", t.patterns, find)
}

// BenchmarkIndexHeap says how many octets of heap the compiled table takes a rule.
func BenchmarkIndexHeap(b *testing.B) {
	t := big(b)
	var with, without runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&with)
	runtime.KeepAlive(t.index)
	t.index, bigOnce = nil, nil
	runtime.GC()
	runtime.GC()
	runtime.ReadMemStats(&without)
	for b.Loop() {
	}
	b.ReportMetric(float64(with.HeapAlloc-without.HeapAlloc)/1_010_000, "B/rule")
	b.ReportMetric(t.mean, "B/URL")
	b.ReportMetric(0, "ns/op")
}
