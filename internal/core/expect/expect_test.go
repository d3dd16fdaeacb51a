package expect_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

func ExampleExpectation_Judge() {
	e := expect.Expectation{Kind: expect.Records, Name: "old.example", Type: "A",
		Server: "ns1.host.example",
		Values: []string{"203.0.113.20"}, Not: []string{"198.51.100.4"}}
	seen := e.Judge(expect.Answer{Values: []string{"198.51.100.4"}, TTL: 300})
	fmt.Println(seen.State, "-", fact.Text(e.Missing(seen)))
	// Output: old - old.example A is 198.51.100.4 at ns1.host.example, and should be 203.0.113.20
}

// record expects the address 203.0.113.20 in place of 198.51.100.4.
func record(change func(e *expect.Expectation)) expect.Expectation {
	e := expect.Expectation{Kind: expect.Records, Name: "a.example", Type: "A", Server: "ns1.example",
		Values: []string{"203.0.113.20"}, Not: []string{"198.51.100.4"}}
	change(&e)
	return e
}

func TestWhatAnAnswerMeans(t *testing.T) {
	as := func(kind expect.Kind) func(e *expect.Expectation) {
		return func(e *expect.Expectation) {
			*e = expect.Expectation{Kind: kind, Name: "a.example", Type: "A", Server: "ns1.example",
				TTL: 300}
		}
	}
	of := func(kind string, values ...string) func(e *expect.Expectation) {
		return func(e *expect.Expectation) { e.Type, e.Holds, e.Values, e.Not = kind, kind, values, nil }
	}
	none := func(e *expect.Expectation) { e.Values = nil }
	asked := func(e *expect.Expectation) { e.Holds = e.Type }
	alias := func(e *expect.Expectation) { e.Alias, e.Values = true, []string{"sites.example."} }
	led := func(e *expect.Expectation) { e.Holds, e.Values = "CNAME", []string{"Sites.example."} }
	values := func(all ...string) expect.Answer { return expect.Answer{Values: all, TTL: 300} }
	for i, c := range []struct {
		change func(e *expect.Expectation)
		says   expect.Answer
		state  expect.State
		words  string // what is missing, or why it was not seen
	}{
		{asked, values("203.0.113.20"), expect.There, ""},
		{asked, values("198.51.100.4"), expect.Old,
			"a.example A is 198.51.100.4 at ns1.example, and should be 203.0.113.20"},
		{asked, values("198.51.100.9"), expect.Other,
			"a.example A is 198.51.100.9 at ns1.example, and should be 203.0.113.20"},
		{asked, values("198.51.100.4", "203.0.113.20"), expect.Other,
			"a.example A is 198.51.100.4, 203.0.113.20"},
		{asked, values(), expect.Nothing,
			"a.example has no A record at ns1.example yet, and should have 203.0.113.20"},
		{asked, expect.Answer{Alias: "x.example."}, expect.Other, "a.example A is x.example."},
		{asked, expect.Answer{Unseen: "it is silent", Values: []string{"203.0.113.20"}}, expect.Unseen,
			"ns1.example did not answer about a.example A: it is silent"},
		{none, values(), expect.There, ""},
		{none, values("198.51.100.4"), expect.Old,
			"a.example still has A records at ns1.example: 198.51.100.4"},
		{none, values("198.51.100.9"), expect.Other, "a.example still has A records"},
		{none, expect.Answer{Alias: "x.example."}, expect.There, ""}, // it is no A record
		{func(e *expect.Expectation) { none(e); asked(e) }, expect.Answer{Alias: "x.example."},
			expect.Other, "still has"},
		{func(e *expect.Expectation) { none(e); asked(e); e.Not = nil },
			expect.Answer{Alias: "x.example."}, expect.Old,
			"still has"},
		{alias, values("203.0.113.7"), expect.There, ""},
		{alias, values("203.0.113.7", "198.51.100.4"), expect.Old, "a.example still has A records"},
		{alias, values(), expect.Nothing, "a.example has no A record at ns1.example yet"},
		{led, expect.Answer{Alias: "SITES.example."}, expect.There, ""},
		// a value of the wrong type
		{led, values("sites.example"), expect.Other, "should be Sites.example."},
		{of("TXT", `"Proof=1"`), values(`"Proof=1"`), expect.There, ""},
		{of("TXT", `"Proof=1"`), values(`"proof=1"`), expect.Other, `should be "Proof=1"`},
		{of("MX", "10 mx.a.example.", "20 b.example."), values("20 B.example.", "10 MX.a.example"),
			expect.There, ""},
		{of("MX", "10 mx.a.example."), values("20 mx.a.example."), expect.Other,
			"a.example MX is 20 mx.a.example."},
		{of("CNAME", "b.example."), values("B.example."), expect.There, ""},
		{of("DNSKEY", "257 3 13 aB"), values("257 3 13 ab"), expect.Other, "a.example DNSKEY"},
		{as(expect.TTLAtMost), values("x"), expect.There, ""},
		{as(expect.TTLAtMost), expect.Answer{Values: []string{"x"}, TTL: 301}, expect.Other,
			"the TTL of a.example A is 5 minutes 1 second at ns1.example, and should be at most 5 minutes"},
		{as(expect.TTLAtLeast), values("x"), expect.There, ""},
		{as(expect.TTLAtLeast), expect.Answer{Values: []string{"x"}, TTL: 299}, expect.Other,
			"should be at least 5 minutes"},
		{as(expect.TTLAtLeast), values(), expect.Nothing, "a.example has no A record at ns1.example"},
		{as(expect.Zone), values("ns1.example. h.example. 1 2 3 4 5"), expect.There, ""},
		{as(expect.Zone), values(), expect.Nothing, "ns1.example does not serve the zone a.example"},
		{as(expect.Zone), expect.Answer{Unseen: "it is silent"}, expect.Unseen,
			"ns1.example did not answer for a.example: it is silent"},
		{as(expect.NoDS), values(), expect.There, ""},
		{as(expect.NoDS), values("a DS record"), expect.Other,
			"the parent zone still has a DS record for a.example"},
		{as(expect.NoDS), expect.Answer{Unseen: "x"}, expect.Unseen,
			"the parent zone of a.example was not seen: x"},
		{func(e *expect.Expectation) { as(expect.Delegation)(e); e.Values = []string{"ns1.x"} },
			values("NS1.x."), expect.There, ""},
		{func(e *expect.Expectation) { as(expect.Delegation)(e); e.Values = []string{"ns1.x."} },
			values("ns1.x.", "ns2.x."), expect.Other,
			"the parent zone names ns1.x, ns2.x as the name servers of a.example, and should name ns1.x"},
		{func(e *expect.Expectation) { as(expect.Delegation)(e); e.Values = []string{"ns1.x."} },
			values(), expect.Nothing, "the parent zone names none as the name servers"},
	} {
		e := record(c.change)
		seen := e.Judge(c.says)
		said := fact.Text(e.Missing(seen)) + fact.Text(e.Unanswered(seen))
		assert.Equal(t, c.state, seen.State, "%d: %+v", i, c.says)
		assert.Contains(t, said, c.words, "%d", i)
		assert.Equal(t, c.words == "", said == "", "%d: %s", i, said)
		assert.False(t, e.Missing(seen) != nil && e.Unanswered(seen) != nil, "%d", i)
	}
}

