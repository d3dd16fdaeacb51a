// Package pair finds for each old page the page of the new site that took its place, says with what
// confidence and why, and makes rules of what was decided.
//
//	found := pair.Find(olds, news, nil, nil)
//	found.Of[0].Candidates[0].Confidence // 0 to 1: of those at 0.9 nine in ten are right
//
// # How a page is compared
//
// Each page is read once (read.go): words of its address and its title, in one way of writing
// (fold.go), and what is a condition: years, dates, numbers, sizes, colours, parts, ids. An index
// of the new pages by word, by neighbouring words, by whole name and by id gives some dozens of
// them for an old one (index.go). These are compared by the weight of the words that both have,
// where a rare word weighs more. Words that only one side knows are brought together by spelling:
// a typo, a cut end, two words written as one (alike.go). What two conditions or languages
// tell apart is no counterpart.
//
// A second round knows more (learn.go): which section became which, which word is another one now,
// what language pages have that name none. It learns from pairs that are certain, and from
// decisions. The measures of a pair become a confidence by a logistic curve, whose weights
// were fitted to made sites (sites_test.go); others, held out, say what it is worth.
package pair

import (
	"cmp"
	"context"
	"slices"

	"upperpath.example/upperpath/internal/core/fact"
)

// Page is a page of the old or the new site. Only its URL has to be there.
type Page struct {
	URL      string
	Title    string
	Heading  string // the first one
	Language string // as the page says it
	Leads    string // of an old page: where a redirect of it was seen to lead
	Weight   int64
}

// Decision is what a person has decided of an old page.
type Decision struct {
	Old int    // its place among the old pages
	New string // where it leads; "" if it is gone
}

// Candidate is a new page that may be the counterpart of an old one.
type Candidate struct {
	New        int // its place among the new pages
	Confidence float64
	Reasons    []fact.Facts
}

// Match is what was found for an old page.
type Match struct {
	Candidates []Candidate // at most three, the most likely first
	Section    int         // the new page at the head of the section that took its place; -1: none
	Front      bool        // it is the front page of its host, which the plan leads by itself
}

// None reports whether no page is likely to be the counterpart.
func (m Match) None() bool {
	return len(m.Candidates) == 0 || m.Candidates[0].Confidence < Unlikely
}

// Confidences from which a pair is spoken of as certain, and below which there is none.
const (
	Certain  = 0.9
	Unlikely = 0.35
)

// Found is what was found for all old pages.
type Found struct {
	Of []Match
}

// mostCandidates is how many are shown of an old page.
const mostCandidates = 3

// Find looks for the counterpart of each old page. decided are what people said of some of them: it
// learns from that. step is called for each old page, and may be nil. The error is the context's.
func Find(ctx context.Context, olds, news []Page, decided []Decision, step func()) (*Found, error) {
	f := newFinder(olds, news)
	first := f.round(ctx, nil, nil)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	f.learn(first, decided)
	second := f.round(ctx, first, step)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	found := &Found{Of: make([]Match, len(olds))}
	f.rivals(second)
	f.each(ctx, func(w *worker, at int) { found.Of[at] = f.match(w, at, second[at]) })
	return found, ctx.Err()
}

// match makes of what a round found what is shown of an old page.
func (f *finder) match(w *worker, at int, all []scored) Match {
	m := Match{Section: -1, Front: f.old.pages[at].root}
	if m.Front {
		return m
	}
	for i := range all {
		all[i].confidence = f.confidence(at, all, i)
	}
	slices.SortStableFunc(
		all,
		func(a, b scored) int { return cmp.Compare(b.confidence, a.confidence) },
	)
	for _, s := range all[:min(len(all), mostCandidates)] {
		if s.confidence < 0.02 {
			break
		}
		m.Candidates = append(m.Candidates, Candidate{int(s.page), s.confidence, f.reasons(w, at, s)})
	}
	m.Section = f.sectionOf(at)
	return m
}
