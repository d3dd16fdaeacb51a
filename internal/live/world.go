package live

import (
	"context"
	"errors"
	"fmt"
	"net/netip"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// World answers what a runbook asks (runbook.World), from a vantage.
type World struct {
	Surveyor *Surveyor
	Judge    chain.Judge // reads the chains
	Goals    func(web.URL) chain.Goal
}

var errNoAddress = errors.New("its name leads to no address")

// Set asks a name server, at the first of its addresses that answers, for a record set; nil where there is none.
func (w *World) Set(ctx context.Context, server, name, kind string) (*record.Set, error) {
	h, err := web.ParseObservedHost(server)
	if err != nil {
		return nil, fmt.Errorf("%s is not the name of a server", server)
	}
	failed := errNoAddress
	for _, a := range w.Surveyor.Web.nameServer(ctx, server, nil).addresses {
		s := w.Surveyor.Web.newSession(h, a)
		answer, err := s.ask(ctx, name, dns.StringToType[kind])
		s.close()
		switch {
		case err != nil:
			failed = errors.New(plainError(err))
			continue
		case answer.Rcode != dns.RcodeSuccess && answer.Rcode != dns.RcodeNameError:
			failed = fmt.Errorf("it says %s", dns.RcodeToString[answer.Rcode])
			continue
		case !answer.Authoritative:
			failed = errors.New("it answers without authority")
			continue
		}
		sets, _ := Sets(plain(name), answer.Answer)
		if set, ok := record.Find(sets, plain(name), kind); ok {
			return &set, nil
		}
		return nil, nil
	}
	return nil, failed
}

var errNoParent = errors.New("no server of it answered")

// Delegation gives the name servers that the parent zone names for a domain.
func (w *World) Delegation(ctx context.Context, domain string) ([]string, error) {
	l := &looker{surveyor: w.Surveyor, web: w.Surveyor.Web, domain: survey.Domain{Name: domain}}
	servers, _ := l.askParent(ctx)
	if l.domain.Parent.Server == "" {
		return nil, errNoParent
	}
	return servers, nil
}

// Signed reports whether the parent zone has a DS record of a domain.
func (w *World) Signed(ctx context.Context, domain string) (bool, error) {
	l := &looker{surveyor: w.Surveyor, web: w.Surveyor.Web, domain: survey.Domain{Name: domain}}
	if l.askParent(ctx); !l.dsAnswered {
		return false, errNoParent
	}
	return len(l.domain.Parent.DS) > 0, nil
}

// Follow follows a URL, its own host taken to be at an address where there is one, and judges the chain.
func (w *World) Follow(ctx context.Context, entry chain.Entry, at netip.Addr, target web.URL) chain.Chain {
	u := entry.Ask.URL
	var asker chain.Asker = w.Surveyor.Web
	if at.IsValid() {
		asker = pinned{w.Surveyor.Web, u.Host(), at}
	}
	c := chain.Follow(ctx, asker, entry.Ask, entry.Probe)
	goal := chain.Goal{}
	if w.Goals != nil {
		goal = w.Goals(u)
	}
	if !target.IsZero() {
		goal.Target = target
	}
	w.Judge.Chain(&c, goal)
	return c
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
