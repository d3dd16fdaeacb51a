package predict_test

import (
	"cmp"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/test/worlds"
)

// estateOf reads an estate with one old domain and a carrier for it, and other carriers beside it.
func estateOf(t *testing.T, carrier, more string, rules ...string) plan.Input {
	t.Helper()
	dir := t.TempDir()
	bare, more := more == "carriers.bare", strings.TrimPrefix(more, "carriers.bare")
	if bare {
		carrier += "\n  bare: {by: server, addresses: [203.0.113.22], tls: no}"
	}
	text := "canonical: https://www.n.example\ncarriers:\n" +
		"  gw: {by: server, addresses: [203.0.113.20]}\n  c: " +
		carrier + "\n" +
		"domains: [{name: n.example, carrier: gw}, {name: old.example, carrier: c}]\nrules: rules.csv\n" +
		more
	require.NoError(t, os.WriteFile(filepath.Join(dir, "upperpath.yaml"), []byte(text), 0o600))
	require.NoError(
		t,
		os.WriteFile(filepath.Join(dir, "rules.csv"),
			[]byte("old,new,status,query\n"+strings.Join(rules, "\n")+"\n"), 0o600),
	)
	e, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	require.NoError(t, err)
	return plan.Input{Estate: e.Estate, Rules: e.Rules}
}

// answer writes down what a URL answers.
func answer(w *predict.Prediction, u string) string {
	a := w.Answer(context.Background(), chain.Ask{URL: web.MustParseURL(u)})
	return strings.TrimSpace(cmp.Or(string(a.Refusal), strconv.Itoa(a.Status)) + " " + a.Location)
}

func TestLimitsOfCarriers(t *testing.T) {
	rules := []string{"old.example/a,/rule", "old.example/i?p={v},/p/{v}", "old.example/,/root-rule"}
	for name, c := range map[string]struct {
		carrier, more string
		want          map[string]string
	}{
		"an edge that drops the query, in front of one that keeps it": {
			"{by: edge, addresses: [198.51.100.80], keeps: " +
				"[path], behind: gw}", "", map[string]string{
				"https://old.example/x?a=1": "301 https://www.n.example/x",
				// the origin sees no query, so that no condition holds
				"https://old.example/i?p=1": "301 https://www.n.example/i",
			}},
		"an edge that drops the path, in front of one that keeps it": {
			"{by: edge, addresses: [198.51.100.80], keeps: " +
				"[query], behind: gw}", "", map[string]string{
				"https://old.example/x?a=1":                         "301 https://www.n.example/root-rule?a=1",
				"http://old.example/.well-known/acme-challenge/tok": "301 https://www.n.example/root-rule",
			}},
		"an edge that asks a server for TLS which speaks none": {
			"{by: edge, addresses: [198.51.100.80], behind: bare}",
			"carriers.bare", map[string]string{
				"https://old.example/a": "502", "http://old.example/a": "301 https://www.n.example/rule",
			}},
		"an edge without TLS in front of a server with it": {
			"{by: edge, addresses: [198.51.100.80], tls: no, behind: gw}",
			"", map[string]string{
				"https://old.example/a": "refused", "http://old.example/a": "301 https://www.n.example/rule",
			}},
		"a server that drops the query": {"{by: server, addresses: [203.0.113.21], keeps: [path]}", "",
			map[string]string{
				"https://old.example/x?a=1": "301 https://www.n.example/x",
				"https://old.example/a?b":   "301 https://www.n.example/rule",
			}},
		"a server that drops the path but not what is exempt": {
			"{by: server, addresses: [203.0.113.21], keeps: [query]}",
			"", map[string]string{
				"https://old.example/x?a=1":                         "301 https://www.n.example/root-rule?a=1",
				"http://old.example/.well-known/acme-challenge/tok": "404",
			}},
		"one that holds no rules leads whole hosts": {
			"{by: server, addresses: [203.0.113.21], rules: no}", "",
			map[string]string{
				"https://old.example/a?b": "301 https://www.n.example/a?b",
				"http://old.example/.well-known/acme-challenge/tok": "301 https://www.n.example/.well-known/" +
					"acme-challenge/tok",
				// it looks at no path
			}},
		"a form": {"{by: form, addresses: [198.51.100.34], tls: yes}", "", map[string]string{
			"https://old.example/a?b": "301 https://www.n.example/",
			// it drops every path
			"http://old.example/.well-known/acme-challenge/tok": "301 https://www.n.example/",
		}},
		"a form that keeps paths": {"{by: form, addresses: [198.51.100.34], keeps: [path]}",
			"policy: {upgrade: same-host-first}\n", map[string]string{
				"http://old.example/a?b": "301 https://www.n.example/a", "https://old.example/a": "refused",
			}},
		"https first": {"{by: server, addresses: [203.0.113.21], keeps: [path]}",
			"policy: {upgrade: same-host-first, " +
				"status: 308}\n", map[string]string{
				"http://old.example/a?b":  "308 https://old.example/a",
				"https://old.example/a?b": "308 https://www.n.example/rule",
			}},
		"a frame": {
			"{by: form, addresses: [198.51.100.34], frames: yes}", "",
			map[string]string{"http://old.example/a": "200", "https://old.example/a": "refused"},
		},
		"apexes only": {
			"{by: form, addresses: [198.51.100.34], apex-only: yes}", "",
			map[string]string{"http://www.old.example/": "no-address",
				"http://old.example/": "301 https://www.n.example/"},
		},
		"no door": {
			"{by: server, addresses: [203.0.113.21]}", "",
			map[string]string{
				"https://old.example:8443/a": "200", "https://else.test/": "200",
				"https://shop.old.example/": "no-address",
			},
		},
		"the site": {
			"{by: server, addresses: [203.0.113.21]}", "",
			map[string]string{
				"http://www.n.example/a?b": "301 https://www.n.example/a?b", "https://www.n.example/a": "200",
				"http://www.n.example/.well-known/acme-challenge/x": "404",
			},
		},
		"an edge over a loop": {
			"{by: edge, addresses: [198.51.100.80], origin: plain, behind: gw}",
			"policy: {upgrade: same-host-first}\n",
			map[string]string{"https://old.example/a": "301 https://old.example/a"},
		},
	} {
		t.Run(name, func(t *testing.T) {
			w := estateOf(t, c.carrier, c.more, rules...).Web()
			for u, want := range c.want {
				assert.Equal(t, want, answer(w, u), u)
			}
		})
	}
}

