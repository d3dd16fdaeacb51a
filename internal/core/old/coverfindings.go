package old

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
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
	urls := wording.Count(g.share.URLs, "old URL")
	var says, fix string
	switch g.code {
	case finding.Uncovered:
		var falls []string
		if n := g.kinds[AtHome]; n > 0 {
			falls = append(falls, fmt.Sprintf("%d to the home page", n))
		}
		if n := g.kinds[Fallen]; n > 0 {
			falls = append(falls, fmt.Sprintf("%d to the fallback, which says gone", n))
		}
		says = fmt.Sprintf(
			"%s of %s %s: %s; the heaviest is %s.",
			urls,
			g.domain,
			wording.Verb(g.share.URLs, "falls", "fall"),
			strings.Join(falls, ", "),
			first,
		)
		fix = "Lead each to the page that took its place, or say 410 where there is none."
	case finding.DeadEnd:
		how := fmt.Sprintf("arrives on %s, which answers %d", arrival, status)
		if end != chain.Page {
			how = fmt.Sprintf("ends as a %s at %s", end, arrival)
		}
		says = fmt.Sprintf("%s of %s %s no page: %s %s.", urls, g.domain,
			wording.Verb(g.share.URLs, "meets", "meet"),
			first, how)
		fix = "Lead each to a page that exists, say 410 where there is none, or add the page to those " +
			"that exist " +
			"(site.pages)."
	case finding.BeyondCarrier:
		u, _ := web.ParseURL(first)
		says = fmt.Sprintf("%s of %s %s not led where the plan says, since who carries the door "+
			"cannot do it: %s ends at %s "+
			"instead of %s.", urls, g.domain, wording.Verb(g.share.URLs, "is", "are"), first, arrival,
			c.goal(u))
		fix = "Give the domain to a carrier that looks at paths and queries."
	default:
		says = fmt.Sprintf("%s of %s %s more redirects than planned: %s takes %d.", urls, g.domain,
			wording.Verb(g.share.URLs, "takes", "take"), first, c.Outcomes[g.worst[0]].Hops)
		fix = "Write the rules concerned as single hops."
	}
	var worst []string
	for _, at := range g.worst[:g.shown] {
		worst = append(worst, c.Addresses[at].URL)
	}
	f := finding.New(g.code, g.domain, says, fix,
		map[string]any{"urls": g.share.URLs, "weight": g.share.Weight,
			"heaviest": worst})
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
		more := ""
		if n := len(of) - 1; n > 0 {
			more = fmt.Sprintf(" So do %s.", wording.Count(n, "other old URL"))
		}
		f := finding.New(finding.OneDoorOnly, fmt.Sprintf("rules line %d", line),
			fmt.Sprintf("Line %d leads %s to %s, but its twin %s %s.%s", line, entry, arrival, heaviest.twin,
				heaviest.to.says(), more),
			c.howToWiden(entry, heaviest.twin),
			map[string]any{"line": int(line), "twin": heaviest.twin.String(), "urls": len(of),
				"weight": weight})
		f.Entry = entry
		all = append(all, f)
	}
	return all
}

// says says where a URL ends, in a few words.
func (p place) says() string {
	switch p.fate {
	case AtHome:
		return "falls to the home page"
	case Fallen:
		return "is gone, by the fallback"
	case Missing:
		return fmt.Sprintf("arrives on %s, which does not exist", p.arrival)
	case Broken:
		return "meets no page"
	case Section:
		return fmt.Sprintf("arrives on %s with many others", p.arrival)
	case OwnPage, Unchecked, Retired, Outside, fates:
	}
	return "goes to " + p.arrival.String()
}

// howToWiden says how a rule takes the twin too.
func (c *Coverage) howToWiden(entry string, twin web.URL) string {
	u, err := web.ParseURL(entry)
	switch {
	case err != nil:
	case u.Path() == twin.Path() && u.Query() == twin.Query():
		return "Write the rule without its scheme and for the apex: it then holds for http and https, " +
			"apex and www."
	case loosely(u.Path()) == loosely(twin.Path()) && u.Query() == twin.Query():
		return "Write a rule for the twin too; or say of the domain that the old site did not care " +
			"(slash: either, " +
			"ignore-case: yes)."
	}
	return "Write the rule without the parameter that follows visitors."
}
