package finding_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/finding"
)

func ExampleNew() {
	f := finding.New(finding.PathLost, "http://old.example", "It cuts the path.",
		"Redirect with the path kept.", nil)
	fmt.Println(f.Code, f.Severity, f.Subject)
	// Output: path-lost error http://old.example
}
