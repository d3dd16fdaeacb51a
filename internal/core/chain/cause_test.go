package chain

import (
	"context"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// answers is a web of whole answers, by URL.
type answers map[string]Answer

func (w answers) Answer(_ context.Context, ask Ask) Answer {
	a, ok := w[ask.URL.String()]
	if !ok {
		a.Refusal, a.Detail = Refused, "nobody is there"
	}
	a.URL = ask.URL
	if at, err := netip.ParseAddrPort(a.Address); err == nil {
		a.At = at
	}
	return a
}

func went(w answers, j Judge, entry string, goal Goal) Chain {
	c := Follow(context.Background(), w, Ask{URL: web.MustParseURL(entry)}, Root)
	j.Chain(&c, goal)
	return c
}

func found(c Chain, code finding.Code) finding.Finding {
	for _, f := range c.Findings {
		if f.Code == code {
			return f
		}
	}
	return finding.Finding{}
}

var noon = time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)

func TestTwoCarriersThatSendVisitorsToEachOther(t *testing.T) {
	round := func(wwwAt string) answers {
		return answers{
			"https://a.example/": {Status: 301, Location: "https://www.a.example/",
				Address: "192.0.2.1:443"},
			"https://www.a.example/": {Status: 301, Location: "https://a.example/", Address: wwwAt},
		}
	}
	places := Clues{Place: func(a netip.Addr) (Place, bool) {
		return map[string]Place{"192.0.2.1": {Carrier: "registrar", Kind: "form"},
				"192.0.2.2": {Carrier: "shop", Kind: "platform"}}[a.String()],
			true
	}}
	f := found(went(round("192.0.2.2:443"), Judge{Now: noon, Clues: places}, "https://a.example/",
		Goal{}), finding.Loop)
	assert.Equal(t, finding.TwoCarriers, f.Cause)
	assert.Equal(t, fact.TwoHosts{Apex: "a.example", WWW: "www.a.example",
		ApexBy: fact.Who{Carrier: "registrar", Address: "192.0.2.1"},
		WWWBy:  fact.Who{Carrier: "shop", Address: "192.0.2.2"}}, f.Why.Facts())
	assert.Contains(t, f.Fix.String(), "Choose one canonical host")
	f = found(went(round("192.0.2.1:443"), Judge{Now: noon}, "https://a.example/", Goal{}),
		finding.Loop)
	assert.Equal(t, finding.NoCause, f.Cause, "one machine does both")
}

func TestAnEdgeThatFetchesByHTTP(t *testing.T) {
	itself := answers{"https://a.example/": {Status: 301, Location: "https://a.example/",
		Address: "192.0.2.1:443",
		Headers: &Headers{Server: "edge/2", Via: "1.1 edge"}}}
	origin := func(secure Answer) Clues {
		return Clues{Origin: func(u web.URL) (Answer, Answer, bool) {
			return Answer{
					URL:      web.MustParseURL("http://a.example/"),
					Status:   301,
					Location: u.String(),
					Address:  "192.0.2.9:80",
				},
				secure, true
		}}
	}
	edge := Clues{Place: func(netip.Addr) (Place, bool) {
		return Place{Carrier: "edge", Kind: "edge"}, true
	}}
	for name, c := range map[string]struct {
		clues Clues
		cause finding.Cause
		why   string
	}{
		"nobody knows more": {Clues{}, finding.EdgeByHTTP,
			"Most likely an edge network in front (192.0.2.1"},
		"the estate knows": {edge, finding.EdgeByHTTP, "edge (192.0.2.1) fetches the page by http"},
		"the origin shows it": {origin(Answer{Status: 200, Address: "192.0.2.9:443"}), finding.EdgeByHTTP,
			"Asked directly, the origin 192.0.2.9 redirects http to https and serves the page"},
		"the origin redirects too": {
			origin(Answer{Status: 301, Location: "https://a.example/", Address: "192.0.2.9:443"}),
			finding.NoCause, "The fault is there"},
		"the origin has no https": {origin(Answer{Refusal: Refused, Address: "192.0.2.9:443"}),
			finding.EdgeByHTTP, "the origin 192.0.2.9 redirects http to https, and over https it "},
	} {
		f := found(went(itself, Judge{Now: noon, Clues: c.clues}, "https://a.example/", Goal{}),
			finding.Loop)
		assert.Equal(t, c.cause, f.Cause, name)
		assert.Contains(t, f.Why.String(), c.why, name)
		assert.Contains(t, f.Says.String(), "https://a.example/ redirects to itself", name)
		if c.cause != finding.NoCause {
			assert.Equal(t, "edge/2", f.Evidence["server"])
			assert.Equal(t, "1.1 edge", f.Evidence["via"])
		}
	}
}

