package live

import (
	"context"
	"errors"
	"slices"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/survey"
)

// zone fetches the records: from a file, by transfer, or by asking for what is commonly there.
func (l *looker) zone(ctx context.Context) {
	if l.subject.Zone != nil {
		l.domain.Source = survey.File
		l.keep(l.subject.Zone)
		l.domain.Partial, l.domain.Missed, l.domain.Remaining = l.subject.Partial, l.subject.Missed, l.subject.Remaining
		return
	}
	if !l.surveyor.NoTransfer {
		for _, s := range l.sessions {
			records, err := s.transfer(ctx, l.domain.Name, l.surveyor.Key)
			if err != nil && l.surveyor.Key != nil && ctx.Err() == nil {
				// The key may be another server's: this one may hand its zone out without.
				if open, openErr := s.transfer(ctx, l.domain.Name, nil); openErr == nil {
					records, err = open, nil
				}
			}
			if err == nil {
				l.domain.Source = survey.Transfer
				l.keep(records)
				return
			}
			var cut *refusal
			if errors.As(err, &cut) && cut.kind == chain.Unseen {
				l.unseen("the transfer of the zone from %s was cut off: %s", s.who(), cut.detail)
			} else if ctx.Err() == nil {
				l.unseen("%s gives no transfer of the zone: %s", s.who(), transferReason(err))
			}
		}
	}
	l.domain.Source, l.domain.Partial = survey.Asked, true
	if len(l.sessions) == 0 && l.resolverAnswers(ctx) {
		l.domain.Source, l.domain.Remaining, l.byResolver = survey.Resolver, true, true
		why := "does this network bar port 53?"
		switch {
		case l.only6:
			why = "they have only IPv6 addresses, and this vantage has no IPv6"
		case l.domain.Parent.Server != "":
			why = "the parent zone could"
		}
		l.unseen(
			"no name server of %s could be reached from here (%s); its records were asked of a resolver, so that their TTLs "+
				"are what was left of them",
			l.domain.Name,
			why,
		)
	}
	if len(l.sessions) == 0 && !l.byResolver {
		return
	}
	records, whole := l.walk(ctx)
	if whole {
		l.domain.Source, l.domain.Partial = survey.Walked, false
		l.keep(records)
	} else {
		l.askNames(ctx, records)
	}
	l.saidMissed(l.domain.Missed, "")
	l.saidMissed(l.domain.Failed, "; another of the servers did answer")
}

// resolverAnswers tells whether a resolver knows the zone, for where none of its own servers could be reached.
func (l *looker) resolverAnswers(ctx context.Context) bool {
	answer, refused := l.web.resolver.exchange(ctx, dns.Fqdn(l.domain.Name), dns.TypeSOA)
	if refused != nil {
		return false
	}
	soa := soaOf(answer.Answer)
	return soa != nil && plain(soa.Hdr.Name) == l.domain.Name
}

func transferReason(err error) string {
	var r *refusal
	switch {
	case errors.As(err, &r):
		return r.detail
	case isTimeout(err):
		return "it does not go on"
	case strings.Contains(err.Error(), "bad xfr rcode"):
		return "it refuses"
	}
	return problemText(err)
}

// keep puts records of the zone into sets.
func (l *looker) keep(records []dns.RR) {
	sets, wildcards := Sets(l.domain.Name, records)
	l.domain.Records, l.domain.Wildcards = sets, wildcards
}

// mostAsked is how many of a zone's servers are asked a question, one after the other, until one answers.
const mostAsked = 3

// askAny asks the zone's servers one after the other until one says whether there is something; a resolver, where none
// can be reached. Where none does, the question is noted as missed, and nil comes back.
func (l *looker) askAny(ctx context.Context, name string, kind uint16) *dns.Msg {
	missed := survey.Missed{Name: name, Type: dns.TypeToString[kind]}
	var failed []survey.Missed
	for _, s := range l.sessions[:min(len(l.sessions), mostAsked)] {
		answer, err := s.ask(ctx, name, kind)
		switch {
		case ctx.Err() != nil:
			return nil
		case err != nil:
			missed.By, missed.Why = s.who(), plainError(err)
		case answer.Rcode == dns.RcodeSuccess || answer.Rcode == dns.RcodeNameError:
			l.domain.Failed = append(l.domain.Failed, failed...)
			return answer
		default:
			missed.By, missed.Why = s.who(), "it says "+dns.RcodeToString[answer.Rcode]
		}
		failed = append(failed, missed)
	}
	if l.byResolver {
		answer, refused := l.web.resolver.exchange(ctx, dns.Fqdn(name), kind)
		switch {
		case ctx.Err() != nil:
			return nil
		case refused == nil:
			return answer
		}
		missed.By, missed.Why = "the resolver", refused.detail
	}
	l.domain.Missed = append(l.domain.Missed, missed)
	return nil
}

// mostReferred is how many names of a zone are asked about in all, those included that its records refer to.
const mostReferred = 500

// referredTo gives the names within a zone to which records refer.
func referredTo(zone string, records []dns.RR) []string {
	var all []string
	for _, rr := range records {
		for _, name := range survey.Refers(dns.TypeToString[rr.Header().Rrtype], rdata(rr)) {
			if strings.HasSuffix(name, "."+zone) && !strings.Contains(name, "%") {
				all = append(all, name)
			}
		}
	}
	return all
}

