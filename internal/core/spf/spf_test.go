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
		"a mx ptr a/24 a//64 a:x.example/24//64 exists:%{i}.x.example include:x.example ip4:192.0.2.1 " +
			"ip6:2001:db8::/32 x=y exp=e.example redirect=%{d} -all": nil,
		"ip4:2001:db8::1":  fact.TermNoAddress{},
		"ip6:192.0.2.1":    fact.TermNoAddress{},
		"ip4:192.0.2.0/33": fact.TermLength{}, "a/33": fact.TermLength{}, "mx//129": fact.TermLength{},
		"ip4:192.0.2.1/024": fact.TermLength{}, "a:": fact.TermNoDomain{}, "mx:": fact.TermNoDomain{},
		"ptr:": fact.TermNoDomain{}, "exists": fact.TermNoDomain{}, "a:x": fact.TermBadDomain{},
		"a:x.123": fact.TermBadDomain{}, "a:%{x}": fact.TermMacro{}, "exists:%": fact.TermMacro{},
		"exists:%{d0}": fact.TermMacro{}, "redirect=%{c}": fact.TermMacro{}, "1x=y": fact.TermUnknown{},
		"a:x.example\x80": fact.TermCharacter{}, "mx\tall": fact.TermCharacter{},
		"?redirect=x.example": fact.TermUnknown{}, "all/8": fact.TermArgument{},
		"include:":  fact.TermNoDomain{},
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
		{"v=spf1 redirect=r.example", "v=spf1 a -all", "v=spf1 a include:r.example -all"},
		{"v=spf1 a -all", "v=spf1 redirect=r.example", "v=spf1 a include:r.example -all"},
		{"v=spf1 redirect=r.example", "v=spf1 redirect=s.example",
			"v=spf1 include:s.example redirect=r.example"},
		{"v=spf1 redirect=r.example", "v=spf1 redirect=r.example", "v=spf1 redirect=r.example"},
		{"v=spf1 -all redirect=r.example", "v=spf1 a", "v=spf1 a -all"},
		{"v=spf1 mx -all", "v=spf1 mx -all", "v=spf1 mx -all"},
		{"v=spf1 ip4:192.0.2.1 -all", "v=spf1 +ip4:192.0.2.1/32 ip6:2001:DB8::1 ip6:2001:db8:0::1 -all",
			"v=spf1 ip4:192.0.2.1 ip6:2001:DB8::1 -all"},
		{"v=spf1 exp=a.example -all", "v=spf1 exp=b.example -all", "v=spf1 exp=a.example -all"},
	} {
		joined, _ := Join(c[0], c[1])
		assert.Equal(t, c[2], joined, c[0]+" and "+c[1])
		assert.Empty(t, Faults(joined), joined)
	}
	for _, c := range []struct {
		first, second string
		want          bool
	}{
		{"v=spf1 -all", "v=spf1 ?all", false}, {"v=spf1 -all", "v=spf1 -ALL", true},
		{"v=spf1 mx -all", "v=spf1 mx ?all", true}, {"v=spf1 mx", "v=spf1 ~all", true},
		{"v=spf1 mx -all", "v=spf1", true},
	} {
		_, what := Join(c.first, c.second)
		assert.Equal(t, c.want, what, c.second)
	}
}
