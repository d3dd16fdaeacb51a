package live

import (
	"cmp"
	"context"
	"errors"
	"net/netip"
	"strconv"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Asker asks for what is expected (expect.Asker), from a vantage. It keeps no answer; what
// resolvers told of hosts of doors is kept for the next door, unless it asks afresh.
type Asker struct {
	Surveyor *Surveyor
	Judge    chain.Judge // reads the chains
	Goals    func(web.URL) chain.Goal
	// what somebody lives with (finding.Accept); nil: nothing
	Accepted func([]finding.Finding) []finding.Finding
	Afresh   bool // every door is followed as somebody does who has not been there before

	delegations delegations
}

// Ask asks a name server, the zone above, a resolver, or follows a door.
func (a *Asker) Ask(ctx context.Context, e expect.Expectation, at *expect.Place) expect.Answer {
	switch _, known := question(e); {
	case e.AtDoor():
		return a.door(ctx, e)
	case !known: // another question's answer would say nothing of it
		return expect.Answer{Unseen: "records of the type " + e.Type + " cannot be asked for"}
	case at.Kind == expect.Parent:
		return a.parent(ctx, e)
	case at.Kind == expect.Resolver:
		return a.resolver(ctx, e, at)
	}
	if a.delegations.flagged(e.Domain) {
		a.undelegated(ctx, e.Domain) // it may be by now
	}
	return a.nameServer(ctx, e, at)
}

// question gives the type that is asked for about an expectation, by its name or as TYPE with its
// number (RFC 3597 section 5); false where that is none.
func question(e expect.Expectation) (kind uint16, known bool) {
	switch number, byNumber := strings.CutPrefix(e.Type, "TYPE"); {
	case e.Kind == expect.Zone:
		return dns.TypeSOA, true
	case e.AtParent() && e.Type == "": // the zone above is asked in a way of its own
		return dns.TypeNS, true
	case byNumber:
		n, err := strconv.ParseUint(number, 10, 16)
		return uint16(n), err == nil && n > 0
	}
	kind, known = dns.StringToType[e.Type]
	return kind, known
}

var errNoAddress = errors.New("its name leads to no address")

// nameServer asks a name server at one address, or else at the first of its addresses that answers.
func (a *Asker) nameServer(ctx context.Context, e expect.Expectation,
	at *expect.Place) expect.Answer {
	h, err := web.ParseObservedHost(at.Host)
	if err != nil {
		return expect.Answer{Unseen: at.Host + " is not the name of a server"}
	}
	addresses := []netip.Addr{at.At.Addr()}
	if !at.At.IsValid() {
		addresses = a.Surveyor.Web.nameServer(ctx, at.Host, nil).addresses
	}
	kind, _ := question(e)
	failed, fault := errNoAddress.Error(), ""
	for _, address := range addresses {
		s := a.Surveyor.Web.newSession(h, address)
		answer, err := s.ask(ctx, e.Name, kind)
		s.close()
		switch {
		case err != nil:
			failed, fault = plainError(err), ""
		case answer.Rcode != dns.RcodeSuccess && answer.Rcode != dns.RcodeNameError:
			fault = dns.RcodeToString[answer.Rcode]
			failed = "it says " + fault
		case !answer.Authoritative:
			failed, fault = "it answers without authority", "without authority"
		default:
			return toldBy(answer, plain(e.Name), kind)
		}
	}
	return expect.Answer{Unseen: failed, Fault: fault}
}

// toldBy reads what stands at a name.
func toldBy(answer *dns.Msg, name string, kind uint16) expect.Answer {
	var a expect.Answer
	for _, rr := range answer.Answer {
		h := rr.Header()
		if plain(h.Name) != name {
			continue
		}
		switch {
		case h.Rrtype == kind:
			a.Values = append(a.Values, rdata(rr))
		case h.Rrtype == dns.TypeCNAME:
			a.Alias = rdata(rr)
		default:
			continue
		}
		a.TTL = max(a.TTL, int(h.Ttl))
	}
	if soa := soaOf(answer.Ns); len(a.Values) == 0 && a.Alias == "" && soa != nil {
		a.TTL = int(min(soa.Hdr.Ttl, soa.Minttl)) // RFC 2308 section 5
	}
	return a
}

func (a *Asker) resolver(ctx context.Context, e expect.Expectation,
	at *expect.Place) expect.Answer {
	r, server := a.Surveyor.Web.resolver, at.At.String()
	kind, _ := question(e)
	asked := resolverQuestion(dns.Fqdn(e.Name), kind)
	answer, err := r.askServer(ctx, asked, server)
	switch {
	case err != nil:
		return expect.Answer{Unseen: r.why(server, err)}
	case answer.Rcode == dns.RcodeNameError && e.Domain != "":
		// It may remember what was so before the domain was delegated: the zone above says what is so
		// now.
		if above := a.undelegated(ctx, e.Domain); above != "" {
			return expect.Answer{Unseen: "it is not delegated", Above: above}
		}
		return toldBy(answer, plain(e.Name), kind)
	case answer.Rcode == dns.RcodeSuccess, answer.Rcode == dns.RcodeNameError:
		return toldBy(answer, plain(e.Name), kind)
	}
	if bad := r.unsigned(ctx, asked, server, answer); bad != nil {
		return expect.Answer{Barred: bad.detail}
	}
	return expect.Answer{Unseen: "it says " + dns.RcodeToString[answer.Rcode]}
}

var errNoParent = errors.New("none of its servers answered")

// parent asks the zone above who serves a domain, or whether it has a DS record of it.
func (a *Asker) parent(ctx context.Context, e expect.Expectation) expect.Answer {
	if e.Kind == expect.NoDS {
		l := &looker{surveyor: a.Surveyor, web: a.Surveyor.Web, domain: survey.Domain{Name: e.Name}}
		switch l.askParent(ctx); {
		case !l.dsAnswered:
			return expect.Answer{Unseen: errNoParent.Error()}
		case len(l.domain.Parent.DS) > 0:
			return expect.Answer{Values: []string{"a DS record"}}
		}
		return expect.Answer{}
	}
	servers, err := a.delegation(ctx, e.Name)
	if err != nil {
		return expect.Answer{Unseen: plainError(err)}
	}
	for i, s := range servers {
		servers[i] = dns.Fqdn(s)
	}
	return expect.Answer{Values: servers}
}

// delegation gives the name servers that the parent zone names for a domain.
func (a *Asker) delegation(ctx context.Context, domain string) ([]string, error) {
	l := &looker{surveyor: a.Surveyor, web: a.Surveyor.Web, domain: survey.Domain{Name: domain}}
	servers, _ := l.askParent(ctx)
	if l.domain.Parent.Server == "" {
		return nil, errNoParent
	}
	return servers, nil
}

// door follows a door, its own host taken to be at an address where there is one, and judges the
// chain.
func (a *Asker) door(ctx context.Context, e expect.Expectation) expect.Answer {
	u, err := web.ParseURL(e.URL)
	if err != nil {
		return expect.Answer{Unseen: "it cannot be asked"}
	}
	w := a.Surveyor.Web
	judge := a.Judge
	if a.Afresh {
		w.forget(u.Host())
		judge.Now = w.Now()
	}
	var asker chain.Asker = w
	if at, err := netip.ParseAddr(e.Address); err == nil {
		asker = pinned{w, u.Host(), at}
	}
	c := chain.Follow(ctx, asker, chain.Ask{URL: u}, cmp.Or(chain.Probe(e.Probe), chain.Root))
	goal := chain.Goal{}
	if a.Goals != nil {
		goal = a.Goals(u)
	}
	// none: what the plan says of the URL
	if target, err := web.ParseURL(strings.Join(e.Values, "")); err == nil {
		goal.Target = target
	}
	judge.Chain(&c, goal)
	if a.Accepted != nil {
		c.Findings = a.Accepted(c.Findings)
	}
	first := &c.Hops[0]
	if first.Refusal == chain.Unseen {
		return expect.Answer{Unseen: first.Detail}
	}
	made := expect.Answer{TTL: first.TTL, Findings: c.Findings, Met: string(first.Refusal)}
	if first.Refusal == "" {
		made.Met = strings.TrimSpace(strconv.Itoa(first.Status) + " " + first.Location)
	}
	if last := c.Last(); last.Refusal == chain.Unseen {
		made.EndUnseen = last.Detail
	}
	return made
}

// pinned is a web in which one host is at an address, whatever DNS says.
type pinned struct {
	web  *Client
	host web.Host
	at   netip.Addr
}

// Answer asks for a URL.
func (p pinned) Answer(ctx context.Context, ask chain.Ask) chain.Answer {
	if ask.URL.Host() == p.host {
		ask.Address = p.at
	}
	return p.web.Answer(ctx, ask)
}
