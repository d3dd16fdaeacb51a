package chain

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

var now = time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)

// pretend is a web of fixed answers: "STATUS LOCATION", or a refusal, behind a URL without query or
// its door.
type pretend map[string]string

func (p pretend) Answer(_ context.Context, ask Ask) Answer {
	u := ask.URL
	says, ok := p[u.String()]
	if !ok {
		says, ok = p[u.Door().URL(u.Path(), "").String()]
	}
	if !ok {
		says = p[u.Door().String()]
	}
	a := Answer{URL: u}
	first, rest, _ := strings.Cut(says, " ")
	if _, err := fmt.Sscanf(first, "%d", &a.Status); err != nil {
		a.Refusal, a.Detail = Refusal(first), "nothing there"
		return a
	}
	a.Location = strings.NewReplacer("{path}", u.Path(), "{uri}", u.RequestURI()).Replace(rest)
	return a
}

func codes(c Chain) string {
	var all []string
	for _, f := range c.Findings {
		all = append(all, f.Code.String())
	}
	return strings.Join(all, " ")
}

const (
	www = "https://www.n.example"
	old = "http://old.example"
)

var museum = pretend{
	www: "200", "http://www.n.example": "301 https://www.n.example{uri}", www + "/missing": "404",
	www +
		"/slash": "301 /slash/",
	www + "/leaves": "301 https://elsewhere.example/", "https://elsewhere.example": "200",
	"http://elsewhere.example": "200",
}

func in(p pretend) pretend {
	all := pretend{}
	for _, m := range []pretend{museum, p} {
		for k, v := range m {
			all[k] = v
		}
	}
	return all
}

func estateJudge() Judge {
	ours := func(h web.Host) bool { return !strings.HasPrefix(h.String(), "elsewhere") }
	return Judge{Now: now, Estate: ours, Forwards: func(d web.Door) bool {
		return ours(d.Host) && d.String() != www
	}}
}

