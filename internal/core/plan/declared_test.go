package plan_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/words"
)

// met makes a chain of one answer.
func met(entry string, probe chain.Probe, at string, status int, location string,
	refusal chain.Refusal) chain.Chain {
	u := web.MustParseURL(entry)
	return chain.Chain{Entry: u, Probe: probe, Hops: []chain.Answer{
		{URL: u, Address: at, Status: status, Location: location, Refusal: refusal},
	}}
}

// shows makes a chain of one page that shows another in a frame.
func shows(entry, at, framed string) chain.Chain {
	ch := met(entry, chain.Root, at, 200, "", "")
	ch.Hops[0].Framed = framed
	return ch
}

// TestWhatWasSeenOutweighsWhatIsWrittenDown has a forwarding service that does otherwise than the
// estate file says.
func TestWhatWasSeenOutweighsWhatIsWrittenDown(t *testing.T) {
	const at, site = "198.51.100.35:80", "https://www.n.example/"
	root := met("http://old.example/", chain.Root, at, 301, site, "")
	for name, c := range map[string]struct {
		chains []chain.Chain
		says   string
	}{
		"as it is written": {[]chain.Chain{root,
			met("http://old.example/upper-path/x", chain.Deep, at, 301, site+"upper-path/x", ""),
			met("https://old.example/", chain.Root, "198.51.100.35:443", 301, site, "")}, ""},
		"no TLS": {[]chain.Chain{root,
			met("https://old.example/", chain.Root, "198.51.100.35:443", 0, "", chain.Refused)},
			"broad does not speak TLS, seen at https://old.example/"},
		"the path is cut": {
			[]chain.Chain{root, met("http://old.example/upper-path/x", chain.Deep, at, 301, site, "")},
			"broad cuts the path, seen at http://old.example/upper-path/x"},
		"for now only": {[]chain.Chain{met("http://old.example/", chain.Root, at, 302, site, "")},
			"broad redirects temporarily (302, 303 or 307), seen at http://old.example/"},
		"for now only, 303": {[]chain.Chain{met("http://old.example/", chain.Root, at, 303, site, "")},
			"broad redirects temporarily (302, 303 or 307), seen at http://old.example/"},
		"for now only, 307": {[]chain.Chain{met("http://old.example/", chain.Root, at, 307, site, "")},
			"broad redirects temporarily (302, 303 or 307), seen at http://old.example/"},
		"for good, 308": {[]chain.Chain{met("http://old.example/", chain.Root, at, 308, site, "")}, ""},
		"the query, which it is not said to keep": {
			[]chain.Chain{root, met("http://old.example/?q=1", chain.Query, at, 301,
				site, "")},
			""},
		"another machine": {
			[]chain.Chain{met("http://old.example/", chain.Root, "192.0.2.9:80", 302, site, "")}, ""},
		"a parking page": {
			[]chain.Chain{met("http://old.example/", chain.Root, at, 302, "http://ads.other.example/", ""),
				met("https://old.example/", chain.Root, "198.51.100.35:443", 0, "", chain.Refused)}, ""},
		"a frame": {[]chain.Chain{shows("http://old.example/", at, site)},
			"broad shows the site in a frame instead of redirecting, seen at http://old.example/"},
		"a frame of strangers": {
			[]chain.Chain{shows("http://old.example/", at, "http://ads.other.example/")}, ""},
		"our own server": {
			[]chain.Chain{met("http://old.example/", chain.Root, "203.0.113.40:80", 302, site, "")}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			v := seen(t,
				"old.example\n@ A 198.51.100.35\nwww A 198.51.100.35\n@ MX 0 .\n@ TXT \"v=spf1 -all\"")
			asked := func(change func(*plan.Input)) *plan.Plan {
				return planFor(
					t,
					"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: broad}\n",
					v,
					change,
				)
			}
			byAudit := asked(func(in *plan.Input) { in.Audited = c.chains })
			v.Domains[0].Chains = c.chains
			for _, p := range []*plan.Plan{asked(func(*plan.Input) {}), byAudit} {
				all := strings.Join(found(p, "declared-otherwise"), "\n")
				if c.says == "" {
					assert.Empty(t, all)
					continue
				}
				assert.Contains(t, all, c.says)
				var b strings.Builder
				assert.NoError(t, doc.Write(&b, "text", report.Plan(p), doc.Style{}))
				assert.NotContains(t, b.String(), "The plan works")
				assert.Contains(t, b.String(), "The plan relies on what was seen")
			}
		})
	}
}

// TestACertificateThatIsBeingIssuedIsWaitedFor has hosts at their platform, one with its
// certificate, one without, and one of which the platform does not know.
func TestACertificateThatIsBeingIssuedIsWaitedFor(t *testing.T) {
	v := seen(
		t,
		"old.example\n@ A 198.51.100.61\nwww CNAME other.platform.example.\n"+
			"shop CNAME other.platform.example.\n@ MX 0 .",
	)
	at := func(host, scheme string, status int, faults ...finding.Code) chain.Chain {
		c := met(scheme+"://"+host+"/", chain.Root, "198.51.100.61:443", status, "https://www.n.example/",
			"")
		c.Hops[0].Aliases = []string{"other.platform.example"}
		if scheme == "https" {
			c.Hops[0].TLS = &chain.TLS{Faults: faults, NotAfter: time.Now()}
		}
		return c
	}
	v.Domains[0].Chains = []chain.Chain{
		at("www.old.example", "http", 301), at("www.old.example", "https", 301, finding.WrongName),
		at("old.example", "http", 301), at("old.example", "https", 301),
		at("shop.old.example", "http", 404), at("shop.old.example", "https", 404, finding.WrongName),
	}
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, hosts: [shop], carrier: aliased}\n",
		v,
	)
	var claims, certificates []string
	for _, c := range p.Carriers {
		for _, e := range c.Entries {
			switch e.Kind {
			case world.HostEntry:
				claims = append(claims, e.Fields[0].Value)
			case world.CertEntry:
				certificates = append(certificates,
					e.Fields[0].Value+": "+doc.Unmarked(words.Because(e.Reasons)))
			}
		}
	}
	assert.Equal(t, []string{"shop.old.example"}, claims, "the others are known there")
	assert.Len(t, certificates, 2)
	assert.Contains(t, certificates[0],
		"www.old.example: The platform knows the host and its records lead there")
	assert.NotContains(t, certificates[1], "The platform knows the host")
}
