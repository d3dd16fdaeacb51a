package finding_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

func ExampleNew() {
	f := finding.New(finding.PathLost, "http://old.example",
		fact.Kept{Says: "It cuts the path.", Do: "Redirect with the path kept."})
	fmt.Println(f.Code, f.Severity, f.Subject)
	// Output: path-lost error http://old.example
}
