package wording_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/wording"
)

func Example() {
	fmt.Println(wording.Count(2, "door"))
	fmt.Println(wording.DurationText(93600))
	fmt.Println(wording.Few([]string{"a", "b"}, 1))
	fmt.Println(wording.And([]string{"a", "b", "c"}))
	// Output:
	// 2 doors
	// 1 day 2 hours
	// a and 1 more
	// a, b and c
}
