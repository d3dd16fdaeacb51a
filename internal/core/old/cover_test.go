package old_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/test/worlds"
)

// coveredEstate is an estate with a page list, carriers of several kinds and rules of several
// kinds.
var coveredEstate = worlds.World{
	Estate: "canonical: https://www.n.example\n" +
		"site: {also: [n.platform.example], addresses: [203.0.113.10]}\ncarriers:\n" +
		"  g: {by: server, addresses: [203.0.113.20]}\n" +
		"  form: {by: form, addresses: [198.51.100.34], tls: yes}\n" +
		"defaults: {carrier: g}\nrules: rules.csv\ndomains:\n  - n.example\n  - old.example\n" +
		"  - {name: gone.example, fallback: gone}\n  - {name: front.example, fallback: home}\n" +
		"  - {name: form.example, carrier: form}\n",
	Rules: []string{"old.example/a,/visit/", "old.example/item/{id},/item/{id}/",
		"old.example/shop/{+r},/shop/",
		"old.example/retired,,410", "https://old.example/secure,/visit/", "www.old.example/www,/visit/",
		"old.example/x,https://old.example/a", "old.example/t?utm_source=mail,/visit/",
		"old.example/partner,https://partner.example/", "old.example/Case,/visit/"},
}

func webOf(t testing.TB, w worlds.World, pages ...string) *predict.Prediction {
	t.Helper()
	in, ok := w.Read(t)
	require.True(t, ok, w.String())
	for _, p := range pages {
		in.Pages = append(in.Pages, web.MustParseURL("https://www.n.example"+p))
	}
	return in.Web()
}

func addresses(urls ...string) []old.Address {
	var all []old.Address
	for _, u := range urls {
		all = append(all, old.Address{URL: u, Weight: 10})
	}
	return all
}

func TestWhatBecomesOfOldURLs(t *testing.T) {
	pages := []string{"/visit/", "/item/1/", "/shop/"}
	for u, want := range map[string]struct {
		fate old.Fate
		by   old.By
		line int32
	}{
		"http://old.example/a":                            {old.OwnPage, old.ByRule, 2},
		"https://www.old.example/a?b=c":                   {old.OwnPage, old.ByRule, 2},
		"http://old.example/item/1":                       {old.OwnPage, old.ByRule, 3},
		"http://old.example/item/2":                       {old.Missing, old.ByRule, 3},
		"http://old.example/shop/red":                     {old.OwnPage, old.ByRule, 4},
		"http://old.example/retired":                      {old.Retired, old.ByRule, 5},
		"http://old.example/":                             {old.OwnPage, old.ByRoot, 0},
		"http://old.example/visit/":                       {old.OwnPage, old.ByFallback, 0},
		"http://old.example/nothing":                      {old.Missing, old.ByFallback, 0},
		"http://gone.example/nothing":                     {old.Fallen, old.ByFallback, 0},
		"http://gone.example/":                            {old.OwnPage, old.ByRoot, 0},
		"http://front.example/nothing":                    {old.AtHome, old.ByFallback, 0},
		"http://old.example/partner":                      {old.Unchecked, old.ByRule, 10},
		"http://form.example/visit/":                      {old.AtHome, old.ByCarrier, 0},
		"http://form.example/":                            {old.OwnPage, old.ByRoot, 0},
		"http://n.example/visit/":                         {old.OwnPage, old.ByFallback, 0},
		"https://www.n.example/visit/":                    {old.OwnPage, old.BySite, 0},
		"https://www.n.example/none":                      {old.Missing, old.BySite, 0},
		"https://n.platform.example/visit/":               {old.OwnPage, old.BySite, 0},
		"http://stranger.example/":                        {old.Outside, old.ByNobody, 0},
		"http://old.example:8080/a":                       {old.Outside, old.ByNobody, 0},
		"mailto:somebody@old.example":                     {old.Outside, old.ByNobody, 0},
		"http://old.example/.well-known/acme-challenge/x": {old.Missing, old.ByFallback, 0},
	} {
		c := old.Cover(webOf(t, coveredEstate, pages...), addresses(u), nil)
		o := c.Outcomes[0]
		assert.Equal(t, want.fate, o.Fate, u)
		assert.Equal(t, want.by, o.By, u)
		assert.Equal(t, want.line, o.Line, u)
	}
	unknown := old.Cover(webOf(t, coveredEstate),
		addresses("http://old.example/a", "http://old.example/"), nil)
	assert.Equal(t, []old.Fate{old.Unchecked, old.Unchecked},
		[]old.Fate{unknown.Outcomes[0].Fate, unknown.Outcomes[1].Fate}, "nobody said which pages exist")
}

