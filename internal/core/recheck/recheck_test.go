package recheck_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

var day = time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)

// seen is a survey of one domain, and what an audit met at its door.
func seen(change func(*survey.Survey, *chain.Audit)) *recheck.State {
	ends := day.AddDate(1, 0, 0)
	v := &survey.Survey{Started: day,
		Domains: []survey.Domain{{Name: "a.example", Source: survey.Transfer,
			Servers: []survey.Server{{Name: "ns1.h.example", State: survey.Answers}},
			Parent: survey.Parent{Server: "a.registry.example",
				Servers: []string{"ns1.h.example", "ns2.h.example"}},
			Records: []record.Set{{Name: "a.example", Type: "SOA", Values: []string{"ns1. h. 1 2 3 4 5"}},
				{Name: "a.example", Type: "A", TTL: 300, Values: []string{"192.0.2.1"}},
				{Name: "www.a.example", Type: "CNAME", TTL: 300, Values: []string{"a.example."}}},
			Registration: &survey.Registration{From: "rdap", Ends: &ends, Registrar: "R",
				Status: []string{"active"}},
		}}, Findings: []finding.Finding{
			finding.New(finding.MailSpoofable, "a.example",
				fact.Kept{Says: "Anybody may send.", Do: "Say who may."})}}
	u := web.MustParseURL("http://a.example/")
	to := web.MustParseURL("https://www.n.example/")
	secure := web.MustParseURL("https://a.example/")
	a := &chain.Audit{Started: day, Chains: []chain.Chain{
		{Entry: u, Probe: chain.Root, End: chain.Page, Arrival: to, Hops: []chain.Answer{
			{URL: u, Status: 301, Location: to.String()},
			{URL: to, Status: 200, Page: &chain.Document{Title: "Museum"}}}},
		{Entry: secure, Probe: chain.Root, End: chain.Page, Arrival: to, Hops: []chain.Answer{
			{URL: secure, Status: 301, Location: to.String(),
				TLS: &chain.TLS{Names: []string{"a.example"}, Issuer: "CA",
					NotAfter: day.AddDate(0, 2, 0)}}, {URL: to, Status: 200}}},
	}}
	if change != nil {
		change(v, a)
	}
	return recheck.Of(v, a)
}

// told gives the news in words that a test can compare.
func told(n *recheck.News) []string {
	all := []string{}
	add := func(what string, items []recheck.Item) {
		for _, i := range items {
			all = append(all, what+" "+i.Name()+" "+i.Subject)
		}
	}
	add("new", n.New)
	add("changed", n.Changed)
	add("mended", n.Mended)
	add("back", n.Back)
	for _, g := range n.Unseen {
		all = append(all, "unseen "+g.Domain+" "+g.Subject)
	}
	slices.Sort(all)
	return all
}

