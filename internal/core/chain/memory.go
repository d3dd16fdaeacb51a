package chain

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Memory is what a browser remembers of earlier visits: permanent redirects (RFC 9111 section 3)
// and which hosts are to be asked by https alone (RFC 6797). The zero value remembers nothing; it
// is ready.
type Memory struct {
	redirects map[web.URL]remembered
	secure    map[web.Host]secured
}

type remembered struct {
	status int
	to     string // the Location
	until  time.Time
}

type secured struct {
	until   time.Time
	below   bool // hosts below it too
	builtIn bool // the browser came with it
}

// Forever is the end of what a browser remembers until it is told to forget.
var Forever = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

// Count returns how many redirects and hosts are remembered.
func (m *Memory) Count() (redirects, hosts int) { return len(m.redirects), len(m.secure) }

// Redirects gives the URLs whose permanent redirects are remembered, in order.
func (m *Memory) Redirects() []web.URL {
	return slices.SortedFunc(maps.Keys(m.redirects), func(a, b web.URL) int {
		return cmp.Compare(a.String(), b.String())
	})
}

// Visit takes in what a browser learned that visited a chain at a time. Behind a certificate that
// stops visitors it learned nothing.
func (m *Memory) Visit(c *Chain, at time.Time) {
	if m.redirects == nil {
		m.redirects, m.secure = map[web.URL]remembered{}, map[web.Host]secured{}
	}
	for i := range c.Hops {
		h := &c.Hops[i]
		if c.StoppedAt != nil && i >= *c.StoppedAt || h.Refusal != "" || h.Remembered != "" {
			return
		}
		if h.URL.Scheme() == web.HTTPS && h.Headers != nil && h.Headers.HSTS != "" {
			m.visitHSTS(h, at)
		}
		if until, kept := keeps(h, at); kept && h.Method == "" && h.Location != "" {
			m.redirects[h.URL] = remembered{h.Status, h.Location, until}
		} else {
			delete(m.redirects, h.URL)
		}
	}
}

func (m *Memory) visitHSTS(h *Answer, at time.Time) {
	if _, isAddress := h.URL.Host().Address(); isAddress {
		return // RFC 6797 section 8.1.1
	}
	p, ok := ParseHSTS(h.Headers.HSTS)
	switch {
	case !ok:
	case p.MaxAge <= 0:
		delete(m.secure, h.URL.Host())
	default:
		m.secure[h.URL.Host()] = secured{until: at.Add(p.MaxAge), below: p.Below}
	}
}

// Preload takes in a host that browsers come with as one to be asked by https alone.
func (m *Memory) Preload(h web.Host, below bool) {
	if m.redirects == nil {
		m.redirects, m.secure = map[web.URL]remembered{}, map[web.Host]secured{}
	}
	m.secure[h] = secured{Forever, below, true}
}

// HSTSPolicy is what a Strict-Transport-Security header says (RFC 6797 section 6.1).
type HSTSPolicy struct {
	MaxAge  time.Duration
	Below   bool // includeSubDomains
	Preload bool
}

// ParseHSTS reads a Strict-Transport-Security header; false where browsers take no notice of it: no
// max-age, or a directive twice.
func ParseHSTS(text string) (HSTSPolicy, bool) {
	var p HSTSPolicy
	seen := map[string]bool{}
	for directive := range strings.SplitSeq(text, ";") {
		name, value, _ := strings.Cut(strings.TrimSpace(directive), "=")
		name = strings.ToLower(strings.TrimSpace(name))
		if name == "" {
			continue
		}
		if seen[name] {
			return p, false
		}
		seen[name] = true
		switch name {
		case "max-age":
			seconds, err := strconv.ParseUint(strings.Trim(strings.TrimSpace(value), `"`), 10, 63)
			if err != nil {
				return p, false
			}
			p.MaxAge = time.Duration(min(seconds, mostSeconds)) * time.Second
		case "includesubdomains":
			p.Below = true
		case "preload":
			p.Preload = true
		}
	}
	return p, seen["max-age"]
}

// mostSeconds is a hundred years; longer is as good as for ever.
const mostSeconds = 100 * 366 * 24 * 3600

