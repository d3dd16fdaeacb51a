package chain

import (
	"context"
	"slices"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// MostHops is how many redirects browsers take before they give up.
const MostHops = 20

// MostOctets is how long path and query of a URL may become on the way, in octets. Servers refuse
// requests of an eighth of it.
const MostOctets = 64 << 10

// TooLong reports whether a URL on the way is longer than any server takes: there following ends.
func TooLong(u web.URL) bool { return len(u.Path())+len(u.Query()) > MostOctets }

// Probe says why a URL was asked.
type Probe string

// The probes. Every door is tried with the first three.
const (
	Root      Probe = "root"    // the door's root
	Deep      Probe = "deep"    // a made-up path: is it kept?
	Query     Probe = "query"   // a made-up query: is it kept?
	ByRule    Probe = "rule"    // the URL of a rule without captures
	ByPattern Probe = "pattern" // a made-up example of a rule with captures
	Asked     Probe = "url"     // a URL that somebody gave

	WellKnown Probe = "well-known" // a made-up token where certificate authorities look
	Robots    Probe = "robots"     // what robots are told
)

// madeUp reports whether the path that is asked exists for the asking only, so that nobody need
// have a page there.
func (p Probe) madeUp() bool { return p == Deep || p == ByPattern }

// What is asked of every door. The path and the query are made up; nobody has them.
const (
	deepPath  = "/upper-path/made-up/page.html"
	probeTerm = "upper-path=made-up"
)

// Probes gives the URLs with which a door is tried.
func Probes(d web.Door) map[Probe]web.URL {
	return map[Probe]web.URL{Root: d.URL("/", ""), Deep: d.URL(deepPath, ""),
		Query: d.URL("/", probeTerm)}
}

// WellKnownPath is a token that nobody has, where certificate authorities look for theirs (RFC 8555
// section 8.3).
const WellKnownPath = "/.well-known/acme-challenge/upper-path-made-up"

// Besides gives what else is asked of a host, by its http door.
func Besides(h web.Host) []Entry {
	d := web.Door{Scheme: web.HTTP, Host: h}
	return []Entry{
		{Ask: Ask{URL: d.URL(WellKnownPath, "")}, Probe: WellKnown},
		{Ask: Ask{URL: d.URL("/robots.txt", "")}, Probe: Robots},
	}
}

// IsProbe reports whether a URL is one of those with which a door is tried.
func IsProbe(u web.URL) bool {
	return u.RequestURI() == "/" || u.Path() == deepPath || u.RequestURI() == "/?"+probeTerm
}

// ProbeOrder is the order in which the probes of a door are shown.
var ProbeOrder = []Probe{Root, Deep, Query}

// End says how a chain ends.
type End string

// The ends of a chain.
const (
	Page End = "page" // an answer that is no redirect
	Loop End = "loop" // back at a URL that was asked already
	// more redirects than a browser takes, or a URL longer than any server takes
	Limit       End = "limit"
	NoAnswer    End = "refusal"      // no HTTP answer
	BadLocation End = "bad-location" // a redirect that leads nowhere
)

// Chain is all the answers from an entry URL to its end.
type Chain struct {
	Entry   web.URL  `json:"entry"`
	Probe   Probe    `json:"probe"`
	Hops    []Answer `json:"hops"`    // every answer, the last included
	Arrival web.URL  `json:"arrival"` // the last URL
	End     End      `json:"end"`
	// for a loop: the hop that it goes back to, from 0
	LoopsTo *int `json:"loops_to,omitempty"`
	// where a certificate stops ordinary visitors, from 0
	StoppedAt *int     `json:"stopped_at,omitempty"`
	Cookies   bool     `json:"cookies,omitempty"` // it ends only for those who keep cookies
	Frame     []Answer `json:"frame,omitempty"`   // what the page shows in a frame, every answer
	// what further addresses of the entry's host answer
	Others []Other  `json:"others,omitempty"`
	SeenBy []string `json:"seen_by,omitempty"` // which visitors go this way, where not all do

	Number   int               `json:"-"` // of its entry, as whoever listed it counts
	strayed  bool              // it arrives on a page other than the one that was asked or planned
	Findings []finding.Finding `json:"findings"`
}

// Last returns the last answer.
func (c *Chain) Last() Answer { return c.Hops[len(c.Hops)-1] }

// Redirects returns how many redirects were taken.
func (c *Chain) Redirects() int {
	n := len(c.Hops) - 1
	if c.End == Loop {
		n++
	}
	return n
}

// public reports whether the chain began at an address that everybody reaches.
func (c *Chain) public() bool {
	began := c.Hops[0].At
	return began.IsValid() && !web.IsPrivate(began.Addr())
}

// Follow asks from the entry on, redirect by redirect, until an answer is none, a URL comes again,
// or a browser would give up. It goes on behind certificate faults, as a visitor does who clicks
// the warning away, and where a page sends visitors on by itself. A round in which a cookie is set
// is followed once more with cookies, as a browser does. It returns early, with what it has, when
// the context ends.
func Follow(ctx context.Context, asker Asker, entry Ask, probe Probe) Chain {
	c := follow(ctx, asker, entry, probe)
	if keeper, ok := asker.(CookieKeeper); ok && c.End == Loop && c.setsCookie() &&
		entry.Cookies == nil {
		entry.Cookies = keeper.NewCookies()
		if kept := follow(ctx, asker, entry, probe); kept.End != Loop {
			kept.Cookies = true
			c = kept
		}
	}
	if last := c.Last(); c.End == Page && last.Framed != "" && probe != inFrame {
		if shown, err := web.ParseURL(last.Framed); err == nil {
			c.Frame = follow(ctx, asker, Ask{URL: shown, Public: c.public()}, inFrame).Hops
		}
	}
	return c
}

// inFrame is the probe of what a page shows in a frame.
const inFrame Probe = "frame"

// setsCookie reports whether an answer of a loop sets a cookie.
func (c *Chain) setsCookie() bool {
	return slices.ContainsFunc(c.Hops[*c.LoopsTo:], func(a Answer) bool {
		return a.Headers != nil && a.Headers.Cookies
	})
}

func follow(ctx context.Context, asker Asker, entry Ask, probe Probe) Chain {
	c := Chain{Entry: entry.URL, Probe: probe, Findings: []finding.Finding{},
		Hops: make([]Answer, 0, usualHops)}
	ask := entry
	for {
		var answer Answer
		if ask.URL.BarredPort() {
			answer = Answer{URL: ask.URL, Refusal: Refused}
		} else {
			answer = asker.Answer(ctx, ask)
		}
		answer.Method = ask.Method
		c.Hops = append(c.Hops, answer)
		c.Arrival = ask.URL
		if answer.Refusal != "" {
			c.End = NoAnswer
			return c
		}
		if !answer.MovesOn() {
			c.End = Page
			return c
		}
		next, _, ok := answer.Next()
		if !ok {
			c.End = BadLocation
			return c
		}
		ask = Ask{URL: next, Public: c.public(), Method: answer.NextMethod(), Cookies: entry.Cookies,
			Onward: true}
		if at := c.been(ask); at >= 0 {
			c.End, c.LoopsTo = Loop, &at
			return c
		}
		if len(c.Hops) > MostHops || TooLong(next) {
			c.End = Limit
			return c
		}
	}
}

// usualHops is for how many answers a chain has room from the start.
const usualHops = 2

// been tells at which hop the same was asked before, -1 where it was not. With cookies a URL may
// answer otherwise the second time, and a third time it is the same again.
func (c *Chain) been(ask Ask) int {
	times := 0
	for i := range c.Hops {
		h := &c.Hops[i]
		if h.Method != ask.Method || !h.URL.Same(ask.URL) {
			continue
		}
		if times++; ask.Cookies == nil || times > 1 {
			return i
		}
	}
	return -1
}
