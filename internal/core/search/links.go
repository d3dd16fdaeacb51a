package search

import (
	"cmp"
	"fmt"
	"slices"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/web"
)

// listed judges the sitemaps of the site: whether each entry is a page that can be found, and each
// page at which old URLs arrive is in one.
func (j *judging) listed() {
	switch {
	case j.MapsRead == 0 && j.MapsGone:
		j.add(0, 0, finding.New(finding.SitemapGap, j.Site.String(),
			fact.NoSitemap{Site: j.Site.String()}))
		return
	case j.MapsRead == 0:
		return // nobody could read one: that is said
	}
	in := map[string]bool{}
	type group struct {
		facts  func(g *group) fact.Facts
		count  int
		weight int64
		olds   int
		first  string
		in     string
		places []string
	}
	groups := map[string]*group{}
	take := func(l Listed, kind string, facts func(g *group) fact.Facts) {
		key := l.In + "\x00" + kind
		g := groups[key]
		if g == nil {
			g = &group{facts: facts, first: l.URL.String(), in: l.In}
			groups[key] = g
		}
		g.count++
		if len(g.places) < mostPlaces {
			g.places = append(g.places, l.URL.String())
		}
		if a := j.arrivals[l.URL.Key()]; a != nil {
			g.weight, g.olds = old.Plus(g.weight, a.weight), g.olds+len(a.olds)
		}
	}
	for _, l := range j.Listed {
		key := l.URL.Key()
		if in[key] {
			continue
		}
		in[key] = true
		p := j.Pages[key]
		by, bars := j.bars(j.Own[l.URL.Door()], l.URL)
		switch {
		case j.Forwards != nil && j.Forwards(l.URL.Door()):
			take(l, "old", func(g *group) fact.Facts {
				return fact.ListsOld{Sitemap: g.in, Count: g.count, First: g.first}
			})
		case j.Serves != nil && !j.Serves(l.URL.Host()):
		case bars:
			take(l, "barred", func(g *group) fact.Facts {
				return fact.ListsBarred{Sitemap: g.in, Count: g.count, First: g.first, Rule: by.Line}
			})
		case p == nil || p.Status == 0:
			why := cmp.Or(j.Skipped, NotLookedAt)
			if p != nil {
				why = cmp.Or(p.Why, NoAnswer)
			}
			j.lost(UnseenListed, l.URL.String(), why)
		case p.Status >= 400:
			take(l, "dead", func(g *group) fact.Facts {
				return fact.ListsDead{Sitemap: g.in, Count: g.count, First: g.first, Status: p.Status}
			})
		case !p.To.IsZero():
			take(l, "moved", func(g *group) fact.Facts {
				return fact.ListsMoved{Sitemap: g.in, Count: g.count, First: g.first, To: p.To.String()}
			})
		case p.Hidden != nil:
			take(l, "hidden", func(g *group) fact.Facts {
				return fact.ListsHidden{Sitemap: g.in, Count: g.count, First: g.first}
			})
		}
	}
	for _, key := range sortedKeys(groups) {
		g := groups[key]
		j.add(g.weight, g.olds, finding.New(finding.SitemapStale, g.first, g.facts(g),
			map[string]any{"entries": g.places}))
	}
	j.missing(in)
}

// mostPlaces is how many places of a finding are named.
const mostPlaces = 100

func sortedKeys[V any](m map[string]V) []string {
	all := make([]string, 0, len(m))
	for k := range m {
		all = append(all, k)
	}
	slices.Sort(all)
	return all
}