func TestIntendedIsWithoutLimits(t *testing.T) {
	w := estateOf(t, "{by: form, addresses: [198.51.100.34]}", "", "old.example/a,/rule").Web()
	u := web.MustParseURL("https://old.example/a?b")
	assert.Equal(t, "https://www.n.example/rule?b", w.Intended(u).Location)
	assert.Equal(t, "https://www.n.example/rule?b", w.Goal(u).Target.String())
	assert.False(t, w.Forwards(web.MustParseURL("https://old.example:8443/").Door()))
	assert.True(t, w.Forwards(web.MustParseURL("http://www.n.example/").Door()))
	assert.False(t, w.Forwards(web.MustParseURL("https://www.n.example/").Door()))
}

func TestWhatACarrierHoldsItself(t *testing.T) {
	w := estateOf(
		t,
		"{by: edge, addresses: [198.51.100.80], keeps: [path], origin: plain, behind: gw}",
		"",
		"old.example/a,/rule",
	).Web()
	var held []string
	for _, d := range w.Held("gw") {
		assert.False(t, d.DropsQuery, "what the edge drops is no limit of the server behind it")
		held = append(held, d.String())
	}
	assert.Equal(
		t,
		[]string{
			"http://n.example",
			"https://n.example",
			"http://old.example",
			"https://old.example",
			"http://www.old.example",
			"https://www.old.example",
		},
		held,
	)
	assert.Empty(t, w.Held("c"), "it passes everything on")
}

// oracle reads an estate in its own, plain way: from the visitor to whoever answers in the end.
type oracle struct {
	e     *estate.Estate
	rules []*rule.Rule
	site  []*rule.Rule
}

func (o oracle) answer(u web.URL) string {
	e, h := o.e, u.Host()
	d := e.DomainOf(h)
	isSite := slices.Contains(e.Site.Hosts, h) || slices.Contains(e.Site.Also, h)
	if u.Door().Port != 0 || d == nil && !isSite {
		return "200"
	}
	if isSite {
		return o.atSite(u)
	}
	c := d.Carry[h]
	if c == nil {
		return "no-address"
	}
	if refused := refuses(c, u); refused != "" {
		return refused
	}
	if c.Behind != "" {
		u = cut(c, u)
		if c.Origin == "plain" {
			u = web.MustParseURL("http://" + h.String() + u.RequestURI())
		}
		c = e.Carrier(c.Behind)
		switch refuses(c, u) {
		case "":
		case "200":
			return "200"
		default:
			return "502"
		}
	}
	looks := c.By != estate.Form && c.HoldsRules // at paths
	if looks && u.Scheme() == web.HTTP &&
		slices.ContainsFunc(e.Policy.Exempt, func(p string) bool {
			return strings.HasPrefix(web.NormalPath(u.Path()), p)
		}) {
		return "404"
	}
	u = cut(c, u)
	status := strconv.Itoa(e.Policy.Status)
	switch {
	case c.By != estate.Form && !c.HoldsRules:
		return status + " " + e.Canonical.String() + u.RequestURI()
	case looks && e.Policy.Upgrade == "same-host-first" && u.Scheme() == web.HTTP:
		return status + " https://" + h.String() + u.RequestURI()
	}
	if looks {
		if m, ok := rule.Compile(o.rules, rule.Scope{Serves: e.Serves, Mode: e.Mode}).Lookup(u); ok {
			return redirected(m, e, status)
		}
	}
	to := d.LeadsTo
	path := to.Path()
	if !d.Paths.IsRoot(web.NormalPath(u.Path())) && d.Fallback == estate.Gone {
		return "410"
	}
	if !d.Paths.IsRoot(web.NormalPath(u.Path())) && d.Fallback == estate.SamePath {
		path = strings.TrimSuffix(path, "/") + u.Path()
	}
	return status + " " + to.Door().URL(path, u.Query()).String()
}

