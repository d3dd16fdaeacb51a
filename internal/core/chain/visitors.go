package chain

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
)

// Visitor is one who goes through the doors: from a vantage, as a kind of browser.
type Visitor struct {
	Name  string // such as "from office" or "as a phone"
	Asker Asker
	Asks  string // what it asks as; two who differ in this may rightly be led elsewhere
}

// Join makes of the chains that several visitors went from one entry, in their order and judged,
// those that are worth showing: each way once, with those who went it. Where not all went the same
// way, the first says so in a finding.
func Join(visitors []Visitor, chains []Chain) []Chain {
	var ways []Chain
	var who [][]int
	for i, c := range chains {
		at := slices.IndexFunc(ways, func(w Chain) bool { return sameWay(&w, &c) })
		if at < 0 {
			at = len(ways)
			ways, who = append(ways, c), append(who, nil)
		}
		who[at] = append(who[at], i)
	}
	if len(ways) == 1 {
		return ways
	}
	var says []string
	seen := 0
	asks := map[string]bool{}
	worst, mildest := 0, 9
	for w := range ways {
		for _, i := range who[w] {
			ways[w].SeenBy = append(ways[w].SeenBy, visitors[i].Name)
			if ways[w].Last().Refusal != Unseen {
				asks[visitors[i].Asks] = true
			}
		}
		if ways[w].Last().Refusal == Unseen {
			continue
		}
		seen++
		rank := finding.Worst(ways[w].Findings).Rank()
		worst, mildest = max(worst, rank), min(mildest, rank)
		says = append(says, fmt.Sprintf("%s it %s", strings.Join(ways[w].SeenBy, ", "), ending(&ways[w])))
	}
	if seen < 2 {
		return ways
	}
	c := &ways[0]
	f := finding.New(finding.SplitAnswers, c.Entry.Door().String(),
		fmt.Sprintf("%s does not do the same for all: %s.", c.Entry, strings.Join(says, "; ")),
		"Find out who decides that, by place or by kind of visitor, and whether it is meant.",
		map[string]any{"ways": says})
	switch {
	case len(asks) > 1 && worst == mildest:
		f = f.As(finding.Note) // phones may be led to a site of their own
	case worst == finding.Error.Rank() && mildest < worst:
		f = f.As(finding.Error)
	}
	hop := 0
	f.Entry, f.Hop = c.Entry.String(), &hop
	c.Findings = append(c.Findings, f)
	finding.Sort(c.Findings)
	return ways
}

// ending says in a few words how a chain ends.
func ending(c *Chain) string {
	last := c.Last()
	switch {
	case c.End == Loop:
		return "goes round in a loop"
	case c.End == Limit:
		return "is redirected without end"
	case last.Refusal != "":
		return fmt.Sprintf("gets no answer from %s (%s)", last.URL.Door(), last.Refusal)
	case c.End == BadLocation:
		return fmt.Sprintf("is left at %s by a broken redirect", last.URL)
	case last.Page != nil && last.Page.Title != "":
		return fmt.Sprintf("arrives at %s, %q (%d)", c.Arrival, short(last.Page.Title), last.Status)
	}
	return fmt.Sprintf("arrives at %s (%d)", c.Arrival, last.Status)
}

// sameWay reports whether two chains from one entry are the same to a visitor.
func sameWay(a, b *Chain) bool {
	if len(a.Hops) != len(b.Hops) || a.End != b.End || !a.Arrival.Same(b.Arrival) {
		return false
	}
	for i := range a.Hops {
		if !a.Hops[i].URL.Same(b.Hops[i].URL) || !sameAnswer(&a.Hops[i], &b.Hops[i]) {
			return false
		}
	}
	return true
}