func TestOnlyWhatIsNewIsSaid(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*survey.Survey, *chain.Audit)
		says   []string
	}{
		"nothing": {func(v *survey.Survey, a *chain.Audit) {
			v.Started, a.Started = day.AddDate(0, 1, 0), day.AddDate(0, 1, 0)
			// another serial
			v.Domains[0].Records[0].Values = []string{"ns1. h. 9 2 3 4 5"}
			v.Domains[0].Records[1].TTL = 60 // another TTL
			// it was renewed
			a.Chains[1].Hops[0].TLS.NotAfter = day.AddDate(0, 5, 0)
			slices.Reverse(v.Domains[0].Parent.Servers) // another order
			// other facts, the same fault
			v.Findings[0].Says, a.Chains[0].Hops[0].Address = fact.Plain("Other words."), "192.0.2.9:80"
		}, []string{}},
		"a record": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Records[1].Values = []string{"192.0.2.66"}
		},
			[]string{"changed record-changed a.example A"}},
		"a record came": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Records = append(v.Domains[0].Records,
				record.Set{Name: "x.a.example", Type: "A", Values: []string{"1"}})
		}, []string{"changed record-changed x.a.example A"}},
		"a record went": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Records = v.Domains[0].Records[:2]
		},
			[]string{"changed record-changed www.a.example CNAME"}},
		"nobody answered about it": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Records = v.Domains[0].Records[:2]
			v.Domains[0].Missed = []survey.Missed{{Name: "www.a.example", Type: "CNAME"}}
		}, []string{"unseen a.example www.a.example CNAME"}},
		"it was asked for by name this time": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Records, v.Domains[0].Partial = v.Domains[0].Records[:2], true
		}, []string{}},
		"the domain is dark": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Servers[0].State, v.Domains[0].Records, v.Findings,
				v.Domains[0].Source = survey.Silent, nil, nil, ""
		}, []string{"unseen a.example "}},
		"name servers": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Parent.Servers[0] = "ns.thief.example"
		},
			[]string{"changed delegation-changed a.example delegation"}},
		"a DS record": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Parent.DS = []survey.DS{{Text: "1 13 2 AB"}}
		},
			[]string{"changed delegation-changed a.example DS"}},
		"the zone above was not seen": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Parent = survey.Parent{}
		},
			[]string{"unseen a.example a.example DS", "unseen a.example a.example delegation"}},
		"the registration": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Registration.Registrar, v.Domains[0].Registration.Status = "S",
				[]string{"client hold"}
		}, []string{"changed registration-changed a.example registrar",
			"changed registration-changed a.example status"}},
		"the registry did not answer": {func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Registration = nil
		},
			[]string{"unseen a.example a.example registrar", "unseen a.example a.example registration",
				"unseen a.example a.example status"}},
		"a fault": {func(_ *survey.Survey, a *chain.Audit) {
			a.Findings = []finding.Finding{
				finding.New(finding.PlainArrival, "http://a.example", fact.Kept{Says: "x", Do: "y"})}
		}, []string{"new plain-arrival http://a.example"}},
		"a fault is worse": {func(v *survey.Survey, _ *chain.Audit) {
			v.Findings[0].Severity = finding.Error
		},
			[]string{"new mail-spoofable a.example"}},
		"a fault is mended": {func(v *survey.Survey, _ *chain.Audit) { v.Findings = nil },
			[]string{"mended mail-spoofable a.example"}},
		"a redirect": {func(_ *survey.Survey, a *chain.Audit) { a.Chains[0].Hops[0].Status = 302 },
			[]string{"changed redirect-changed http://a.example/"}},
		"a page": {func(_ *survey.Survey, a *chain.Audit) {
			a.Chains[0].Hops[1].Page = &chain.Document{Title: "Buy this domain"}
		}, []string{"changed page-changed http://a.example/"}},
		"a certificate of somebody else": {func(_ *survey.Survey, a *chain.Audit) {
			a.Chains[1].Hops[0].TLS.Issuer = "Other"
		},
			[]string{"changed certificate-changed https://a.example"}},
		"a door could not be asked": {func(_ *survey.Survey, a *chain.Audit) {
			a.Chains[1].Hops = []chain.Answer{
				{URL: a.Chains[1].Entry, Refusal: chain.Unseen, Detail: "interrupted"}}
			a.Chains[1].End = chain.NoAnswer
		}, []string{"unseen a.example https://a.example/"}},
		"a rule and its example are gone": {func(_ *survey.Survey, a *chain.Audit) {
			a.Chains = a.Chains[1:]
		}, []string{}},
		"another domain": {func(v *survey.Survey, _ *chain.Audit) {
			other := v.Domains[0]
			other.Name, other.Records = "b.example",
				[]record.Set{{Name: "b.example", Type: "A", Values: []string{"192.0.2.2"}}}
			v.Domains = append(v.Domains, other)
		}, []string{}},
	} {
		t.Run(name, func(t *testing.T) {
			n := recheck.Compare(seen(nil), seen(c.change), nil, nil, day)
			assert.Equal(t, c.says, told(n))
			assert.Equal(t, len(c.says) > 0, n.Any())
		})
	}
}

