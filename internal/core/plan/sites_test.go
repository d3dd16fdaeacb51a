package plan_test

import (
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/web"
)

// splitEstate has a second canonical site, to which a domain leads, and a domain of which every
// name redirects.
func splitEstate(t *testing.T, domains string, zones ...string) *plan.Plan {
	return planEdited(t, "domains:\n  - {name: n.example}\n  - {name: tickets.example}\n"+domains,
		[2]string{"carriers:", "further-sites: [{canonical: \"https://www.tickets.example\", " +
			"addresses: [203.0.113.11], also: [t.platform.example], issuer: ca.example}]\n" +
			"elsewhere: [\"https://www.sister.example\"]\ncarriers:"}, seen(t, zones...))
}

func leads(p *plan.Plan, url string) string {
	u := web.MustParseURL(url)
	c := chain.Follow(context.Background(), p.Web, chain.Ask{URL: u}, chain.Asked)
	return c.Arrival.String()
}

func TestABrandSplitHasTwoCanonicalSites(t *testing.T) {
	before := "\n@ A 192.0.2.7\nwww A 192.0.2.7\n@ MX 10 mx.o.example."
	p := splitEstate(t, "  - {name: old.example, leads-to: \"https://www.tickets.example/\"}\n",
		"n.example"+before, "tickets.example"+before, "old.example"+before)
	assert.Empty(t, subjects(p))
	assert.Equal(t, "https://www.tickets.example/a?b", leads(p, "http://old.example/a?b"))
	assert.Equal(t, "https://www.tickets.example/a", leads(p, "http://tickets.example/a"),
		"the domain of a further site leads there")
	assert.Equal(t, "https://www.tickets.example/", leads(p, "https://t.platform.example/"))
	assert.Equal(t, "https://www.n.example/a", leads(p, "http://n.example/a"))
	assert.Contains(t, strings.Join(changes(zoneOf(t, p, "tickets.example")), "\n"), "203.0.113.11",
		"its www gets the further site's address")
	assert.True(t, slices.ContainsFunc(p.Certificates, func(c carry.Certificate) bool {
		return c.Carrier == "site" && c.Issuer == "ca.example" &&
			slices.Equal(c.Names, []string{"www.tickets.example", "t.platform.example"})
	}))
	assert.Empty(t, proof.Prove(p.Web, nil).Findings)
	assert.True(t, p.Elsewhere(web.MustParseHost("www.sister.example")))
	assert.False(t, p.Elsewhere(web.MustParseHost("www.tickets.example")))
}

func TestAFurtherSiteBelowTheCanonicalDomainDoesNotTakeItsApex(t *testing.T) {
	p := planEdited(t, "domains:\n  - {name: n.example}\n", [2]string{"carriers:",
		"further-sites: [{canonical: \"https://tickets.n.example\", addresses: [203.0.113.11]}]\n" +
			"carriers:"}, seen(t, "n.example\n@ A 192.0.2.7\nwww A 192.0.2.7\n"+
		"tickets A 203.0.113.11"))
	assert.Equal(t, "https://www.n.example/a", leads(p, "http://n.example/a"))
	assert.Equal(t, "https://tickets.n.example/a", leads(p, "http://tickets.n.example/a"))
}

func TestAStarRedirectsEveryNameWithoutRecords(t *testing.T) {
	zone := "old.example\n@ A 192.0.2.7\nwww A 192.0.2.7\n* A 192.0.2.7\nmail A 192.0.2.9\n" +
		"click CNAME x.m.example.\n@ MX 10 mail.old.example."
	star := "  - {name: old.example, hosts: [\"*\"], needed: {click: the mail service}}\n"
	p := splitEstate(t, star, zone)
	assert.Empty(t, found(p, "beyond-carrier"))
	assert.Contains(t, changes(zoneOf(t, p, "old.example")),
		"replace * A 192.0.2.7 > 203.0.113.20|203.0.113.21")
	assert.Equal(t, "https://www.n.example/a", leads(p, "http://whatever.old.example/a"))
	assert.Equal(t, "http://mail.old.example/a", leads(p, "http://mail.old.example/a"),
		"it has a record of its own")
	assert.True(t, slices.ContainsFunc(p.Certificates, func(c carry.Certificate) bool {
		return slices.Contains(c.Names, "*.old.example") &&
			slices.Contains(c.ByDNS, "_acme-challenge.old.example")
	}), "a wildcard is proved in DNS")
	assert.True(t, slices.ContainsFunc(p.Doors, func(d plan.PlannedDoor) bool {
		return d.Door.String() == "https://any-other-name.old.example"
	}))
	p = splitEstate(t, strings.Replace(star, "hosts:", "carrier: platform, hosts:", 1), zone)
	assert.Contains(t, strings.Join(found(p, "beyond-carrier"), "\n"), "takes hosts one by one")
}
