package recheck_test

import (
	"slices"
	"testing"

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

// faulty gives a finding that some entries meet.
func faulty(code finding.Code, subject string, entries ...string) finding.Finding {
	f := finding.New(code, subject, fact.Kept{Says: "It is wrong.", Do: "Mend it."})
	f.Entries = entries
	if len(entries) > 0 {
		f.Entry = entries[0]
	}
	return f
}

// whats gives what lines tell, and how much each touches.
func whats(lines []recheck.Line) [][3]int {
	order := map[string]int{recheck.IsNew: 1, recheck.IsChanged: 2, recheck.IsAgain: 3,
		recheck.IsFirst: 4, recheck.IsMended: 5, recheck.IsUnseen: 6}
	all := [][3]int{}
	for _, l := range lines {
		all = append(all, [3]int{order[l.What], len(l.Items) + len(l.Gaps), len(l.Touches)})
	}
	return all
}

// change applies what happened to the state of a day, and gives the news.
func change(do func(*survey.Survey, *chain.Audit)) *recheck.News {
	return recheck.Compare(seen(nil), seen(do), nil, nil, day)
}

func TestOtherNameServersTellWhatIsWrongSince(t *testing.T) {
	n := change(func(v *survey.Survey, a *chain.Audit) {
		v.Domains[0].Parent.Servers = []string{"ns.thief.example"}
		v.Domains[0].Records = append(v.Domains[0].Records,
			record.Set{Name: "a.example", Type: "NS", Values: []string{"ns.thief.example."}})
		v.Findings = append(v.Findings, faulty(finding.ZoneDiffers, "a.example"))
		a.Chains[0].Hops[0].Status = 302
	})
	lines := n.Lines()
	require.Equal(t, [][3]int{{1, 1, 2}}, whats(lines), "the NS record and the way of a door")
	assert.Equal(t, "a.example delegation", lines[0].Cause.Subject)
	alone := change(func(v *survey.Survey, _ *chain.Audit) {
		v.Domains[0].Parent.Servers = []string{"ns.thief.example"}
		v.Domains[0].Records = append(v.Domains[0].Records,
			record.Set{Name: "a.example", Type: "NS", Values: []string{"ns.thief.example."}})
	})
	assert.Equal(t, [][3]int{{2, 1, 1}}, whats(alone.Lines()))
}

func TestWhatIsSeenFirstStandsWithItsCause(t *testing.T) {
	dark := func(v *survey.Survey, a *chain.Audit) {
		a.Chains[0].Hops = []chain.Answer{{URL: a.Chains[0].Entry, Refusal: chain.Timeout}}
		a.Chains[0].End = chain.NoAnswer
	}
	now := func(record bool) *recheck.State {
		return seen(func(v *survey.Survey, a *chain.Audit) {
			if record {
				v.Domains[0].Records[1].Values = []string{"192.0.2.66"}
			}
			a.Findings = []finding.Finding{
				faulty(finding.PlainArrival, "https://a.example", "https://a.example/"),
				faulty(finding.Downgrade, "http://a.example", "http://a.example/")}
		})
	}
	lines := recheck.Compare(seen(dark), now(true), nil, nil, day).Lines()
	require.Len(t, lines, 1)
	assert.Equal(t, "a.example A", lines[0].Cause.Subject)
	assert.Len(t, lines[0].Items, 2, "the one that could not be seen before, too")
	lines = recheck.Compare(seen(dark), now(false), nil, nil, day).Lines()
	assert.Equal(t, [][3]int{{1, 1, 0}, {2, 1, 0}, {4, 1, 0}}, whats(lines), "where none is known")
}

func TestWhatFailsTheSameWayElsewhereIsOneCause(t *testing.T) {
	n := recheck.Compare(big(nil), big(func(_ *survey.Survey, a *chain.Audit) {
		for i := range a.Chains { // half of them at another name of the site
			a.Chains[i].Hops[1].Status, a.Chains[i].Hops[1].Page = 503, nil
			if i%2 == 0 {
				a.Chains[i].Hops[1].URL = web.MustParseURL("https://n.platform.example/")
			}
		}
		a.Chains[3].Hops[1].Status = 404
		a.Findings = []finding.Finding{
			faulty(finding.DeadEnd, "https://www.n.example/", a.Chains[1].Entry.String())}
	}), nil, nil, day)
	lines := n.Lines()
	require.NotEmpty(t, lines)
	assert.Equal(t, recheck.IsNew, lines[0].What)
	assert.Len(t, lines[0].Touches, 21, "what ends at the site, whatever it answers there")
	require.Len(t, lines, 2)
	assert.Len(t, lines[1].Items, 20, "those that go to another name now")
	noted := recheck.Compare(big(nil), big(func(_ *survey.Survey, a *chain.Audit) {
		a.Findings = []finding.Finding{faulty(finding.DeadEnd, "https://www.n.example/",
			a.Chains[1].Entry.String())}
		a.Chains[0].Hops[1].Status, a.Chains[1].Hops[1].Status = 503, 503
		a.Chains[0].Hops[0].Location = "https://n.platform.example/"
	}), nil, nil, day)
	assert.Equal(t, [][3]int{{1, 1, 2}}, whats(noted.Lines()))
}

func TestAnotherPathIsToldOfEachDoor(t *testing.T) {
	n := change(func(_ *survey.Survey, a *chain.Audit) {
		a.Chains[0].Hops[1].URL = web.MustParseURL("https://www.n.example/x")
		a.Chains[1].Hops[1].URL = web.MustParseURL("https://www.n.example/y")
	})
	lines := n.Lines()
	require.Len(t, lines, 2)
	assert.Equal(t, "301 → https://www.n.example/", lines[0].Was)
	assert.Equal(t, "301 → https://www.n.example/x", lines[0].Is)
	same := change(func(_ *survey.Survey, a *chain.Audit) {
		for i := range a.Chains {
			a.Chains[i].Hops[1].URL = web.MustParseURL("https://www.thief.example/")
		}
	})
	require.Len(t, same.Lines(), 1)
	assert.Len(t, same.Lines()[0].Items, 2)
}

func TestADarkDomainIsOneLine(t *testing.T) {
	n := recheck.Compare(big(nil), big(func(v *survey.Survey, _ *chain.Audit) {
		for _, i := range []int{0, 1} {
			v.Domains[i].Servers[0].State, v.Domains[i].Source = survey.Silent, ""
			v.Domains[i].Parent = survey.Parent{}
		}
		v.Domains[2].Parent = survey.Parent{}
	}), nil, nil, day)
	lines := n.Lines()
	require.Len(t, lines, 2)
	gaps := map[string]int{}
	for _, l := range lines {
		for _, g := range l.Gaps {
			gaps[g.Domain]++
		}
	}
	assert.Equal(t, map[string]int{"d00.example": 1, "d01.example": 1, "d02.example": 2}, gaps)
}

func TestWhatNobodyCouldSeeBeforeIsNoChange(t *testing.T) {
	dark := seen(func(v *survey.Survey, _ *chain.Audit) {
		v.Domains[0].Servers[0].State, v.Domains[0].Records, v.Domains[0].Source = survey.Silent, nil, ""
	})
	assert.Empty(t, recheck.Compare(dark, seen(nil), nil, nil, day).Changed)
	part := func(more ...record.Set) *recheck.State {
		return seen(func(v *survey.Survey, _ *chain.Audit) {
			v.Domains[0].Partial = true
			v.Domains[0].Records = append(v.Domains[0].Records, more...)
		})
	}
	came := record.Set{Name: "x.a.example", Type: "A", Values: []string{"192.0.2.9"}}
	assert.Len(t, recheck.Compare(part(), part(came), nil, nil, day).Changed, 1,
		"asked for both times")
	whole := seen(func(v *survey.Survey, _ *chain.Audit) {
		v.Domains[0].Records = append(v.Domains[0].Records, came)
	})
	assert.Empty(t, recheck.Compare(part(), whole, nil, nil, day).Changed, "nobody had asked for it")
}

func TestAPageThatShowsAnErrorIsNoPage(t *testing.T) {
	was := seen(func(_ *survey.Survey, a *chain.Audit) {
		a.Findings = []finding.Finding{
			faulty(finding.NoIndex, "https://www.n.example/", "http://a.example/season")}
	})
	status := func(n int) *recheck.State {
		return seen(func(_ *survey.Survey, a *chain.Audit) {
			for i := range a.Chains {
				a.Chains[i].Hops[1].Status = n
			}
		})
	}
	assert.Len(t, recheck.Compare(was, status(200), nil, nil, day).Mended, 1,
		"others come by, and it is gone")
	assert.Empty(t, recheck.Compare(was, status(400), nil, nil, day).Mended)
}

func TestTheValueOfWhatCanBeAccepted(t *testing.T) {
	s := seen(nil)
	assert.Equal(t, "192.0.2.1", s.Value("record-changed", "a.example A"))
	assert.Empty(t, s.Value("page-changed", "a.example A"))
	assert.Equal(t, []string{recheck.Nothing}, recheck.ValuesOf(""))
	assert.Equal(t, []string{"a", "b"}, recheck.ValuesOf("a\nb"))
}

func TestPlansAreComparedWhereTheyMeet(t *testing.T) {
	of := func(domains, left []string, findings ...finding.Finding) *recheck.State {
		var facts []recheck.Fact
		for _, d := range domains {
			facts = append(facts, recheck.Fact{Kind: recheck.Planned, Domain: "www." + d,
				Subject: "https://" + d, Value: "x"})
		}
		return recheck.OfPlan("https://www.n.example", domains, left, facts, findings)
	}
	tie := faulty(finding.Tie, "rules.csv:3")
	bad := faulty(finding.BeyondCarrier, "https://b.example", "https://b.example/")
	both, one := []string{"a.example", "b.example"}, []string{"a.example"}
	whole := of(both, nil, tie, bad)
	part := of(one, []string{"b.example"})
	n := recheck.Compare(whole, part, nil, nil, day)
	assert.Empty(t, n.Changed)
	assert.Empty(t, n.Mended, "what it leaves out may hold it")
	assert.Equal(t, []string{"b.example"}, n.Skipped)
	n = recheck.Compare(part, whole, nil, nil, day)
	assert.Empty(t, n.New)
	assert.Len(t, n.First, 2)
	assert.Equal(t, []string{"b.example"}, n.FirstFor)
	n = recheck.Compare(whole, of(both, nil), nil, nil, day)
	assert.Len(t, n.Mended, 2)
	assert.False(t, n.Apart())
	other := of([]string{"c.example"}, nil)
	assert.True(t, recheck.Compare(of(one, nil), other, nil, nil, day).Apart())
	assert.Empty(t, recheck.Compare(nil, whole, nil, nil, day).FirstFor,
		"nothing was there to compare")
}

func TestWhatNobodyAnsweredAboutIsNotMended(t *testing.T) {
	base := seen(func(v *survey.Survey, _ *chain.Audit) {
		v.Findings = append(v.Findings, faulty(finding.RegistrationEnds, "a.example"),
			faulty(finding.StaleDS, "a.example"), faulty(finding.ZoneDiffers, "a.example"))
	})
	after := func(do func(*survey.Domain)) []string {
		n := recheck.Compare(base, seen(func(v *survey.Survey, _ *chain.Audit) {
			v.Findings = nil
			do(&v.Domains[0])
		}), nil, nil, day)
		var all []string
		for _, i := range n.Mended {
			all = append(all, i.Code)
		}
		return all
	}
	assert.ElementsMatch(t, []string{"mail-spoofable", "registration-ends", "stale-ds",
		"zone-differs"},
		after(func(*survey.Domain) {}))
	assert.ElementsMatch(t, []string{"mail-spoofable", "stale-ds", "zone-differs"},
		after(func(d *survey.Domain) { d.Registration = nil }))
	assert.ElementsMatch(t, []string{"registration-ends", "stale-ds", "zone-differs"},
		after(func(d *survey.Domain) {
			d.Missed = []survey.Missed{{Name: "_dmarc.a.example", Type: "TXT"}}
		}))
	assert.ElementsMatch(t, []string{"registration-ends", "mail-spoofable", "zone-differs"},
		after(func(d *survey.Domain) { d.Parent = survey.Parent{} }))
	assert.ElementsMatch(t, []string{"registration-ends", "mail-spoofable", "stale-ds"},
		after(func(d *survey.Domain) {
			d.Servers = append(d.Servers, survey.Server{Name: "ns2.h.example", State: survey.Silent})
		}))
}

func TestWhatIsAcceptedKeepsWhatCouldNotBeSeen(t *testing.T) {
	before := seen(nil)
	now := seen(func(v *survey.Survey, a *chain.Audit) {
		v.Domains[0].Records = v.Domains[0].Records[:2]
		v.Domains[0].Missed = []survey.Missed{{Name: "www.a.example", Type: "CNAME"}}
		a.Chains[0].Hops = []chain.Answer{{URL: a.Chains[0].Entry, Refusal: chain.Unseen}}
		a.Chains[0].End = chain.NoAnswer
	})
	joined := recheck.Join(before, now)
	assert.Contains(t, factsOf(joined, recheck.Record), "www.a.example CNAME = a.example.")
	assert.Contains(t, factsOf(joined, recheck.Redirect),
		"http://a.example/ = 301 → https://www.n.example/\n200")
	fewer := seen(func(v *survey.Survey, _ *chain.Audit) {
		v.Domains[0].Records = v.Domains[0].Records[:2]
	})
	assert.NotContains(t, factsOf(recheck.Join(before, fewer), recheck.Record),
		"www.a.example CNAME = a.example.", "it was seen that it is gone")
}

func TestARedirectIsAcceptedAsItGoes(t *testing.T) {
	n := change(func(_ *survey.Survey, a *chain.Audit) { a.Chains[0].Hops[0].Status = 302 })
	require.Len(t, n.Changed, 1)
	lives := func(values ...string) int {
		return len(recheck.Compare(seen(nil), seen(func(_ *survey.Survey, a *chain.Audit) {
			a.Chains[0].Hops[0].Status = 302
		}), []recheck.Acceptance{{Code: "redirect-changed", Subject: "http://a.example/", Values: values,
			Until: day.AddDate(0, 1, 0), Why: "w"}}, nil, day).Living)
	}
	assert.Equal(t, 1, lives("302 → https://www.n.example/", "200"))
	assert.Equal(t, 0, lives("200", "302 → https://www.n.example/"), "the order tells")
}

func TestStatesOfPartsKnowIt(t *testing.T) {
	cut := func(do func(*survey.Survey, *chain.Audit)) bool { return seen(do).Part }
	part := &scope.Scope{Estate: "e", Only: "a.example", Meant: 1, Done: 1}
	short := &scope.Scope{Estate: "e", Meant: 2, Done: 1}
	assert.False(t, cut(nil))
	for _, s := range []*scope.Scope{part, short} {
		assert.True(t, cut(func(v *survey.Survey, _ *chain.Audit) { v.Scope = s }))
		assert.True(t, cut(func(_ *survey.Survey, a *chain.Audit) { a.Scope = s }))
	}
	many := make([]string, 300)
	for i := range many {
		many[i] = "http://a.example/"
	}
	f := faulty(finding.Loop, "http://a.example", many...).DueTo(finding.ParkingPage, fact.Kept{})
	s := seen(func(_ *survey.Survey, a *chain.Audit) { a.Findings = []finding.Finding{f} })
	at := slices.IndexFunc(s.Facts, func(f recheck.Fact) bool { return f.Code == "loop" })
	require.GreaterOrEqual(t, at, 0)
	assert.Len(t, s.Facts[at].Entries, 200)
	assert.Equal(t, finding.ParkingPage.String(), s.Facts[at].Cause)
}
