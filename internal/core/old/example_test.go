package old_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/old"
)

// Old URLs come together: each once, without what only follows visitors.
func ExampleGathering() {
	g := old.NewGathering(old.DefaultLeaveOut())
	source := g.Begin("access.log")
	for _, u := range []string{"http://old.example/a?utm_source=x", "http://OLD.example/%61",
		"http://old.example/logo.png"} {
		g.Add(source, old.Seen{URL: []byte(u), Weight: 1})
	}
	for _, e := range g.Entries() {
		fmt.Println(e.URL, e.Weight)
	}
	fmt.Println(source.Lines, source.Kept, source.Out[old.Part].Count)
	// Output:
	// http://old.example/a 2
	// 3 2 1
}
