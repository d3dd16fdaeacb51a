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
	"upperpath.example/upperpath/internal/core/proof"
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

func TestWhatFailsStandsBeforeWhatWasNotSeen(t *testing.T) {
	k := signoff.Known{Plan: made(), Now: now, Audit: audit(names[:1], nil, nil),
		Survey: surveyed("", names...)}
	k.Survey.Findings = []finding.Finding{
		finding.New(finding.MailMalformed, "b.example", fact.Kept{Says: "x", Do: "y"})}
	s := signoff.Of(k, signoff.After)
	var order []signoff.Subject
	for _, c := range s.Stands() {
		order = append(order, c.Of)
	}
	assert.Equal(t, []signoff.Subject{signoff.Mail, signoff.Doors, signoff.Certificates,
		signoff.Steps}, order)
	var missing []signoff.Subject
	for _, c := range s.Missing() {
		missing = append(missing, c.Of)
	}
	assert.Equal(t, []signoff.Subject{signoff.Doors, signoff.OldURLs, signoff.Certificates,
		signoff.Robots, signoff.Steps}, missing)
}

// TestAPartIsNeverToldAsTheWhole audits some of the doors: what is said of certificates and search
// engines names the hosts of the plan at which nobody looked.
func TestAPartIsNeverToldAsTheWhole(t *testing.T) {
	for tried := range len(names) + 1 {
		k := signoff.Known{Plan: made(), Now: now, Audit: audit(names[:tried], nil, nil)}
		for _, n := range names[:tried] {
			u := web.MustParseURL("http://" + n + "/robots.txt")
			k.Audit.Audit.Chains = append(k.Audit.Audit.Chains, chain.Chain{Entry: u,
				Probe: chain.Robots, End: chain.Page, Hops: []chain.Answer{{URL: u, Status: 404}}})
		}
		s := signoff.Of(k, signoff.After)
		for _, of := range []signoff.Subject{signoff.Doors, signoff.Certificates, signoff.Robots} {
			c := checkOf(s, of)
			assert.Equal(t, len(names), c.All, "%s of %d", of, tried)
			assert.Equal(t, tried, c.Good, "%s of %d", of, tried)
			assert.Len(t, c.Missing, len(names)-tried)
			assert.Equal(t, tried == len(names), c.State == signoff.Fine)
		}
	}
	area := old.MetArea{Name: "a.example"}
	area.Take(old.RightPage, old.Share{URLs: 7, Weight: 7})
	runs := signoff.Runs{Started: now, Source: "old.csv", Total: 7, Areas: []old.MetArea{area}}
	of := func() signoff.Check {
		return checkOf(signoff.Of(signoff.Known{Plan: made(), Now: now, Runs: &runs}, signoff.After),
			signoff.OldURLs)
	}
	assert.Equal(t, signoff.Fine, of().State)
	runs.Part = "wave:1"
	assert.Equal(t, signoff.Unseen, of().State)
	assert.Equal(t, []string{"old.csv"}, of().Missing)
}

// TestOneAcceptedFindingHidesNoOther has two of one host, of which somebody lives with one.
func TestOneAcceptedFindingHidesNoOther(t *testing.T) {
	lived := &finding.Accepted{Until: now.AddDate(0, 1, 0), Why: "x"}
	u := web.MustParseURL("http://a.example/robots.txt")
	for _, codes := range [][2]finding.Code{{finding.NoIndex, finding.RobotsBlocked},
		{finding.RobotsBlocked, finding.NoIndex}} {
		k := signoff.Known{Now: now, Audit: audit(names, nil, nil)}
		k.Audit.Audit.Chains = append(k.Audit.Audit.Chains, chain.Chain{Entry: u, Probe: chain.Robots,
			End: chain.Page, Hops: []chain.Answer{{URL: u, Status: 200}}})
		for i, code := range codes {
			f := finding.New(code, "http://a.example/", fact.Kept{Says: "x", Do: "y"})
			if i == 1 {
				f.Accepted = lived
			}
			k.Audit.Audit.Findings = append(k.Audit.Audit.Findings, f)
		}
		assert.Zero(t, checkOf(signoff.Of(k, signoff.After), signoff.Robots).Good)
	}
	k := signoff.Known{Now: now, Audit: audit(names, nil, nil)}
	f := finding.New(finding.HSTSMissing, "https://www.n.example", fact.Kept{Says: "x", Do: "y"})
	k.Audit.Audit.Findings = []finding.Finding{f}
	assert.Equal(t, signoff.Warned, checkOf(signoff.Of(k, signoff.After), signoff.HSTS).State)
	k.Audit.Audit.Findings[0].Accepted = lived
	c := checkOf(signoff.Of(k, signoff.After), signoff.HSTS)
	assert.Equal(t, signoff.Fine, c.State, "somebody lives with it")
	assert.Zero(t, c.Good, "and it is not there")
}

