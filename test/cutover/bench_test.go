package cutover

import (
	"fmt"
	"testing"

	"upperpath.example/upperpath/internal/core/plan"
)

// mixed makes an estate of n domains with all kinds of carriers, eight places for records, four
// waves, mail that hangs on the web, and zones that move to other name servers.
func mixed(n int) Estate {
	e := Estate{Zones: map[string][]string{}, File: carriers + "  - {name: n.example, state: leave}\n"}
	kinds := []string{"gw", "own", "plat", "late", "links", "park", "edge", "front", "net", "form"}
	for i := range n {
		name := fmt.Sprintf("d%d.example", i)
		e.File += fmt.Sprintf("  - {name: %s, carrier: %s, wave: %d, records-at: Host %d, "+
			"registrar: Registrar %d}\n", name, kinds[i%len(kinds)], 1+i%4, i%8, i%3)
		e.Zones[name] = []string{name + ". A 192.0.2.1", "www." + name + ". CNAME " + name + ".",
			name + ". MX 10 www." + name + ".", name + fmt.Sprintf(". TXT \"v=spf1 a:www.d%d.example -all\"",
				(i+1)%n), "click." + name + ". CNAME www." + name + "."}
	}
	return e
}

// BenchmarkOrder makes plans of mixed estates, the search for their order included, beside playing
// the plan once: 40 domains should take 2 s at most, 1,000 a minute and 1 GB.
func BenchmarkOrder(b *testing.B) {
	for _, n := range []int{40, 1000} {
		in := mixed(n).Input(b)
		var made *plan.Plan
		b.Run(fmt.Sprintf("plan=%d", n), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				made = plan.Make(in)
			}
			b.ReportMetric(float64(len(made.Steps)), "steps")
		})
		b.Run(fmt.Sprintf("played=%d", n), func(b *testing.B) {
			for b.Loop() {
				made.Play(made.Typed())
			}
		})
	}
}