func TestJudgeAgainstAnEstate(t *testing.T) {
	deep := old + deepPath
	for name, c := range map[string]struct {
		web    pretend
		entry  string
		probe  Probe
		target string
		want   string
	}{
		"clean":           {pretend{old: "301 " + www + "{uri}"}, deep, Deep, www + deepPath, ""},
		"the site itself": {nil, www + "/", Root, www + "/", ""},
		"site adds a slash": {pretend{old: "301 " + www + "{uri}"}, old + "/slash", ByRule,
			www + "/slash", ""},
		"serves a page":    {pretend{old: "200"}, old + "/", Root, www + "/", "not-redirected"},
		"answers an error": {pretend{old: "404"}, deep, Deep, www + deepPath, "not-redirected"},
		"forwards to one that serves": {
			pretend{old: "301 https://old.example{uri}", "https://old.example": "200"}, old + "/", Root,
			www + "/",
			"not-redirected",
		},
		"path cut": {pretend{old: "301 " + www + "/"}, deep, Deep, www + deepPath, "path-lost"},
		"path cut below leads-to": {
			pretend{old: "301 " + www + "/mill/"}, deep, Deep, www + "/mill" + deepPath, "path-lost",
		},
		"query cut": {
			pretend{old: "301 " + www + "{path}"}, old + "/?a=1", Query, www + "/?a=1", "query-lost",
		},
		"query in another order": {
			pretend{old: "301 " + www + "/?b=2&a=1"}, old + "/?a=1&b=2", Query, www + "/?a=1&b=2", "",
		},
		"elsewhere on the site": {pretend{old: "301 " + www + "/other"}, old + "/", Root, www + "/",
			"wrong-page"},
		"another site": {
			pretend{old: "301 https://elsewhere.example/"}, old + "/", Root, www + "/", "wrong-page",
		},
		"another site, plain": {
			pretend{old: "301 http://elsewhere.example/"}, old + "/", Root, www + "/", "wrong-page",
		},
		"leaves the site again": {
			pretend{old: "301 " + www + "/leaves"}, old + "/", Root, www + "/leaves", "wrong-page",
		},
		"one hop too many": {
			pretend{old: "301 https://old.example{uri}", "https://old.example": "301 " + www + "{uri}"},
			old + "/", Root,
			www + "/", "extra-hop",
		},
		"three with a downgrade": {
			pretend{old: "301 https://old.example/", "https://old.example": "301 http://www.n.example/"},
			old + "/", Root,
			www + "/", "downgrade extra-hop",
		},
		"plain target that serves": {
			pretend{old: "301 http://www.n.example/", "http://www.n.example": "200"}, old + "/", Root,
			www + "/",
			"not-redirected",
		},
		"temporary": {pretend{old: "302 " + www + "{uri}"}, old + "/", Root, www + "/", "temporary"},
		"foreign hop": {
			pretend{old: "301 https://elsewhere.example/x", "https://elsewhere.example": "301 " + www + "/"},
			old + "/", Root,
			www + "/", "extra-hop foreign-hop",
		},
		"dead end": {
			pretend{old: "301 " + www + "{uri}"}, old + "/missing", ByRule, www + "/missing", "dead-end",
		},
		"made-up path may be missing": {
			pretend{old: "301 " + www + "{uri}", www + deepPath: "404"}, deep, Deep, www + deepPath, "",
		},
		"no address": {pretend{old: "no-address"}, old + "/", Root, www + "/", "no-address"},
		"refused behind a hop": {
			pretend{old: "301 https://old.example/", "https://old.example": "refused"}, old + "/", Root,
			www + "/", "refused",
		},
		"unseen is no fault": {pretend{old: "unseen"}, old + "/", Root, www + "/", ""},
		"loop": {
			pretend{old: "301 https://old.example/", "https://old.example": "301 http://old.example/"},
			old + "/", Root,
			www + "/", "loop downgrade",
		},
		"loop to itself": {pretend{old: "301 {uri}"}, old + "/", Root, www + "/", "loop"},
		"growing":        {pretend{old: "301 /x{uri}"}, old + "/", Root, www + "/", "growing-loop"},
		"doubling": {pretend{old: "301 /x{uri}{uri}"}, old + "/", Root, www + "/",
			"growing-loop"},
		"no location": {pretend{old: "301"}, old + "/", Root, www + "/", "bad-location"},
		"javascript": {pretend{old: "301 javascript:alert(1)"}, old + "/", Root, www + "/",
			"bad-location"},
		"control characters": {pretend{old: "301 /\x1b[31m"}, old + "/", Root, www + "/",
			"loop bad-location bad-location"},
		"a space is mended": {
			pretend{old: "301 " + www + "/a b"}, old + "/x", ByRule, www + "/a%20b", "bad-location",
		},
	} {
		got := Follow(context.Background(), in(c.web), Ask{URL: web.MustParseURL(c.entry)}, c.probe)
		estateJudge().Chain(&got, Goal{Target: web.MustParseURL(c.target), Hops: 1})
		assert.Equal(t, c.want, codes(got), name)
		for _, f := range got.Findings {
			k := f.Code.Row()
			assert.NotEmpty(t, k.Name)
			assert.Equal(t, k.Severity, f.Severity)
			assert.NotEmpty(t, f.Says.String())
			assert.NotEmpty(t, f.Fix.String())
			require.NotNil(t, f.Hop)
			assert.Less(t, *f.Hop, len(got.Hops))
		}
	}
}