func TestManyOldPagesOnOneAreASection(t *testing.T) {
	var urls []string
	for i := range chain.LeastMany {
		urls = append(urls, fmt.Sprintf("http://old.example/shop/%d", i))
	}
	w := webOf(t, coveredEstate, "/shop/")
	c := old.Cover(w, addresses(append(urls, "http://old.example/a")...), nil)
	assert.Equal(t, chain.LeastMany, c.Total.Fates[old.Section].URLs)
	assert.Equal(t, int64(10*chain.LeastMany), c.Total.Fates[old.Section].Weight)
	twins := append(
		slices.Clone(urls[:chain.LeastMany-1]),
		"https://www.old.example/shop/0",
		"http://old.example/shop/1?gclid=7",
	)
	c = old.Cover(w, addresses(twins...), nil)
	assert.Zero(t, c.Total.Fates[old.Section].URLs, "the same page by another door is one page")
	assert.Equal(t, "old.example/shop/", c.Sections[0].Name)
}

func findingsOf(c *old.Coverage) []string {
	var all []string
	for _, f := range c.Findings {
		all = append(all, fmt.Sprintf("%s %s %s", f.Code, f.Subject, f.Entry))
	}
	return all
}

func TestOldURLsAreWrittenAsBrowsersAskForThem(t *testing.T) {
	all := addresses(
		"HTTP://Old.Example:80/a",
		"http://old.example?x=1",
		"https://old.example/A#top",
		"http://WWW.old.example",
	)
	c := old.Cover(webOf(t, coveredEstate, "/visit/"), all, nil)
	assert.Equal(t,
		[]string{"http://old.example/a", "http://old.example?x=1", "https://old.example/A#top",
			"http://www.old.example/"}, []string{all[0].URL, all[1].URL, all[2].URL, all[3].URL})
	require.Len(t, c.Domains, 1)
	assert.Equal(t, "old.example", c.Domains[0].Name)
}

func TestARuleForOneDoorIsSaid(t *testing.T) {
	w := webOf(t, coveredEstate, "/visit/")
	for u, want := range map[string][]string{
		"http://old.example/a": nil,
		"https://old.example/secure": {
			"one-door-only rules line 6 https://old.example/secure"},
		"https://www.old.example/secure": {
			"one-door-only rules line 6 https://www.old.example/secure"},
		"http://www.old.example/www": {
			"one-door-only rules line 7 http://www.old.example/www"},
		"http://old.example/t?utm_source=mail": {
			"one-door-only rules line 9 http://old.example/t?utm_source=mail"},
		"http://old.example/t?utm_source=letter": {
			"dead-end old.example http://old.example/t?utm_source=letter"},
	} {
		assert.Equal(t, want, findingsOf(old.Cover(w, addresses(u), nil)), u)
	}
	both := old.Cover(w,
		addresses("http://old.example/Case", "http://old.example/case", "http://old.example/Case/"), nil)
	assert.Contains(
		t,
		findingsOf(both),
		"one-door-only rules line 11 http://old.example/Case",
		"twins that are old URLs too",
	)
	assert.Empty(t, findingsOf(old.Cover(w, addresses("http://old.example/Case"), nil)),
		"nobody asks for the twin")
}

func TestFaultsAreOneByDomain(t *testing.T) {
	all := addresses("http://old.example/1", "http://old.example/2", "http://gone.example/1",
		"http://front.example/1",
		"http://form.example/deep", "http://old.example/x", "http://old.example/a")
	all[1].Weight = 99
	c := old.Cover(webOf(t, coveredEstate, "/visit/"), all, nil)
	assert.Equal(t, []string{"dead-end old.example http://old.example/2",
		"beyond-carrier form.example http://form.example/deep",
		"extra-hop old.example http://old.example/x",
		"uncovered front.example http://front.example/1", "uncovered gone.example http://gone.example/1"},
		findingsOf(c))
	assert.Equal(t, finding.Error, c.Findings[0].Severity)
	assert.Equal(t, old.Share{URLs: 1, Weight: 10}, c.Long)
	assert.Equal(t, "old.example", c.Domains[0].Name,
		"what weighs most of what is left to decide first")
}

