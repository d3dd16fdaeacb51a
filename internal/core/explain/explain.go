// Package explain puts side by side what one URL should do, what the plan predicts, and what was
// met, and says where these part first.
//
// "http://old.example/a" is wanted at /visit/; predicted is 301 to it and 200 there; rehearsed is
// the same, and observed was 404 at once. Where gives {Part, 1, rehearsed, observed}: the observed
// way parts from the rehearsed one at its first answer.
package explain

import (
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Answer is one answer of a way.
type Answer struct {
	URL      string `json:"url"`
	Status   int    `json:"status,omitempty"`
	Refusal  string `json:"refusal,omitempty"`
	Location string `json:"location,omitempty"` // where the next answer comes from
}

// Way is the answers that a URL gets, one after the other.
type Way struct {
	Name    string // predicted, rehearsed, observed
	Answers []Answer
}

// Met is the way of a chain that was met.
func Met(name string, c *chain.Chain) Way {
	w := Way{Name: name}
	for i := range c.Hops {
		w.add(c.Hops[i].URL.String(), c.Hops[i].Status, c.Hops[i].Refusal)
	}
	return w
}

// Predicted is the way that a plan predicts.
func Predicted(hops []predict.Hop) Way {
	w := Way{Name: "predicted"}
	for _, h := range hops {
		w.add(h.URL, h.Status, chain.Refusal(h.Refusal))
	}
	return w
}

func (w *Way) add(url string, status int, refusal chain.Refusal) {
	if n := len(w.Answers); n > 0 {
		w.Answers[n-1].Location = url
	}
	w.Answers = append(w.Answers, Answer{URL: url, Status: status, Refusal: string(refusal)})
}

// unseen reports whether nobody could see a way to its end.
func (w Way) unseen() bool {
	return len(w.Answers) == 0 || w.Answers[len(w.Answers)-1].Refusal == string(chain.Unseen)
}

// Kind says how ways compare.
type Kind int

// The kinds.
const (
	Same      Kind = iota // all lead where it is wanted, by the same answers
	PlanParts             // what is predicted does not lead where it is wanted
	NotSeen               // some way could not be seen to its end
	Part                  // two of them have different answers
)

// Where is where ways part first.
type Where struct {
	Kind          Kind
	At            int // the answer, from 1
	First, Second Way // the two that part; of NotSeen the one that was not seen is First
}

// Wanted is what a URL should do.
type Wanted struct {
	chain.Goal
	Left bool // it is never redirected (policy.exempt), whatever answers there
}

// Compare says where what is wanted, predicted and met part first: each way is compared with the
// one before it; the first one with what is wanted.
func Compare(wanted Wanted, ways []Way) Where {
	if !wanted.by(ways[0]) {
		return Where{Kind: PlanParts, First: ways[0]}
	}
	for i, w := range ways[1:] {
		if w.unseen() {
			return Where{Kind: NotSeen, First: w}
		}
		if at := Apart(ways[i], w); at > 0 {
			return Where{Part, at, ways[i], w}
		}
	}
	return Where{}
}

// by reports whether a way ends as it is wanted.
func (w Wanted) by(way Way) bool {
	if len(way.Answers) == 0 {
		return false
	}
	last := way.Answers[len(way.Answers)-1]
	switch {
	case w.Left:
		return len(way.Answers) == 1 && last.Refusal == ""
	case w.Gone:
		return last.Status == rule.Gone
	}
	u, err := web.ParseURL(last.URL)
	return err == nil && last.Status == ok && !w.Target.IsZero() && u.Key() == w.Target.Key()
}

// ok is the status of a page (RFC 9110 section 15.3.1).
const ok = 200

// Apart gives the first answer, from 1, at which two ways differ; 0 where they are the same.
func Apart(a, b Way) int {
	for i := range max(len(a.Answers), len(b.Answers)) {
		if i >= len(a.Answers) || i >= len(b.Answers) || a.Answers[i] != b.Answers[i] {
			return i + 1
		}
	}
	return 0
}
