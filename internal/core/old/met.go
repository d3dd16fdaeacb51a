package old

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"slices"
	"strconv"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Met is how somebody fares who follows an old URL in the real web, judged against the plan.
type Met uint8

// The ways to fare, the best first.
const (
	RightPage Met = iota // on the page that the plan wants, or where nobody planned one, on a page
	GoneRight            // 410, as planned
	MetHome              // on the home page
	OtherPage            // on another page than the one that was planned
	NotMoved             // the old site still serves a page
	Insecure             // on the right page, but over http on the way or in the end
	NoPage               // an error: 404, 410 where a page was planned, 500
	Stopped              // a certificate stops visitors
	Astray               // a loop, or a redirect that leads nowhere
	NoAnswer             // nobody answers
	NotSeen              // nobody could look: nothing is known
	metKinds             // how many there are
)

func (m Met) String() string {
	return [...]string{"right", "gone", "home", "other-page", "not-moved", "insecure", "no-page",
		"stopped", "astray",
		"no-answer", "unseen"}[m]
}

// Mets are all ways to fare, the best first.
func Mets() []Met {
	all := make([]Met, metKinds)
	for i := range all {
		all[i] = Met(i) // there are few
	}
	return all
}

// MetNamed gives the way to fare of a name; false where there is none.
func MetNamed(name string) (Met, bool) {
	for _, m := range Mets() {
		if m.String() == name {
			return m, true
		}
	}
	return 0, false
}

// Fine reports whether nothing is to be done.
func (m Met) Fine() bool { return m == RightPage || m == GoneRight }

// Severity says how bad it is; "" where it is fine.
func (m Met) Severity() finding.Severity {
	switch m {
	case RightPage, GoneRight:
		return ""
	case MetHome, NotSeen:
		return finding.Warning
	}
	return finding.Error
}

// Followed is what is kept of an old URL that was followed.
type Followed struct {
	Number  int // in its list, from 0
	URL     string
	Method  string // POST; "" for GET
	Weight  int64
	Met     Met
	Arrival string
	Status  int // the last; 0: nobody answered
	Hops    int // redirects
	Long    bool
	Codes   []string      // of the findings, the worst first
	Says    fact.Sentence // of the worst
	// a digest of where it should have led: its verdict holds as long as that stays so
	Goal string
}

// codes that tell how somebody fares: what stands first decides.
var metBy = []struct {
	met   Met
	codes []finding.Code
}{
	{
		Astray,
		[]finding.Code{finding.Loop, finding.GrowingLoop, finding.CookieLoop, finding.TooManyHops,
			finding.BadLocation},
	},
	{
		Stopped,
		[]finding.Code{finding.WrongName, finding.Expired, finding.NotYetValid, finding.Untrusted,
			finding.Revoked,
			finding.BrokenChain},
	},
	{NoPage, []finding.Code{finding.DeadEnd}},
	{NotMoved, []finding.Code{finding.NotRedirected}},
	{MetHome, []finding.Code{finding.LandedHome}},
	{OtherPage, []finding.Code{finding.WrongPage, finding.PathLost, finding.Framed}},
	{Insecure, []finding.Code{finding.Downgrade, finding.PlainArrival}},
}

// GoalDigest gives a short text that differs where goals do.
func GoalDigest(g chain.Goal) string {
	h := fnv.New64a()
	fmt.Fprint(h, g.Target, g.Gone, g.Hops, g.Temporary)
	return strconv.FormatUint(h.Sum64(), 36)
}

// FollowedOf says how somebody fares on a chain that was judged. goal is where the plan leads it,
// site the canonical one.
func FollowedOf(c *chain.Chain, a Address, goal chain.Goal, site web.Door) Followed {
	last := &c.Hops[len(c.Hops)-1]
	f := Followed{Number: c.Number, URL: a.URL, Method: a.Method, Weight: a.Weight,
		Arrival: c.Arrival.String(),
		Status:  last.Status, Hops: c.Redirects(), Goal: GoalDigest(goal)}
	sorted := slices.Clone(c.Findings)
	finding.Sort(sorted)
	has := map[finding.Code]bool{}
	for _, found := range sorted {
		if !has[found.Code] && found.Severity != finding.Note {
			f.Codes = append(f.Codes, found.Code.String())
		}
		has[found.Code] = true
		if f.Says.IsZero() && found.Severity != finding.Note {
			f.Says = found.Says
		}
	}
	f.Long = has[finding.ExtraHop]
	switch {
	case last.Refusal == chain.Unseen || has[finding.TurnedAway]:
		f.Met = NotSeen
		return f
	case last.Refusal != "" && c.End == chain.NoAnswer && c.StoppedAt == nil:
		f.Met = NoAnswer
		return f
	}
	home := c.End == chain.Page && c.Arrival.Door() == site && c.Arrival.Path() == "/" &&
		(goal.Gone || goal.Target.Path() != "/" || goal.Target.Door() != site)
	for _, by := range metBy {
		switch {
		case slices.ContainsFunc(by.codes, func(c finding.Code) bool { return has[c] }):
			f.Met = by.met
			i := slices.IndexFunc(sorted, func(one finding.Finding) bool {
				return slices.Contains(by.codes, one.Code)
			})
			f.Says = sorted[i].Says
		case by.met == NoPage && c.End == chain.Page && last.Status >= 400 &&
			(!goal.Gone || last.Status != 410):
			f.Met = NoPage
			f.Says = fact.Of(fact.AnswersStatus{URL: c.Arrival.String(), Status: last.Status}, fact.Says)
		case by.met == MetHome && home:
			f.Met = MetHome
		default:
			continue
		}
		return f
	}
	if goal.Gone {
		f.Met = GoneRight
	}
	return f
}