// TestWhatSpeaksAgainstADoor has every kind of fault at the first and a later hop. A certificate is
// judged by its own door alone, and a redirect is not denied by a warning before it.
func TestWhatSpeaksAgainstADoor(t *testing.T) {
	at := func(code finding.Code, hop int) finding.Finding {
		f := finding.New(code, "https://a.example/", fact.Kept{Says: "It is wrong."})
		f.Hop = &hop
		return f
	}
	noHop := finding.New(finding.WrongPage, "https://a.example/", fact.Kept{Says: "It is wrong."})
	for _, c := range []struct {
		f                           finding.Finding
		certificate, redirect, door expect.State
	}{
		{at(finding.WrongName, 0), expect.Other, expect.There, expect.Other},
		{at(finding.WrongName, 1), expect.There, expect.Other, expect.Other},
		{at(finding.Unreachable, 0), expect.Other, expect.Other, expect.Other},
		{at(finding.Unreachable, 1), expect.There, expect.Other, expect.Other},
		{at(finding.WrongPage, 0), expect.There, expect.Other, expect.Other},
		{noHop, expect.There, expect.Other, expect.Other},
		{at(finding.WrongName, 0).As(finding.Warning), expect.There, expect.There, expect.There},
	} {
		for kind, want := range map[expect.Kind]expect.State{
			expect.Certificate: c.certificate, expect.Redirect: c.redirect, expect.Door: c.door,
		} {
			e := expect.Expectation{Kind: kind, URL: "https://a.example/",
				Values: []string{"https://n.example/"}}
			seen := e.Judge(expect.Answer{Findings: []finding.Finding{c.f}, Met: "301"})
			assert.Equal(t, want, seen.State, "%s: %s", kind, c.f.Code)
			assert.Equal(t, want == expect.Other,
				fact.Text(e.Missing(seen)) == "https://a.example/: It is wrong.")
		}
	}
}

