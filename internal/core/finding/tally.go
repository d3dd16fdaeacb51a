package finding

import (
	"slices"

	"upperpath.example/upperpath/internal/core/fact"
)

// Tally gathers findings by their cause: the same code about the same subject is one finding, with
// all the entries that meet it. The zero value is empty and ready.
type Tally struct {
	causes map[cause]int
	list   []Finding
}

// cause tells findings apart: by code and subject, or by code and what the judge knows of the
// cause. One that is not about a chain is told apart by its facts as well.
type cause struct {
	code           Code
	subject, facts string
	lived          bool // what somebody lives with is one of its own
}

// Add takes in findings.
func (t *Tally) Add(findings ...Finding) {
	for _, f := range findings {
		t.add(f)
	}
}

func (t *Tally) add(f Finding) {
	if t.causes == nil {
		t.causes = map[cause]int{}
	}
	key := cause{code: f.Code, subject: f.Subject, lived: !f.Open()}
	switch {
	case f.cause != "":
		key.subject = f.cause
	case f.Entry == "":
		key.facts = fact.Key(f.Facts())
	}
	at, known := t.causes[key]
	if !known {
		at = len(t.list)
		t.causes[key] = at
		t.list = append(t.list, f)
	}
	if f.Entry != "" && !slices.Contains(lastFew(t.list[at].Entries), f.Entry) {
		t.list[at].Entries = append(t.list[at].Entries, f.Entry)
	}
}

// lastFew is where an entry that was added just before can stand; looking through all would be slow
// for many.
func lastFew(s []string) []string { return s[max(0, len(s)-4):] }

// Findings returns what was gathered, the worst first; an empty list, not nil, where that is
// nothing.
func (t *Tally) Findings() []Finding {
	list := append([]Finding{}, t.list...)
	Sort(list)
	return list
}

// Take returns the same and empties the tally, which needs no second place for very many.
func (t *Tally) Take() []Finding {
	list := t.list
	t.list, t.causes = nil, nil
	Sort(list)
	if list == nil {
		list = []Finding{}
	}
	return list
}
