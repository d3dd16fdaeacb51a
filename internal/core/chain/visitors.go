package chain

import (
	"slices"

	"upperpath.example/upperpath/internal/core/fact"
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
	var says []fact.Facts
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
		says = append(says, fact.WayOf{Visitors: ways[w].SeenBy, Ends: ending(&ways[w])})
	}
	if seen < 2 {
		return ways
	}
	c := &ways[0]
	f := finding.New(finding.SplitAnswers, c.Entry.Door().String(),
		fact.VisitorsDiffer{Ways: says, Entry: c.Entry.String()})
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

// ending tells how a chain ends.
func ending(c *Chain) fact.Facts {
	last := c.Last()
	switch {
	case c.End == Loop:
		return fact.WayLoops{}
	case c.End == Limit:
		return fact.WayEndless{}
	case last.Refusal != "":
		return fact.WaySilent{Door: last.URL.Door().String(), Refusal: string(last.Refusal)}
	case c.End == BadLocation:
		return fact.WayBroken{URL: last.URL.String()}
	case last.Page != nil && last.Page.Title != "":
		return fact.WayArrives{URL: c.Arrival.String(), Title: short(last.Page.Title),
			Status: last.Status}
	}
	return fact.WayArrives{URL: c.Arrival.String(), Status: last.Status}
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