func TestWhatThePlanDoesToMailStandsInTheWay(t *testing.T) {
	broken := func(code finding.Code, subject string) finding.Finding {
		return finding.New(code, subject, fact.Kept{Says: "x", Do: "y"})
	}
	k := signoff.Known{Plan: made(), Now: now, Survey: surveyed("", names...),
		Proof: &proof.Proof{Verdict: proof.Proved, Doors: 3}}
	k.Survey.Findings = []finding.Finding{broken(finding.MailMalformed, "b.example"),
		broken(finding.MailSpoofable, "a.example"), broken(finding.Loop, "a.example")}
	s := signoff.Of(k, signoff.Before)
	mail := checkOf(s, signoff.Mail)
	assert.Equal(t, 2, mail.Good, "of three: a note is none")
	assert.Len(t, mail.Findings, 2)
	assert.Equal(t, signoff.Failing, mail.State)
	assert.False(t, mail.Matters, "it was so before")
	assert.Equal(t, signoff.Yes, s.Answer)
	k.Plan.Findings = []finding.Finding{broken(finding.MailMalformed, "b.example")}
	mail = checkOf(signoff.Of(k, signoff.Before), signoff.Mail)
	assert.Len(t, mail.Findings, 2, "once")
	assert.False(t, mail.Matters)
	k.Plan.Findings = append(k.Plan.Findings, broken(finding.MailLost, "a.example"))
	s = signoff.Of(k, signoff.Before)
	mail = checkOf(s, signoff.Mail)
	assert.True(t, mail.Matters)
	assert.Equal(t, 1, mail.Good)
	assert.Equal(t, signoff.No, s.Answer)
	assert.Equal(t, signoff.Failing, checkOf(s, signoff.Plan).State)
	assert.Len(t, checkOf(signoff.Of(k, signoff.After), signoff.Mail).Findings, 2,
		"afterwards the plan is done")
	k.Survey.Domains = k.Survey.Domains[:2]
	assert.Equal(t, []string{"b.example"}, checkOf(signoff.Of(k, signoff.After), signoff.Mail).Missing)
}

func TestOldURLsBeforeTheMoveAreThoseOfThePlan(t *testing.T) {
	c := &old.Coverage{}
	c.Total.All = old.Share{URLs: 10, Weight: 100}
	c.Total.Fates[old.OwnPage] = old.Share{URLs: 8, Weight: 90}
	c.Total.Fates[old.Missing] = old.Share{URLs: 2, Weight: 10}
	k := signoff.Known{Plan: made(), Now: now, Coverage: c}
	check := checkOf(signoff.Of(k, signoff.Before), signoff.OldURLs)
	assert.True(t, check.Predicted)
	assert.Equal(t, 8, check.Good)
	assert.InDelta(t, 0.9, check.Part, 1e-9)
	assert.Equal(t, signoff.Warned, check.State)
	c.Total.Fates[old.Missing] = old.Share{}
	assert.Equal(t, signoff.Fine, checkOf(signoff.Of(k, signoff.Before), signoff.OldURLs).State)
	assert.False(t, checkOf(signoff.Of(k, signoff.After), signoff.OldURLs).Predicted)

	unseen := old.MetArea{}
	unseen.Take(old.RightPage, old.Share{URLs: 5, Weight: 5})
	unseen.Take(old.NotSeen, old.Share{URLs: 3, Weight: 5})
	unseen.Take(old.NoPage, old.Share{URLs: 1, Weight: 0})
	k.Runs = &signoff.Runs{Started: now, Source: "old.csv", Total: 9, Areas: []old.MetArea{unseen}}
	check = checkOf(signoff.Of(k, signoff.After), signoff.OldURLs)
	assert.Equal(t, 5, check.Good)
	assert.Equal(t, []string{"old.csv"}, check.Missing, "three could not be seen")
}

