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
		l.domain.Partial, l.domain.Missed, l.domain.Remaining = l.subject.Partial, l.subject.Missed,
			l.subject.Remaining
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
		why := "does this network block port 53?"
		switch {
		case l.only6:
			why = "they have only IPv6 addresses, and this vantage has no IPv6"
		case l.domain.Parent.Server != "":
			why = "the parent zone could"
		}
		l.unseen(
			"no name server of %s could be reached from here (%s). A resolver was asked for its records, "+
				"so their TTLs are only what was left of them",
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

// resolverAnswers reports whether a resolver knows the zone, for where none of its own servers
// could be reached.
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

// mostAsked is how many of a zone's servers are asked a question, one after the other, until one
// answers.
const mostAsked = 3

// askAny asks the zone's servers one after the other until one says whether there is something; a
// resolver, where none can be reached. Where none does, the question is noted as missed, and nil
// comes back.
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

// mostReferred is how many names of a zone are asked about in all, those included that its records
// refer to.
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

// saidMissed says in a line for each server and reason what was not answered, and what else there
// is to say of that.
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
		l.unseen("no answer to %d %s about %s: %s%s", n, questions, strings.Join(byWhy[why], ", "), why,
			more)
	}
}

// delegated gives the records of a delegation below the zone that stand in an answer to a question
// about a name there.
func (l *looker) delegated(answer *dns.Msg, name string) []dns.RR {
	if answer.Authoritative || len(answer.Answer) > 0 {
		return nil
	}
	var all []dns.RR
	serve := map[string]bool{}
	for _, rr := range answer.Ns {
		cut := plain(rr.Header().Name)
		within := strings.HasSuffix(cut, "."+l.domain.Name) &&
			(name == cut || strings.HasSuffix(name, "."+cut))
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

// askNames asks the name servers for the names that matter and those that are commonly there,
// beside records that are known already. A made-up name finds out a wildcard, whose answers are
// then not taken for names of their own.
func (l *looker) askNames(ctx context.Context, known []dns.RR) {
	zone := l.domain.Name
	a := &asker{looker: l, records: known, asked: map[string]bool{}}
	a.wild = a.ask(ctx, madeUpLabel+"."+zone, dns.TypeA, dns.TypeAAAA, dns.TypeTXT, dns.TypeMX)
	for _, rr := range a.wild {
		c := dns.Copy(rr)
		c.Header().Name = "*." + zone + "."
		a.records = append(a.records, c)
	}
	a.take(ctx, zone, append([]uint16{dns.TypeSOA}, commonTypes...)...)
	a.hosts(ctx, commonTypes)
	for _, label := range commonHosts {
		a.take(ctx, label+"."+zone, dns.TypeA, dns.TypeAAAA, dns.TypeMX, dns.TypeTXT)
	}
	for _, label := range []string{zone, "www." + zone, "mail." + zone, "_dmarc." + zone} {
		a.take(ctx, label+"."+zone, dns.TypeA, dns.TypeAAAA, dns.TypeTXT)
	}
	for _, label := range policyNames {
		a.take(ctx, label+"."+zone, dns.TypeTXT)
	}
	for _, label := range slices.Compact(
		slices.Sorted(slices.Values(slices.Concat(selectors, l.subject.Selectors)))) {
		a.take(ctx, label+"._domainkey."+zone, dns.TypeTXT)
	}
	for _, label := range services {
		a.take(ctx, label+"."+zone, dns.TypeSRV)
	}
	for _, w := range l.subject.Wanted {
		a.take(ctx, w.Name, dns.StringToType[w.Type])
	}
	a.follow(ctx)
	a.take(ctx, zone, append([]uint16{dns.TypeDNSKEY}, rareTypes...)...)
	a.hosts(ctx, rareTypes)
	a.follow(ctx)
	l.keep(a.records)
}

// asker asks for names one by one.
type asker struct {
	*looker
	records []dns.RR
	asked   map[string]bool
	wild    []dns.RR // what a name says that nobody made
	read    int      // of records: whose references were followed
}

// ask gives the records of a name: of its first type, and where the name is there, of the others.
func (a *asker) ask(ctx context.Context, name string, kinds ...uint16) []dns.RR {
	var all []dns.RR
	a.asked[name] = true
	for i, kind := range kinds {
		if ctx.Err() != nil {
			return all
		}
		answer := a.askAny(ctx, name, kind)
		switch {
		case answer == nil:
			continue
		case answer.Rcode == dns.RcodeNameError && i == 0:
			return all // no such name: no other type either
		}
		if below := a.delegated(answer, name); below != nil {
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

// take asks for a name and keeps what no wildcard says.
func (a *asker) take(ctx context.Context, name string, kinds ...uint16) {
	for _, rr := range a.ask(ctx, name, kinds...) {
		byWildcard := slices.ContainsFunc(a.wild, func(w dns.RR) bool {
			return w.Header().Rrtype == rr.Header().Rrtype && rdata(w) == rdata(rr)
		})
		if name == a.domain.Name || !byWildcard {
			a.records = append(a.records, rr)
		}
	}
}

// hosts asks for the hosts beside the apex.
func (a *asker) hosts(ctx context.Context, kinds []uint16) {
	for _, h := range a.subject.Hosts {
		if h.String() != a.domain.Name {
			a.take(ctx, h.String(), kinds...)
		}
	}
}

// follow asks for what is referred to, which may refer on.
func (a *asker) follow(ctx context.Context) {
	for a.read < len(a.records) {
		names := referredTo(a.domain.Name, a.records[a.read:])
		a.read = len(a.records)
		for _, name := range names {
			if !a.asked[name] && len(a.asked) < mostReferred {
				a.take(ctx, name, dns.TypeA, dns.TypeAAAA, dns.TypeCNAME, dns.TypeTXT)
			}
		}
	}
}
