// Package search judges what search engines, and whoever embeds files, meet before, at and after a
// move: robots.txt of the old hosts and of the site, sitemaps, the pages at which old URLs arrive,
// links that still lead to old hosts, feeds, pictures and documents. It asks for nothing itself.
//
//	found := search.Judge(search.Seen{Olds: olds, Site: site, Pages: pages})
//	found.Rows[0].Weight // visits of the old URLs concerned, the most first
//
// # What is judged by what
//
// Old URLs come with where the plan leads them (Old.To). Everything else was looked at: Robots of a
// door today, the one that answers for it after the move, the pages of the site, what its sitemaps
// list. What was not looked at, or did not answer, is in Found.Unseen and in no row: nothing is
// said of it.
package search

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/robots"
	"upperpath.example/upperpath/internal/core/web"
)

// Robots is what was met at a robots.txt, redirects followed.
type Robots struct {
	From   web.URL     // that answered in the end
	Status int         // 0: nobody answered
	Why    string      // why not
	Says   *robots.All // what counts of it (RFC 9309 section 2.3.1); nil: nobody saw it
}

// Old is an old URL, and where the plan leads it.
type Old struct {
	URL    web.URL
	Weight int64   // visits, hits or links; 0: unknown
	To     web.URL // on the site; the zero value: nowhere, or to somebody else
}

// Page is what a URL of the site gave.
type Page struct {
	URL       web.URL
	Status    int     // 0: nobody saw it
	Why       string  // why not; "": it did not answer
	SaysNone  bool    // it says that there is no such page, whatever its status is
	Blank     bool    // it shows nothing without scripts that nobody read
	Cut       bool    // it goes on behind what was read of it
	To        web.URL // where it redirects; the zero value: nowhere
	Kind      string  // of its content, such as text/html; "": it does not say
	Hidden    fact.Facts
	Canonical string       // that it names; "" for none
	Links     []chain.Link // to hosts that only forward
}

// PageOf takes in an answer, and the links of its page that are of interest.
func PageOf(a *chain.Answer, kind string, links []chain.Link) *Page {
	p := &Page{URL: a.URL, Status: a.Status, Kind: kind, Links: links, Canonical: a.CanonicalURL()}
	if a.TurnsAway() || Guarded(a.Status) {
		p.Status, p.Why = 0, fmt.Sprintf("it answers %d", a.Status)
		return p
	}
	if a.Page != nil {
		p.SaysNone = a.Page.NotFound()
		p.Blank = slices.ContainsFunc(a.Page.May, func(m chain.May) bool { return m.Elsewhere })
	}
	if a.MovesOn() {
		next, _, ok := a.Next()
		if !ok {
			p.Status = 0 // it leads nowhere that anybody could look at
		}
		p.To = next
	}
	if how, is := a.Hidden(); is {
		p.Hidden = how
	}
	return p
}

// Guarded reports whether a status says that somebody else, or somebody later, sees something else:
// a password is asked for, nobody may look, or the server is busy. Nothing follows of it.
func Guarded(status int) bool { return status == 401 || status == 403 || status == 429 }

// Listed is an entry of a sitemap of the site.
type Listed struct {
	URL web.URL
	In  string // which sitemap
}

// Feed is a feed of an old host.
type Feed struct {
	URL, Page web.URL // the page that names it
	To        web.URL // where the plan leads it; the zero value: nowhere
}

// OldMap is a sitemap of an old host, as it is today.
type OldMap struct {
	URL   web.URL
	Lists int     // how many URLs
	To    web.URL // what will answer for it; the zero value: nothing
}

// Unseen is what was to be looked at, and was not.
type Unseen struct {
	What  string `json:"what"`
	Count int    `json:"count"`
	First string `json:"first"`
	Why   string `json:"why"`
}

// What can be unseen; package words says how that is called.
const (
	UnseenRobots   = "robots"
	UnseenPages    = "arrivals" // pages at which old URLs arrive
	UnseenListed   = "listed"   // pages in sitemaps
	UnseenSitemaps = "sitemaps"
	UnseenOldMaps  = "old-sitemaps"
	UnseenLinks    = "pages" // of the site
	UnseenHomes    = "homes" // home pages of old hosts
)