// TestAnEndThatNobodySawIsUnseen: a door that redirects to a host which does not answer us is not
// as it should be, and not otherwise either.
func TestAnEndThatNobodySawIsUnseen(t *testing.T) {
	said := expect.Answer{Met: "301 https://n.example/", EndUnseen: "no route from here"}
	for kind, want := range map[expect.Kind]expect.State{
		expect.Door: expect.Unseen, expect.Redirect: expect.Unseen, expect.Certificate: expect.There,
	} {
		e := expect.Expectation{Kind: kind, URL: "https://a.example/", Address: "203.0.113.9",
			Values: []string{"x"}}
		seen := e.Judge(said)
		assert.Equal(t, want, seen.State, kind)
		if want == expect.Unseen {
			assert.Equal(t, "https://a.example/ was not seen at 203.0.113.9: no route from here",
				fact.Text(e.Unanswered(seen)))
		}
	}
	e := expect.Expectation{Kind: expect.Door, URL: "https://a.example/"}
	fault := finding.New(finding.WrongPage, "x", fact.Kept{Says: "It is wrong."})
	said.Findings = []finding.Finding{fault}
	assert.Equal(t, expect.Other, e.Judge(said).State, "what was seen outweighs what was not")
}

func TestWhatIsWantedAndFoundInAFewWords(t *testing.T) {
	for _, c := range []struct {
		e             expect.Expectation
		a             expect.Answer
		wanted, found string
	}{
		{record(func(*expect.Expectation) {}), expect.Answer{}, "203.0.113.20", "nothing"},
		{record(func(e *expect.Expectation) { e.Values = nil }),
			expect.Answer{Values: []string{"1", "2", "3", "4"}},
			"nothing", "1, 2, 3 and 1 more"},
		{record(func(e *expect.Expectation) { e.Alias, e.Values = true, []string{"s.example."} }),
			expect.Answer{Unseen: "it is silent"}, "the addresses of s.example", "it is silent"},
		{record(func(e *expect.Expectation) { e.Holds, e.Values = "CNAME", []string{"s.example."} }),
			expect.Answer{Alias: "o.example."}, "CNAME s.example.", "CNAME o.example."},
		{record(func(e *expect.Expectation) { e.Holds = "A" }), expect.Answer{Values: []string{"1"}},
			"203.0.113.20", "1"},
		{record(func(e *expect.Expectation) { e.Alias, e.Values = true, nil }), expect.Answer{},
			"the addresses of ", "nothing"},
		{expect.Expectation{Kind: expect.Certificate, URL: "https://a.example/"}, expect.Answer{},
			"a certificate for a.example", "nothing"},
		{expect.Expectation{Kind: expect.Redirect, URL: "https://a.example/",
			Values: []string{"https://a.example/"}},
			expect.Answer{}, "the page itself", "nothing"},
		{expect.Expectation{Kind: expect.Door, URL: "https://a.example/",
			Values: []string{"https://b.example/"}},
			expect.Answer{}, "https://b.example/", "nothing"},
		{expect.Expectation{Kind: expect.NoDS, Name: "a.example"},
			expect.Answer{Values: []string{"a DS record"}},
			"nothing", "a DS record"},
	} {
		assert.Equal(t, c.wanted, fact.Text(c.e.Wanted()))
		assert.Equal(t, c.found, fact.Text(c.e.Found(c.e.Judge(c.a))))
	}
}

