package spf_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/spf"
)

func ExampleTerms() {
	for _, t := range spf.Terms("v=spf1 a:mail.example/24 -all") {
		fmt.Printf("%q %q\n", t.Name, t.Domain)
	}
	// Output:
	// "a" "mail.example"
	// "all" ""
}
