package live

import (
	"context"
	"slices"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// The most machines that are looked for, and SPF records of other zones that are read, for a
// domain.
const (
	mostTargets  = 64
	mostPolicies = 40
)

// targets looks for the machines that MX and NS records name outside the zone.
func (l *looker) targets(ctx context.Context) {
	for _, s := range l.domain.Records {
		if s.Type != "MX" && (s.Type != "NS" || s.Name != l.domain.Name) {
			continue
		}
		for _, value := range s.Values {
			for _, target := range survey.Refers(s.Type, value) {
				h, err := web.ParseObservedHost(target)
				if _, literal := h.Address(); err != nil || literal || l.within(target) || ctx.Err() != nil ||
					len(l.domain.Targets) == mostTargets {
					continue
				}
				found := l.web.resolver.lookup(ctx, h)
				t := survey.Target{Name: s.Name, Type: s.Type, Target: target, Absent: found.absent}
				for _, a := range found.addresses {
					t.Addresses = append(t.Addresses, a.String())
				}
				if len(found.aliases) > 0 {
					t.Alias = found.aliases[0]
				}
				l.domain.Targets = append(l.domain.Targets, t)
			}
		}
	}
}

// within reports whether a name lies within the zone, so that its records say what is there.
func (l *looker) within(name string) bool {
	return name == l.domain.Name || strings.HasSuffix(name, "."+l.domain.Name)
}

// senders reads the SPF records of other zones to which the zone's own lead, from name to name.
func (l *looker) senders(ctx context.Context) {
	var names []string
	within := map[string]string{}
	for _, s := range l.domain.Records {
		if text := spf.Among(s.Values); s.Type == "TXT" {
			names = append(names, spf.Names(text)...)
			within[s.Name] = text
		}
	}
	been, asked := map[string]bool{}, 0
	for ; len(names) > 0 && asked < mostPolicies && ctx.Err() == nil; names = names[1:] {
		name := names[0]
		if been[name] {
			continue
		}
		been[name] = true
		if text, ok := within[name]; ok {
			names = append(names, spf.Names(text)...)
			continue
		}
		asked++
		text, seen := l.surveyor.senderPolicy(ctx, name)
		if !seen {
			l.unseen("the SPF record of %s, to which that of %s leads, could not be read", name,
				l.domain.Name)
			continue
		}
		l.domain.Senders = append(l.domain.Senders, survey.Senders{Name: name, Text: text})
		names = append(names, spf.Names(text)...)
	}
}

// senderPolicy asks for the SPF record of a name, once for all domains; false where nobody answers.
func (s *Surveyor) senderPolicy(ctx context.Context, name string) (string, bool) {
	if known, ok := s.policies.Load(name); ok {
		return known.(string), true
	}
	if _, err := web.ParseObservedHost(strings.ReplaceAll(name, "_", "u")); err != nil {
		return "", true // no name that anybody could ask for
	}
	answer, refused := s.Web.resolver.exchange(ctx, dns.Fqdn(name), dns.TypeTXT)
	if refused != nil {
		return "", false
	}
	var values []string
	for _, rr := range answer.Answer {
		if rr.Header().Rrtype == dns.TypeTXT {
			values = append(values, rdata(rr))
		}
	}
	slices.Sort(values)
	text := spf.Among(values)
	s.policies.Store(name, text)
	return text, true
}