func TestJudgeWithoutAnEstate(t *testing.T) {
	for name, c := range map[string]struct {
		web   pretend
		entry string
		probe Probe
		want  string
	}{
		"page over TLS": {nil, www + "/", Root, ""},
		"one redirect":  {nil, "http://www.n.example/", Root, ""},
		"plain page":    {pretend{old: "200"}, old + "/", Root, "plain-arrival"},
		"downgrade to a page": {
			pretend{"https://old.example": "301 " + old + "/", old: "200"}, "https://old.example/", Root,
			"downgrade",
		},
		"two redirects": {pretend{old: "301 http://www.n.example{uri}"}, old + "/", Root,
			"extra-hop"},
		"cut to the root":      {pretend{old: "301 " + www + "/"}, old + deepPath, Deep, "path-lost"},
		"made-up page missing": {pretend{old: "301 " + www + "/missing"}, old + deepPath, Deep, ""},
		"query cut": {pretend{old: "301 " + www + "/"}, old + "/?" + probeTerm, Query,
			"query-lost"},
		"root missing": {pretend{"https://old.example": "404"}, "https://old.example/", Root,
			"dead-end"},
		"given URL missing": {pretend{old: "301 " + www + "{uri}"}, old + "/missing?x=1", Asked,
			"dead-end"},
		"temporary on one origin": {
			pretend{"https://old.example/": "302 /home", "https://old.example": "200"},
			"https://old.example/", Root, "",
		},
	} {
		got := Follow(context.Background(), in(c.web), Ask{URL: web.MustParseURL(c.entry)}, c.probe)
		Judge{Now: now}.Chain(&got, Goal{})
		assert.Equal(t, c.want, codes(got), name)
	}
}

func TestTooManyHopsIsNoGrowingLoop(t *testing.T) {
	long := pretend{}
	for i := range 40 {
		long[fmt.Sprintf("http://h%d.example", i)] = fmt.Sprintf("301 http://h%d.example/", i+1)
	}
	c := Follow(context.Background(), long, Ask{URL: web.MustParseURL("http://h0.example/")}, Root)
	Judge{Now: now}.Chain(&c, Goal{})
	assert.Equal(t, "too-many-hops", codes(c))
	assert.Len(t, c.Hops, MostHops+1)
	assert.Equal(t, Limit, c.End)
}

func TestPlannedGoneAndPlannedTemporary(t *testing.T) {
	j := estateJudge()
	c := Follow(context.Background(), pretend{old: "410"}, Ask{URL: web.MustParseURL(old + "/x")},
		ByRule)
	j.Chain(&c, Goal{Gone: true})
	assert.Empty(t, c.Findings)
	c = Follow(context.Background(), in(pretend{old: "301 " + www + "/"}),
		Ask{URL: web.MustParseURL(old + "/x")}, ByRule)
	j.Chain(&c, Goal{Gone: true})
	assert.Equal(t, "wrong-page", codes(c))
	c = Follow(context.Background(), in(pretend{old: "302 " + www + "/"}),
		Ask{URL: web.MustParseURL(old + "/")}, Root)
	j.Chain(&c, Goal{Target: web.MustParseURL(www + "/"), Hops: 1, Temporary: true})
	assert.Empty(t, c.Findings)
}

type fixed []Answer

func (f fixed) Answer(_ context.Context, ask Ask) Answer {
	for _, a := range f {
		if a.URL == ask.URL {
			return a
		}
	}
	return Answer{URL: ask.URL, Refusal: NoAddress}
}