func TestWhatStandsBeside(t *testing.T) {
	e := record(func(*expect.Expectation) {})
	assert.Equal(t, []string{"1"}, e.More([]string{"203.0.113.20", "1"}))
	assert.Empty(t, e.More([]string{"203.0.113.20"}))
	assert.Empty(t, e.More([]string{"1", "2"}), "what should be there is not")
	e.Values = nil
	assert.Empty(t, e.More([]string{"1"}))
}

func TestWhereItIsLooked(t *testing.T) {
	for kind, want := range map[expect.Kind]expect.Place{
		expect.Records:     {Kind: expect.NameServer, Name: "ns1.example", Host: "ns1.example"},
		expect.TTLAtMost:   {Kind: expect.NameServer, Name: "ns1.example", Host: "ns1.example"},
		expect.Zone:        {Kind: expect.NameServer, Name: "ns1.example", Host: "ns1.example"},
		expect.Delegation:  {Kind: expect.Parent},
		expect.NoDS:        {Kind: expect.Parent},
		expect.Door:        {Kind: expect.Vantage},
		expect.Redirect:    {Kind: expect.Vantage},
		expect.Certificate: {Kind: expect.Vantage},
	} {
		e := expect.Expectation{Kind: kind, Name: "a.example", Server: "ns1.example",
			URL: "https://b.example/"}
		assert.Equal(t, want, *e.Where(), kind)
		host := "a.example"
		if e.AtDoor() {
			host = "b.example"
		}
		assert.Equal(t, host, e.Host(), kind)
	}
	broken := expect.Expectation{Kind: expect.Door, URL: "::"}
	assert.Empty(t, broken.Host())
}

// asker is there so that the interface is one that a test can fill.
type asker struct{}

func (asker) Ask(context.Context, expect.Expectation, *expect.Place) expect.Answer {
	return expect.Answer{}
}

var _ expect.Asker = asker{}

// TestAWarningSpeaksAgainstADoorWhereItIsSaid has what a page for the client counts count where an
// expectation is strict: warnings, but for those about content, and nothing that somebody lives
// with.
func TestAWarningSpeaksAgainstADoorWhereItIsSaid(t *testing.T) {
	warning := func(code finding.Code) finding.Finding {
		return finding.New(code, "https://a.example", fact.Kept{Says: "It is wrong."}).As(finding.Warning)
	}
	lived := warning(finding.ExtraHop)
	lived.Accepted = &finding.Accepted{}
	for _, c := range []struct {
		found         finding.Finding
		strict, loose expect.State
	}{
		{warning(finding.ExtraHop), expect.Other, expect.There},
		{warning(finding.ExpiresSoon), expect.Other, expect.There},
		{lived, expect.There, expect.There},
		{warning(finding.RobotsBlocked), expect.There, expect.There},
		{finding.New(finding.HSTSMissing, "https://a.example", fact.Kept{Says: "x"}).As(finding.Note),
			expect.There, expect.There},
		{finding.New(finding.Loop, "https://a.example", fact.Kept{Says: "x"}),
			expect.Other, expect.Other},
	} {
		e := expect.Expectation{Kind: expect.Door, URL: "https://a.example/",
			Values: []string{"https://n.example/"}}
		a := expect.Answer{Met: "301", Findings: []finding.Finding{c.found}}
		assert.Equal(t, c.loose, e.Judge(a).State, c.found.Code)
		e.Strict = true
		assert.Equal(t, c.strict, e.Judge(a).State, c.found.Code)
	}
}
