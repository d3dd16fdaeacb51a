package spf

import (
	"fmt"
	"slices"

	"upperpath.example/upperpath/internal/core/fact"
)

// The bounds of RFC 7208 section 4.6.4 on single kinds of look-ups.
const (
	MostVoid  = 2  // look-ups that find nothing
	MostHosts = 10 // machines that an MX set names
)

// Records is what is known of the names that SPF records look up.
type Records interface {
	// Policies gives the SPF records at a name; known is false where nobody knows.
	Policies(name string) (texts []string, known bool)
	// Found gives how many records a look-up of a type, A (with AAAA) or MX, finds at a name.
	Found(name, kind string) (count int, known bool)
}

// Checked is what a receiver meets that looks an SPF record up for a sender whom no term takes.
type Checked struct {
	Faults  []TermFault // for each of them the record counts as broken
	Lookups int         // of those that are known
	Costs   []string    // the terms that cost look-ups, with how many
	Void    []string    // the names of look-ups that find nothing
}

// Check follows an SPF record of a name, and those that it takes over, term by term (sections 4.6
// and 5).
func Check(name, text string, r Records) Checked {
	c := checker{records: r}
	out := Checked{Faults: Faults(text)}
	for _, t := range Looked(text) {
		c.lookups = 0
		if fault := c.term(name, t, []string{name}); fault != nil {
			out.Faults = append(out.Faults, TermFault{t.Text, fault})
		}
		if out.Lookups += c.lookups; c.lookups > 0 {
			out.Costs = append(out.Costs, fmt.Sprintf("%s %d", t.Text, c.lookups))
		}
	}
	out.Void = c.void
	return out
}

type checker struct {
	records Records
	lookups int
	void    []string
}

// mostCounted bounds what is followed, since records can take each other over again and again.
const mostCounted = 10 * MostLookups

// term follows a term of the record at a name. path holds the names on the way there.
func (c *checker) term(at string, t Term, path []string) fact.Facts {
	if !t.LooksUp() || t.Fault() != nil {
		return nil
	}
	if c.lookups++; c.lookups > mostCounted {
		return nil
	}
	t, sure := t.At(at)
	if !sure {
		return nil // it depends on who sends
	}
	switch {
	case t.TakesOver():
		return c.takesOver(t, path)
	case t.Name == "ptr", t.Name == "include", t.Name == "redirect":
		return nil
	}
	name, kind := t.Domain, "A"
	if name == "" {
		name = at
	}
	if t.Name == "mx" {
		kind = "MX"
	}
	n, known := c.records.Found(name, kind)
	switch {
	case !known:
	case n == 0 && !slices.Contains(c.void, name+" "+kind):
		c.void = append(c.void, name+" "+kind)
	case kind == "MX" && n > MostHosts:
		return fact.TermManyHosts{Name: name, Hosts: n, Most: MostHosts}
	}
	return nil
}

func (c *checker) takesOver(t Term, path []string) fact.Facts {
	if slices.Contains(path, t.Domain) {
		return fact.TermLoops{Name: t.Domain}
	}
	if len(path) > MostLookups {
		return nil
	}
	texts, known := c.records.Policies(t.Domain)
	switch {
	case !known:
		return nil
	case len(texts) == 0:
		return fact.TermNoPolicy{Name: t.Domain}
	case len(texts) > 1:
		return fact.TermManyPolicies{Name: t.Domain, Count: len(texts)}
	}
	if faults := Faults(texts[0]); len(faults) > 0 {
		return fact.TermTakesBroken{Name: t.Domain, Term: faults[0].Term, Fault: faults[0].Fault}
	}
	var first fact.Facts
	for _, inner := range Looked(texts[0]) {
		fault := c.term(t.Domain, inner, append(slices.Clone(path), t.Domain))
		if fault != nil && first == nil {
			first = fact.TermTakesBroken{Name: t.Domain, Term: inner.Text, Fault: fault}
		}
	}
	return first
}