func (o oracle) atSite(u web.URL) string {
	e := o.e
	if d := e.DomainOf(u.Host()); d != nil && d.Through[u.Host()] != nil {
		edge := d.Through[u.Host()]
		if refused := refuses(edge, u); refused != "" {
			return refused
		}
		u = cut(edge, u)
		if edge.Origin == "plain" {
			u = web.MustParseURL("http://" + u.Host().String() + u.RequestURI())
		}
	}
	switch {
	case u.Scheme() == web.HTTP && slices.ContainsFunc(e.Policy.Exempt,
		func(p string) bool { return strings.HasPrefix(web.NormalPath(u.Path()), p) }):
		return "404"
	case u.Door() != e.Canonical:
		return "301 " + e.Canonical.String() + u.RequestURI()
	}
	if m, ok := rule.Compile(o.site, rule.Scope{Serves: e.Serves}).Lookup(u); ok {
		return redirected(m, e, strconv.Itoa(e.Policy.Status))
	}
	return "200"
}

func redirected(m rule.Match, e *estate.Estate, status string) string {
	if m.Rule.Status != 0 {
		status = strconv.Itoa(m.Rule.Status)
	}
	return strings.TrimSpace(status + " " + m.Location(e.Canonical))
}

func refuses(c *estate.Carrier, u web.URL) string {
	switch {
	case c.ApexOnly && !u.Host().IsApex():
		return "no-address"
	case u.Scheme() == web.HTTPS && !c.TLS:
		return "refused"
	case c.Frames:
		return "200"
	}
	return ""
}

func cut(c *estate.Carrier, u web.URL) web.URL {
	path, query := u.Path(), u.Query()
	if !c.KeepsPath {
		path = "/"
	}
	if !c.KeepsQuery {
		query = ""
	}
	return u.Door().URL(path, query)
}

// TestEveryDoorAnswersAsAPlainReadingOfTheEstateSays compares worlds at random, URL by URL.
func TestEveryDoorAnswersAsAPlainReadingOfTheEstateSays(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(41, 1))
	all := worlds.Entries()
	compared, kinds := 0, map[string]int{}
	for round := 0; round < 120; {
		world := worlds.Random(random)
		in, ok := world.Read(t)
		if !ok {
			continue
		}
		round++
		w, plain := in.Web(), oracle{in.Estate, in.Rules, in.SiteRules}
		for range 150 {
			u := all[random.IntN(len(all))]
			want := plain.answer(u)
			require.Equal(t, want, answer(w, u.String()), "%s\n%s", u, world)
			kinds[strings.Fields(want)[0]]++
			compared++
		}
	}
	t.Log(compared, kinds)
	for _, kind := range []string{"200", "301", "308", "302", "404", "410", "502", "refused",
		"no-address"} {
		assert.Positive(t, kinds[kind], fmt.Sprintf("no URL answers %s", kind))
	}
}

// TestWhatIsExemptIsMeantToStay: where a door is meant to answer by itself, that is where its URL
// should lead.
func TestWhatIsExemptIsMeantToStay(t *testing.T) {
	in := estateOf(t, "{by: server, addresses: [203.0.113.21]}", "", "old.example/a,/rule",
		"old.example/gone,,410")
	w := in.Web()
	for u, want := range map[string]string{
		"http://old.example/.well-known/acme-challenge/x": "http://old.example/.well-known/" +
			"acme-challenge/x",
		"http://old.example/a":    "https://www.n.example/rule",
		"https://www.n.example/b": "https://www.n.example/b",
	} {
		assert.Equal(t, want, w.Goal(web.MustParseURL(u)).Target.String(), u)
	}
	assert.True(t, w.Goal(web.MustParseURL("http://old.example/gone")).Gone)
}
