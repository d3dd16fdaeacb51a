package files

import (
	"bufio"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// BenchmarkReadRules reads a redirect map of a million exact rules and ten thousand patterns, and
// compiles it: under 5 seconds.
func BenchmarkReadRules(b *testing.B) {
	path := filepath.Join(b.TempDir(), "rules.csv")
	f, err := os.Create(path)
	if err != nil {
		b.Fatal(err)
	}
	w := bufio.NewWriter(f)
	fmt.Fprintln(w, "old,new,status,query,note")
	for i := range 1_000_000 {
		fmt.Fprintf(
			w,
			"old%d.example/archive/%04d/exhibits/obj-%07d.html,/collections/%d/item-%d/,,,\n",
			i%100,
			i%5000,
			i,
			i%5000,
			i,
		)
	}
	for i := range 10_000 {
		fmt.Fprintf(w,
			"old%d.example/section-%d/{year:digits}/{name}/{+rest},/s/{name}/{+rest},301,drop,\n", i%100, i)
	}
	if err := w.Flush(); err != nil {
		b.Fatal(err)
	}
	f.Close()
	scope := rule.Scope{Holds: func(web.Host) bool { return true }, Serves: func(web.Host) bool {
		return false
	}}
	for b.Loop() {
		rules, err := ReadRules(path, scope)
		if err != nil {
			b.Fatal(err)
		}
		if t := rule.Compile(rules, scope); len(t.Rules()) != 1_010_000 {
			b.Fatal(len(t.Rules()))
		}
	}
}
