package live

import (
	"context"
	"slices"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// coming asks the name servers to which the zone is to move, at every address, about everything
// that is known of the zone.
func (l *looker) coming(ctx context.Context) {
	for _, h := range l.subject.Coming {
		if slices.ContainsFunc(l.domain.Servers, func(s survey.Server) bool {
			return s.Name == h.String()
		}) {
			continue // it serves the zone already
		}
		n := l.web.nameServer(ctx, h.String(), nil)
		if len(n.addresses) == 0 {
			l.domain.Coming = append(
				l.domain.Coming,
				survey.Coming{
					Server: survey.Server{Name: n.name, By: []string{}, State: survey.Nowhere,
						Says: "its name leads to no address"},
					Records: []record.Set{},
				},
			)
		}
		for _, a := range n.addresses {
			s := l.web.newSession(h, a)
			c := survey.Coming{
				Server:  survey.Server{Name: n.name, Address: s.target.String(), By: []string{}},
				Records: []record.Set{},
			}
			l.askServer(ctx, s, &c.Server)
			if c.State == survey.Answers {
				l.askComing(ctx, s, &c)
			}
			s.close()
			l.domain.Coming = append(l.domain.Coming, c)
		}
	}
}

// askComing asks a coming server for every name and type that the zone holds, that somebody wants,
// or that decides where a door leads, and for the keys that the parent's DS stands for.
func (l *looker) askComing(ctx context.Context, s *session, c *survey.Coming) {
	keys := slices.Clone(l.subject.Wanted)
	for _, h := range l.subject.Hosts {
		for _, kind := range []string{"A", "AAAA", "CNAME"} {
			keys = append(keys, record.Key{Name: h.String(), Type: kind})
		}
	}
	for _, kind := range []string{"MX", "TXT", "CAA", "HTTPS"} {
		keys = append(keys, record.Key{Name: l.domain.Name, Type: kind})
	}
	for _, set := range l.domain.Records {
		if !slices.Contains([]string{"SOA", "RRSIG", "NSEC", "NSEC3", "NSEC3PARAM", "DNSKEY"}, set.Type) {
			keys = append(keys, record.Key{Name: set.Name, Type: set.Type})
		}
	}
	ctx = withBudget(
		ctx,
		newBudget("this comparison", int64(mostQuestions+2*len(keys)), mostTransfer,
			budgetOf(ctx).survey()),
	)
	var records []dns.RR
	asked := map[record.Key]bool{}
	for _, key := range keys {
		kind, known := dns.StringToType[key.Type]
		if asked[key] || !known || ctx.Err() != nil {
			continue
		}
		asked[key] = true
		answer, err := s.ask(ctx, key.Name, kind)
		if why := budgetOf(ctx).over(); why != nil {
			l.unseen("%s: %s", s.who(), why.detail)
			break
		}
		why := ""
		switch {
		case err != nil:
			why = plainError(err)
		case answer.Rcode != dns.RcodeSuccess && answer.Rcode != dns.RcodeNameError:
			why = "it says " + dns.RcodeToString[answer.Rcode]
		}
		if why != "" {
			c.Missed = append(c.Missed, survey.Missed{Name: key.Name, Type: key.Type, By: s.who(), Why: why})
			continue
		}
		records = append(records, l.delegated(answer, key.Name)...)
		for _, rr := range answer.Answer {
			if plain(rr.Header().Name) == key.Name && rr.Header().Rrtype == kind {
				records = append(records, rr)
			}
		}
	}
	c.Records, _ = Sets(l.domain.Name, records)
	l.saidMissed(c.Missed, "")
	if answer, err := s.ask(ctx, l.domain.Name, dns.TypeDNSKEY); err == nil {
		for _, ds := range l.domain.Parent.DS {
			c.Keys = c.Keys || standsFor(ds.Text, answer.Answer)
		}
	}
}

// FileDomain makes what a survey sees of a zone file alone, without asking anybody.
func FileDomain(zone web.Host, records []dns.RR) survey.Domain {
	d := survey.Domain{Name: zone.String(), Source: survey.File, Servers: []survey.Server{}}
	d.Records, d.Wildcards = Sets(d.Name, records)
	return d
}
