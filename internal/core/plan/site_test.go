package plan_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/words"
)

// siteAt makes a plan of one domain, whose site a carrier serves.
func siteAt(t *testing.T, site, carrier, zone string) (*plan.Plan, error) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "upperpath.yaml")
	require.NoError(
		t,
		os.WriteFile(path,
			[]byte("canonical: https://www.old.example\nsite: {"+site+"}\ncarriers:\n  p: {"+carrier+
				"}\n  edge: {by: edge, addresses: [198.51.100.80]}\ndomains:\n"+
				"  - {name: old.example, carrier: p}\n"), 0o600),
	)
	e, err := files.ReadEstate(path)
	if err != nil {
		return nil, err
	}
	return plan.Make(plan.Input{Estate: e.Estate, Survey: seen(t, "old.example\n"+zone), Now: today}),
		nil
}

const platform = "by: platform, alias: other.platform.example, addresses: [198.51.100.61], " +
	"certificate: after, " +
	"issuer: ca.example, " +
	"wanted: [{name: _claim, type: TXT, value: x}]"

// TestTheSiteHasACarrierToo joins one domain to a platform, which is the commonest job of all.
func TestTheSiteHasACarrierToo(t *testing.T) {
	p,
		err := siteAt(t, "carrier: p", platform,
		"@ A 192.0.2.1\nwww A 192.0.2.1\n@ MX 0 .\n@ TXT \"v=spf1 -all\"")
	require.NoError(t, err)
	assert.Empty(t, subjects(p))
	assert.Equal(t,
		[]string{`add _claim TXT  > "x"`, "replace  A 192.0.2.1 > 198.51.100.61",
			"remove www A 192.0.2.1 >",
			"add www CNAME  > other.platform.example"}, changes(zoneOf(t, p, "old.example")))
	assert.Contains(t, reasons(zoneOf(t, p, "old.example")), "Claim www.old.example at p first")

	require.Len(t, p.Certificates, 1, "the platform holds those of the site too")
	assert.Equal(t, []string{"old.example", "www.old.example"}, p.Certificates[0].Names)
	assert.Equal(t, "ca.example", p.Certificates[0].Issuer)
	assert.True(t, p.Certificates[0].Gap)
	require.Len(t, p.Carriers, 1)
	assert.Equal(t, []string{"old.example", "www.old.example"}, p.Carriers[0].Hosts)
	typed := ""
	for _, e := range p.Carriers[0].Entries {
		for _, f := range e.Fields {
			typed += string(e.Kind) + " " + f.Name + ": " + f.Value + "\n"
		}
	}
	for _, want := range []string{"host host: old.example", "host host: www.old.example",
		"records www.old.example CNAME: other.platform.example", "records _claim.old.example TXT: x",
		"certificate certificate for: www.old.example", "primary primary: www.old.example",
		"primary redirected to it: old.example"} {
		assert.Contains(t, typed, want+"\n")
	}
	order := said(p.Steps, func(x act.Step) string { return doc.Unmarked(words.Step(x)) })
	for _, want := range []string{"Claim old.example, www.old.example at p", "www.old.example at p"} {
		assert.Contains(t, order, want)
	}
}

func TestWhatASiteCannotBeCarriedBy(t *testing.T) {
	for name, c := range map[string]struct{ site, carrier, says string }{
		"an edge network": {"carrier: edge", platform,
			"edge is an edge network, which serves no site"},
		"nobody": {"carrier: nobody", platform, "no carrier is called nobody"},
		"at another address": {"carrier: p, addresses: [192.0.2.9]", platform,
			"the site has other addresses"},
		"by another alias": {"carrier: p, alias: x.example", platform,
			"or another alias, than its carrier p"},
		"at the same address": {"carrier: p, addresses: [198.51.100.61]", platform, ""},
	} {
		_, err := siteAt(t, c.site, c.carrier, "@ A 192.0.2.1")
		if c.says == "" {
			assert.NoError(t, err, name)
			continue
		}
		assert.ErrorContains(t, err, c.says, name)
	}
	for name, c := range map[string]struct{ carrier, says string }{
		"too few hosts": {strings.Replace(platform, "alias:", "hosts-at-most: 1, alias:", 1),
			"beyond-carrier p"},
		"no TLS": {strings.Replace(platform, "alias:", "tls: no, alias:", 1),
			"beyond-carrier www.old.example"},
	} {
		p, err := siteAt(t, "carrier: p", c.carrier, "@ A 192.0.2.1\nwww A 192.0.2.1\n@ MX 0 .")
		require.NoError(t, err)
		assert.Contains(t, subjects(p), c.says, name)
	}
}

func TestAServerThatServesOnlyTheSiteHoldsNoRedirects(t *testing.T) {
	path := filepath.Join(t.TempDir(), "upperpath.yaml")
	require.NoError(t, os.WriteFile(path, []byte("canonical: https://www.old.example\n"+
		"site: {hosts: [www.old.example, old.example], carrier: p}\n"+
		"carriers: {p: {by: server, addresses: [198.51.100.61]}}\ndomains: [old.example]\n"), 0o600))
	e, err := files.ReadEstate(path)
	require.NoError(t, err)
	p := plan.Make(plan.Input{Estate: e.Estate, Now: today})
	require.Len(t, p.Carriers, 1)
	for _, entry := range p.Carriers[0].Entries {
		assert.NotEqual(t, world.Config, entry.Kind)
	}
	for _, s := range p.Steps {
		assert.NotEqual(t, act.PlaceRedirects, s.Kind)
	}
}
