package chain

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/web"
)

// AuditSchema names the shape of an audit in JSON.
const AuditSchema = "upperpath/audit/1"

// Audit is all that was seen and judged in one go.
type Audit struct {
	Schema    string            `json:"schema"`
	Vantage   string            `json:"vantage"`
	Canonical string            `json:"canonical,omitempty"`
	Started   time.Time         `json:"started"`
	Scope     *scope.Scope      `json:"scope,omitempty"` // nil: no estate, or an earlier version
	Chains    []Chain           `json:"chains"`
	Findings  []finding.Finding `json:"findings"`
	Notes     []string          `json:"notes,omitempty"`
}

// Tally gathers the findings of chains by their cause, and what is to be known of several chains
// together.
type Tally struct {
	finding.Tally
	serves map[web.Host]web.URL // root of a host that serves a page itself, and that page
	covers map[web.Host]cover   // hosts that ask for https below them too
	dark   map[web.Host]darkDoor
	landed map[string][]string // pages on which old URLs arrived that nobody planned there
	apex   map[web.Host][]Chain
}

// cover is what a host asks of browsers for those below it.
type cover struct {
	header string
	until  time.Duration
}

// darkDoor is a host whose https door does not serve.
type darkDoor struct {
	why   fact.Facts
	entry string
	plain bool // its http door answers
}

// mostLanded is how many old URLs of a page are kept.
const mostLanded = 20_000

// AddChain takes in the findings of a chain.
func (t *Tally) AddChain(c Chain) {
	t.Add(c.Findings...)
	switch c.Probe {
	case Root:
		t.addRoot(&c)
	case Asked, ByRule:
		if c.strayed && len(t.landed) < mostLanded {
			if t.landed == nil {
				t.landed = map[string][]string{}
			}
			to := c.Arrival.Door().URL(c.Arrival.Path(), "").String()
			if path := c.Entry.Path(); !slices.Contains(lastOf(t.landed[to], 8), path) &&
				len(t.landed[to]) < mostLanded {
				t.landed[to] = append(t.landed[to], path)
			}
		}
	}
}

func lastOf(s []string, n int) []string { return s[max(0, len(s)-n):] }

// addRoot takes in what the root of a door shows about its host.
func (t *Tally) addRoot(c *Chain) {
	h := c.Entry.Host()
	first := &c.Hops[0]
	if c.End == Page && c.Last().Status < 400 && c.Arrival.Host() == h {
		if t.serves == nil {
			t.serves = map[web.Host]web.URL{}
		}
		t.serves[h] = c.Arrival
	}
	if c.Entry.Scheme() == web.HTTP {
		if first.Refusal == "" {
			d := t.dark[h]
			d.plain = true
			t.darken(h, d)
		}
		return
	}
	if h.IsApex() && len(c.SeenBy) == 0 {
		if t.apex == nil {
			t.apex = map[web.Host][]Chain{}
		}
		t.apex[h] = append(t.apex[h], *c)
	}
	switch {
	case first.Refusal == Refused || first.Refusal == TLSFailed || first.Refusal == Timeout:
		d := t.dark[h]
		d.why, d.entry = fact.SilentOverHTTPS{Refusal: string(first.Refusal)}, c.Entry.String()
		t.darken(h, d)
	case c.StoppedAt != nil && *c.StoppedAt == 0:
		d := t.dark[h]
		d.why = fact.RefusedByTLS{Code: slices.Min(first.TLS.Faults).String()}
		d.entry = c.Entry.String()
		t.darken(h, d)
	}
	for i := range c.Hops {
		hop := &c.Hops[i]
		if hop.Headers == nil || hop.Headers.HSTS == "" || hop.URL.Scheme() != web.HTTPS ||
			c.StoppedAt != nil && i >= *c.StoppedAt || hop.Remembered != "" {
			continue
		}
		if p, ok := ParseHSTS(hop.Headers.HSTS); ok && p.Below && p.MaxAge > 0 {
			if t.covers == nil {
				t.covers = map[web.Host]cover{}
			}
			t.covers[hop.URL.Host()] = cover{hop.Headers.HSTS, p.MaxAge}
		}
	}
}