func TestAnAddressOfThePreviousCarrier(t *testing.T) {
	w := answers{"http://a.example/": {Status: 200, Address: "192.0.2.1:80", TTL: 600,
		Page: &Document{Title: "Old"}}}
	before := Clues{
		Before: func(h web.Host, a netip.Addr) bool {
			return h.String() == "a.example" && a.String() == "192.0.2.1"
		},
	}
	judge := Judge{Now: noon, Clues: before, Estate: func(web.Host) bool { return true },
		Forwards: func(d web.Door) bool { return d.Host.String() == "a.example" }}
	f := found(went(w, judge, "http://a.example/",
		Goal{Target: web.MustParseURL("https://www.n.example/"), Hops: 1}),
		finding.NotRedirected)
	assert.Equal(t, finding.PreviousCarrier, f.Cause)
	assert.Contains(t, f.Fix.String(), "for 10 minutes, until 12:10 UTC")
}

func TestWhatABrowserKeeps(t *testing.T) {
	for name, c := range map[string]struct {
		status  int
		headers *Headers
		kept    bool
		until   time.Duration // 0: for good
	}{
		"a permanent one":         {301, nil, true, 0},
		"308":                     {308, nil, true, 0},
		"a temporary one":         {302, nil, false, 0},
		"a temporary one for now": {302, &Headers{Cache: "max-age=60"}, true, time.Minute},
		"a permanent one for now": {301, &Headers{Cache: "public, max-age=3600"}, true, time.Hour},
		"one that was kept before": {301, &Headers{Cache: "max-age=3600", Age: "600"}, true,
			50 * time.Minute},
		"one that may not be kept": {301, &Headers{Cache: "No-Store"}, false, 0},
		"one to be asked again":    {301, &Headers{Cache: "no-cache"}, false, 0},
		"one of no age":            {301, &Headers{Cache: "max-age=0"}, false, 0},
		"one that ends": {301, &Headers{Expires: "Sun, 01 Nov 2026 13:00:00 GMT"}, true,
			time.Hour},
		"one that has ended": {301, &Headers{Expires: "0"}, false, 0},
	} {
		until, kept := keeps(&Answer{Status: c.status, Location: "/x", Headers: c.headers}, noon)
		assert.Equal(t, c.kept, kept, name)
		if c.kept && c.until == 0 {
			assert.Equal(t, Forever, until, name)
		} else if c.kept {
			assert.Equal(t, noon.Add(c.until), until, name)
		}
	}
	for text, want := range map[string]HSTSPolicy{
		"max-age=60":                             {MaxAge: time.Minute},
		`max-age="60"; includeSubDomains`:        {MaxAge: time.Minute, Below: true},
		"INCLUDESUBDOMAINS;max-age=60 ; preload": {MaxAge: time.Minute, Below: true, Preload: true},
	} {
		got, ok := ParseHSTS(text)
		assert.True(t, ok, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "max-age", "max-age=-1", "max-age=1; max-age=2",
		"includeSubDomains"} {
		_, ok := ParseHSTS(text)
		assert.False(t, ok, text)
	}
}

func TestHSTSOfAHostAboveGoesByHTTPSAlone(t *testing.T) {
	var m Memory
	m.Preload(web.MustParseHost("a.example"), true)
	m.Preload(web.MustParseHost("b.example"), false)
	r := Returning{Asker: answers{}, Memory: &m, Now: noon}
	ask := func(u string) Answer {
		return r.Answer(context.Background(), Ask{URL: web.MustParseURL(u)})
	}
	assert.Equal(t, "https://sub.a.example/p?q", ask("http://sub.a.example/p?q").Location)
	assert.Equal(t, "https://a.example:8080/", ask("http://a.example:8080/").Location,
		"a port that is named stays")
	assert.Empty(t, ask("http://sub.b.example/").Remembered)
	assert.Equal(t, MemoHSTS, ask("http://b.example/").Remembered)
}

func TestVisitorsWhoGoOtherWays(t *testing.T) {
	home := answers{
		"http://a.example/":      {Status: 301, Location: "https://www.n.example/"},
		"https://www.n.example/": {Status: 200},
	}
	mobile := answers{
		"http://a.example/":    {Status: 301, Location: "https://m.n.example/"},
		"https://m.n.example/": {Status: 200},
	}
	dark := answers{"http://a.example/": {Refusal: Unseen, Detail: "no way"}}
	chains := func(all ...answers) (c []Chain) {
		for _, w := range all {
			c = append(c, went(w, Judge{Now: noon}, "http://a.example/", Goal{}))
		}
		return c
	}
	visitors := []Visitor{{Name: "as a browser"}, {Name: "as a phone", Asks: "phone"},
		{Name: "from far"}}
	same := Join(visitors[:2], chains(home, home))
	require.Len(t, same, 1)
	assert.Empty(t, same[0].SeenBy)
	two := Join(visitors[:2], chains(home, mobile))
	require.Len(t, two, 2)
	assert.Equal(t, []string{"as a phone"}, two[1].SeenBy)
	assert.Equal(t, finding.Note, found(two[0], finding.SplitAnswers).Severity,
		"phones may be led elsewhere")
	three := Join([]Visitor{visitors[0], visitors[2]}, chains(home, answers{}))
	assert.Equal(t, finding.Error, found(three[0], finding.SplitAnswers).Severity,
		"for one of them it is broken")
	unseen := Join([]Visitor{visitors[0], visitors[2]}, chains(home, dark))
	require.Len(t, unseen, 2)
	assert.Empty(t, found(unseen[0], finding.SplitAnswers).Says, "what was not seen is no difference")
}

func TestWhatSeveralChainsShowTogether(t *testing.T) {
	w := answers{
		"https://a.example/": {
			Status:  200,
			Headers: &Headers{HSTS: "max-age=600; includeSubDomains"},
			Address: "192.0.2.1:443",
		},
		"http://shop.a.example/":  {Status: 200, Address: "192.0.2.2:80"},
		"http://blog.a.example/":  {Status: 200, Address: "192.0.2.2:80"},
		"https://blog.a.example/": {Status: 200, Address: "192.0.2.2:443"},
	}
	var tally Tally
	for _, entry := range []string{"https://a.example/", "http://shop.a.example/",
		"https://shop.a.example/",
		"http://blog.a.example/", "https://blog.a.example/"} {
		tally.AddChain(went(w, Judge{Now: noon}, entry, Goal{}))
	}
	tally.Together()
	var trapped []string
	for _, f := range tally.Findings() {
		if f.Code == finding.HSTSTrap {
			trapped = append(trapped, f.Subject)
		}
	}
	assert.Equal(t, []string{"shop.a.example"}, trapped)
	assert.Empty(t, tally.Preloading(web.Host{}), "it does not ask to be preloaded")
	said := tally.Preloading(web.MustParseHost("a.example"))
	require.Len(t, said, 1)
	wants := said[0].(fact.CannotBePreloaded).Wants
	assert.Contains(t, wants, fact.WantsMaxAge{Seconds: 600, Lasts: 10 * time.Minute})
	assert.Contains(t, wants, fact.WantsPreload{})
}

func TestASitemapThatNamesOldHosts(t *testing.T) {
	judge := Judge{Forwards: func(d web.Door) bool { return d.Host.String() == "old.example" }}
	at := web.MustParseURL("https://www.n.example/sitemap.xml")
	all := judge.SitemapFindings(at,
		[]Link{{URL: "https://old.example/a", Element: "loc", Line: 7},
			{URL: "https://other.example/", Element: "loc", Line: 8}})
	require.Len(t, all, 1)
	assert.Equal(t, finding.LeftoverLink, all[0].Code)
	assert.Contains(t, all[0].Says.String(), "https://old.example/a (line 7)")
	assert.Empty(t, judge.SitemapFindings(at, nil))
}

// TestACertificateThatIsComingHasOneStory tells how long a name leads to its platform: what was
// kept decides until when it is plausible that the certificate is being issued.
func TestACertificateThatIsComingHasOneStory(t *testing.T) {
	w := answers{"https://www.a.example/": {Status: 200, Address: "192.0.2.60:443",
		Aliases: []string{"sites.platform.example"},
		TLS: &TLS{Names: []string{"*.platform.example"}, Issuer: "CA",
			Faults: []finding.Code{finding.WrongName}}}}
	byAddress := func(netip.Addr) (Place, bool) {
		return Place{Carrier: "plat",
			Kind: "platform"}, true
	}
	byAlias := func(name string) (Place, bool) {
		return Place{Carrier: "plat", Kind: "platform"}, name == "sites.platform.example"
	}
	since := func(ago time.Duration) func(web.Host, string) (time.Time, bool) {
		return func(web.Host, string) (time.Time, bool) { return noon.Add(-ago), true }
	}
	for name, c := range map[string]struct {
		clues Clues
		want  finding.Cause
		says  string
	}{
		"known by address": {Clues{Place: byAddress}, finding.CertificateComing, "is being issued"},
		"known by alias":   {Clues{Alias: byAlias}, finding.CertificateComing, "is being issued"},
		"known to nobody":  {Clues{}, finding.CertificateComing, "most likely one"},
		"since an hour": {Clues{Alias: byAlias, Since: since(time.Hour)},
			finding.CertificateComing, "2 November 2026 11:00"},
		"since two days": {Clues{Alias: byAlias, Since: since(48 * time.Hour)},
			finding.HostNotAdded, "was not added"},
		"by address, as old": {Clues{Place: byAddress, Since: since(48 * time.Hour)},
			finding.HostNotAdded, "was not added"},
	} {
		f := found(went(w, Judge{Now: noon, Clues: c.clues}, "https://www.a.example/", Goal{}),
			finding.WrongName)
		assert.Equal(t, c.want, f.Cause, name)
		assert.Contains(t, f.Why.String()+f.Fix.String(), c.says, name)
	}
}
