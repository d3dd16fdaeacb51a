package recheck_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// realDoor is a door as it really is, whoever looks.
type realDoor struct {
	front     string // what stands in front of it: "", a refusal, a certificate, a parking page
	downgrade bool
	long      bool // one hop too many
}

// realWeb is a web as it really is: doors, and the site to which they lead.
type realWeb struct {
	doors   map[string]*realDoor
	front   string // what stands in front of the site
	noHSTS  bool
	noindex bool
}

var fronts = map[string]finding.Code{"refused": finding.Refused, "timeout": finding.Timeout,
	"wrong-name": finding.WrongName, "parked": finding.NotRedirected}

var siteFronts = map[string]finding.Code{"503": finding.DeadEnd, "expired": finding.Expired,
	"busy": finding.TurnedAway, "timeout": finding.Timeout}

func (w *realWeb) clone() *realWeb {
	made := *w
	made.doors = map[string]*realDoor{}
	for name, d := range w.doors {
		one := *d
		made.doors[name] = &one
	}
	return &made
}

// faults gives every fault that is there, seen or not.
func (w *realWeb) faults() map[string]bool {
	all := map[string]bool{}
	for host, d := range w.doors {
		door := "https://" + host
		if d.front != "" {
			all[fronts[d.front].String()+" "+door] = true
		}
		if d.downgrade {
			all["downgrade "+door] = true
		}
		if d.long {
			all["extra-hop "+door] = true
		}
	}
	if w.front != "" {
		all[siteFronts[w.front].String()+" https://www.n.example"] = true
	}
	if w.noHSTS {
		all["hsts-missing https://www.n.example"] = true
	}
	if w.noindex {
		all["noindex https://www.n.example/"] = true
	}
	return all
}

// audit goes through some doors as a client does: it finds what can be seen, and nothing behind
// what stands in front.
func (w *realWeb) audit(hosts []string) *chain.Audit {
	a := &chain.Audit{Started: day, Canonical: "https://www.n.example",
		Scope: &scope.Scope{Estate: "e.yaml", Domains: hosts, Meant: len(hosts), Done: len(hosts)}}
	var tally chain.Tally
	site := web.MustParseURL("https://www.n.example/")
	for _, host := range hosts {
		d := w.doors[host]
		entry := web.MustParseURL("https://" + host + "/")
		c := chain.Chain{Entry: entry, Probe: chain.Root, End: chain.Page}
		add := func(code finding.Code, subject string) {
			f := finding.New(code, subject, fact.Kept{Says: "x", Do: "y"})
			hop := len(c.Hops) - 1
			f.Entry, f.Hop = entry.String(), &hop
			c.Findings = append(c.Findings, f)
		}
		w.enter(&c, d, add)
		if !slices.Contains([]string{"refused", "timeout", "parked"}, d.front) {
			w.arrive(&c, site, add)
		}
		c.Arrival = c.Last().URL
		tally.AddChain(c)
		robots := c // nobody judges its certificates
		robots.Probe, robots.Findings, robots.StoppedAt = chain.Robots, nil, nil
		robots.Entry = web.MustParseURL("http://" + host + "/robots.txt")
		a.Chains = append(a.Chains, c, robots)
	}
	a.Findings = tally.Findings()
	return a
}

// enter goes through a door.
func (w *realWeb) enter(c *chain.Chain, d *realDoor, add func(finding.Code, string)) {
	door := c.Entry.Door().String()
	hop := chain.Answer{URL: c.Entry, Status: 301, TLS: &chain.TLS{}}
	switch d.front {
	case "refused", "timeout":
		hop = chain.Answer{URL: c.Entry, Refusal: chain.Refusal(d.front)}
		c.End = chain.NoAnswer
	case "parked":
		hop.Status = 200
	case "wrong-name":
		hop.TLS.Faults = []finding.Code{finding.WrongName}
		stopped := 0
		c.StoppedAt = &stopped
	}
	c.Hops = append(c.Hops, hop)
	if d.front != "" {
		add(fronts[d.front], door)
	}
	if d.front != "" && d.front != "wrong-name" {
		return
	}
	if d.downgrade {
		add(finding.Downgrade, door)
	}
}

// arrive goes on to the site; w.front decides what of it can be seen.
func (w *realWeb) arrive(c *chain.Chain, site web.URL, add func(finding.Code, string)) {
	d := w.doors[c.Entry.Host().String()]
	hop := chain.Answer{URL: site, Status: 200, TLS: &chain.TLS{}}
	switch w.front {
	case "timeout":
		hop = chain.Answer{URL: site, Refusal: chain.Timeout}
		c.End = chain.NoAnswer
	case "503":
		hop.Status = 503
	case "busy":
		hop.Status = 429
	case "expired":
		hop.TLS.Faults = []finding.Code{finding.Expired}
		if c.StoppedAt == nil {
			stopped := len(c.Hops)
			c.StoppedAt = &stopped
		}
	}
	c.Hops = append(c.Hops, hop)
	if w.front != "" {
		add(siteFronts[w.front], "https://www.n.example")
	}
	if w.front != "" || c.StoppedAt != nil {
		return
	}
	if d.long {
		add(finding.ExtraHop, c.Entry.Door().String())
	}
	if w.noHSTS {
		add(finding.HSTSMissing, "https://www.n.example")
	}
	if w.noindex {
		add(finding.NoIndex, "https://www.n.example/")
	}
}

