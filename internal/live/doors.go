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

// aliasEnds looks whether the targets of aliases have addresses. What counts at the names of keys,
// policies and proofs is that the target is there, with addresses or without.
func (l *looker) aliasEnds(ctx context.Context) {
	within := map[string]string{}
	for _, s := range l.domain.Records {
		if s.Type == "CNAME" && len(s.Values) > 0 {
			within[s.Name] = plain(s.Values[0])
		}
	}
	for _, s := range l.domain.Records {
		if s.Type != "CNAME" || len(s.Values) == 0 || ctx.Err() != nil {
			continue
		}
		target := plain(s.Values[0])
		end := survey.AliasEnd{Name: s.Name, Target: target, Circle: circleFrom(s.Name, within)}
		h, err := web.ParseObservedHost(target)
		switch {
		case len(end.Circle) > 0:
		case survey.ForNoHost(s.Name):
			answer, refused := l.web.resolver.exchange(ctx, dns.Fqdn(target), dns.TypeTXT)
			end.Exists = refused != nil || answer.Rcode != dns.RcodeNameError
		case err == nil:
			found := l.web.resolver.lookup(ctx, h)
			end.Exists, end.Circle = !found.absent, found.circle
		}
		l.domain.Aliases = append(l.domain.Aliases, end)
	}
}

// circleFrom gives the aliases that lead round, from where a name leads into them; nil where they
// do not, or follow each other further than resolvers go.
func circleFrom(name string, aliases map[string]string) []string {
	var way []string
	for len(way) <= 2*mostAliases {
		if at := slices.Index(way, name); at >= 0 {
			return way[at:]
		}
		way = append(way, name)
		target, ok := aliases[name]
		if !ok {
			return nil
		}
		name = target
	}
	return nil
}

// doors follows every door, asks each address of a host alone, and reads robots.txt.
func (l *looker) doors(ctx context.Context) {
	judge := chain.Judge{Now: l.web.Now(), Clues: l.surveyor.Clues}
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
				judge.Chain(&c, chain.Goal{})
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

// askEachAddress asks every address of a door alone; different addresses with the same answer are
// fine.
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
	if slices.ContainsFunc(diff.Voices, func(v survey.Voice) bool {
		return v.Values[0] != diff.Voices[0].Values[0]
	}) {
		l.domain.Differences = append(l.domain.Differences, diff)
	}
}

// robots reads robots.txt of a door that serves one itself.
func (l *looker) robots(ctx context.Context, d web.Door) {
	status, location, body,
		err := l.web.fetchOnce(ctx, d.URL("/robots.txt", ""), "text/plain", MostBody, new(bool))
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
			l.domain.Registration = &survey.Registration{
				From:     survey.EstateFile,
				Ends:     &l.subject.Renews,
				EndsFrom: survey.EstateFile,
			}
		}
		return
	}
	l.domain.Registration = r
	if len(r.Unread) > 0 {
		l.unseen("the registration of %s: a part of these could not be read: %s", l.domain.Name,
			strings.Join(r.Unread, ", "))
	}
	if r.Ends == nil && !l.subject.Renews.IsZero() { // what somebody wrote down is better than nothing
		r.Ends, r.EndsFrom = &l.subject.Renews, survey.EstateFile
	}
}