func (t *Tally) darken(h web.Host, d darkDoor) {
	if t.dark == nil {
		t.dark = map[web.Host]darkDoor{}
	}
	t.dark[h] = d
}

// Together adds the findings that several chains show together: hosts that HSTS locks out, and
// pages on which many old URLs land that nobody planned there.
func (t *Tally) Together() {
	for _, h := range slices.SortedFunc(maps.Keys(t.dark), compareHosts) {
		d := t.dark[h]
		if d.why == nil || !d.plain {
			continue
		}
		for at := h.Parent(); !at.IsZero(); at = at.Parent() {
			c, ok := t.covers[at]
			if !ok {
				continue
			}
			f := finding.New(
				finding.HSTSTrap,
				h.String(),
				fact.TrappedByHSTS{CoveredBy: at.String(), Header: c.header, Host: h.String(), Why: d.why,
					Until: c.until},
			)
			f.Entry = d.entry
			t.Add(f)
			break
		}
	}
	for _, to := range slices.Sorted(maps.Keys(t.landed)) {
		paths := t.landed[to]
		if len(paths) < LeastMany {
			continue
		}
		t.Add(finding.New(finding.ManyToOne, to,
			fact.ManyArriveOnOne{URLs: lastOf(paths, 50), Count: len(paths), To: to, Paths: paths}))
	}
}

// LeastMany is from how many old URLs on a page on they are many.
const LeastMany = 5

func compareHosts(a, b web.Host) int { return cmp.Compare(a.String(), b.String()) }

// Preloading gives facts for each apex that was seen over https and asks to be preloaded by
// browsers, or is the one given: whether it meets what they ask.
func (t *Tally) Preloading(canonical web.Host) []fact.Facts {
	var all []fact.Facts
	for _, h := range slices.SortedFunc(maps.Keys(t.apex), compareHosts) {
		chains := t.apex[h]
		wants, asked, known := Preloading(h, chains)
		if !known || !asked && h != canonical {
			continue
		}
		if len(wants) == 0 {
			all = append(all, fact.CanBePreloaded{Apex: h.String()})
			continue
		}
		all = append(all, fact.CannotBePreloaded{Apex: h.String(), Wants: wants})
	}
	return all
}

// Disagreements adds a finding for each domain whose apex and www both serve pages; for looks
// without an estate. forwards tells which doors are to forward, where somebody says; it may be nil.
func (t *Tally) Disagreements(forwards func(web.Door) bool) {
	for host, page := range t.serves {
		www, both := t.serves[host.WWW()]
		if !both || !host.IsApex() {
			continue
		}
		first, other := page.Door(), www.Door()
		if forwards != nil && forwards(other) && !forwards(first) {
			first, other = other, first
		}
		t.Add(
			finding.New(
				finding.DoorsDisagree,
				host.String(),
				fact.TwoSites{Apex: page.String(), Www: www.String(), First: first.String(),
					Other: other.String()},
			),
		)
	}
}

// SitemapFindings gives a finding where a sitemap still names hosts that only redirect.
func (j Judge) SitemapFindings(at web.URL, links []Link) []finding.Finding {
	v := judging{judge: j}
	var left []string
	for _, l := range links {
		if h, ok := hostOf(l.URL); ok && v.old(h) {
			left = append(left, fmt.Sprintf("%s (line %d)", short(l.URL), l.Line))
		}
	}
	if len(left) == 0 {
		return nil
	}
	return []finding.Finding{finding.New(finding.LeftoverLink, at.String(),
		fact.SitemapLeftovers{Links: left, Sitemap: at.String(), Count: len(left)})}
}
