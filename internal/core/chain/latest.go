package chain

import (
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Joined is what several audits saw last of each URL.
type Joined struct {
	Audit *Audit // what was seen last, put together; it has the start of the newest
	// when each URL was seen last, by Key
	Seen map[string]time.Time
	From []*Audit // what it was taken of, the newest first
	// newer audits that were not taken, since addresses or a time were given by hand, or since they
	// looked from another place
	Aside []*Audit
}

// Key tells the entries of chains apart.
func (c *Chain) Key() string {
	if m := c.Hops[0].Method; m != "" {
		return m + " " + c.Entry.String()
	}
	return c.Entry.String()
}

// Latest takes of several audits, the newest first, what was seen last of each URL, from the place
// from which the newest looked that looked at everything, or from the one that is named. What a
// newer audit of the same domain no longer asked for is left out, and what still, where it is not
// nil, does not hold.
func Latest(all []*Audit, vantage string, still func(web.URL) bool) *Joined {
	j := &Joined{Audit: &Audit{Schema: AuditSchema, Chains: []Chain{}, Findings: []finding.Finding{}},
		Seen: map[string]time.Time{}}
	taking := joining{Joined: j, still: still, done: map[string]bool{}, by: map[string]*Audit{}}
	if vantage == "" {
		vantage = placeOf(all)
	}
	for _, a := range all {
		if !a.Scope.Real() || a.Vantage != vantage {
			if len(j.From) == 0 {
				j.Aside = append(j.Aside, a)
			}
			continue
		}
		taking.chains(a)
	}
	for _, a := range j.From {
		taking.findings(a)
	}
	finding.Sort(j.Audit.Findings)
	if len(j.From) > 0 {
		newest := j.From[0]
		j.Audit.Schema, j.Audit.Vantage, j.Audit.Canonical = newest.Schema, newest.Vantage,
			newest.Canonical
		j.Audit.Started, j.Audit.Notes = newest.Started, newest.Notes
		if len(j.From) == 1 && len(j.Audit.Chains) == len(newest.Chains) {
			j.Audit.Scope = newest.Scope
		}
	}
	return j
}

// placeOf gives from where what is told was seen: that of the newest audit of everything, else that
// of the newest of all.
func placeOf(all []*Audit) string {
	place := ""
	for _, a := range all {
		switch {
		case !a.Scope.Real():
		case a.Scope.Whole():
			return a.Vantage
		case place == "":
			place = a.Vantage
		}
	}
	return place
}

type joining struct {
	*Joined
	still func(web.URL) bool
	done  map[string]bool   // domains of which a newer audit asked for everything
	by    map[string]*Audit // by which audit an entry was seen last
}

// chains takes the chains of an audit that no newer one saw.
func (j *joining) chains(a *Audit) {
	taken := false
	here := map[string]bool{}
	for i := range a.Chains {
		c := &a.Chains[i]
		key := c.Key()
		here[c.Entry.Host().Domain().String()] = true
		by := j.by[key]
		if by != nil && by != a || by == nil && j.done[c.Entry.Host().Domain().String()] ||
			j.still != nil && !j.still(c.Entry) {
			continue
		}
		j.by[key], j.Seen[key], taken = a, a.Started, true
		j.Audit.Chains = append(j.Audit.Chains, *c)
	}
	if taken {
		j.From = append(j.From, a)
	}
	if a.Scope.Ended() && (a.Scope == nil || !a.Scope.DoorsOnly) {
		for d := range here {
			j.done[d] = true
		}
	}
}

// findings takes the findings of an audit about what was taken of it.
func (j *joining) findings(a *Audit) {
	for _, f := range a.Findings {
		switch {
		case len(f.Entries) > 0:
			f.Entries = slices.DeleteFunc(slices.Clone(f.Entries), func(e string) bool {
				return j.by[e] != a
			})
			if len(f.Entries) == 0 {
				continue
			}
			f.Entry = f.Entries[0]
		case f.Entry != "" && j.by[f.Entry] != a, f.Entry == "" && !j.newest(a, f.Subject):
			continue
		}
		at := slices.IndexFunc(j.Audit.Findings, func(o finding.Finding) bool {
			return o.Code == f.Code && o.Subject == f.Subject && o.Open() == f.Open() && o.Entry != "" &&
				f.Entry != ""
		})
		if at < 0 {
			j.Audit.Findings = append(j.Audit.Findings, f)
			continue
		}
		o := &j.Audit.Findings[at]
		for _, e := range f.Entries {
			if !slices.Contains(o.Entries, e) {
				o.Entries = append(slices.Clip(o.Entries), e)
			}
		}
	}
}

// newest reports whether no newer audit looked at everything that shows what a finding is about
// that no chain has alone: the domain of its subject, or, where that is a page of the site, all.
func (j *joining) newest(a *Audit, subject string) bool {
	domain := ""
	if h, ok := hostOf(subject); ok {
		domain = h.Domain().String()
	}
	for _, newer := range j.From {
		if newer == a {
			return true
		}
		site := ""
		if u, err := web.ParseURL(newer.Canonical); err == nil {
			site = u.Host().Domain().String()
		}
		if newer.Scope.Whole() || newer.Scope.Ended() && domain != site && newer.Scope.Covers(domain) {
			return false
		}
	}
	return true
}
