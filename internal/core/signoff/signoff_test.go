package signoff_test

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/signoff"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

var now = time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)

var names = []string{"n.example", "a.example", "b.example"}

// made is a plan of three domains, with a door each.
func made() *plan.Plan {
	e := &estate.Estate{}
	p := &plan.Plan{Estate: e, Canonical: "https://www.n.example"}
	for _, n := range names {
		h := web.MustParseURL("https://" + n + "/")
		e.Domains = append(e.Domains, &estate.Domain{Name: h.Host(), State: estate.Planned})
		to := web.MustParseURL("https://www.n.example/")
		p.Doors = append(p.Doors, plan.PlannedDoor{Door: h.Door(), LeadsTo: to,
			Chain: []predict.Hop{{URL: h.String(), Status: 301}, {URL: to.String(), Status: 200}}})
	}
	return p
}

// audit goes through doors; those in bad do not lead anywhere, those in dark could not be seen.
func audit(tried, bad, dark []string) *chain.Joined {
	a := &chain.Audit{Canonical: "https://www.n.example", Started: now}
	for _, n := range tried {
		u := web.MustParseURL("https://" + n + "/")
		to := web.MustParseURL("https://www.n.example/")
		c := chain.Chain{Entry: u, Probe: chain.Root, End: chain.Page, Arrival: to,
			Hops: []chain.Answer{{URL: u, Status: 301, TLS: &chain.TLS{}},
				{URL: to, Status: 200, TLS: &chain.TLS{}}}}
		switch {
		case slices.Contains(dark, n):
			c.Hops, c.End = []chain.Answer{{URL: u, Refusal: chain.Unseen}}, chain.NoAnswer
		case slices.Contains(bad, n):
			f := finding.New(finding.NotRedirected, n, fact.Kept{Says: "x", Do: "y"})
			f.Entry = u.String()
			c.Findings = []finding.Finding{f}
			a.Findings = append(a.Findings, f)
		}
		a.Chains = append(a.Chains, c)
	}
	return chain.Latest([]*chain.Audit{a}, "", nil)
}

func surveyed(ended string, some ...string) *survey.Survey {
	v := &survey.Survey{Started: now}
	for _, n := range some {
		ends := now.AddDate(1, 0, 0)
		if n == ended {
			ends = now.AddDate(0, 0, -3)
		}
		v.Domains = append(v.Domains, survey.Domain{Name: n, Looked: now, Source: survey.File,
			Registration: &survey.Registration{From: "rdap", Ends: &ends}})
	}
	return v
}

func checkOf(s signoff.Sheet, of signoff.Subject) signoff.Check {
	i := slices.IndexFunc(s.Checks, func(c signoff.Check) bool { return c.Of == of })
	return s.Checks[i]
}

func TestAPartIsNeverTheWhole(t *testing.T) {
	k := signoff.Known{Plan: made(), Audit: audit(names[:1], nil, nil), Now: now,
		Survey: surveyed("", names...)}
	s := signoff.Of(k, signoff.After)
	assert.NotEqual(t, signoff.Yes, s.Answer)
	doors := checkOf(s, signoff.Doors)
	assert.Equal(t, signoff.Unseen, doors.State)
	assert.Equal(t, []string{"https://a.example", "https://b.example"}, doors.Missing)
	assert.Equal(t, 1, doors.Good)
	assert.Equal(t, now, doors.From)
}

func TestWhatHasEndedComesFirst(t *testing.T) {
	k := signoff.Known{Plan: made(), Audit: audit(names, names[1:], nil), Now: now,
		Survey: surveyed("b.example", names...)}
	s := signoff.Of(k, signoff.After)
	assert.Equal(t, signoff.No, s.Answer)
	stands := s.Stands()
	require.NotEmpty(t, stands)
	assert.Equal(t, signoff.Registrations, stands[0].Of)
	assert.Equal(t, "b.example", stands[0].Findings[0].Subject)
	assert.Equal(t, finding.Error, stands[0].Findings[0].Severity)
	// It is not asked when it was seen, but what day it is.
	k.Survey = surveyed("", names...)
	k.Now = now.AddDate(1, 1, 0)
	assert.Len(t, checkOf(signoff.Of(k, signoff.After), signoff.Registrations).Findings, 3)
}