// TestNothingIsCalledMendedThatIsThere has webs change at random, looks at all or some of their
// doors, and holds what is said against how they really are.
func TestNothingIsCalledMendedThatIsThere(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 31)) // a test
	names := []string{"a.example", "b.example", "c.example"}
	spoil := func(w *realWeb) {
		for _, n := range names {
			d := w.doors[n]
			if r.IntN(2) == 0 {
				d.front = []string{"", "", "refused", "timeout", "wrong-name", "parked"}[r.IntN(6)]
			}
			d.downgrade, d.long = d.downgrade != (r.IntN(4) == 0), d.long != (r.IntN(4) == 0)
		}
		if r.IntN(2) == 0 {
			w.front = []string{"", "", "503", "expired", "busy", "timeout"}[r.IntN(6)]
		}
		w.noHSTS, w.noindex = w.noHSTS != (r.IntN(4) == 0), w.noindex != (r.IntN(4) == 0)
	}
	some := func() []string {
		if r.IntN(3) > 0 {
			return names
		}
		return names[:1+r.IntN(2)]
	}
	mended, hidden := 0, 0
	for range 4000 {
		before := &realWeb{doors: map[string]*realDoor{"a.example": {}, "b.example": {}, "c.example": {}}}
		spoil(before)
		now := before.clone()
		spoil(now)
		first, second := recheck.Of(nil, before.audit(some())), recheck.Of(nil, now.audit(some()))
		n := recheck.Compare(first, second, nil, nil, day)
		there, was := now.faults(), before.faults()
		for _, i := range n.Mended {
			require.False(t, there[i.Code+" "+i.Subject], "%s at %s is still there\n%+v\n%+v", i.Code,
				i.Subject, before, now)
			mended++
		}
		for _, i := range n.New {
			require.False(t, was[i.Code+" "+i.Subject], "%s at %s was there before\n%+v", i.Code, i.Subject,
				before)
		}
		hidden += len(n.Behind)
		// What is kept of both days knows what each saw.
		joined := recheck.Join(first, second)
		again := recheck.Compare(joined, recheck.Of(nil, now.audit(names)), nil, nil, day)
		for _, i := range again.Mended {
			require.False(t, there[i.Code+" "+i.Subject])
		}
	}
	assert.Greater(t, mended, 700, "something was mended")
	assert.Greater(t, hidden, 500, "something was hidden")
}

// TestWhatIsMendedIsSaid is the other side: where everything can be seen, everything is told.
func TestWhatIsMendedIsSaid(t *testing.T) {
	before := &realWeb{doors: map[string]*realDoor{"a.example": {downgrade: true, long: true},
		"b.example": {front: "refused"}}, noHSTS: true, noindex: true}
	now := before.clone()
	now.doors["a.example"], now.doors["b.example"] = &realDoor{}, &realDoor{}
	now.noHSTS, now.noindex = false, false
	hosts := []string{"a.example", "b.example"}
	n := recheck.Compare(recheck.Of(nil, before.audit(hosts)), recheck.Of(nil, now.audit(hosts)), nil,
		nil, day)
	assert.Len(t, n.Mended, 5)
	assert.Empty(t, n.Behind)
}

func TestMendedIsToldOfWhatWasToldAsNew(t *testing.T) {
	base := seen(nil)
	faulty := seen(func(_ *survey.Survey, a *chain.Audit) {
		a.Findings = []finding.Finding{
			finding.New(finding.PlainArrival, "http://a.example", fact.Kept{Says: "x", Do: "y"})}
	})
	news := recheck.Compare(base, faulty, nil, nil, day)
	told := news.Told(nil)
	require.Len(t, told, 1)
	again := recheck.Compare(base, faulty, nil, told, day)
	assert.Len(t, again.New, 1, "until somebody accepts it")
	mended := recheck.Compare(base, seen(nil), nil, told, day)
	require.Len(t, mended.Mended, 1)
	assert.Empty(t, mended.Told(told), "once")
	lived := []recheck.Acceptance{{Code: "plain-arrival", Subject: "a.example",
		Until: day.AddDate(0, 1, 0), Why: "it is let go"}}
	assert.Empty(t, recheck.Compare(base, faulty, lived, told, day).New)
	assert.Len(t, recheck.Compare(base, seen(nil), lived, told, day).Mended, 1, "accepted or not")
	dark := seen(func(_ *survey.Survey, a *chain.Audit) {
		a.Chains[0].Hops = []chain.Answer{{URL: a.Chains[0].Entry, Refusal: chain.Timeout}}
		a.Chains[0].End = chain.NoAnswer
	})
	silent := recheck.Compare(base, dark, nil, told, day)
	assert.Empty(t, silent.Mended)
	assert.Len(t, silent.Told(told), 1, "nobody saw whether it is")
}

