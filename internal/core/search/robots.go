package search

import (
	"cmp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/robots"
	"upperpath.example/upperpath/internal/core/web"
)

// barred is a group of URLs that one line keeps the same robots away from.
type barred struct {
	host   string // of the URLs
	file   string // the robots.txt
	by     robots.Barring
	when   fact.Facts
	now    bool // today alone
	weight int64
	urls   int
	first  string
	status int // of a robots.txt whose server fails; 0: it was read
}

// robots judges what robots are told of old URLs, today and after the move, and of the pages at
// which these arrive.
func (j *judging) robots() {
	groups := map[string]*barred{}
	lost := map[web.Door]bool{}
	for _, o := range j.Olds {
		door := o.URL.Door()
		today, now := j.bars(j.Today[door], o.URL)
		after, then := j.bars(j.After[door], o.URL)
		if r := j.After[door]; r.Says == nil && !lost[door] {
			lost[door] = true
			j.lost(UnseenRobots, door.URL("/robots.txt", "").String(), cmp.Or(r.Why, NotLookedAt))
		}
		file, by := j.After[door], after
		var when fact.Facts
		switch {
		case now && then:
			when = fact.BarredAlways{}
		case then:
			when = fact.BarredAfter{}
		case now && j.After[door].Says != nil:
			file, by, when = j.Today[door], today, fact.BarredToday{}
		case now: // what answers then was not seen
			file, by, when = j.Today[door], today, fact.BarredNow{}
		default:
			continue
		}
		b := barred{host: door.Host.String(), file: file.From.String(), by: by, when: when,
			now: !then && j.After[door].Says != nil}
		if file.Status >= 500 {
			b.status = file.Status
		}
		groupOf(groups, &b).take(o.Weight, o.URL.String())
	}
	j.barredOlds(groups)
	j.barredArrivals()
}

// NotLookedAt is why something is unseen at which nobody looked.
const NotLookedAt = "not looked at"

// bars reports whom a robots.txt keeps away from a URL.
func (j *judging) bars(r Robots, u web.URL) (robots.Barring, bool) {
	if r.Says == nil {
		return robots.Barring{}, false
	}
	return r.Says.Bars(u.RequestURI())
}

func groupOf(groups map[string]*barred, b *barred) *barred {
	key := strings.Join([]string{b.host, b.file, b.by.Line, strings.Join(b.by.Named, ","),
		strings.Join(b.by.Except, ","), fact.Of(b.when, fact.Says).String()}, "\x00")
	if groups[key] == nil {
		groups[key] = b
	}
	return groups[key]
}

func (b *barred) take(weight int64, url string) {
	b.weight = old.Plus(b.weight, weight)
	if b.urls++; b.first == "" {
		b.first = url
	}
}

// whom says which robots are kept away.
func whom(b robots.Barring) fact.Facts {
	switch {
	case b.Everybody && len(b.Except) > 0:
		return fact.RobotsBut{Except: b.Except}
	case b.Everybody:
		return fact.RobotsAll{}
	}
	return fact.RobotsNamed{Named: b.Named}
}

func sortedGroups(groups map[string]*barred) []*barred {
	all := make([]*barred, 0, len(groups))
	for _, b := range groups {
		all = append(all, b)
	}
	slices.SortFunc(all, func(a, b *barred) int {
		return cmp.Or(cmp.Compare(b.weight, a.weight), cmp.Compare(a.host, b.host),
			cmp.Compare(a.first, b.first))
	})
	return all
}

func (j *judging) barredOlds(groups map[string]*barred) {
	for _, b := range sortedGroups(groups) {
		var facts fact.Facts = fact.OldsBarred{Robots: b.file, Whom: whom(b.by), URLs: b.urls,
			Host: b.host, Rule: b.by.Line, First: b.first, When: b.when}
		if b.status > 0 {
			facts = fact.OldsBarredByFailure{Robots: b.file, Status: b.status, URLs: b.urls,
				Host: b.host, First: b.first, When: b.when}
		}
		f := finding.New(finding.RobotsBlocked, b.host, facts)
		if b.now {
			f = f.As(finding.Note)
		}
		j.add(b.weight, b.urls, f)
	}
}

// barredArrivals judges what robots are told of the pages at which old URLs arrive.
func (j *judging) barredArrivals() {
	groups := map[string]*barred{}
	olds := map[*barred]int{}
	for _, a := range j.order {
		r, is := j.Own[a.url.Door()]
		if !is {
			continue
		}
		by, bars := j.bars(r, a.url)
		if !bars {
			continue
		}
		b := groupOf(groups, &barred{host: a.url.Host().String(), file: r.From.String(), by: by,
			when: fact.BarredAfter{}})
		if r.Status >= 500 {
			b.status = r.Status
		}
		b.take(a.weight, a.url.String())
		olds[b] += len(a.olds)
	}
	for _, b := range sortedGroups(groups) {
		var facts fact.Facts = fact.ArrivalsBarred{Robots: b.file, Whom: whom(b.by), Pages: b.urls,
			Rule: b.by.Line, First: b.first, URLs: olds[b]}
		if b.status > 0 {
			facts = fact.SiteBarredByFailure{Robots: b.file, Status: b.status}
		}
		j.add(b.weight, olds[b], finding.New(finding.RobotsBlocked, b.first, facts))
	}
}
