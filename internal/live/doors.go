package live

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"github.com/miekg/dns"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// aliasEnds looks whether the targets of aliases have addresses.
func (l *looker) aliasEnds(ctx context.Context) {
	for _, s := range l.domain.Records {
		if s.Type != "CNAME" || len(s.Values) == 0 || ctx.Err() != nil {
			continue
		}
		target := plain(s.Values[0])
		h, err := web.ParseObservedHost(target)
		end := survey.AliasEnd{Name: s.Name, Target: target}
		if survey.ForNoHost(
			s.Name,
		) { // keys, policies and proofs: what counts is that the name is there, with or without addresses
			answer, refused := l.web.resolver.exchange(ctx, dns.Fqdn(target), dns.TypeTXT)
			end.Exists = refused != nil || answer.Rcode != dns.RcodeNameError
		} else if err == nil {
			found := l.web.resolver.lookup(ctx, h)
			end.Exists = len(found.addresses) > 0 || found.refusal != nil && found.refusal.kind != chain.NoAddress
		}
		l.domain.Aliases = append(l.domain.Aliases, end)
	}
}

// doors follows every door, asks each address of a host alone, and reads robots.txt.
func (l *looker) doors(ctx context.Context) {
	judge := chain.Judge{Now: l.web.Now()}
	for _, h := range l.subject.Hosts {
		addresses := l.web.resolver.lookup(ctx, h).addresses
		for _, d := range web.Doors(h) {
			probes := chain.Probes(d)
			for _, probe := range chain.ProbeOrder {
				if ctx.Err() != nil {
					return
				}
				done := l.surveyor.turn()
				c := chain.Follow(ctx, l.web, chain.Ask{URL: probes[probe]}, probe)
				done()
				judge.Chain(&c, chain.Want{})
				l.domain.Chains = append(l.domain.Chains, c)
			}
			if len(addresses) > 1 {
				l.askEachAddress(ctx, d, addresses)
			}
			if len(addresses) > 0 {
				l.robots(ctx, d)
			}
		}
	}
}

// askEachAddress asks every address of a door alone; different addresses with the same answer are fine.
func (l *looker) askEachAddress(ctx context.Context, d web.Door, addresses []netip.Addr) {
	diff := survey.Difference{Name: d.String()}
	for _, a := range addresses {
		if a.Is6() && !l.web.dialer.ipv6 {
			continue
		}
		answer := l.web.Answer(ctx, chain.Ask{URL: d.URL("/", ""), Address: a})
		says := string(answer.Refusal)
		if answer.Refusal == "" {
			says = strings.TrimSpace(fmt.Sprintf("%d %s", answer.Status, answer.Location))
		}
		diff.Voices = append(diff.Voices, survey.Voice{Who: a.String(), Values: []string{says}})
	}
	if slices.ContainsFunc(diff.Voices, func(v survey.Voice) bool { return v.Values[0] != diff.Voices[0].Values[0] }) {
		l.domain.Differences = append(l.domain.Differences, diff)
	}
}

// robots reads robots.txt of a door that serves one itself.
func (l *looker) robots(ctx context.Context, d web.Door) {
	status, location, body, err := l.web.fetchOnce(ctx, d.URL("/robots.txt", ""), "text/plain", new(bool))
	if err != nil || status != 200 || location != "" {
		return
	}
	if line := survey.Bars(string(body)); line != "" {
		l.domain.Robots = append(l.domain.Robots, survey.Robots{Door: d.String(), Line: line})
	}
}

func (l *looker) registration(ctx context.Context) {
	if ctx.Err() != nil {
		return
	}
	r, err := l.web.registration(ctx, l.surveyor.Registry, l.domain.Name)
	if err != nil {
		l.unseen("the registration of %s: %s", l.domain.Name, problemText(err))
		if !l.subject.Renews.IsZero() {
			l.domain.Registration = &survey.Registration{From: "the estate file", Ends: &l.subject.Renews}
		}
		return
	}
	l.domain.Registration = r
}
