package chain

import (
	"fmt"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/web"
)

// AuditSchema names the shape of an audit in JSON.
const AuditSchema = "upperpath/audit/1"

// Audit is all that was seen and judged in one go.
type Audit struct {
	Schema    string    `json:"schema"`
	Vantage   string    `json:"vantage"`
	Canonical string    `json:"canonical,omitempty"`
	Started   time.Time `json:"started"`
	Chains    []Chain   `json:"chains"`
	Findings  []Finding `json:"findings"`
	Notes     []string  `json:"notes,omitempty"`
}

// Tally gathers the findings of chains by their cause: the same code about the same subject is one finding, with all the
// entries that meet it.
type Tally struct {
	causes map[cause]int
	list   []Finding
	serves map[web.Host]web.URL // root of a host that serves a page itself, and that page
}

// cause tells findings apart: by code and subject, or by code and what the judge knows of the cause. One that is not about
// a chain is told apart by what it says as well.
type cause struct{ code, subject, says string }

// Add takes in the findings of a chain.
func (t *Tally) Add(c Chain) {
	for _, f := range c.Findings {
		t.AddFinding(f)
	}
	if c.Probe == Root && c.End == Page && c.Last().Status < 400 && c.Arrival.Host() == c.Entry.Host() {
		if t.serves == nil {
			t.serves = map[web.Host]web.URL{}
		}
		t.serves[c.Entry.Host()] = c.Arrival
	}
}

// AddFinding takes in one finding.
func (t *Tally) AddFinding(f Finding) {
	if t.causes == nil {
		t.causes = map[cause]int{}
	}
	key := cause{code: f.Code, subject: f.Subject}
	switch {
	case f.cause != "":
		key.subject = f.cause
	case f.Entry == "":
		key.says = f.Says
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

// lastFew is where an entry that was added just before can stand; looking through all would be slow for many.
func lastFew(s []string) []string { return s[max(0, len(s)-4):] }

// Disagreements adds a finding for each domain whose apex and www both serve pages; for looks without an estate.
func (t *Tally) Disagreements() {
	for host, page := range t.serves {
		www, both := t.serves[host.WWW()]
		if !both || !host.IsApex() {
			continue
		}
		t.AddFinding(New("doors-disagree", host.String(), fmt.Sprintf("%s and %s both serve pages.", page.Door(), www.Door()),
			fmt.Sprintf("Choose one of them and redirect the other to it with 301, such as %s to %s.", page.Door(), www.Door()),
			map[string]any{"apex": page.String(), "www": www.String()}))
	}
}

// Findings returns what was gathered, the worst first.
func (t *Tally) Findings() []Finding {
	list := slices.Clone(t.list)
	if list == nil {
		list = []Finding{}
	}
	Sort(list)
	return list
}