func TestWhatSomebodyLivesWithComesBackOnItsDate(t *testing.T) {
	faulty := seen(func(v *survey.Survey, _ *chain.Audit) {
		v.Domains[0].Records[1].Values = []string{"192.0.2.66"}
	})
	until := day.AddDate(0, 1, 0)
	accepted := []recheck.Acceptance{
		{Code: "record-changed", Subject: "a.example A", Values: []string{"192.0.2.66"}, Until: until,
			Why: "a test"},
		{Code: "mail-spoofable", Subject: "a.example", Until: until, Why: "no mail there"}}
	n := recheck.Compare(seen(nil), faulty, accepted, nil, until.Add(-time.Second))
	assert.Empty(t, told(n))
	assert.Len(t, n.Living, 2)
	n = recheck.Compare(seen(nil), faulty, accepted, nil, until)
	assert.Equal(t, []string{"back mail-spoofable a.example", "back record-changed a.example A"},
		told(n))
	assert.Equal(t, "no mail there", n.Back[1].Why)
	hijacked := seen(func(v *survey.Survey, _ *chain.Audit) {
		v.Domains[0].Records[1].Values = []string{"198.51.100.66"}
	})
	assert.Equal(t, []string{"changed record-changed a.example A"},
		told(recheck.Compare(seen(nil), hijacked, accepted, nil, day)), "a value was accepted, no record")
	gone := seen(func(v *survey.Survey, _ *chain.Audit) {
		v.Domains[0].Records = slices.Delete(v.Domains[0].Records, 1, 2)
	})
	assert.Equal(t, []string{"changed record-changed a.example A"},
		told(recheck.Compare(seen(nil), gone, accepted, nil, day)))
	accepted[0].Values = []string{recheck.Nothing}
	assert.Empty(t, told(recheck.Compare(seen(nil), gone, accepted, nil, day)))
	n = recheck.Compare(nil, faulty, accepted, nil, day)
	assert.True(t, n.Any(), "where nothing was accepted, that is said")
	assert.True(t, n.Since.IsZero())
}

func TestWhatIsMendedIsToldOnce(t *testing.T) {
	base, mended := seen(nil), seen(func(v *survey.Survey, _ *chain.Audit) { v.Findings = nil })
	n := recheck.Compare(base, mended, nil, nil, day)
	assert.Len(t, n.Mended, 1)
	base = base.Settle(n.Mended)
	assert.False(t, recheck.Compare(base, mended, nil, nil, day).Any())
	assert.Equal(t, []string{"new mail-spoofable a.example"},
		told(recheck.Compare(base, seen(nil), nil, nil, day)), "again")
}

func TestWhatIsNotAskedAnyMoreIsNotMended(t *testing.T) {
	faulty := func(subject string) *recheck.State {
		return seen(func(_ *survey.Survey, a *chain.Audit) {
			a.Findings = []finding.Finding{
				finding.New(finding.WrongPage, subject, fact.Kept{Says: "x", Do: "y"})}
		})
	}
	assert.Empty(t, told(recheck.Compare(faulty("http://a.example/season"), seen(nil), nil, nil, day)))
	assert.Equal(t, []string{"mended wrong-page http://a.example/"},
		told(recheck.Compare(faulty("http://a.example/"), seen(nil), nil, nil, day)))
}

func TestAPartOfTheEstateChangesThatPartOfTheState(t *testing.T) {
	two := seen(func(v *survey.Survey, _ *chain.Audit) {
		other := v.Domains[0]
		other.Name, other.Records = "b.example",
			[]record.Set{{Name: "b.example", Type: "A", Values: []string{"192.0.2.2"}}}
		v.Domains = append(v.Domains, other)
	})
	one := seen(func(v *survey.Survey, _ *chain.Audit) {
		v.Domains[0].Records[1].Values = []string{"192.0.2.66"}
	})
	left := recheck.Compare(two, one, nil, nil, day)
	assert.Equal(t, []string{"b.example"}, left.Left, "it is not a domain of the estate any more")
	one.Part = true
	n := recheck.Compare(two, one, nil, nil, day)
	assert.Empty(t, n.Left)
	assert.Equal(t, []string{"changed record-changed a.example A"}, told(n),
		"b.example was not looked at")
	bare := *one
	bare.Facts = slices.DeleteFunc(slices.Clone(one.Facts), func(f recheck.Fact) bool {
		return f.Kind == recheck.Finding
	})
	assert.Empty(t, recheck.Compare(two, &bare, nil, nil, day).Mended,
		"what shows it may lie in b.example")
	joined := recheck.Join(two, &bare)
	assert.False(t, recheck.Compare(joined, one, nil, nil, day).Any())
	assert.Equal(t, []string{"changed record-changed a.example A"},
		told(recheck.Compare(joined, two, nil, nil, day)))
}

