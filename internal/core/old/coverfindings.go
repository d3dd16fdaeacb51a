package old

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// group is old URLs of a domain with one fault.
type group struct {
	code   finding.Code
	domain string
	share  Share
	worst  [mostShown]int32 // the heaviest, in order
	shown  int
	kinds  [fates]int
}

// mostShown is how many URLs a finding names.
const mostShown = 5

// take adds an address to a group.
func (g *group) take(c *Coverage, at int32) {
	weight := c.Addresses[at].Weight
	g.share.add(weight)
	g.kinds[c.Outcomes[at].Fate]++
	place := g.shown
	for place > 0 && c.Addresses[g.worst[place-1]].Weight < weight {
		place--
	}
	if place == mostShown {
		return
	}
	g.shown = min(g.shown+1, mostShown)
	copy(g.worst[place+1:g.shown], g.worst[place:g.shown-1])
	g.worst[place] = at
}

// judge makes findings of what does not arrive: one for each fault of a domain.
func (c *Coverage) judge() {
	type key struct {
		code   finding.Code
		domain string
	}
	groups := map[key]*group{}
	var order []*group
	for i, o := range c.Outcomes {
		var codes [2]finding.Code
		switch {
		case o.By == ByCarrier:
			codes[0] = finding.BeyondCarrier
		case o.Fate == AtHome || o.Fate == Fallen:
			codes[0] = finding.Uncovered
		case o.Fate == Missing || o.Fate == Broken:
			codes[0] = finding.DeadEnd
		}
		if o.Long && o.Fate != Broken {
			codes[1] = finding.ExtraHop
		}
		for _, code := range codes {
			if code == 0 {
				continue
			}
			domain, _ := c.partsOf(c.Addresses[i].URL)
			g := groups[key{code, domain}]
			if g == nil {
				g = &group{code: code, domain: strings.Clone(domain)}
				groups[key{code, domain}] = g
				order = append(order, g)
			}
			g.take(c, int32(i)) // so many do not fit into memory
		}
	}
	slices.SortFunc(order, func(a, b *group) int {
		return cmp.Or(cmp.Compare(b.share.Weight, a.share.Weight),
			cmp.Compare(b.share.URLs, a.share.URLs),
			cmp.Compare(a.domain, b.domain))
	})
	var tally finding.Tally
	for _, g := range order {
		tally.Add(c.findingOf(g))
	}
	for _, f := range c.oneDoorFindings() {
		tally.Add(f)
	}
	c.Findings = tally.Findings()
}

// findingOf makes a finding of a group.
func (c *Coverage) findingOf(g *group) finding.Finding {
	first := c.Addresses[g.worst[0]].URL
	arrival, end, status := c.End(int(g.worst[0]))
	var heaviest []string
	for _, at := range g.worst[:g.shown] {
		heaviest = append(heaviest, c.Addresses[at].URL)
	}
	urls, weight := g.share.URLs, g.share.Weight
	var facts fact.Facts
	switch g.code {
	case finding.Uncovered:
		facts = fact.OldURLsFall{URLs: urls, Domain: g.domain, First: first, Home: g.kinds[AtHome],
			Gone: g.kinds[Fallen], Weight: weight, Heaviest: heaviest}
	case finding.DeadEnd:
		meets := fact.OldURLsMeetNothing{URLs: urls, Domain: g.domain, First: first, Arrival: arrival,
			Status: status, Weight: weight, Heaviest: heaviest}
		if end != chain.Page {
			meets.End = string(end)
		}
		facts = meets
	case finding.BeyondCarrier:
		u, _ := web.ParseURL(first)
		facts = fact.OldURLsAstray{URLs: urls, Domain: g.domain, First: first, Arrival: arrival,
			Wanted: c.goal(u), Weight: weight, Heaviest: heaviest}
	default:
		facts = fact.OldURLsTooLong{URLs: urls, Domain: g.domain, First: first,
			Hops: int(c.Outcomes[g.worst[0]].Hops), Weight: weight, Heaviest: heaviest}
	}
	f := finding.New(g.code, g.domain, facts)
	f.Entry = first
	return f
}

func (c *Coverage) goal(u web.URL) string {
	if goal := c.again.web.Goal(u); !goal.Gone {
		return goal.Target.String()
	}
	return "410"
}

// oneDoorFindings gives a finding for each rule that takes old URLs by one door only.
func (c *Coverage) oneDoorFindings() []finding.Finding {
	byLine := map[int32][]oneDoor{}
	var lines []int32
	for _, o := range c.oneDoor {
		line := c.Outcomes[o.at].Line
		if byLine[line] == nil {
			lines = append(lines, line)
		}
		byLine[line] = append(byLine[line], o)
	}
	slices.Sort(lines)
	var all []finding.Finding
	for _, line := range lines {
		of := byLine[line]
		var weight int64
		heaviest := of[0]
		for _, o := range of {
			weight = Plus(weight, c.Addresses[o.at].Weight)
			if c.Addresses[o.at].Weight > c.Addresses[heaviest.at].Weight {
				heaviest = o
			}
		}
		entry := c.Addresses[heaviest.at].URL
		arrival, _, _ := c.End(int(heaviest.at))
		f := finding.New(finding.OneDoorOnly, fmt.Sprintf("rules line %d", line),
			fact.TwinDiffers{Line: int(line), URL: entry, Arrival: arrival, Twin: heaviest.twin.String(),
				Ends: heaviest.to.ends(), Others: len(of) - 1, How: howTwin(entry, heaviest.twin),
				URLs: len(of), Weight: weight})
		f.Entry = entry
		all = append(all, f)
	}
	return all
}

// ends tells where a URL ends.
func (p place) ends() fact.Facts {
	switch p.fate {
	case AtHome:
		return fact.EndsHome{}
	case Fallen:
		return fact.EndsGone{}
	case Missing:
		return fact.EndsMissing{URL: p.arrival.String()}
	case Broken:
		return fact.EndsNoPage{}
	case Section:
		return fact.EndsWithAll{URL: p.arrival.String()}
	case OwnPage, Unchecked, Retired, Outside, fates:
	}
	return fact.EndsAt{URL: p.arrival.String()}
}

// howTwin tells how a twin differs from a URL: by its door, its spelling, or a parameter.
func howTwin(entry string, twin web.URL) string {
	u, err := web.ParseURL(entry)
	switch {
	case err != nil:
	case u.Path() == twin.Path() && u.Query() == twin.Query():
		return "door"
	case loosely(u.Path()) == loosely(twin.Path()) && u.Query() == twin.Query():
		return "spelling"
	}
	return "parameter"
}
