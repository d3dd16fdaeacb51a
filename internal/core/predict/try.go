package predict

import (
	"context"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Try is what the plan does with one URL.
type Try struct {
	URL      string  `json:"url"`
	Rule     int     `json:"rule,omitempty"` // the line of the rule that takes it; 0: none does
	Old      string  `json:"old,omitempty"`
	Rivals   []Rival `json:"rivals"` // rules that would take it too
	Status   int     `json:"status"`
	Location string  `json:"location,omitempty"`
	Chain    []Hop   `json:"chain"` // predicted, to the end
	End      string  `json:"end"`
	Assumed  Assumed `json:"assumed,omitempty"`
}

// Assumed is why the page at the end of a chain is taken for granted, and not known.
type Assumed string

// Why a page is taken for granted; "" where it is known.
const (
	OutsideEstate Assumed = "outside" // it is not a door of the estate
	PagesUnknown  Assumed = "pages"   // the estate file lists no pages of the site
)

// Rival is a rule that would take a URL, and why another one wins.
type Rival struct {
	Line int           `json:"line"`
	Old  string        `json:"old"`
	Why  fact.Sentence `json:"why"`
}

// Try says which rule takes a URL, why this one and not its rivals, what it gives, and the
// predicted chain to the end. A URL that no rule is asked for, since its carrier asks none or its
// path is exempt, has none.
func (w *Prediction) Try(u web.URL) Try {
	d := w.Treatment(u.Door())
	a := d.Answer(u)
	t := Try{URL: u.String(), Rivals: []Rival{}, Status: a.Status, Location: a.Location}
	if d.Does == Redirects {
		all := d.Candidates(u)
		for i, e := range all {
			if i == 0 {
				t.Rule, t.Old = e.Rule.Line, e.Rule.Old.String()
				continue
			}
			why := rule.Why(all[0], e)
			if why == nil {
				why = fact.WinsByOrder{}
			}
			t.Rivals = append(t.Rivals, Rival{e.Rule.Line, e.Rule.Old.String(),
				fact.Of(why, fact.Says)})
		}
	}
	t.Chain, t.End = w.Steps(u, chain.Asked)
	if end := t.Chain[len(t.Chain)-1]; end.Status == 200 {
		switch last, err := web.ParseURL(end.URL); {
		case err != nil:
		case w.Treatment(last.Door()).Does == Outside:
			t.Assumed = OutsideEstate
		case w.Treatment(last.Door()).Does == Serves && !w.KnowsPages():
			t.Assumed = PagesUnknown
		}
	}
	return t
}

// Hop is an answer of a predicted chain.
type Hop struct {
	URL     string `json:"url"`
	Status  int    `json:"status,omitempty"`
	Refusal string `json:"refusal,omitempty"`
}

// Steps follows a URL to its end, and tells which end that is.
func (w *Prediction) Steps(u web.URL, probe chain.Probe) ([]Hop, string) {
	c := chain.Follow(context.Background(), w, chain.Ask{URL: u}, probe)
	steps := make([]Hop, len(c.Hops))
	for i, h := range c.Hops {
		steps[i] = Hop{h.URL.String(), h.Status, string(h.Refusal)}
	}
	return steps, string(c.End)
}
