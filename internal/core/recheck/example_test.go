package recheck_test

import (
	"fmt"
	"time"

	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// What differs from an accepted day is news; serial numbers and TTLs are none.
func ExampleCompare() {
	on := func(serial, address string) *recheck.State {
		return recheck.Of(&survey.Survey{Domains: []survey.Domain{{Name: "old.example",
			Source: survey.File, Records: []record.Set{
				{Name: "old.example", Type: "SOA", Values: []string{"ns. h. " + serial + " 2 3 4 5"}},
				{Name: "old.example", Type: "A", TTL: 300, Values: []string{address}},
			}}}}, nil)
	}
	accepted, today := on("1", "203.0.113.20"), time.Date(2026, 11, 2, 0, 0, 0, 0, time.UTC)
	fmt.Println(len(recheck.Compare(accepted, on("2", "203.0.113.20"), nil, nil, today).Changed))
	news := recheck.Compare(accepted, on("3", "198.51.100.9"), nil, nil, today)
	for _, i := range news.Changed {
		fmt.Println(i.Name(), i.Subject, i.Was, i.Is)
	}
	// Output:
	// 0
	// record-changed old.example A 203.0.113.20 198.51.100.9
}