// Seen is all that is judged.
type Seen struct {
	Site web.Door // canonical
	Olds []Old
	// of every door of the old hosts: what is there today, and what answers for it after the move
	Today, After map[web.Door]Robots
	Own          map[web.Door]Robots // of the doors of the site
	Pages        map[string]*Page    // by web.URL.Key
	Listed       []Listed
	MapsRead     int  // sitemaps of the site
	MapsGone     bool // it has none: all places where one could be were looked at
	Feeds        []Feed
	OldMaps      []OldMap
	Forwards     func(web.Door) bool // the doors that only forward
	Serves       func(web.Host) bool // the hosts of the site
	// where the plan leads a URL; the zero value: nowhere
	Goal    func(web.URL) web.URL
	Skipped string   // why pages were not looked at; "": NotLookedAt
	Lost    []Unseen // what could not be looked at, as whoever looked says
	// marks what somebody lives with; nil: nobody
	Accept func([]finding.Finding) []finding.Finding
}

// Row is a finding with the visits that it concerns.
type Row struct {
	Weight int64
	URLs   int // old ones concerned
	finding.Finding
}

// Found is what comes of it: rows with the most visits first.
type Found struct {
	Rows   []Row
	Unseen []Unseen
	Looked int // pages of the site that answered
	Listed int // entries of its sitemaps
	Olds   int
}

// Findings gives the findings of all rows.
func (f *Found) Findings() []finding.Finding {
	all := make([]finding.Finding, 0, len(f.Rows))
	for _, r := range f.Rows {
		all = append(all, r.Finding)
	}
	return all
}

// judging is a judgement that goes on.
type judging struct {
	Seen
	found    Found
	arrivals map[string]*arrival // by the key of the URL
	order    []*arrival          // the heaviest first
}

// arrival is a URL of the site at which old ones arrive.
type arrival struct {
	url    web.URL
	weight int64
	olds   []int // the heaviest first
}

// Judge says what is amiss.
func Judge(s Seen) *Found {
	j := &judging{Seen: s, arrivals: map[string]*arrival{}}
	j.found.Unseen, j.found.Listed, j.found.Olds = slices.Clone(s.Lost), len(s.Listed), len(s.Olds)
	j.sortOlds()
	for _, p := range s.Pages {
		if p.Status != 0 {
			j.found.Looked++
		}
	}
	j.robots()
	j.arrived()
	j.listed()
	j.links()
	j.feeds()
	j.oldMaps()
	j.sortRows()
	return &j.found
}

// sortOlds puts old URLs and their arrivals in order, the heaviest first.
func (j *judging) sortOlds() {
	j.Olds = slices.Clone(j.Olds)
	slices.SortStableFunc(j.Olds, func(a, b Old) int { return cmp.Compare(b.Weight, a.Weight) })
	for i, o := range j.Olds {
		if o.To.IsZero() {
			continue
		}
		key := o.To.Key()
		a := j.arrivals[key]
		if a == nil {
			a = &arrival{url: o.To}
			j.arrivals[key] = a
			j.order = append(j.order, a)
		}
		a.weight = old.Plus(a.weight, o.Weight)
		a.olds = append(a.olds, i)
	}
	slices.SortStableFunc(j.order, func(a, b *arrival) int { return cmp.Compare(b.weight, a.weight) })
}

// Arrivals gives the URLs of the site at which old ones arrive, the heaviest first.
func Arrivals(olds []Old) []web.URL {
	j := &judging{Seen: Seen{Olds: olds}, arrivals: map[string]*arrival{}}
	j.sortOlds()
	all := make([]web.URL, 0, len(j.order))
	for _, a := range j.order {
		all = append(all, a.url)
	}
	return all
}

func (j *judging) add(weight int64, urls int, f finding.Finding) {
	j.found.Rows = append(j.found.Rows, Row{weight, urls, f})
}

