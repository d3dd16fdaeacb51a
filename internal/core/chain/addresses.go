package chain

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
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
	says := []string{doing(&c.Hops[0])}
	stray := []string{}
	evidence := []map[string]any{addressEvidence(&c.Hops[0], v.codes(finding.Error))}
	for i := range c.Others {
		o := &c.Others[i]
		says = append(says, doing(&o.Answer))
		evidence = append(evidence, addressEvidence(&o.Answer, o.Codes))
		if !o.Same && (len(o.Codes) > 0 || passedOver(o.Answer.Refusal)) {
			stray = append(stray, bare(o.Answer.Address))
		}
	}
	fix := "Find out which of them is right, and have the others do the same, or take them out of " +
		"the records."
	if len(stray) > 0 && len(v.codes(finding.Error)) == 0 {
		fix = fmt.Sprintf("Have %s do as %s does, or take it out of the records of %s.",
			wording.Few(stray, 3),
			bare(c.Hops[0].Address), door.Host)
	} else if len(v.codes(finding.Error)) > 0 {
		fix = fmt.Sprintf("Find out which of them is meant to be left: take the others out of the "+
			"records of %s.", door.Host)
	}
	if ttl := c.Hops[0].TTL; ttl > 0 {
		left := time.Duration(ttl) * time.Second
		fix += fmt.Sprintf(" What is taken out can still be met for up to %s, the TTL that is left",
			wording.Span(left))
		if !v.judge.Now.IsZero() {
			fix += fmt.Sprintf(": until %s", v.judge.Now.Add(left).UTC().Format("15:04 MST"))
		}
		fix += "."
	}
	f := finding.New(finding.SplitAnswers, door.String(),
		fmt.Sprintf("The addresses of %s do not do the same: %s.", door.Host, strings.Join(says, "; ")),
		fix,
		map[string]any{"addresses": evidence, "ttl": c.Hops[0].TTL})
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
	e := map[string]any{"address": a.Address, "does": doing(a)}
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

// Does says in a few words what whoever gave the answer does, beginning with its address.
func (a *Answer) Does() string { return doing(a) }

// doing says in a few words what an address does.
func doing(a *Answer) string {
	at := bare(a.Address)
	fault := ""
	if a.TLS != nil && len(a.TLS.Faults) > 0 &&
		slices.Min(a.TLS.Faults).Row().Severity == finding.Error {
		fault = fmt.Sprintf(", with a certificate that browsers refuse (%s)", slices.Min(a.TLS.Faults))
	}
	switch {
	case a.Refusal == Unseen:
		return at + " could not be seen from here"
	case a.Refusal != "":
		detail := strings.TrimPrefix(strings.TrimPrefix(a.Detail, a.Address), " ")
		if detail == a.Detail {
			detail = "does not answer: " + detail
		}
		return at + " " + detail
	case a.IsRedirect():
		return fmt.Sprintf("%s redirects to %s (%d)%s", at, a.Location, a.Status, fault)
	case a.Framed != "":
		return fmt.Sprintf("%s shows %s in a frame (%d)%s", at, a.Framed, a.Status, fault)
	case a.Soft != nil:
		return fmt.Sprintf("%s sends on to %s by the page itself (%d)%s", at, a.Soft.To, a.Status, fault)
	case a.Page != nil && a.Page.Title != "":
		return fmt.Sprintf("%s shows a page, %q (%d)%s", at, short(a.Page.Title), a.Status, fault)
	case a.Status >= 400:
		return fmt.Sprintf("%s answers %d%s", at, a.Status, fault)
	}
	return fmt.Sprintf("%s shows a page (%d)%s", at, a.Status, fault)
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
