package act

import (
	"upperpath.example/upperpath/internal/core/finding"
)

// Notice says what a note is about.
type Notice uint8

// Note is something worth knowing that is no fault.
type Note struct {
	Notice Notice
	Names  []string
	Values []string
	Lines  [2]int
}

// Found is what a part of the work on a plan found out.
type Found struct {
	Findings []finding.Finding
	Notes    []Note
}