// sortRows puts rows in order: the most visits first, then the gravest.
func (j *judging) sortRows() {
	if j.Accept != nil {
		all := j.Accept(j.found.Findings())
		for i := range all { // they come back in their order
			j.found.Rows[i].Finding = all[i]
		}
	}
	slices.SortStableFunc(j.found.Rows, func(a, b Row) int {
		return cmp.Or(cmp.Compare(b.Weight, a.Weight),
			cmp.Compare(b.Severity.Rank(), a.Severity.Rank()), cmp.Compare(a.Code, b.Code),
			cmp.Compare(a.Subject, b.Subject))
	})
}

// Goals gives where a predicted web leads URLs on the site: the zero value where it leads nowhere
// there. What only follows visitors is left out.
func Goals(w chain.Asker, serves func(web.Host) bool) func(web.URL) web.URL {
	return func(u web.URL) web.URL {
		way := chain.Follow(context.Background(), w, chain.Ask{URL: u}, chain.Asked)
		return goal(way.Arrival, way.End, way.Last().Status, serves)
	}
}

func goal(at web.URL, end chain.End, status int, serves func(web.Host) bool) web.URL {
	if end != chain.Page || status == 410 || !serves(at.Host()) {
		return web.URL{}
	}
	if query, some := old.WithoutTracking(at.Query()); some {
		return at.Door().URL(at.Path(), query)
	}
	return at
}

// OldsOf gives the old URLs of a coverage at doors that are meant, with where the plan leads them.
// What forms send is none.
func OldsOf(c *old.Coverage, meant func(web.Door) bool, serves func(web.Host) bool) []Old {
	var all []Old
	for i, a := range c.Addresses {
		u, err := web.ParseURL(a.URL)
		if err != nil || a.Method != "" || !meant(u.Door()) {
			continue
		}
		one := Old{URL: u, Weight: a.Weight}
		arrival, end, status := c.End(i)
		if to, err := web.ParseURL(arrival); err == nil {
			one.To = goal(to, end, status, serves)
		}
		all = append(all, one)
	}
	return all
}

// Allot plans a crawl of the site within so many pages: the home pages, the pages at which old URLs
// arrive, the heaviest first, up to half of them, and what sitemaps list, up to three quarters;
// what these link to gets the rest. left says that some of them were more than that.
func Allot(f *old.Frontier, most int, homes []web.URL, olds []Old, listed []Listed) (left bool) {
	add := func(u web.URL) { f.Add(u, 0) }
	f.Pages = len(homes)
	for _, u := range homes {
		add(u)
	}
	f.Pages = max(f.Pages, most/2)
	for _, u := range Arrivals(olds) {
		add(u)
	}
	f.Pages = max(f.Pages, most*3/4)
	for _, l := range listed {
		add(l.URL)
	}
	left = f.TooMany > 0
	f.Pages, f.TooMany = max(f.Pages, most), 0 // they may be met by the way
	return left
}

// sameFile tells files apart, whatever the scheme and the www by which they are asked for.
func sameFile(u web.URL) string {
	return strings.TrimPrefix(u.Host().String(), "www.") + u.RequestURI()
}

// once leaves one of each file, the first in order.
func once[F any](all []F, at func(F) web.URL) []F {
	all = slices.SortedFunc(slices.Values(all), func(a, b F) int {
		return cmp.Or(cmp.Compare(sameFile(at(a)), sameFile(at(b))),
			cmp.Compare(at(a).String(), at(b).String()))
	})
	return slices.CompactFunc(all, func(a, b F) bool { return sameFile(at(a)) == sameFile(at(b)) })
}

// lost takes in what could not be judged.
func (j *judging) lost(what, first, why string) {
	for i := range j.found.Unseen {
		if u := &j.found.Unseen[i]; u.What == what && u.Why == why {
			u.Count++
			return
		}
	}
	j.found.Unseen = append(j.found.Unseen, Unseen{what, 1, first, why})
}
