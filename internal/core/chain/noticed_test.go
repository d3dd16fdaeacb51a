package chain

import (
	"context"
	"math"
	"net/netip"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// TestWhoDoesNotKnowTheHost has each status by which servers say so, and a carrier of every kind:
// only those at which hosts are added can lack one.
func TestWhoDoesNotKnowTheHost(t *testing.T) {
	for status, want := range map[int]bool{404: true, 421: true, 409: true, 530: true, 403: false,
		200: false} {
		assert.Equal(t, want, strange(&Answer{Status: status}), status)
	}
	for kind, want := range map[string]finding.Cause{"platform": finding.HostNotAdded,
		"service": finding.HostNotAdded, "edge": finding.HostNotAdded, "account": finding.HostNotAdded,
		"server": finding.NoCause, "form": finding.NoCause} {
		judge := Judge{Now: noon, Clues: Clues{Place: func(netip.Addr) (Place, bool) {
			return Place{Carrier: "it", Kind: kind}, true
		}}}
		w := answers{"https://a.example/": {Status: 404, Address: "192.0.2.1:443"}}
		c := went(w, judge, "https://a.example/", Goal{})
		require.NotEmpty(t, c.Findings)
		assert.Equal(t, want, c.Findings[0].Cause, "%s: %v", kind, c.Findings[0])
	}
}

// TestTheDefaultServerShowsTheSiteOfAnother reads what the page says of itself: another site's
// name, and neither its own nor one of the estate.
func TestTheDefaultServerShowsTheSiteOfAnother(t *testing.T) {
	estate := func(h web.Host) bool { return h.String() == "kin.example" }
	for named, want := range map[string]finding.Cause{
		"https://other.example/": finding.DefaultServer, "https://www.a.example/": finding.NoCause,
		"https://kin.example/": finding.NoCause, "": finding.NoCause, "::": finding.NoCause,
	} {
		w := answers{"http://a.example/": {Status: 200, Address: "192.0.2.1:80",
			Page: &Document{Title: "Shop", Canonical: named}}}
		f := found(went(w, Judge{Now: noon, Estate: estate,
			Forwards: func(web.Door) bool { return true }}, "http://a.example/",
			Goal{Target: web.MustParseURL("https://n.example/"), Hops: 1}), finding.NotRedirected)
		assert.Equal(t, finding.NotRedirected, f.Code)
		assert.Equal(t, want, f.Cause, named)
	}
}

func TestAnAliasThatLeadsNowhereIsNamed(t *testing.T) {
	w := answers{"http://a.example/": {Refusal: NoAddress, Detail: "there is no such name",
		Aliases: []string{"b.example", "gone.example"}, Address: "192.0.2.1:80"}}
	f := found(went(w, Judge{Now: noon}, "http://a.example/", Goal{}), finding.NoAddress)
	assert.Contains(t, f.Fix.String(), "its target gone.example does not exist")
	assert.Equal(t, "192.0.2.1:80", f.Evidence["address"])
	w["http://a.example/"] = Answer{Refusal: NoAddress, Detail: "there is no such name"}
	f = found(went(w, Judge{Now: noon}, "http://a.example/", Goal{}), finding.NoAddress)
	assert.NotContains(t, f.Fix.String(), "does not exist")
	assert.NotContains(t, f.Evidence, "address")
}

// TestPagesOnWhichManyOldPagesLand: only chains that stray from where they should lead count.
func TestPagesOnWhichManyOldPagesLand(t *testing.T) {
	for target, strays := range map[string]bool{www + "/a": true, www + "/all": false} {
		c := judged(old+"/a", target, Asked,
			Answer{URL: web.MustParseURL(old + "/a"), Status: 301, Location: www + "/all"},
			page(www+"/all", nil))
		assert.Equal(t, strays, c.strayed, target)
	}
}

func TestAFindingOfSplitAddressesIsAboutTheFirstAnswer(t *testing.T) {
	a := Answer{URL: web.MustParseURL(old + "/"), Address: "192.0.2.1:80", Status: 301,
		Location: www + "/", TTL: 600}
	b := a
	b.Address, b.Location = "192.0.2.2:80", www+"/x"
	asker := byAddress{a, b, page(www+"/", nil), page(www+"/x", nil)}
	asker[0].Found = []netip.Addr{netip.MustParseAddr("192.0.2.1"), netip.MustParseAddr("192.0.2.2")}
	c := FollowEach(context.Background(), asker, Ask{URL: web.MustParseURL(old + "/")}, Root)
	estateJudge().Chain(&c, Goal{Target: web.MustParseURL(www + "/"), Hops: 1})
	f := found(c, finding.SplitAnswers)
	require.NotNil(t, f.Hop)
	assert.Equal(t, 0, *f.Hop)
	assert.Equal(t, 600, f.Evidence["ttl"], "of the name that was asked")
}

// TestAHostWhoseCertificateIsRefusedIsDark tells a warning at the door itself from one behind it.
func TestAHostWhoseCertificateIsRefusedIsDark(t *testing.T) {
	for at, dark := range map[int]bool{0: true, 1: false} {
		var tally Tally
		stopped := at
		bad := &TLS{Faults: []finding.Code{finding.Expired}}
		c := Chain{Entry: web.MustParseURL("https://sub.a.example/"), Probe: Root,
			Arrival: web.MustParseURL("https://b.example/"), End: Page, StoppedAt: &stopped,
			Hops: []Answer{{URL: web.MustParseURL("https://sub.a.example/"), Status: 301,
				Location: "https://b.example/", TLS: bad},
				{URL: web.MustParseURL("https://b.example/"), Status: 200, TLS: bad}}}
		tally.AddChain(c)
		_, is := tally.dark[web.MustParseHost("sub.a.example")]
		assert.Equal(t, dark, is, at)
	}
}

func TestHowLongABrowserRemembers(t *testing.T) {
	kept := func(cache, age string) (time.Time, bool) {
		return keeps(&Answer{Status: 301, Location: "/x", Headers: &Headers{Cache: cache, Age: age}},
			noon)
	}
	end, ok := kept("max-age="+strconv.FormatInt(math.MaxInt64, 10), "")
	assert.True(t, ok)
	assert.Equal(t, noon.Add(100*366*24*time.Hour), end, "longer is as good as for ever")
	_, ok = kept("max-age=2500000000", "3000000000")
	assert.False(t, ok, "it is older than it may become")
	end, ok = kept("max-age=3000000000", "2999999940")
	assert.True(t, ok)
	assert.Equal(t, noon.Add(time.Minute), end)
	assert.Zero(t, bounded(Forever))
	assert.Equal(t, noon, bounded(noon))
}

// TestWhatKeepsADomainFromBeingPreloaded has an http door do each thing that is no redirect to the
// same host by https.
func TestWhatKeepsADomainFromBeingPreloaded(t *testing.T) {
	apex := web.MustParseHost("a.example")
	secure := Chain{Entry: web.MustParseURL("https://a.example/"), Probe: Root, Hops: []Answer{{
		URL: web.MustParseURL("https://a.example/"), Status: 200,
		Headers: &Headers{HSTS: "max-age=31536000; includeSubDomains; preload"}}}}
	for name, c := range map[string]struct {
		first Answer
		fine  bool
	}{
		"as it should": {Answer{Status: 301, Location: "https://a.example/"}, true},
		"nobody":       {Answer{Refusal: Refused}, true},
		"a page":       {Answer{Status: 200}, false},
		"no redirect":  {Answer{Status: 200, Location: "https://a.example/"}, false},
		"another host": {Answer{Status: 301, Location: "https://www.a.example/"}, false},
		"http again":   {Answer{Status: 301, Location: "http://a.example/x"}, false},
		"no Location":  {Answer{Status: 301}, false},
	} {
		c.first.URL = web.MustParseURL("http://a.example/")
		plain := Chain{Entry: c.first.URL, Probe: Root, Hops: []Answer{c.first}}
		wants, asked, known := Preloading(apex, []Chain{plain, secure})
		assert.True(t, asked && known, name)
		assert.Equal(t, c.fine, !slices.Contains(wants,
			fact.Facts(fact.WantsRedirect{Apex: "a.example"})), "%s: %v", name, wants)
	}
}

// TestChainsAreJudgedBeforeTheyAreHandedOver, unless they were cut off.
func TestChainsAreJudgedBeforeTheyAreHandedOver(t *testing.T) {
	w := answers{"http://a.example/": {Status: 200}}
	entries := slices.Values([]Entry{
		{Ask: Ask{URL: web.MustParseURL("http://a.example/")}, Probe: Root}})
	judged, given := 0, 0
	err := RunJudged(t.Context(), []Visitor{{Asker: w}}, entries, 2,
		func([]Chain) { judged++ }, func([]Chain) { given++ })
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{judged, given})
	ctx, stop := context.WithCancel(t.Context())
	stop()
	err = RunJudged(ctx, []Visitor{{Asker: w}}, entries, 2, func([]Chain) { judged++ },
		func([]Chain) { given++ })
	require.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, []int{1, 1}, []int{judged, given}, "what was cut off is neither")
}

// TestAnAddressThatNobodyElseReachesIsNotAsked, and what may be done about it is said beside it.
func TestAnAddressThatNobodyElseReachesIsNotAsked(t *testing.T) {
	w := answers{"http://a.example/": {Status: 301, Location: "http://inside.example/"},
		"http://inside.example/": {Refusal: Private,
			Detail: "10.0.0.1 is an address of a private network"}}
	f := found(went(w, Judge{Now: noon}, "http://a.example/", Goal{}), finding.PrivateHop)
	assert.Equal(t, "http://inside.example/", f.Subject)
	assert.Contains(t, f.Says.String(), "http://inside.example was not asked: 10.0.0.1 is an address")
	assert.Equal(t, finding.LookInside, f.Help)
}