// A second reading, URL by URL, as predict has it.
func TestCoverageEqualsFollowingEachURL(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 15))
	for range 60 {
		w, ok := worlds.Random(random).Read(t)
		if !ok {
			continue
		}
		p := w.Web()
		var all []old.Address
		for _, u := range worlds.Entries() {
			if random.IntN(4) == 0 {
				all = append(all, old.Address{URL: u.String(), Weight: int64(random.IntN(50))})
			}
		}
		c := old.Cover(p, all, nil)
		var weight int64
		for i, a := range all {
			weight += a.Weight
			u := web.MustParseURL(a.URL)
			try := p.Try(u)
			o := c.Outcomes[i]
			if o.Fate == old.Outside {
				require.False(t, p.Forwards(u.Door()) || u.Door() == p.Estate.Canonical, a.URL)
				continue
			}
			last := try.Chain[len(try.Chain)-1]
			require.Equal(t, try.End != "page" || last.Status >= 500,
				o.Fate == old.Broken && c.Outcomes[i].Hops < 255 &&
					!framed(p, last.URL), "%s %v", a.URL, o)
			require.Equal(t, last.Status >= 400 && last.Status < 500 && last.Status != 410,
				o.Fate == old.Missing, a.URL)
			require.Equal(t, last.Status == 410, o.Fate == old.Retired || o.Fate == old.Fallen, a.URL)
			if o.Fate == old.AtHome {
				require.Equal(t, p.Estate.Canonical.String()+"/", strings.Split(last.URL, "?")[0])
			}
			if o.Fate.Arrives() || o.Fate == old.Section {
				require.Equal(t, 200, last.Status, a.URL)
			}
			if o.By == old.ByRule && try.Rule > 0 {
				require.Equal(t, int32(try.Rule), o.Line, a.URL)
			}
		}
		require.Equal(t, weight, c.Total.All.Weight)
		sum := old.Share{}
		for _, s := range c.Total.Fates {
			sum.URLs += s.URLs
			sum.Weight += s.Weight
		}
		require.Equal(t, c.Total.All, sum)
	}
}

func framed(p *predict.Prediction, u string) bool {
	return p.Treatment(web.MustParseURL(u).Door()).Does == predict.Frames
}

func TestTheSheetHoldsWhatIsLeftToDecide(t *testing.T) {
	all := []old.Address{
		{URL: "http://old.example/nothing", Weight: 5},
		{URL: "https://www.old.example/nothing?gclid=1", Weight: 9},
		{URL: "http://old.example/a", Weight: 100},
		{URL: "http://old.example/retired", Weight: 50},
		{URL: "http://form.example/deep?x=1", Weight: 30},
		{URL: "http://old.example/s*r", Weight: 1},
		{URL: "http://stranger.example/", Weight: 99},
	}
	rows := func(pages ...string) string {
		c := old.Cover(webOf(t, coveredEstate, pages...), slices.Clone(all), nil)
		var lines []string
		for _, r := range c.Sheet() {
			lines = append(lines, fmt.Sprintf("%s %d %d", r.Old, r.Weight, r.Example))
		}
		return strings.Join(lines, "\n")
	}
	want := "form.example/deep?x=1 30 4\nold.example/nothing 14 1\nold.example/s%2Ar 1 5"
	assert.Equal(t, want, rows("/visit/"), "all doors of an address are one, tracking aside")
	assert.Equal(t, want, rows(),
		"where nobody knows the pages, what no rule takes is left to decide too")
	c := old.Cover(webOf(t, coveredEstate), slices.Clone(all), nil)
	assert.Equal(t, old.Share{URLs: 3, Weight: 15}, c.Unruled)
}

func TestNoOldURLsAreCoveredToo(t *testing.T) {
	c := old.Cover(webOf(t, coveredEstate, "/visit/"), nil, nil)
	assert.Empty(t, c.Findings)
	assert.Empty(t, c.Outcomes)
}

func TestEveryOutcomeHasAName(t *testing.T) {
	for _, m := range old.Mets() {
		named, ok := old.MetNamed(m.String())
		assert.True(t, ok, m)
		assert.Equal(t, m, named)
	}
	_, ok := old.MetNamed("nothing of the kind")
	assert.False(t, ok)
}

// TestADelayEndsTheListOfThoseItIsFor has two groups, of which the first has a delay alone (RFC
// 9309 section 2.1: a group begins with those it is for).
