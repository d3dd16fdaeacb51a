package spf

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"upperpath.example/upperpath/internal/core/fact"
)

func TestTermsAreTakenApart(t *testing.T) {
	for text, want := range map[string]Term{
		"a":    {Qualifier: '+', Name: "a"},
		"-ALL": {Qualifier: '-', Name: "all"},
		"?a:Mail.Example./24": {Qualifier: '?', Name: "a", Domain: "mail.example", Prefix: "/24",
			value: "Mail.Example./24"},
		"mx/24//64":        {Qualifier: '+', Name: "mx", Prefix: "/24//64", value: "/24//64"},
		"ip4:192.0.2.0/24": {Qualifier: '+', Name: "ip4", value: "192.0.2.0/24"},
		"redirect=x.example": {Qualifier: '+', Name: "redirect", Domain: "x.example", Modifier: true,
			value: "x.example"},
		"exists:%{i}.x.example": {Qualifier: '+', Name: "exists", Domain: "%{i}.x.example",
			value: "%{i}.x.example"},
	} {
		want.Text = text
		assert.Equal(t, []Term{want}, Terms("v=spf1 "+text), text)
	}
	assert.Nil(t, Terms("v=spf10 a"))
	assert.Nil(t, Terms("spf1 a"))
	assert.Empty(t, Terms("V=SPF1"))
}

func TestFaultsOfTerms(t *testing.T) {
	for text, want := range map[string]fact.Facts{
		"a mx ptr a/24 exists:x include:x ip4:192.0.2.1 ip6:2001:db8::/32 x=y exp=e redirect=r -all": nil,
		"ip4:2001:db8::1":  fact.TermNoAddress{},
		"ip6:192.0.2.1":    fact.TermNoAddress{},
		"ip4:192.0.2.0/33": fact.TermNoAddress{}, "include:": fact.TermNoDomain{},
		"redirect=": fact.TermNoDomain{},
		"all:x":     fact.TermArgument{}, "ip:192.0.2.1": fact.TermUnknown{},
		"+": fact.TermUnknown{},
	} {
		var got fact.Facts
		for _, term := range Terms("v=spf1 " + text) {
			if fault := term.Fault(); fault != nil {
				got = fault
			}
		}
		assert.Equal(t, want, got, text)
	}
}

func TestRefusesMeansNobody(t *testing.T) {
	for text, want := range map[string]bool{"v=spf1 -all": true, "v=spf1 -ALL": true,
		"v=spf1 ~all":    false,
		"v=spf1 mx -all": false,
		"v=spf1":         false, "": false} {
		assert.Equal(t, want, Refuses(text), text)
	}
	assert.Equal(
		t,
		[]string{"x.example", "y.example"},
		Names("v=spf1 include:X.example. include:%{d}.z a:w redirect=y.example"),
	)
	assert.Equal(t, "v=spf1 a", Among([]string{`"other"`, `"v=spf1" " a"`}))
}

func TestTwoRecordsBecomeOne(t *testing.T) {
	for _, c := range [][3]string{
		{"v=spf1 mx ~all", "v=spf1 include:x.example -all", "v=spf1 mx include:x.example ~all"},
		{"v=spf1 -all", "v=spf1 include:x.example ~all", "v=spf1 include:x.example -all"},
		{"v=spf1 A mx", "v=spf1 a +MX ip4:192.0.2.1 ?all", "v=spf1 A mx ip4:192.0.2.1 ?all"},
		{"v=spf1 redirect=r.example", "v=spf1 a", "v=spf1 a redirect=r.example"},
		{"v=spf1 mx -all", "v=spf1 mx -all", "v=spf1 mx -all"},
	} {
		assert.Equal(t, c[2], Join(c[0], c[1]), c[0]+" and "+c[1])
	}
}