// missing finds the pages at which old URLs arrive, that can be found, and that no sitemap lists.
func (j *judging) missing(in map[string]bool) {
	if slices.ContainsFunc(j.found.Unseen, func(u Unseen) bool { return u.What == UnseenSitemaps }) {
		return // they may be in one that nobody could read
	}
	var weight int64
	var pages, places []string
	olds := 0
	for _, a := range j.order {
		p := j.Pages[a.url.Key()]
		if in[a.url.Key()] || p == nil || p.Status != 200 || !p.To.IsZero() || p.Hidden != nil ||
			p.SaysNone ||
			p.Kind != "" && p.Kind != "text/html" && p.Kind != "application/xhtml+xml" ||
			p.Canonical != "" && !sameURL(p.Canonical, a.url) ||
			a.url.Query() != "" && p.Canonical == "" { // most are a page in another state
			continue
		}
		if _, bars := j.bars(j.Own[a.url.Door()], a.url); bars {
			continue
		}
		weight, olds = old.Plus(weight, a.weight), olds+len(a.olds)
		pages = append(pages, a.url.String())
		if len(places) < mostEntries {
			places = append(places, fmt.Sprintf("%d %s", a.weight, a.url))
		}
	}
	if len(pages) > 0 {
		j.add(weight, olds, finding.New(finding.SitemapGap, j.Site.String(),
			fact.NotInSitemap{Pages: pages[:min(len(pages), mostPlaces)], Count: len(pages), URLs: olds},
			map[string]any{"places": places}))
	}
}

// mostEntries is how many missing pages are named.
const mostEntries = 10_000

// links judges what pages of the site still name of hosts that only forward.
func (j *judging) links() {
	type place struct {
		page   *Page
		line   int
		weight int64
	}
	type target struct {
		url     web.URL
		element string
		places  []place
	}
	targets := map[string]*target{}
	for _, key := range sortedKeys(j.Pages) {
		p := j.Pages[key]
		switch {
		case p.Blank:
			j.lost(UnseenLinks, p.URL.String(), NeedsScripts)
		case p.Cut:
			j.lost(UnseenLinks, p.URL.String(), GoesOn)
		}
		for _, l := range p.Links {
			u, err := web.ParseURL(l.URL)
			if err != nil || j.Forwards == nil || !j.Forwards(u.Door()) {
				continue
			}
			by := u.Key() + "\x00" + l.Element
			t := targets[by]
			if t == nil {
				t = &target{url: u, element: l.Element}
				targets[by] = t
			}
			at := place{page: p, line: l.Line}
			if a := j.arrivals[p.URL.Key()]; a != nil {
				at.weight = a.weight
			}
			if n := len(t.places); n == 0 || t.places[n-1].page != p {
				t.places = append(t.places, at)
			}
		}
	}
	for _, key := range sortedKeys(targets) {
		t := targets[key]
		slices.SortStableFunc(t.places, func(a, b place) int { return cmp.Compare(b.weight, a.weight) })
		var weight int64
		var places []string
		for _, p := range t.places {
			weight = old.Plus(weight, p.weight)
			if len(places) < mostPlaces {
				places = append(places, fmt.Sprintf("%s line %d", p.page.URL, p.line))
			}
		}
		first := t.places[0]
		var now string
		dead := 0
		if j.Goal != nil {
			if to := j.Goal(t.url); !to.IsZero() {
				now = to.String()
				if p := j.Pages[to.Key()]; p != nil && p.Status >= 400 {
					dead = p.Status
				}
			}
		}
		code := finding.LeftoverLink
		var facts fact.Facts = fact.LinkedFrom{Target: t.url.String(), Element: t.element,
			Pages: len(t.places), Page: first.page.URL.String(), Line: first.line, Now: now, Dead: dead}
		if t.element == Alternate {
			code = finding.CanonicalDisagrees
			facts = fact.AlternateOld{Target: t.url.String(), Pages: len(t.places),
				Page: first.page.URL.String(), Line: first.line, Now: now}
		}
		j.add(weight, 0, finding.New(code, t.url.String(), facts, map[string]any{"places": places}))
	}
}

// NeedsScripts is why the links of a page are unseen that shows nothing by itself.
const NeedsScripts = "it needs scripts"

// GoesOn is why some links of a page are unseen.
const GoesOn = "it has more"

// Alternate is the element by which a page names itself in another language.
const Alternate = "hreflang"

// oldMaps says which sitemaps of old hosts will be answered by something else.
func (j *judging) oldMaps() {
	for _, m := range once(j.OldMaps, func(m OldMap) web.URL { return m.URL }) {
		at := m.URL.String()
		to := ""
		if !m.To.IsZero() {
			to = m.To.String()
		}
		j.add(0, 0, finding.New(finding.SitemapDropped, at,
			fact.OldSitemapEnds{Sitemap: at, Lists: m.Lists, To: to}))
	}
}
