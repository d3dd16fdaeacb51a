package plan

import (
	"fmt"
	"testing"
	"time"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
)

// manyZones makes an estate of n domains and a survey that saw 100 record sets in each.
func manyZones(b *testing.B, n int) Input {
	b.Helper()
	text := func(s string) *estate.Node { return &estate.Node{Kind: estate.Scalar, Text: s} }
	mapping := func(entries ...estate.Entry) *estate.Node {
		return &estate.Node{Kind: estate.Mapping, Entries: entries}
	}
	entry := func(key string, value *estate.Node) estate.Entry {
		return estate.Entry{Key: text(key), Value: value}
	}
	domains := &estate.Node{Kind: estate.List, Items: []*estate.Node{text("n.example")}}
	v := &survey.Survey{Started: time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC)}
	for i := range n {
		name := fmt.Sprintf("d%d.example", i)
		domains.Items = append(domains.Items, text(name))
		d := survey.Domain{Name: name, Source: survey.File}
		add := func(owner, kind string, values ...string) {
			d.Records = append(d.Records, record.Set{Name: owner, Type: kind, TTL: 3600, Values: values})
		}
		add(name, "SOA", "ns.x.example. h.x.example. 1 7200 3600 1209600 900")
		add(name, "NS", "ns1.x.example.", "ns2.x.example.")
		add(name, "A", "192.0.2.1")
		add(name, "MX", "10 mx."+name+".")
		add(name, "TXT", `"v=spf1 a mx -all"`)
		add("www."+name, "CNAME", name+".")
		for j := len(d.Records); j < 10; j++ {
			add(fmt.Sprintf("h%d.%s", j, name), "A", fmt.Sprintf("198.51.100.%d", j))
		}
		v.Domains = append(v.Domains, d)
	}
	e, faults := estate.Read(mapping(
		entry("canonical", text("https://www.n.example")),
		entry(
			"carriers",
			mapping(entry("gateway",
				mapping(entry("by", text("server")), entry("addresses", text("203.0.113.20"))))),
		),
		entry("domains", domains),
	))
	if err := faults.Err(); err != nil {
		b.Fatal(err)
	}
	return Input{Estate: e, Survey: v}
}

// BenchmarkChanges works out the changes of many zones of 100 record sets each: 10,000 zones should
// take no more than twelve times as long as 1,000.
func BenchmarkChanges(b *testing.B) {
	for _, n := range []int{1000, 10000} {
		b.Run(fmt.Sprintf("zones=%d", n), func(b *testing.B) {
			in := manyZones(b, n)
			known := zone.Known{Estate: in.Estate, Survey: in.Survey}
			seen, w := zone.SurveysOf(known), in.Web()
			for b.Loop() {
				changes := 0
				for _, z := range zone.Make(known, seen, w.Domains()).Zones {
					changes += len(z.Changes)
				}
				if changes < 8*n {
					b.Fatalf("%d changes", changes)
				}
			}
		})
	}
}

// BenchmarkMake makes the whole plan, the playing of every row included, beside reading the same
// zones into a world: 10,000 domains should take 5 s at most, and 16,000 no more than 4.5 times as
// long as 4,000.
func BenchmarkMake(b *testing.B) {
	for _, n := range []int{40, 1000, 4000, 10000, 16000} {
		in := manyZones(b, n)
		b.Run(fmt.Sprintf("domains=%d", n), func(b *testing.B) {
			for b.Loop() {
				if made := Make(in); len(made.Zones) < n {
					b.Fatalf("%d zones", len(made.Zones))
				}
			}
		})
		b.Run(fmt.Sprintf("world=%d", n), func(b *testing.B) {
			for b.Loop() {
				world.New(world.Input{Estate: in.Estate, Survey: in.Survey}).Clone()
			}
		})
	}
}
