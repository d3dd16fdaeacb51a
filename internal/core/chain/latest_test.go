package chain_test

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
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/web"
)

// lookedAt is an audit of some paths of some domains, on a day.
func lookedAt(day int, vantage string, s *scope.Scope, urls ...string) *chain.Audit {
	a := &chain.Audit{Schema: chain.AuditSchema, Vantage: vantage, Canonical: "https://www.n.example",
		Started: time.Date(2026, 11, day, 0, 0, 0, 0, time.UTC), Scope: s}
	for _, one := range urls {
		u := web.MustParseURL(one)
		a.Chains = append(a.Chains, chain.Chain{Entry: u, Probe: chain.Root, End: chain.Page,
			Hops: []chain.Answer{{URL: u, Status: 200 + day}}})
		f := finding.New(finding.NoIndex, "page", fact.Kept{Says: fmt.Sprint(day)})
		f.Entry, f.Entries = one, []string{one}
		a.Findings = append(a.Findings, f)
	}
	return a
}

func whole() *scope.Scope { return &scope.Scope{Estate: "e", Meant: 1, Done: 1} }

func only(domain string) *scope.Scope {
	return &scope.Scope{Estate: "e", Only: domain, Domains: []string{domain}, Meant: 1, Done: 1}
}

func TestTheNewestOfEachURLIsTaken(t *testing.T) {
	first := lookedAt(1, "here", whole(), "http://a.example/", "http://a.example/gone",
		"http://b.example/")
	part := lookedAt(2, "here", only("a.example"), "http://a.example/")
	j := chain.Latest([]*chain.Audit{part, first}, "", nil)
	assert.Len(t, j.From, 2)
	assert.Equal(t, part.Started, j.Seen["http://a.example/"])
	assert.Equal(t, first.Started, j.Seen["http://b.example/"])
	assert.NotContains(t, j.Seen, "http://a.example/gone", "the newer asked for it no more")
	require.Len(t, j.Audit.Findings, 1)
	assert.ElementsMatch(t, []string{"http://a.example/", "http://b.example/"},
		j.Audit.Findings[0].Entries)

	byHand := lookedAt(3, "here", &scope.Scope{Estate: "e", Points: []string{"x"}, Meant: 1, Done: 1},
		"http://b.example/")
	elsewhere := lookedAt(4, "there", only("b.example"), "http://b.example/")
	j = chain.Latest([]*chain.Audit{elsewhere, byHand, part, first}, "", nil)
	assert.Equal(t, first.Started, j.Seen["http://b.example/"], "nobody meets an address by hand")
	assert.Len(t, j.Aside, 2)
	assert.Equal(t, elsewhere.Started,
		chain.Latest([]*chain.Audit{elsewhere, first}, "there", nil).Seen["http://b.example/"])

	cut := lookedAt(5, "here", &scope.Scope{Estate: "e", Meant: 9, Done: 1}, "http://a.example/")
	j = chain.Latest([]*chain.Audit{cut, first}, "", nil)
	assert.Contains(t, j.Seen, "http://a.example/gone", "the newer did not come that far")
	doors := lookedAt(5, "here", &scope.Scope{Estate: "e", DoorsOnly: true}, "http://a.example/")
	assert.Contains(t, chain.Latest([]*chain.Audit{doors, first}, "", nil).Seen,
		"http://a.example/gone")
	assert.NotContains(t, chain.Latest([]*chain.Audit{first}, "", func(u web.URL) bool {
		return u.Host().String() != "b.example"
	}).Seen, "http://b.example/", "it is no domain of the estate any more")
	none := chain.Latest([]*chain.Audit{byHand}, "", nil)
	assert.Empty(t, none.From)
	assert.Len(t, none.Aside, 1)
}

// TestWhatIsTakenIsWhatWasSeenLast holds joined audits at random against a plain reading of the
// same: for each URL, go back until an audit saw it, or asked for everything of its domain.
func TestWhatIsTakenIsWhatWasSeenLast(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4)) // a test
	urls := []string{}
	for _, d := range []string{"a", "b", "c"} {
		for _, p := range []string{"", "x", "y"} {
			urls = append(urls, "http://"+d+".example/"+p)
		}
	}
	for range 2000 {
		var all []*chain.Audit
		for day := 9; day > 9-1-r.IntN(6); day-- {
			s := []*scope.Scope{nil, whole(), only("a.example"), {Estate: "e", Meant: 9, Done: 2},
				{Estate: "e", DoorsOnly: true}, {Estate: "e", Points: []string{"x"}}}[r.IntN(6)]
			all = append(all, lookedAt(day, []string{"here", "here", "there"}[r.IntN(3)], s,
				slices.DeleteFunc(slices.Clone(urls), func(u string) bool {
					return r.IntN(2) == 0 || s != nil && s.Only != "" && u[7] != 'a'
				})...))
		}
		j := chain.Latest(all, "here", nil)
		for _, u := range urls {
			want := time.Time{}
			for _, a := range all {
				if a.Vantage != "here" || !a.Scope.Real() {
					continue
				}
				asked := slices.ContainsFunc(a.Chains, func(c chain.Chain) bool {
					return c.Entry.String() == u
				})
				same := slices.ContainsFunc(a.Chains, func(c chain.Chain) bool {
					return c.Entry.String()[7] == u[7]
				})
				if asked {
					want = a.Started
				}
				if asked || same && a.Scope.Ended() && (a.Scope == nil || !a.Scope.DoorsOnly) {
					break
				}
			}
			require.Equal(t, want, j.Seen[u], u)
		}
		for i := range j.Audit.Chains {
			c := &j.Audit.Chains[i]
			require.Equal(t, 200+j.Seen[c.Key()].Day(), c.Last().Status)
		}
		for _, f := range j.Audit.Findings {
			for _, e := range f.Entries {
				require.Contains(t, j.Seen, e)
			}
		}
	}
}