// TestNothingIsLostOrInvented compares random states with a plain reading of the same lists: every
// finding of now is new, the same, lived with or back; every one of before that is not there any
// more is mended or could not be seen.
func TestNothingIsLostOrInvented(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7)) // a test
	state := func() *recheck.State {
		s := &recheck.State{Taken: day, Domains: []string{"a.example", "b.example"}}
		for i := range 12 {
			if r.IntN(2) == 0 {
				domain := []string{"a.example", "b.example"}[i%2]
				s.Facts = append(s.Facts,
					recheck.Fact{Kind: recheck.Finding, Code: fmt.Sprintf("c%02d", i), Domain: domain,
						Subject: domain, Severity: finding.Warning})
			}
		}
		if r.IntN(3) == 0 {
			s.Gaps = append(s.Gaps, recheck.Gap{Domain: "a.example"})
		}
		return s
	}
	for range 500 {
		base, now := state(), state()
		n := recheck.Compare(base, now, nil, nil, day)
		has := func(s *recheck.State, code string) bool {
			return slices.ContainsFunc(s.Facts, func(f recheck.Fact) bool { return f.Code == code })
		}
		in := func(items []recheck.Item, code string) bool {
			return slices.ContainsFunc(items, func(i recheck.Item) bool { return i.Code == code })
		}
		same := 0
		for i := range 12 {
			code := fmt.Sprintf("c%02d", i)
			before, after := has(base, code), has(now, code)
			if before && after {
				same++
			}
			then := len(base.Gaps) > 0 && i%2 == 0
			assert.Equal(t, after && !before && !then, in(n.New, code), code)
			assert.Equal(t, after && !before && then, in(n.First, code), code)
			dark := len(now.Gaps) > 0 && i%2 == 0
			assert.Equal(t, before && !after && !dark, in(n.Mended, code), code)
		}
		assert.Equal(t, same, n.Known)
		assert.False(t, recheck.Compare(base, base, nil, nil, day).Any())
	}
}

// factsOf gives the facts of one kind as SUBJECT = VALUE.
func factsOf(s *recheck.State, kind recheck.FactKind) []string {
	var all []string
	for _, f := range s.Facts {
		if f.Kind == kind {
			all = append(all, f.Subject+" = "+f.Value)
		}
	}
	return all
}

func TestTheFactsOfADay(t *testing.T) {
	s := seen(nil)
	assert.NoError(t, s.Check())
	assert.Equal(t,
		[]string{"a.example registrar = R", "a.example registration = ends 2027-11-01",
			"a.example status = active"},
		factsOf(s, recheck.Registration))
	assert.Equal(t, []recheck.Ends{{Subject: "a.example", Ends: day.AddDate(1, 0, 0)}},
		s.Registrations)
	assert.Equal(t, []string{"http://a.example/ = 301 → https://www.n.example/\n200",
		"https://a.example/ = 301 → https://www.n.example/\n200"}, factsOf(s, recheck.Redirect))
	asked := func(change func(*survey.Registration)) *recheck.State {
		return seen(func(v *survey.Survey, _ *chain.Audit) { change(v.Domains[0].Registration) })
	}
	none := asked(func(r *survey.Registration) { r.Ends, r.Registrar, r.Status = nil, "", nil })
	assert.Empty(t, factsOf(none, recheck.Registration))
	assert.Empty(t, none.Registrations)
	told := asked(func(r *survey.Registration) { r.EndsFrom = survey.EstateFile })
	assert.Equal(t, []string{"a.example registrar = R", "a.example status = active"},
		factsOf(told, recheck.Registration),
		"what somebody wrote down was not seen")
	two := asked(func(r *survey.Registration) { r.Status = []string{"b", "a"} })
	assert.Contains(t, factsOf(two, recheck.Registration), "a.example status = a\nb")
	for name, c := range map[string]struct {
		hops []chain.Answer
		end  chain.End
		want string
	}{
		"not modified": {[]chain.Answer{{Status: 304}}, chain.Page, "304"},
		"a loop": {[]chain.Answer{{Status: 302}, {Status: 399}}, chain.Loop,
			"302 → http://a.example/\n399\nloop"},
		"nobody": {[]chain.Answer{{Status: 302}, {Refusal: chain.Refused}}, chain.NoAnswer,
			"302 → http://a.example/\nrefused"},
		"an error":       {[]chain.Answer{{Status: 400}, {Status: 200}}, chain.Page, "400\n200"},
		"a page":         {[]chain.Answer{{Status: 299}, {Status: 200}}, chain.Page, "299\n200"},
		"a bad Location": {[]chain.Answer{{Status: 301}}, chain.BadLocation, "301\nbad-location"},
		"a redirect first": {[]chain.Answer{{Status: 300}, {Status: 200}}, chain.Page,
			"300 → http://a.example/\n200"},
	} {
		s := seen(func(_ *survey.Survey, a *chain.Audit) {
			for i := range c.hops {
				c.hops[i].URL = a.Chains[0].Entry
			}
			a.Chains[0].Hops, a.Chains[0].End = c.hops, c.end
		})
		assert.Contains(t, factsOf(s, recheck.Redirect), "http://a.example/ = "+c.want, name)
	}
	// What is asked of robots and of certificate authorities is no page of the door.
	for _, probe := range []chain.Probe{chain.Robots, chain.WellKnown} {
		s := seen(func(_ *survey.Survey, a *chain.Audit) { a.Chains[0].Probe = probe })
		assert.Len(t, factsOf(s, recheck.Redirect), 1, probe)
	}
	other := *s
	other.Schema = "upperpath/audit/1"
	assert.ErrorContains(t, other.Check(), "this is not a state of this program")
}

