package chain

import (
	"context"
	"net/netip"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Other is what a further address of the entry's host answers to the entry, asked by itself.
type Other struct {
	Answer  Answer         `json:"answer"` // the first
	Arrival web.URL        `json:"arrival"`
	End     End            `json:"end"`
	Same    bool           `json:"same"`               // as the address at which the chain went
	Codes   []finding.Code `json:"findings,omitempty"` // what is wrong by that way

	whole Chain
}

// once are the probes for which one address of a host speaks for all: those of its doors tell them
// apart.
var once = []Probe{ByRule, ByPattern, WellKnown, Robots}

// FollowEach follows an entry, and once more from each further address of its host.
func FollowEach(ctx context.Context, asker Asker, entry Ask, probe Probe) Chain {
	c := Follow(ctx, asker, entry, probe)
	if _, remembers := asker.(Returning); remembers || slices.Contains(once, probe) ||
		entry.Method != "" ||
		entry.Address.IsValid() ||
		len(c.Hops[0].Found) < 2 {
		return c
	}
	met, _ := netip.ParseAddrPort(c.Hops[0].Address)
	for _, a := range c.Hops[0].Found {
		if a == met.Addr() || ctx.Err() != nil {
			continue
		}
		at := entry
		at.Address = a
		whole := Follow(ctx, asker, at, probe)
		c.Others = append(c.Others,
			Other{Answer: whole.Hops[0], Arrival: whole.Arrival, End: whole.End, whole: whole})
	}
	return c
}

// addresses judges what the further addresses answer, and adds one finding where any does
// otherwise.
func (v *judging) addresses() {
	c := v.chain
	differ, worst := false, false
	for i := range c.Others {
		o := &c.Others[i]
		o.Same = sameAnswer(&c.Hops[0], &o.Answer)
		if o.whole.Hops != nil {
			Judge{Now: v.judge.Now, Estate: v.judge.Estate, Forwards: v.judge.Forwards}.Chain(&o.whole,
				v.goal)
			for _, f := range o.whole.Findings {
				if f.Severity == finding.Error && !slices.Contains(o.Codes, f.Code) {
					o.Codes = append(o.Codes, f.Code)
				}
			}
		}
		if o.Same || o.Answer.Refusal == Unseen {
			continue
		}
		differ = true
		worst = worst || len(o.Codes) > 0 && !passedOver(o.Answer.Refusal)
	}
	if !differ {
		return
	}
	door := c.Entry.Door()
	does := []fact.Facts{doing(&c.Hops[0])}
	stray := []string{}
	evidence := []map[string]any{addressEvidence(&c.Hops[0], v.codes(finding.Error))}
	for i := range c.Others {
		o := &c.Others[i]
		does = append(does, doing(&o.Answer))
		evidence = append(evidence, addressEvidence(&o.Answer, o.Codes))
		if !o.Same && (len(o.Codes) > 0 || passedOver(o.Answer.Refusal)) {
			stray = append(stray, bare(o.Answer.Address))
		}
	}
	host := door.Host.String()
	var left, advice fact.Facts
	if ttl := c.Hops[0].TTL; ttl > 0 {
		still := fact.StillMet{For: time.Duration(ttl) * time.Second}
		if !v.judge.Now.IsZero() {
			still.Until = v.judge.Now.Add(still.For)
		}
		left = still
	}
	switch bad := len(v.codes(finding.Error)) > 0; {
	case bad:
		advice = fact.TakeOthersOut{Host: host, Left: left}
	case len(stray) > 0:
		advice = fact.DoAsTheOther{Stray: stray, Address: bare(c.Hops[0].Address), Host: host, Left: left}
	default:
		advice = fact.FindTheRightOne{Left: left}
	}
	f := finding.New(finding.SplitAnswers, door.String(),
		fact.AddressesDiffer{Host: host, Does: does, Advice: advice, TTL: c.Hops[0].TTL},
		map[string]any{"addresses": evidence})
	if worst {
		f = f.As(finding.Error)
	}
	hop := 0
	f.Entry, f.Hop = c.Entry.String(), &hop
	c.Findings = append(c.Findings, f)
}

// passedOver reports whether browsers try the next address where one refuses so (RFC 8305).
func passedOver(r Refusal) bool { return r == Refused || r == Unreachable || r == Timeout }

// codes gives the codes of the chain's findings of a severity.
func (v *judging) codes(s finding.Severity) []finding.Code {
	var all []finding.Code
	for _, f := range v.chain.Findings {
		if f.Severity == s && !slices.Contains(all, f.Code) {
			all = append(all, f.Code)
		}
	}
	return all
}

func addressEvidence(a *Answer, codes []finding.Code) map[string]any {
	e := map[string]any{"address": a.Address, "does": fact.Of(doing(a), fact.Says)}
	if len(codes) > 0 {
		e["findings"] = finding.Names(codes)
	}
	return e
}

// bare gives an address without its port.
func bare(address string) string {
	if at, err := netip.ParseAddrPort(address); err == nil {
		return at.Addr().String()
	}
	return address
}

// Does tells what whoever gave the answer does.
func (a *Answer) Does() fact.Facts { return doing(a) }

// doing tells what an address does.
func doing(a *Answer) fact.Facts {
	at := bare(a.Address)
	var fault fact.Facts
	if a.TLS != nil && len(a.TLS.Faults) > 0 &&
		slices.Min(a.TLS.Faults).Row().Severity == finding.Error {
		fault = fact.CertificateRefused{Code: slices.Min(a.TLS.Faults).String()}
	}
	switch {
	case a.Refusal == Unseen:
		return fact.AddressUnseen{Address: at}
	case a.Refusal != "":
		if does, ok := strings.CutPrefix(a.Detail, a.Address+" "); ok {
			return fact.AddressDoes{Address: at, Does: does}
		}
		return fact.AddressSilent{Address: at, Detail: a.Detail}
	case a.IsRedirect():
		return fact.AddressRedirects{Address: at, To: a.Location, Status: a.Status, Certificate: fault}
	case a.Framed != "":
		return fact.AddressFrames{Address: at, To: a.Framed, Status: a.Status, Certificate: fault}
	case a.Soft != nil:
		return fact.AddressSendsOn{Address: at, To: a.Soft.To, Status: a.Status, Certificate: fault}
	case a.Page != nil && a.Page.Title != "":
		return fact.AddressShows{Address: at, Title: short(a.Page.Title), Status: a.Status,
			Certificate: fault}
	case a.Status >= 400:
		return fact.AddressAnswers{Address: at, Status: a.Status, Certificate: fault}
	}
	return fact.AddressShows{Address: at, Status: a.Status, Certificate: fault}
}

// sameAnswer reports whether two answers to one question are the same to a visitor.
func sameAnswer(a, b *Answer) bool {
	if a.Refusal != "" || b.Refusal != "" {
		return a.Refusal == b.Refusal
	}
	if a.Status != b.Status || a.MovesOn() != b.MovesOn() || !sameFaults(a.TLS, b.TLS) ||
		a.Framed != b.Framed {
		return false
	}
	if a.MovesOn() {
		x, _, okX := a.Next()
		y, _, okY := b.Next()
		return okX == okY && (!okX || x.Same(y))
	}
	if a.Page == nil || b.Page == nil {
		return (a.Page == nil) == (b.Page == nil)
	}
	return a.Page.Title == b.Page.Title && a.Page.Heading == b.Page.Heading &&
		a.Page.Canonical == b.Page.Canonical
}

func sameFaults(a, b *TLS) bool {
	if a == nil || b == nil {
		return (a == nil) == (b == nil)
	}
	return slices.Equal(a.Faults, b.Faults)
}