func TestCertificatesThatNobodyShowedAreNamed(t *testing.T) {
	k := signoff.Known{Plan: made(), Audit: audit(names, nil, nil), Now: now}
	first := &k.Audit.Audit.Chains[1].Hops[0]
	first.TLS, first.Refusal = nil, chain.Refused
	k.Audit.Audit.Chains[2].Hops[0].TLS.Faults = []finding.Code{finding.ExpiresSoon}
	c := checkOf(signoff.Of(k, signoff.After), signoff.Certificates)
	assert.Equal(t, []string{"a.example"}, c.Missing)
	assert.Equal(t, 1, c.Good)
	assert.Equal(t, 3, c.All)
	assert.Equal(t, []string{""}, checkOf(signoff.Of(signoff.Known{Now: now}, signoff.After),
		signoff.Certificates).Missing)
}

func TestHSTSThatIsMissingWasHeard(t *testing.T) {
	k := signoff.Known{Plan: made(), Audit: audit(names, nil, nil), Now: now}
	f := finding.New(finding.HSTSMissing, "https://www.n.example", fact.Kept{Says: "x", Do: "y"})
	f.Entry = "https://n.example/"
	k.Audit.Audit.Findings = append(k.Audit.Audit.Findings, f)
	c := checkOf(signoff.Of(k, signoff.After), signoff.HSTS)
	assert.Equal(t, signoff.Warned, c.State)
	assert.Zero(t, c.Good)
	assert.Equal(t, now, c.From)
}

func TestADoorOfWhichAPathCouldNotBeSeenWasNotSeen(t *testing.T) {
	k := signoff.Known{Plan: made(), Audit: audit(names, nil, nil), Now: now}
	deep := k.Audit.Audit.Chains[0]
	deep.Probe, deep.Hops = chain.Deep, []chain.Answer{{URL: deep.Entry, Refusal: chain.Unseen}}
	k.Audit.Audit.Chains = append(k.Audit.Audit.Chains, deep)
	assert.Equal(t, []string{"https://n.example"},
		checkOf(signoff.Of(k, signoff.After), signoff.Doors).Missing)
	slices.Reverse(k.Audit.Audit.Chains) // whichever was looked at first
	assert.Equal(t, []string{"https://n.example"},
		checkOf(signoff.Of(k, signoff.After), signoff.Doors).Missing)
}

func TestWithoutAPlanThereIsNoAnswer(t *testing.T) {
	s := signoff.Of(signoff.Known{Audit: audit(names, nil, nil), Survey: surveyed("", names...),
		Now: now}, signoff.Before)
	assert.Equal(t, signoff.Unknown, s.Answer)
	assert.Equal(t, 3, checkOf(s, signoff.Doors).All, "those that were tried")
	assert.Equal(t, signoff.Fine, checkOf(s, signoff.Registrations).State)
}

func TestWhatIsNotProvedDoesNotGoLive(t *testing.T) {
	k := signoff.Known{Plan: made(), Now: now, Survey: surveyed("", names...)}
	assert.Equal(t, signoff.Unknown, signoff.Of(k, signoff.Before).Answer, "nobody proved it")
	for verdict, want := range map[proof.Verdict]signoff.Answer{proof.Proved: signoff.Yes,
		proof.Undecided: signoff.Unknown, proof.Refuted: signoff.No} {
		k.Proof = &proof.Proof{Verdict: verdict, Doors: 3}
		assert.Equal(t, want, signoff.Of(k, signoff.Before).Answer, verdict)
	}
}