// saidMissed says in a line for each server and reason what was not answered, and what else there is to say of that.
func (l *looker) saidMissed(all []survey.Missed, more string) {
	byWhy := map[string][]string{}
	var order []string
	for _, m := range all {
		why := m.By + ": " + m.Why
		if byWhy[why] == nil {
			order = append(order, why)
		}
		if !slices.Contains(byWhy[why], m.Type) {
			byWhy[why] = append(byWhy[why], m.Type)
		}
	}
	for _, why := range order {
		n := 0
		for _, m := range all {
			if m.By+": "+m.Why == why {
				n++
			}
		}
		questions := "questions"
		if n == 1 {
			questions = "question"
		}
		l.unseen("no answer to %d %s about %s: %s%s", n, questions, strings.Join(byWhy[why], ", "), why, more)
	}
}

// delegated gives the records of a delegation below the zone that stand in an answer to a question about a name there.
func (l *looker) delegated(answer *dns.Msg, name string) []dns.RR {
	if answer.Authoritative || len(answer.Answer) > 0 {
		return nil
	}
	var all []dns.RR
	serve := map[string]bool{}
	for _, rr := range answer.Ns {
		cut := plain(rr.Header().Name)
		within := strings.HasSuffix(cut, "."+l.domain.Name) && (name == cut || strings.HasSuffix(name, "."+cut))
		switch rr := rr.(type) {
		case *dns.NS:
			if within {
				all, serve[plain(rr.Ns)] = append(all, rr), true
			}
		case *dns.DS:
			if within {
				all = append(all, rr)
			}
		}
	}
	for _, rr := range answer.Extra {
		kind := rr.Header().Rrtype
		if serve[plain(rr.Header().Name)] && (kind == dns.TypeA || kind == dns.TypeAAAA) {
			all = append(all, rr)
		}
	}
	return all
}

// askNames asks the name servers for the names that matter and those that are commonly there, beside records that are
// known already. A made-up name finds out a wildcard, whose answers are then not taken for names of their own.
func (l *looker) askNames(ctx context.Context, known []dns.RR) {
	asked := map[string]bool{}
	ask := func(name string, kinds ...uint16) []dns.RR {
		var all []dns.RR
		asked[name] = true
		for i, kind := range kinds {
			if ctx.Err() != nil {
				return all
			}
			answer := l.askAny(ctx, name, kind)
			switch {
			case answer == nil:
				continue
			case answer.Rcode == dns.RcodeNameError && i == 0:
				return all // no such name: no other type either
			}
			if below := l.delegated(answer, name); below != nil {
				return append(all, below...) // another zone's; what it holds is not this one's
			}
			for _, rr := range answer.Answer {
				if plain(rr.Header().Name) == name && rr.Header().Rrtype != dns.TypeRRSIG {
					all = append(all, rr)
				}
			}
		}
		return all
	}
	zone := l.domain.Name
	wild := ask(madeUpLabel+"."+zone, dns.TypeA, dns.TypeAAAA, dns.TypeTXT, dns.TypeMX)
	records := known
	for _, rr := range wild {
		c := dns.Copy(rr)
		c.Header().Name = "*." + zone + "."
		records = append(records, c)
	}
	byWildcard := func(rr dns.RR) bool {
		return slices.ContainsFunc(wild, func(w dns.RR) bool {
			return w.Header().Rrtype == rr.Header().Rrtype && rdata(w) == rdata(rr)
		})
	}
	take := func(name string, rrs []dns.RR) {
		for _, rr := range rrs {
			if name == zone || !byWildcard(rr) {
				records = append(records, rr)
			}
		}
	}
	take(zone, ask(zone, append([]uint16{dns.TypeSOA}, commonTypes...)...))
	for _, h := range l.subject.Hosts {
		if h.String() != zone {
			take(h.String(), ask(h.String(), commonTypes...))
		}
	}
	for _, label := range commonHosts {
		name := label + "." + zone
		take(name, ask(name, dns.TypeA, dns.TypeAAAA, dns.TypeMX, dns.TypeTXT))
	}
	for _, label := range []string{zone, "www." + zone, "mail." + zone, "_dmarc." + zone} {
		name := label + "." + zone
		take(name, ask(name, dns.TypeA, dns.TypeAAAA, dns.TypeTXT))
	}
	for _, label := range policyNames {
		take(label+"."+zone, ask(label+"."+zone, dns.TypeTXT))
	}
	for _, label := range slices.Compact(slices.Sorted(slices.Values(slices.Concat(selectors, l.subject.Selectors)))) {
		name := label + "._domainkey." + zone
		take(name, ask(name, dns.TypeTXT))
	}
	for _, label := range services {
		take(label+"."+zone, ask(label+"."+zone, dns.TypeSRV))
	}
	for _, w := range l.subject.Wanted {
		take(w.Name, ask(w.Name, dns.StringToType[w.Type]))
	}
	read := 0
	follow := func() { // what is referred to may refer on
		for read < len(records) {
			names := referredTo(zone, records[read:])
			read = len(records)
			for _, name := range names {
				if !asked[name] && len(asked) < mostReferred {
					take(name, ask(name, dns.TypeA, dns.TypeAAAA, dns.TypeCNAME, dns.TypeTXT))
				}
			}
		}
	}
	follow()
	take(zone, ask(zone, append([]uint16{dns.TypeDNSKEY}, rareTypes...)...))
	for _, h := range l.subject.Hosts {
		if h.String() != zone {
			take(h.String(), ask(h.String(), rareTypes...))
		}
	}
	follow()
	l.keep(records)
}
