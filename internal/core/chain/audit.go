package chain

import (
	"fmt"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// AuditSchema names the shape of an audit in JSON.
const AuditSchema = "upperpath/audit/1"

// Audit is all that was seen and judged in one go.
type Audit struct {
	Schema    string            `json:"schema"`
	Vantage   string            `json:"vantage"`
	Canonical string            `json:"canonical,omitempty"`
	Started   time.Time         `json:"started"`
	Chains    []Chain           `json:"chains"`
	Findings  []finding.Finding `json:"findings"`
	Notes     []string          `json:"notes,omitempty"`
}

// Tally gathers the findings of chains by their cause, and what is to be known of several chains together.
type Tally struct {
	finding.Tally
	serves map[web.Host]web.URL // root of a host that serves a page itself, and that page
}

// AddChain takes in the findings of a chain.
func (t *Tally) AddChain(c Chain) {
	t.Add(c.Findings...)
	if c.Probe == Root && c.End == Page && c.Last().Status < 400 && c.Arrival.Host() == c.Entry.Host() {
		if t.serves == nil {
			t.serves = map[web.Host]web.URL{}
		}
		t.serves[c.Entry.Host()] = c.Arrival
	}
}

// Disagreements adds a finding for each domain whose apex and www both serve pages; for looks without an estate.
func (t *Tally) Disagreements() {
	for host, page := range t.serves {
		www, both := t.serves[host.WWW()]
		if !both || !host.IsApex() {
			continue
		}
		t.Add(
			finding.New(
				finding.DoorsDisagree,
				host.String(),
				fmt.Sprintf("%s and %s both serve pages.", page.Door(), www.Door()),
				fmt.Sprintf("Choose one of them and redirect the other to it with 301, such as %s to %s.", page.Door(), www.Door()),
				map[string]any{"apex": page.String(), "www": www.String()},
			),
		)
	}
}
