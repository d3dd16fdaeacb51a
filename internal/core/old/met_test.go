package old_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/web"
)

func TestHowSomebodyFaresWhoFollowsAnOldURL(t *testing.T) {
	site := web.MustParseURL("https://www.n.example/").Door()
	page, root := site.URL("/visit/", ""), site.URL("/", "")
	stopped := 0
	for name, c := range map[string]struct {
		want    old.Met
		goal    chain.Goal
		arrival web.URL
		end     chain.End
		last    chain.Answer
		codes   []finding.Code
		stopped *int
	}{
		"the planned page": {old.RightPage, chain.Goal{Target: page}, page, chain.Page,
			chain.Answer{Status: 200}, nil, nil},
		"in a hop too many": {old.RightPage, chain.Goal{Target: page}, page, chain.Page,
			chain.Answer{Status: 200}, []finding.Code{finding.ExtraHop}, nil},
		"another page": {old.OtherPage, chain.Goal{Target: page}, site.URL("/x/", ""),
			chain.Page, chain.Answer{Status: 200}, []finding.Code{finding.WrongPage}, nil},
		"home, its path cut": {old.MetHome, chain.Goal{Target: page}, root, chain.Page,
			chain.Answer{Status: 200}, []finding.Code{finding.PathLost}, nil},
		"home, as planned": {old.RightPage, chain.Goal{Target: root}, root, chain.Page,
			chain.Answer{Status: 200}, nil, nil},
		"an error of another page": {old.NoPage, chain.Goal{Target: page}, site.URL("/x/", ""),
			chain.Page, chain.Answer{Status: 404}, []finding.Code{finding.WrongPage}, nil},
		"gone as planned": {old.GoneRight, chain.Goal{Gone: true},
			web.MustParseURL("http://old.example/"), chain.Page, chain.Answer{Status: 410}, nil, nil},
		"gone where a page was meant": {old.NoPage, chain.Goal{Target: page},
			web.MustParseURL("http://old.example/"), chain.Page, chain.Answer{Status: 410}, nil, nil},
		"a page where gone was meant": {old.NotMoved, chain.Goal{Gone: true},
			web.MustParseURL("http://old.example/a"), chain.Page, chain.Answer{Status: 200},
			[]finding.Code{finding.NotRedirected}, nil},
		"a loop": {old.Astray, chain.Goal{Target: page}, page, chain.Loop,
			chain.Answer{Status: 301}, []finding.Code{finding.Loop}, nil},
		"a certificate, the page then": {old.Stopped, chain.Goal{Target: page}, page, chain.Page,
			chain.Answer{Status: 200}, []finding.Code{finding.Expired}, &stopped},
		"nobody answers": {old.NoAnswer, chain.Goal{Target: page}, page, chain.NoAnswer,
			chain.Answer{Refusal: chain.Timeout}, []finding.Code{finding.Timeout}, nil},
		"nobody could look": {old.NotSeen, chain.Goal{Target: page}, page, chain.NoAnswer,
			chain.Answer{Refusal: chain.Unseen}, nil, nil},
		"a challenge for robots": {old.NotSeen, chain.Goal{Target: page}, page, chain.Page,
			chain.Answer{Status: 403}, []finding.Code{finding.TurnedAway}, nil},
		"over http on the way": {old.Insecure, chain.Goal{Target: page}, page, chain.Page,
			chain.Answer{Status: 200}, []finding.Code{finding.Downgrade}, nil},
	} {
		way := chain.Chain{
			Arrival:   c.arrival,
			End:       c.end,
			Hops:      []chain.Answer{{Status: 301}, c.last},
			StoppedAt: c.stopped,
			Number:    7,
		}
		for _, code := range c.codes {
			way.Findings = append(way.Findings,
				finding.New(code, "old.example", fact.Kept{Says: "It says " + code.String() + "."}))
		}
		f := old.FollowedOf(&way, old.Address{URL: "http://old.example/a", Weight: 3}, c.goal, site)
		assert.Equal(t, c.want, f.Met, name)
		assert.Equal(t, []any{7, int64(3), c.last.Status}, []any{f.Number, f.Weight, f.Status}, name)
		assert.Equal(t, len(c.codes) == 0 && c.want != old.NoPage, f.Says.IsZero(), name)
	}
	for _, m := range old.Mets() {
		named, known := old.MetNamed(m.String())
		assert.True(t, known && named == m)
		assert.Equal(t, m.Fine(), m.Severity() == "")
	}
}

func TestHowOldURLsFareIsOneFindingByDomainAndKind(t *testing.T) {
	a := old.MetArea{Name: "old.example"}
	a.Take(old.RightPage, old.Share{URLs: 5, Weight: 50})
	a.Take(old.NoPage, old.Share{URLs: 2, Weight: 9})
	a.Take(old.NotSeen, old.Share{URLs: 1, Weight: 1})
	b := old.MetArea{Name: "two.example"}
	b.Take(old.NoAnswer, old.Share{URLs: 1, Weight: 99})
	areas := []old.MetArea{a, b}
	old.SortAreas(areas)
	assert.Equal(t, "two.example", areas[0].Name)
	var all []string
	for _, f := range old.MetFindings(areas, func(domain string, m old.Met) []old.Followed {
		return []old.Followed{{URL: "http://" + domain + "/" + m.String(), Codes: map[old.Met][]string{
			old.NoAnswer: {"refused"}, old.NoPage: {"wrong-page"}}[m]}}
	}) {
		all = append(all, string(f.Severity)+" "+f.Code.String()+" "+f.Entry)
	}
	assert.Equal(t,
		[]string{"error refused http://two.example/no-answer",
			"error dead-end http://old.example/no-page",
			"warning turned-away http://old.example/unseen"}, all)
}