func TestCertificateFaultsStopOrdinaryVisitorsAndTheFollowerGoesOn(t *testing.T) {
	cert := func(faults ...finding.Code) *TLS {
		return &TLS{
			Names:     []string{"a", "b", "c", "d"},
			Issuer:    "CA",
			NotBefore: now.AddDate(0, 0, -89),
			NotAfter:  now.AddDate(0, 0, -2),
			Faults:    faults,
		}
	}
	for _, c := range []struct {
		faults  []finding.Code
		want    string
		says    string
		stopped bool
	}{
		{[]finding.Code{finding.Expired}, "expired", "expired on 2026-10-30, 2 days ago", true},
		{
			[]finding.Code{finding.Untrusted, finding.WrongName}, "wrong-name",
			"for a, b, c and 1 more. It is also untrusted",
			true,
		},
		{[]finding.Code{finding.ExpiresSoon}, "expires-soon", "expires on", false},
		{[]finding.Code{finding.BrokenChain}, "broken-chain", `issuer "CA"`, true},
		{[]finding.Code{finding.NotYetValid}, "not-yet-valid", "is valid from", true},
	} {
		seen := fixed{
			{URL: web.MustParseURL("https://old.example/"), Status: 301, Location: www + "/",
				TLS: cert(c.faults...)},
			{URL: web.MustParseURL(www + "/"), Status: 200},
		}
		got := Follow(context.Background(), seen, Ask{URL: web.MustParseURL("https://old.example/")},
			Root)
		estateJudge().Chain(&got, Goal{Target: web.MustParseURL(www + "/"), Hops: 1})
		assert.Equal(t, c.want, codes(got))
		assert.Contains(t, got.Findings[0].Says.String(), c.says)
		assert.Equal(t, www+"/", got.Arrival.String(), "what lies behind is shown")
		assert.Equal(t, c.stopped, got.StoppedAt != nil)
	}
}

func TestLocationHeadersThatComeTwice(t *testing.T) {
	a := Answer{URL: web.MustParseURL(old + "/"), Status: 301, Location: "/x",
		OtherLocations: []string{"/y"}}
	_, complaint, ok := a.Next()
	assert.False(t, ok)
	assert.Equal(t, fact.TwoLocations{}, complaint)
	a.OtherLocations = []string{"/x"}
	next, complaint, ok := a.Next()
	assert.True(t, ok)
	assert.Equal(t, old+"/x", next.String())
	assert.Equal(t, fact.SameLocationTwo{}, complaint)
}

func TestTallyGroupsByCause(t *testing.T) {
	var tally Tally
	for _, probe := range []Probe{Root, Deep, Query} {
		for _, door := range []string{old, "http://other.example"} {
			u := Probes(web.MustParseURL(door).Door())[probe]
			c := Follow(
				context.Background(),
				pretend{
					old:                    "301 https://x.example/",
					"http://other.example": "301 https://x.example/",
					"https://x.example":    "timeout",
				},
				Ask{URL: u},
				probe,
			)
			Judge{Now: now}.Chain(&c, Goal{})
			tally.AddChain(c)
		}
	}
	findings := tally.Findings()
	require.Len(t, findings, 1, "one cause gives one finding")
	assert.Equal(t, "https://x.example", findings[0].Subject)
	assert.Len(t, findings[0].Entries, 6)
}

func TestDoorsDisagree(t *testing.T) {
	var tally Tally
	both := pretend{
		"https://n.example":    "200",
		"http://n.example":     "301 https://n.example/",
		www:                    "200",
		"http://www.n.example": "301 " + www + "/",
	}
	for _, host := range []string{"n.example", "www.n.example"} {
		for _, d := range web.Doors(web.MustParseHost(host)) {
			tally.AddChain(Follow(context.Background(), both, Ask{URL: d.URL("/", "")}, Root))
		}
	}
	tally.Disagreements(nil)
	require.Len(t, tally.Findings(), 1)
	assert.Equal(t, finding.DoorsDisagree, tally.Findings()[0].Code)
	assert.Equal(t, "n.example", tally.Findings()[0].Subject)
}

// TestPortsThatBrowsersRefuse are not asked, wherever a redirect leads there.
func TestPortsThatBrowsersRefuse(t *testing.T) {
	moved := Answer{URL: web.MustParseURL("http://old.example/"), Status: 301,
		Location: "http://old.example:6000/"}
	c := Follow(context.Background(), fixed{moved}, Ask{URL: moved.URL}, Root)
	require.Len(t, c.Hops, 2)
	assert.Equal(t, Refused, c.Last().Refusal)
	Judge{}.Chain(&c, Goal{})
	require.Len(t, c.Findings, 1)
	assert.Equal(t, finding.Refused, c.Findings[0].Code)
	assert.Equal(t, fact.PortBarred{Door: "http://old.example:6000", Port: 6000},
		c.Findings[0].Facts())
}