func TestADateThatSomebodyWroteDownCountsAndWasNotSeen(t *testing.T) {
	k := signoff.Known{Plan: made(), Now: now}
	k.Plan.Estate.Domains[2].Renews = now.AddDate(0, 0, -1)
	c := checkOf(signoff.Of(k, signoff.Before), signoff.Registrations)
	assert.Equal(t, signoff.Failing, c.State)
	assert.Equal(t, names, []string{c.Missing[0], c.Missing[1], c.Missing[2]})
	k.Plan.Estate.Accept = []finding.Acceptance{{Code: "registration-ends", Subject: "b.example",
		Until: now.AddDate(0, 1, 0), Why: "let go"}}
	c = checkOf(signoff.Of(k, signoff.Before), signoff.Registrations)
	assert.Equal(t, signoff.Unseen, c.State, "somebody lives with it")
}

func TestOldURLsAreWeighed(t *testing.T) {
	area := old.MetArea{Name: "a.example"}
	area.Take(old.RightPage, old.Share{URLs: 90, Weight: 990})
	area.Take(old.NoPage, old.Share{URLs: 10, Weight: 10})
	k := signoff.Known{Plan: made(), Now: now,
		Runs: &signoff.Runs{Started: now, Source: "old.csv", Total: 150, Areas: []old.MetArea{area}}}
	c := checkOf(signoff.Of(k, signoff.After), signoff.OldURLs)
	assert.Equal(t, 90, c.Good)
	assert.InDelta(t, 0.99, c.Part, 1e-9)
	assert.Equal(t, []string{"old.csv"}, c.Missing, "50 were not followed")
	assert.Equal(t, signoff.Failing, c.State)
}

func TestHSTSIsHeardOverAConnectionThatHoldsAlone(t *testing.T) {
	k := signoff.Known{Plan: made(), Audit: audit(names, nil, nil), Now: now}
	assert.Equal(t, signoff.Fine, checkOf(signoff.Of(k, signoff.After), signoff.HSTS).State)
	stopped := 1
	for i := range k.Audit.Audit.Chains {
		k.Audit.Audit.Chains[i].StoppedAt = &stopped
	}
	assert.Equal(t, signoff.Unseen, checkOf(signoff.Of(k, signoff.After), signoff.HSTS).State)
}

// TestYesIsSaidOfWhatWasLookedAtAlone has doors tried, bad and dark at random, and domains surveyed
// or not: yes takes that all were, and none is bad.
func TestYesIsSaidOfWhatWasLookedAtAlone(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5)) // a test
	some := func() []string {
		return slices.DeleteFunc(slices.Clone(names), func(string) bool { return r.IntN(4) == 0 })
	}
	few := func() []string {
		return slices.DeleteFunc(slices.Clone(names), func(string) bool { return r.IntN(6) > 0 })
	}
	yes := 0
	for range 3000 {
		tried, bad, dark, seen := some(), few(), few(), some()
		k := signoff.Known{Plan: made(), Audit: audit(tried, bad, dark), Survey: surveyed("", seen...),
			Now: now, Compared: true}
		s := signoff.Of(k, signoff.Monthly)
		met := func(n string) bool {
			return slices.Contains(tried, n) && !slices.Contains(dark, n) && slices.Contains(seen, n) &&
				!slices.Contains(bad, n)
		}
		all := met(names[0]) && met(names[1]) && met(names[2])
		require.Equal(t, all, s.Answer == signoff.Yes, "%v %v %v %v", tried, bad, dark, seen)
		if all {
			yes++
		}
	}
	assert.Greater(t, yes, 100)
}
