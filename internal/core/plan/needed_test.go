package plan_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/files"
)

// TestHostsThatSomebodyElseNeedsAreLeftAlone has a link tracker, which stays, is checked, and is
// named on the sheet.
func TestHostsThatSomebodyElseNeedsAreLeftAlone(t *testing.T) {
	planned := func(domain, zone string, rules ...string) *plan.Plan {
		return planFor(t,
			"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four"+domain+
				"}\n",
			seen(t, "old.example\n@ A 203.0.113.40\nwww A 192.0.2.1\n@ MX 0 .\n"+zone))
	}
	p := planned(", needed: {click: the mail service}", "click CNAME click.mail.example.")
	assert.Empty(t, subjects(p))
	assert.Equal(t, []string{"replace www A 192.0.2.1 > 203.0.113.40"},
		changes(zoneOf(t, p, "old.example")))
	for _, d := range p.Doors {
		assert.NotEqual(t, "click.old.example", d.Door.Host.String())
	}
	assert.Contains(t, sheetsText(t, p),
		"**Do not touch**: `click.old.example`, which leads to `click.mail.example`; the mail "+
			"service needs it.")

	for name, c := range map[string]struct{ domain, zone, want string }{
		"that is gone": {", needed: {click: the mail service}", "", "record-lost click.old.example"},
		"where it has to be": {", needed: {click: {by: the mail service, to: Click.mail.example.}}",
			"click CNAME click.mail.example.", ""},
		"that leads elsewhere": {", needed: {click: {by: x, to: click.mail.example}}",
			"click A 192.0.2.9",
			"wrong-target click.old.example"},
		"that would be led away": {
			", needed: {click: x}, wanted: [{name: click, type: CNAME, value: y.example}]",
			"click CNAME click.mail.example.", "depended-on click.old.example"},
		"with a proof beside": {", needed: {click: x}, wanted: [{name: _a.click, type: TXT, value: y}]",
			"click CNAME click.mail.example.", ""},
	} {
		assert.Equal(t, c.want, strings.Join(subjects(planned(c.domain, c.zone)), "\n"), name)
	}
}

// TestOneHostOfSomebodyElsesDomainIsRedirectedAlone has apex and www that another needs.
func TestOneHostOfSomebodyElsesDomainIsRedirectedAlone(t *testing.T) {
	p := planFor(t, "domains:\n  - {name: n.example, state: leave}\n"+
		"  - {name: old.example, hosts: [shop], carrier: four, needed: {apex: their site, www: their "+
		"site}}\n",
		seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @\nshop A 192.0.2.5\n@ MX 0 ."))
	assert.Empty(t, subjects(p))
	assert.Equal(t, []string{"replace shop A 192.0.2.5 > 203.0.113.40"},
		changes(zoneOf(t, p, "old.example")))
	assert.Equal(t, []string{"shop.old.example"}, p.Certificates[0].Names)
}

// TestAPlanThatSendsANeededHostToTheSiteIsRefused has a rule about it, and an edge whose pattern
// would take it.
func TestAPlanThatSendsANeededHostToTheSiteIsRefused(t *testing.T) {
	p := makePlan(t,
		"domains:\n  - n.example\n  - {name: old.example, needed: {click: the mail service}}\n",
		"click.old.example/x,/visit/\n")
	assert.Contains(
		t,
		strings.Join(found(p, "depended-on"), "\n"),
		"would redirect click.old.example, which the mail service needs",
	)
	p = makePlan(
		t,
		"domains:\n  - n.example\n"+
			"  - {name: old.example, carrier: wide, needed: {click: the mail service}}\n",
		"",
	)
	for _, c := range p.Carriers {
		for _, e := range c.Entries {
			if e.Kind == world.Pattern {
				assert.False(t, strings.HasPrefix(e.Fields[0].Value, "*"), e.Fields[0].Value)
			}
		}
	}
}

func TestWrongNeededHostsAreSaid(t *testing.T) {
	for text, says := range map[string]string{
		"needed: click":                           "needed is a single value",
		"needed: {click: \"\"}":                   "click.old.example does not say who needs it",
		"hosts: [click], needed: {click: x}":      "click.old.example is also under hosts:, which",
		"needed: {\"a b\": x}":                    "this is not a host below old.example",
		"needed: {click: {by: x, too: y}}":        "unknown key in a needed host",
		"needed: {click: {to: y.example}}":        "click.old.example does not say who needs it",
		"needed: {click: x}, carrier: {click: g}": "unknown key in carrier",
	} {
		path := t.TempDir() + "/upperpath.yaml"
		assert.NoError(t, files.WriteNew(path, []byte("canonical: https://www.n.example\n"+
			"carriers: {g: {by: server, addresses: [203.0.113.20]}}\ndomains:\n  - {name: old.example, "+
			text+"}\n"), false))
		_, err := files.ReadEstate(path)
		assert.ErrorContains(t, err, says, text)
	}
}
