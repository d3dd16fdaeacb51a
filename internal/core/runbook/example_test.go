package runbook_test

import (
	"context"
	"fmt"
	"time"

	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/runbook"
)

// zone answers every question with the same addresses.
type zone []string

func (z zone) Ask(context.Context, expect.Expectation, *expect.Place) expect.Answer {
	return expect.Answer{Values: z}
}

// A book is worked through as far as what has to be seen is seen.
func ExampleBook_Proceed() {
	start := time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC)
	book := runbook.New("https://www.n.example", "", []runbook.Task{{Key: "change",
		Expects: []expect.Expectation{{Kind: expect.Records, Name: "old.example", Type: "A",
			Server: "ns1.h.example", Values: []string{"203.0.113.20"}}}}}, start)
	for _, seen := range []zone{{"198.51.100.4"}, {"203.0.113.20"}} {
		progress, err := book.Proceed(context.Background(), seen, start)
		fmt.Println(progress.Done, progress.Missing, err)
	}
	// Output:
	// [] [old.example A is 198.51.100.4 at ns1.h.example, and should be 203.0.113.20] <nil>
	// [1] [] <nil>
}