// TestPartsMakeTheWholeOnceNothingIsLeft accepts waves of an estate one after the other.
func TestPartsMakeTheWholeOnceNothingIsLeft(t *testing.T) {
	names := []string{"a.example", "b.example", "c.example"}
	part := func(name string) *recheck.State {
		s := seen(func(v *survey.Survey, a *chain.Audit) {
			a.Scope = &scope.Scope{Estate: "e", Only: name, Domains: []string{name}, Meant: 1, Done: 1}
			for _, n := range names {
				if n != name {
					a.Scope.Left = append(a.Scope.Left, n)
				}
			}
			v.Domains, a.Chains, v.Findings = v.Domains[:1], nil, nil
			v.Domains[0].Name = name
		})
		require.True(t, s.Part)
		return s
	}
	joined := recheck.Join(part("a.example"), part("a.example"))
	assert.True(t, joined.Part, "the same part twice is no whole")
	assert.Equal(t, 1, joined.Looked())
	joined = recheck.Join(joined, part("b.example"))
	assert.True(t, joined.Part)
	assert.Equal(t, 2, joined.Looked())
	joined = recheck.Join(joined, part("c.example"))
	assert.False(t, joined.Part)
	assert.Equal(t, 3, joined.Looked())
	assert.Empty(t, joined.Scope.Only)
}

func TestAPartTakesThePlaceOfItsDomainsAlone(t *testing.T) {
	of := func(names ...string) *recheck.State {
		return seen(func(v *survey.Survey, a *chain.Audit) {
			one := v.Domains[0]
			v.Domains, a.Chains, v.Findings = nil, nil, nil
			for _, name := range names {
				one.Name, one.Partial, one.Registration = name, true, nil
				one.Records = []record.Set{{Name: name, Type: "A", Values: []string{"192.0.2.9"}}}
				v.Domains = append(v.Domains, one)
			}
		})
	}
	before, now := of("a.example", "b.example"), of("b.example", "c.example")
	assert.Same(t, now, recheck.Join(nil, now), "nothing was accepted")
	whole := recheck.Join(before, now)
	assert.ElementsMatch(t, []string{"b.example", "c.example"}, whole.Domains, "it is the whole")
	assert.Equal(t, factsOf(now, recheck.Record), factsOf(whole, recheck.Record))
	now.Part = true
	joined := recheck.Join(before, now)
	all := []string{"a.example", "b.example", "c.example"}
	assert.ElementsMatch(t, all, joined.Domains)
	assert.ElementsMatch(t, all, joined.Partial)
	assert.False(t, joined.Part)
	assert.ElementsMatch(t,
		[]string{"a.example A = 192.0.2.9", "b.example A = 192.0.2.9", "c.example A = 192.0.2.9"},
		factsOf(joined, recheck.Record))
	gaps := map[string]int{}
	for _, g := range joined.Gaps {
		gaps[g.Domain]++
	}
	assert.Len(t, gaps, 3)
	assert.Equal(t, gaps["a.example"], gaps["c.example"])
	assert.Equal(t, gaps["a.example"], gaps["b.example"], "none twice")
	assert.Len(t, now.Domains, 2, "what is joined is not changed")
}