// big is a state of many domains, each with its doors, as an audit of a site saw them.
func big(change func(*survey.Survey, *chain.Audit)) *recheck.State {
	var v survey.Survey
	a := chain.Audit{Started: day}
	v.Started = day
	for i := range 20 {
		name := fmt.Sprintf("d%02d.example", i)
		one := survey.Domain{Name: name, Source: survey.File,
			Servers: []survey.Server{{Name: "ns1.h.example", State: survey.Answers}},
			Parent:  survey.Parent{Server: "p", Servers: []string{"ns1.h.example"}}}
		v.Domains = append(v.Domains, one)
		for _, scheme := range []string{"http", "https"} {
			entry := web.MustParseURL(scheme + "://" + name + "/")
			to := web.MustParseURL("https://www.n.example/")
			a.Chains = append(a.Chains, chain.Chain{Entry: entry, Probe: chain.Root, End: chain.Page,
				Arrival: to, Hops: []chain.Answer{{URL: entry, Status: 301, TLS: &chain.TLS{Issuer: "CA",
					NotAfter: day.AddDate(0, 2, 0)}},
					{URL: to, Status: 200, Page: &chain.Document{Title: "Museum"}}}})
		}
	}
	if change != nil {
		change(&v, &a)
	}
	return recheck.Of(&v, &a)
}

// TestOneCauseIsOneLine has one thing happen at a time, and counts what is told of it.
func TestOneCauseIsOneLine(t *testing.T) {
	for name, c := range map[string]struct {
		change  func(*survey.Survey, *chain.Audit)
		what    string
		touches int
		items   int
	}{
		"a new title": {func(_ *survey.Survey, a *chain.Audit) {
			for i := range a.Chains {
				a.Chains[i].Hops[1].Page = &chain.Document{Title: "Museum of the North"}
			}
		}, recheck.IsChanged, 0, 40},
		"the site is away": {func(_ *survey.Survey, a *chain.Audit) {
			f := finding.New(finding.DeadEnd, "https://www.n.example/", fact.Kept{Says: "503", Do: "y"})
			for i := range a.Chains {
				a.Chains[i].Hops[1].Status, a.Chains[i].Hops[1].Page = 503, nil
				f.Entries = append(f.Entries, a.Chains[i].Entry.String())
			}
			a.Findings = []finding.Finding{f}
		}, recheck.IsNew, 40, 1},
		"a registry does not answer": {func(v *survey.Survey, _ *chain.Audit) {
			for i := range v.Domains {
				v.Domains[i].Parent = survey.Parent{}
			}
		}, recheck.IsUnseen, 0, 40},
		"a redirect became temporary": {func(_ *survey.Survey, a *chain.Audit) {
			for _, i := range []int{0, 1} {
				a.Chains[i].Hops[0].Status = 302
			}
		}, recheck.IsChanged, 0, 2},
		"a name server is dead": {func(v *survey.Survey, _ *chain.Audit) {
			for i := range 10 {
				name := v.Domains[i].Name
				v.Findings = append(v.Findings, finding.New(finding.ZoneDiffers, name,
					fact.Kept{Says: "ns1.h.example does not answer for " + name, Do: "y"}))
			}
		}, recheck.IsNew, 0, 10},
	} {
		t.Run(name, func(t *testing.T) {
			n := recheck.Compare(big(nil), big(c.change), nil, nil, day)
			lines := n.Lines()
			require.Len(t, lines, 1, "%+v", lines)
			assert.Equal(t, c.what, lines[0].What)
			assert.Len(t, lines[0].Touches, c.touches)
			assert.Equal(t, c.items, len(lines[0].Items)+len(lines[0].Gaps))
			again := recheck.Compare(big(nil), big(c.change), nil, nil, day)
			assert.Equal(t, n.Lines(), again.Lines(), "the same state gives the same lines")
		})
	}
}

func TestAMovedAddressIsOneLine(t *testing.T) {
	moved := func(address, way string) *recheck.State {
		return seen(func(v *survey.Survey, a *chain.Audit) {
			v.Domains[0].Records[1].Values = []string{address}
			v.Domains[0].Records[2].Type, v.Domains[0].Records[2].Values = "A", []string{address}
			for i := range a.Chains {
				a.Chains[i].Hops[1].URL = web.MustParseURL(way)
			}
		})
	}
	n := recheck.Compare(moved("192.0.2.1", "https://www.n.example/"),
		moved("192.0.2.9", "https://www.thief.example/"), nil, nil, day)
	require.Len(t, n.Changed, 4)
	lines := n.Lines()
	require.Len(t, lines, 1)
	assert.Equal(t, []string{"a.example A", "www.a.example A"}, lines[0].Subjects())
	assert.Len(t, lines[0].Touches, 2)
}