// keeps reports whether a browser keeps a redirect, and until when: as long as it says that it is
// fresh (RFC 9111 section 4.2.1), and where it says nothing, for good if it is permanent (section
// 4.2.2; browsers set no end).
func keeps(h *Answer, at time.Time) (time.Time, bool) {
	if !h.IsRedirect() {
		return time.Time{}, false
	}
	var control Headers
	if h.Headers != nil {
		control = *h.Headers
	}
	directives := map[string]string{}
	for d := range strings.SplitSeq(control.Cache, ",") {
		name, value, _ := strings.Cut(strings.TrimSpace(d), "=")
		directives[strings.ToLower(strings.TrimSpace(name))] = strings.Trim(strings.TrimSpace(value), `"`)
	}
	if _, no := directives["no-store"]; no {
		return time.Time{}, false
	}
	if _, no := directives["no-cache"]; no { // it is asked for again each time
		return time.Time{}, false
	}
	age, _ := strconv.ParseUint(control.Age, 10, 63)
	if text, is := directives["max-age"]; is {
		seconds, err := strconv.ParseUint(text, 10, 63)
		if err != nil || seconds <= age {
			return time.Time{}, false
		}
		return at.Add(time.Duration(min(seconds-age, mostSeconds)) * time.Second), true
	}
	if control.Expires != "" {
		until, ok := httpTime(control.Expires)
		return until, ok && until.After(at)
	}
	return Forever, h.Permanent()
}

// httpTime reads a time as HTTP writes it (RFC 9110 section 5.6.7).
func httpTime(s string) (time.Time, bool) {
	for _, layout := range []string{"Mon, 02 Jan 2006 15:04:05 GMT", time.RFC850, time.ANSIC} {
		if t, err := time.Parse(layout, s); err == nil {
			return t, true
		}
	}
	return time.Time{}, false
}

// covered reports whether a browser asks a host by https alone at a time, and whether that is by
// what a host above says.
func (m *Memory) covered(h web.Host, now time.Time) (secured, web.Host, bool) {
	for at := h; !at.IsZero(); at = at.Parent() {
		s, ok := m.secure[at]
		if ok && now.Before(s.until) && (at == h || s.below) {
			return s, at, true
		}
	}
	return secured{}, web.Host{}, false
}

// Covering tells what has a browser ask a host by https alone at a time: what it remembers of that,
// the host that said so, and until when that holds, the zero time where it does for good. is is
// false where nothing does.
func (m *Memory) Covering(h web.Host, now time.Time) (why fact.Facts, by web.Host, until time.Time,
	is bool) {
	s, by, is := m.covered(h, now)
	switch {
	case !is:
		return nil, by, until, false
	case s.builtIn:
		return fact.Preloaded{Host: by.String()}, by, until, true
	}
	return fact.RememberedHTTPS{Host: by.String(), Until: bounded(s.until)}, by, bounded(s.until), true
}

// Returning is the web as a browser meets it that remembers: what it remembers is not asked.
type Returning struct {
	Asker  Asker
	Memory *Memory
	Now    time.Time
}

// NewCookies gives cookies where the web behind keeps them.
func (r Returning) NewCookies() Cookies {
	if k, ok := r.Asker.(CookieKeeper); ok {
		return k.NewCookies()
	}
	return nil
}

// Answer answers from memory where the browser would.
func (r Returning) Answer(ctx context.Context, ask Ask) Answer {
	u := ask.URL
	if u.Scheme() == web.HTTP {
		if _, _, is := r.Memory.covered(u.Host(), r.Now); is {
			d := u.Door()
			d.Scheme = web.HTTPS // a port that is named stays (RFC 6797 section 8.3)
			return Answer{URL: u, Status: 307, Location: u.At(d).String(), Remembered: MemoHSTS}
		}
	}
	if m, ok := r.Memory.redirects[u]; ok && ask.Method == "" && r.Now.Before(m.until) {
		return Answer{URL: u, Status: m.status, Location: m.to, Remembered: MemoRedirect}
	}
	return r.Asker.Answer(ctx, ask)
}

// JudgeReturning compares how a returning browser fares with how a fresh one does, and adds to its
// chain what is worse: a loop, a certificate warning with no way past, or an end that the fresh one
// does not meet.
func (m *Memory) JudgeReturning(fresh, again *Chain, now time.Time) {
	if !slices.ContainsFunc(again.Hops, func(h Answer) bool { return h.Remembered != "" }) {
		return
	}
	what, ends := m.behind(again, now)
	last := len(again.Hops) - 1
	entry, until := again.Entry.String(), bounded(ends)
	var code finding.Code
	var facts fact.Facts
	switch {
	case again.End == Loop && fresh.End != Loop, again.End == Limit && fresh.End != Limit:
		code = finding.RememberedLoop
		facts = fact.ReturnsInLoop{Entry: entry, Remembered: what, Ends: until}
	case m.trapped(again) && !m.trapped(fresh):
		code = finding.HSTSTrap
		facts = fact.ReturnsToWarning{Entry: entry, Remembered: what, Fault: m.fault(again),
			Host: again.Hops[last].URL.Host().String(), Ends: until}
	case fresh.End == Page && fresh.Last().Status < 400 && dead(again):
		end := again.Last()
		code = finding.DeadEnd
		facts = fact.ReturnsToNothing{Entry: entry, Arrival: end.URL.String(), Status: end.Status,
			Refusal: string(end.Refusal), Fresh: fresh.Arrival.String(), Remembered: what, Ends: until}
	case again.End == Page && fresh.End == Page && !again.Arrival.Same(fresh.Arrival):
		code = finding.WrongPage
		facts = fact.ReturnsElsewhere{Entry: entry, Arrival: again.Arrival.String(),
			Fresh: fresh.Arrival.String(), Remembered: what, Ends: until}
	default:
		return
	}
	f := finding.New(code, again.Entry.Door().String(), facts)
	f.Entry, f.Hop = entry, &last
	again.Findings = append(again.Findings, f)
}

