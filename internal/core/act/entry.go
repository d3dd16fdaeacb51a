package act

import (
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/world"
)

// Entry is something to be typed, or done, on a carrier's page.
type Entry struct {
	Step    int // from 1, at this carrier
	Action  Action
	Kind    world.EntryKind
	Domain  string  // absent where all of the carrier's are meant
	Fields  []Field // in the order in which forms ask
	Reasons []Reason
	Check   expect.Expectation // what shows that it worked
	Star    *Pointed
	Before  []Field // of what is taken out: what stands in its boxes, as far as it was seen
}

// Field is one box of a form with what is typed into it.
type Field struct {
	Name     string
	Value    string
	Holds    string // the carrier whose configuration is meant, instead of a value
	Software string // of that
}

// Pointed says what a star pattern takes.
type Pointed struct {
	Line  int      // of the rule
	Takes []string // hosts
	Wider string
}
