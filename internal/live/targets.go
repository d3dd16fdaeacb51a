package live

import (
	"cmp"
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

// senders reads the SPF records of other zones to which the zone's own lead, from name to name, and
// asks for what all of them look up outside the zone.
func (l *looker) senders(ctx context.Context) {
	type at struct{ name, text string }
	var todo []at
	within := map[string]string{}
	for _, s := range l.domain.Records {
		if s.Type == "TXT" {
			within[s.Name] = spf.Among(s.Values)
			for _, text := range spf.All(s.Values) {
				todo = append(todo, at{s.Name, text})
			}
		}
	}
	been, asked := map[string]bool{}, 0
	for ; len(todo) > 0 && ctx.Err() == nil; todo = todo[1:] {
		for _, t := range spf.Looked(todo[0].text) {
			t, sure := t.At(todo[0].name)
			name := cmp.Or(t.Domain, todo[0].name)
			switch {
			case !sure || t.Fault() != nil || asked >= mostPolicies:
			case !t.TakesOver():
				if l.looksUp(ctx, t, name) {
					asked++
				}
			case been[name]:
			default:
				been[name] = true
				if text, ok := within[name]; ok {
					todo = append(todo, at{name, text})
					continue
				}
				asked++
				texts, seen := l.surveyor.senderPolicy(ctx, name)
				if !seen {
					l.unseen("the SPF record of %s, to which that of %s leads, could not be read", name,
						l.domain.Name)
					continue
				}
				s := survey.Senders{Name: name}
				if len(texts) > 0 {
					s.Text = texts[0]
					todo = append(todo, at{name, s.Text})
				}
				if len(texts) > 1 {
					s.Count = len(texts)
				}
				l.domain.Senders = append(l.domain.Senders, s)
			}
		}
	}
}

// looksUp asks for what a term looks up outside the zone, and reports whether somebody was asked.
// What nobody answers is not there.
func (l *looker) looksUp(ctx context.Context, t spf.Term, name string) bool {
	kind := "A"
	if t.Name == "mx" {
		kind = "MX"
	}
	h, err := web.ParseObservedHost(strings.ReplaceAll(name, "_", "u"))
	_, literal := h.Address()
	if err != nil || literal || t.Name == "ptr" || l.within(name) ||
		slices.ContainsFunc(l.domain.Looks, func(o survey.Look) bool {
			return o.Name == name && o.Type == kind
		}) {
		return false
	}
	look := survey.Look{Name: name, Type: kind}
	types := []uint16{dns.TypeMX}
	if kind == "A" {
		types = []uint16{dns.TypeA, dns.TypeAAAA}
	}
	for _, code := range types {
		answer, refused := l.web.resolver.exchange(ctx, dns.Fqdn(name), code)
		if refused != nil {
			return true // nobody knows
		}
		for _, rr := range answer.Answer {
			if rr.Header().Rrtype == code {
				look.Count++
			}
		}
	}
	l.domain.Looks = append(l.domain.Looks, look)
	return true
}

// senderPolicy asks for the SPF records of a name, once for all domains; false where nobody
// answers.
func (s *Surveyor) senderPolicy(ctx context.Context, name string) ([]string, bool) {
	if known, ok := s.policies.Load(name); ok {
		return known.([]string), true
	}
	if _, err := web.ParseObservedHost(strings.ReplaceAll(name, "_", "u")); err != nil {
		return nil, true // no name that anybody could ask for
	}
	answer, refused := s.Web.resolver.exchange(ctx, dns.Fqdn(name), dns.TypeTXT)
	if refused != nil {
		return nil, false
	}
	var values []string
	for _, rr := range answer.Answer {
		if rr.Header().Rrtype == dns.TypeTXT {
			values = append(values, rdata(rr))
		}
	}
	slices.Sort(values)
	texts := spf.All(values)
	s.policies.Store(name, texts)
	return texts, true
}