// MetArea is how the old URLs of a domain fare.
type MetArea struct {
	Name string
	All  Share
	Mets [metKinds]Share
}

// Take counts old URLs that fare in one way.
func (a *MetArea) Take(m Met, s Share) {
	a.All.URLs += s.URLs
	a.All.Weight = Plus(a.All.Weight, s.Weight)
	a.Mets[m].URLs += s.URLs
	a.Mets[m].Weight = Plus(a.Mets[m].Weight, s.Weight)
}

// Wrong gives how many do not fare well.
func (a *MetArea) Wrong() Share {
	var s Share
	for m, share := range a.Mets {
		if !Met(m).Fine() { // there are few
			s.URLs += share.URLs
			s.Weight = Plus(s.Weight, share.Weight)
		}
	}
	return s
}

// SortAreas puts areas in order, what weighs most of what does not fare well first.
func SortAreas(areas []MetArea) {
	slices.SortStableFunc(areas, func(a, b MetArea) int {
		x, y := a.Wrong(), b.Wrong()
		return cmp.Or(cmp.Compare(y.Weight, x.Weight), cmp.Compare(y.URLs, x.URLs),
			cmp.Compare(a.Name, b.Name))
	})
}

// metFinding is how a way to fare is found.
var metFinding = map[Met]metKind{
	MetHome:   {MetHome, finding.LandedHome},
	OtherPage: {OtherPage, finding.WrongPage},
	NotMoved:  {NotMoved, finding.NotRedirected},
	Insecure:  {Insecure, finding.Downgrade},
	NoPage:    {NoPage, finding.DeadEnd},
	Stopped:   {Stopped, finding.WrongName},
	Astray:    {Astray, finding.Loop},
	NoAnswer:  {NoAnswer, finding.Timeout},
	NotSeen:   {NotSeen, finding.TurnedAway},
}

// metKind is a row of that table.
type metKind struct {
	met  Met
	code finding.Code // where none of the URL's own says it better
}

// shown gives the code under which an old URL is shown that fares so.
func (k metKind) shown(f Followed) finding.Code {
	var fitting []finding.Code
	for _, by := range metBy {
		if by.met == k.met {
			fitting = by.codes
		}
	}
	for _, name := range f.Codes {
		c, known := finding.Named(name)
		if known && (slices.Contains(fitting, c) || k.met == NoAnswer && c.Row().About == "reaching") {
			return c
		}
	}
	return k.code
}

// MetFindings gives a finding for each way in which old URLs of a domain do not fare well; worst
// gives the heaviest of them, the first of which a finding shows.
func MetFindings(areas []MetArea, worst func(domain string, m Met) []Followed) []finding.Finding {
	var tally finding.Tally
	for _, a := range areas {
		for _, m := range Mets() {
			if m.Fine() || a.Mets[m].URLs == 0 {
				continue
			}
			heaviest := worst(a.Name, m)
			if len(heaviest) == 0 {
				continue
			}
			by, first := metFinding[m], heaviest[0]
			code := by.shown(first)
			n := a.Mets[m].URLs
			var urls []string
			for _, f := range heaviest {
				urls = append(urls, f.URL)
			}
			fares := fact.OldURLsFare{URLs: n, Domain: a.Name, First: first.URL, Met: m.String(),
				Weight: a.Mets[m].Weight, Heaviest: urls}
			if !first.Says.IsZero() {
				fares.Says = fact.Kept{Says: first.Says.String()}
			}
			f := finding.New(code, a.Name, fares).As(m.Severity()).GroupedBy(m.String() + " " + a.Name)
			f.Entry = first.URL
			tally.Add(f)
		}
	}
	return tally.Findings()
}
