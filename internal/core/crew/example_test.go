package crew_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/crew"
)

// A panic of work side by side comes to whoever waits for it.
func ExampleCrew() {
	var all crew.Crew
	sums := make([]int, 3)
	for i := range sums {
		all.Go(func() { sums[i] = i * i })
	}
	all.Wait()
	fmt.Println(sums)
	// Output: [0 1 4]
}
