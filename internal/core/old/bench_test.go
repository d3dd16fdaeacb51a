package old_test

import (
	"fmt"
	"testing"
	"time"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/test/worlds"
)

// manyOld gives n old URLs, and a web of n/10 rules and n/10 pages that takes most of them.
func manyOld(b *testing.B, n int) (*predict.Prediction, []old.Address) {
	b.Helper()
	in, ok := worlds.World{
		Estate: "canonical: https://www.n.example\nsite: {addresses: [203.0.113.10]}\ncarriers:\n" +
			"  g: {by: server, addresses: [203.0.113.20]}\ndefaults: {carrier: g}\nrules: rules.csv\n" +
			"domains: [n.example, old.example, {name: two.example, fallback: home}]\n"}.Read(b)
	if !ok {
		b.Fatal("no estate")
	}
	var rows []rule.Row
	for i := range n / 10 {
		rows = append(rows, rule.Row{Line: i + 2, Old: fmt.Sprintf("old.example/archive/item-%d.html", i),
			New: fmt.Sprintf("/collections/item/%d/", i)})
		in.Pages = append(in.Pages, in.Estate.Canonical.URL(fmt.Sprintf("/collections/item/%d/", i), ""))
	}
	rows = append(rows,
		rule.Row{Line: n, Old: "two.example/object/{id:digits}/{+rest}", New: "/collections/item/{id}/"})
	rules, faults := rule.Parse(rows, scopeOf(in.Estate))
	if len(faults) > 0 {
		b.Fatal(faults)
	}
	in.Rules = rules
	var all []old.Address
	for i := range n {
		u := fmt.Sprintf("https://www.old.example/archive/item-%d.html", i%(n/5))
		switch i % 4 {
		case 1:
			u = fmt.Sprintf("http://two.example/object/%d/view?from=search", i%(n/10))
		case 2:
			u = fmt.Sprintf("http://old.example/archive/item-%d.html?page=%d", i%(n/10), i)
		case 3:
			u = fmt.Sprintf("http://two.example/news/%d/", i)
		}
		all = append(all, old.Address{URL: u, Weight: int64(i % 1000)})
	}
	return in.Web(), all
}

func scopeOf(e *estate.Estate) rule.Scope {
	return rule.Scope{Holds: e.Holds, Serves: e.Serves, Mode: e.Mode}
}

// BenchmarkCover compares the coverage with the bare look-up of its rules, in the same run: "times"
// is how many of these it takes. Both read the URLs from their texts.
func BenchmarkCover(b *testing.B) {
	for _, n := range []int{100_000, 1_000_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			w, all := manyOld(b, n)
			var bare, whole time.Duration
			for b.Loop() {
				start := time.Now()
				for _, a := range all {
					u, err := web.ParseURL(a.URL)
					if err != nil {
						b.Fatal(err)
					}
					if m, ok := w.Rules.Lookup(u); ok && m.Location(w.Estate.Canonical) == "" {
						b.Fatal(u)
					}
				}
				bare += time.Since(start)
				start = time.Now()
				c := old.Cover(w, all, nil)
				whole += time.Since(start)
				if c.Total.All.URLs != n {
					b.Fatal(c.Total.All)
				}
			}
			b.ReportMetric(float64(whole)/float64(bare), "times")
			b.ReportMetric(float64(n)*float64(b.N)/whole.Seconds(), "URLs/s")
		})
	}
}
