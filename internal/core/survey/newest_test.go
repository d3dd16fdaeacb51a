package survey

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/web"
)

func TestTheNewestLookAtEachDomainHolds(t *testing.T) {
	found := func(code finding.Code, subject string) finding.Finding {
		return finding.New(code, subject, fact.Kept{Says: "x", Do: "y"})
	}
	first := &Survey{Started: time.Unix(1000, 0), Scope: &scope.Scope{Estate: "e", Meant: 2, Done: 2},
		Domains: []Domain{{Name: "a.example"}, {Name: "b.example"}},
		Findings: []finding.Finding{found(finding.MailLost, "a.example"),
			found(finding.MailLost, "b.example"), found(finding.MailLost, "mx.else.example")}}
	part := &Survey{Started: time.Unix(2000, 0), Domains: []Domain{{Name: "a.example"}},
		Scope:    &scope.Scope{Estate: "e", Only: "a.example", Meant: 1, Done: 1},
		Findings: []finding.Finding{found(finding.OnHold, "www.a.example A")}}
	v := Newest([]*Survey{part, first})
	require.Len(t, v.Domains, 2)
	assert.Equal(t, part.Started, v.Domains[0].Looked)
	assert.Equal(t, first.Started, v.Domains[1].Looked)
	var subjects []string
	for _, f := range v.Findings {
		subjects = append(subjects, f.Subject)
	}
	assert.ElementsMatch(t, []string{"www.a.example A", "b.example", "mx.else.example"}, subjects)
	assert.Nil(t, Newest(nil))
}

// TestWhatNobodyMeetsIsNotTheNewest leaves out surveys that took addresses by hand or another time,
// and those from another place than that of the newest whole one.
func TestWhatNobodyMeetsIsNotTheNewest(t *testing.T) {
	of := func(at int64, vantage, only string, change func(*scope.Scope)) *Survey {
		s := &Survey{Started: time.Unix(at, 0), Vantage: vantage,
			Scope:   &scope.Scope{Estate: "e", Only: only, Meant: 1, Done: 1},
			Domains: []Domain{{Name: "a.example", Source: File, Parent: Parent{Server: "p"}}}}
		if change != nil {
			change(s.Scope)
		}
		return s
	}
	byHand := of(5, "here", "", func(s *scope.Scope) { s.Points = []string{"a.example=192.0.2.1"} })
	later := of(4, "here", "", func(s *scope.Scope) { s.AsOf = time.Unix(9, 0) })
	away := of(3, "away", "a.example", nil)
	part := of(2, "here", "a.example", nil)
	whole := of(1, "here", "", nil)
	v := Newest([]*Survey{byHand, later, away, part, whole})
	require.Len(t, v.Domains, 1)
	assert.Equal(t, part.Started, v.Domains[0].Looked)
	assert.Nil(t, Newest([]*Survey{byHand, later}))
	last, before := Latest([]*Survey{byHand, later, whole})
	require.NotNil(t, last)
	assert.Equal(t, whole.Started, last.Started)
	assert.Nil(t, before)
}

func TestALineOfADomain(t *testing.T) {
	ends := time.Unix(5000, 0)
	door := func(url string, status int, refusal chain.Refusal, to string) chain.Chain {
		u := web.MustParseURL(url)
		c := chain.Chain{Entry: u, Probe: chain.Root, End: chain.Page, Arrival: u,
			Hops: []chain.Answer{{URL: u, Status: status, Refusal: refusal}}}
		if refusal != "" {
			c.End = chain.NoAnswer
		}
		if to != "" {
			c.Arrival = web.MustParseURL(to)
			c.Hops = append(c.Hops, chain.Answer{URL: c.Arrival, Status: 200})
		}
		return c
	}
	v := &Survey{Domains: []Domain{
		{Name: "a.example", Looked: ends, Source: File, Parent: Parent{Server: "p"},
			Servers:      []Server{{Name: "ns1.h.example."}, {Name: "ns2.h.example."}},
			Registration: &Registration{From: "rdap", Ends: &ends, Registrar: "R"},
			Records: []record.Set{{Name: "a.example", Type: "MX", Values: []string{"10 mx.m.example."}},
				{Name: "shop.a.example", Type: "A", Values: []string{"192.0.2.1"}},
				{Name: "_dmarc.a.example", Type: "TXT", Values: []string{`"v=DMARC1"`}}},
			Chains: []chain.Chain{door("http://www.a.example/", 301, "", "https://www.n.example/"),
				door("http://a.example/", 301, "", "https://www.n.example/")}},
		{Name: "b.example", Looked: ends, Source: File,
			Records: []record.Set{{Name: "b.example", Type: "MX", Values: []string{"0 ."}},
				{Name: "x.b.example", Type: "CNAME", Values: []string{"www.a.example."}}},
			Chains: []chain.Chain{door("http://b.example/", 200, "", ""),
				door("https://b.example/", 0, chain.Refused, "")}},
		{Name: "c.example", Looked: ends, Missed: []Missed{{Name: "c.example", Type: "MX"}},
			Chains: []chain.Chain{door("http://c.example/", 0, chain.Unseen, "")}},
	}}
	all := v.Inventory([]string{"a.example", "b.example", "c.example", "d.example"})
	require.Len(t, all, 4)
	a, b, c, d := all[0], all[1], all[2], all[3]
	assert.Equal(t, AliveMoved, a.Alive)
	assert.Equal(t, "http://a.example", a.Landings[0].Door.String(), "the apex first")
	assert.Equal(t, []string{"h.example"}, a.Holders)
	assert.Equal(t, []string{"m.example"}, a.Mail)
	assert.Equal(t, []string{"shop"}, a.Depends)
	assert.Equal(t, []string{"b.example"}, a.References)
	assert.Equal(t, SignedNo, a.Signed)
	assert.Equal(t, ends, a.Ends)
	assert.Equal(t, AliveSite, b.Alive)
	assert.True(t, b.NoMail, "RFC 7505")
	assert.Equal(t, SignedUnseen, b.Signed)
	assert.Equal(t, AliveUnseen, c.Alive)
	assert.False(t, c.NoMail, "nobody answered about it")
	assert.True(t, d.Looked.IsZero())
	assert.Equal(t, AliveUnseen, d.Alive)
}