// dead reports whether a chain ends where there is nothing: an error that is no passing one, or
// nobody who answers.
func dead(c *Chain) bool {
	last := c.Last()
	return c.End == Page && last.Status >= 400 && !last.TurnsAway() ||
		c.End == NoAnswer && last.Refusal != Unseen
}

// trapped reports whether a chain gets no further for want of TLS: with HSTS nobody can click a
// warning away.
func (m *Memory) trapped(c *Chain) bool {
	last := c.Last()
	return c.StoppedAt != nil ||
		c.End == NoAnswer && last.Refusal != Unseen && last.URL.Scheme() == web.HTTPS
}

func (m *Memory) fault(c *Chain) fact.Facts {
	if c.StoppedAt != nil {
		h := c.Hops[*c.StoppedAt]
		return fact.NoWayPast{Host: h.URL.Host().String(), Code: h.TLS.Faults[0].String()}
	}
	last := c.Last()
	return fact.NoWayThere{Door: last.URL.Door().String(), Refusal: string(last.Refusal)}
}

// behind tells what was remembered on a chain, and when the first of it ends.
func (m *Memory) behind(c *Chain, now time.Time) ([]fact.Facts, time.Time) {
	var all []fact.Facts
	ends := Forever
	for i := range c.Hops {
		h := &c.Hops[i]
		var one fact.Facts
		switch h.Remembered {
		case MemoRedirect:
			kept := m.redirects[h.URL]
			one = fact.RememberedRedirect{From: h.URL.String(), To: kept.to, Until: bounded(kept.until)}
			if kept.until.Before(ends) {
				ends = kept.until
			}
		case MemoHSTS:
			s, at, _ := m.covered(h.URL.Host(), now)
			one = fact.RememberedHTTPS{Host: at.String(), Until: bounded(s.until)}
			if s.builtIn {
				one = fact.Preloaded{Host: at.String()}
			}
			if s.until.Before(ends) {
				ends = s.until
			}
		default:
			continue
		}
		if len(all) == 0 || all[len(all)-1] != one {
			all = append(all, one)
		}
	}
	return all, ends
}

// bounded gives a time, the zero time where it never comes.
func bounded(t time.Time) time.Time {
	if !t.Before(Forever) {
		return time.Time{}
	}
	return t
}

// Preloading says what keeps a domain from what browsers ask of those that they preload: its apex
// answers by https with a certificate that holds, http goes to https on the same host first, and
// HSTS is sent for a year at least, for hosts below too, with preload. Empty: it meets all of that.
// known is false where its https door was not seen.
func Preloading(apex web.Host, chains []Chain) (wants []fact.Facts, asked, known bool) {
	for i := range chains {
		c := &chains[i]
		if c.Probe != Root || c.Entry.Host() != apex || len(c.SeenBy) > 0 {
			continue
		}
		first := &c.Hops[0]
		if c.Entry.Scheme() == web.HTTP {
			next, _, ok := first.Next()
			if first.Refusal == "" &&
				(!ok || !first.IsRedirect() || next.Host() != apex || next.Scheme() != web.HTTPS) {
				wants = append(wants, fact.WantsRedirect{Apex: apex.String()})
			}
			continue
		}
		if first.Refusal != "" {
			wants = append(wants, fact.WantsAnswer{Apex: apex.String()})
			continue
		}
		known = true
		if first.TLS != nil && len(first.TLS.Faults) > 0 && c.StoppedAt != nil && *c.StoppedAt == 0 {
			wants = append(wants, fact.WantsCertificate{Apex: apex.String()})
		}
		p, ok := HSTSPolicy{}, false
		if first.Headers != nil {
			p, ok = ParseHSTS(first.Headers.HSTS)
		}
		if !ok {
			wants = append(wants, fact.WantsHSTS{Apex: apex.String()})
			continue
		}
		asked = p.Preload
		if p.MaxAge < year {
			wants = append(wants, fact.WantsMaxAge{Seconds: int(p.MaxAge / time.Second), Lasts: p.MaxAge})
		}
		if !p.Below {
			wants = append(wants, fact.WantsSubdomains{})
		}
		if !p.Preload {
			wants = append(wants, fact.WantsPreload{})
		}
	}
	return wants, asked, known
}

const (
	year     = 365 * 24 * time.Hour
	halfYear = 180 * 24 * time.Hour
)
