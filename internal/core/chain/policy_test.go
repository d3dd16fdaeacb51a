package chain

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// TestADoorThatForwardsSendsThePlannedHSTS compares headers with what the estate plans.
func TestADoorThatForwardsSendsThePlannedHSTS(t *testing.T) {
	const from, to = "https://old.example/", "https://www.n.example/"
	for _, c := range []struct {
		planned, sent, to string
		want              string
	}{
		{"max-age=300", "max-age=300", to, ""},
		{"max-age=300", "Max-Age=\"300\" ;", to, ""},
		{"max-age=300", "", to, "hsts-missing note"},
		{"max-age=300", "max-age=later", to, "hsts-missing note"},
		{"max-age=300; includeSubDomains", "max-age=300", to, "hsts-short note"},
		{"max-age=300", "max-age=600", to, "hsts-short note"},
		{"max-age=0", "max-age=600", to, "hsts-short note"},
		{"max-age=0", "", to, ""},
		{"", "", to, ""},
		{"max-age=300", "", "https://other.example/", ""}, // it does not forward as planned yet
	} {
		answers := fixed{
			{URL: web.MustParseURL(from), Status: 301, Location: c.to, Address: "203.0.113.20:443",
				TLS: &TLS{}, Headers: &Headers{HSTS: c.sent}},
			{URL: web.MustParseURL(c.to), Status: 200, Address: "203.0.113.10:443", TLS: &TLS{},
				Headers: &Headers{HSTS: "max-age=63072000"}},
		}
		judge := estateJudge()
		judge.HSTS = func(web.Door) string { return c.planned }
		for probe, want := range map[Probe]string{Root: c.want, Deep: ""} {
			chain := Follow(context.Background(), answers, Ask{URL: web.MustParseURL(from)}, probe)
			judge.Chain(&chain, Goal{Target: web.MustParseURL(to), Hops: 1})
			got := ""
			for _, f := range chain.Findings {
				if f.Code == finding.HSTSMissing || f.Code == finding.HSTSShort {
					got += f.Code.String() + " " + string(f.Severity)
				}
			}
			assert.Equal(t, want, got, "%+v by %s", c, probe)
		}
	}
}
