package problem_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
)

func ExampleList() {
	var faults problem.List
	faults.Add(problem.Problem{File: "rules.csv", Line: 7, Column: 3, Value: "*",
		Fault: fact.Kept{Says: "a star is no capture", Expected: "a capture", Do: "write {+rest}"}})
	fmt.Println(faults.Err())
	// Output: rules.csv:7:3: a star is no capture: "*"; expected a capture. Write {+rest}
}
