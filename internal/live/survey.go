package live

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Subject is a domain to survey.
type Subject struct {
	Name      web.Host
	Hosts     []web.Host // apex, www and further hosts
	Selectors []string   // of DKIM keys, beside those that are widely used
	Zone      []dns.RR   // the zone, where a file has it
	Partial   bool       // that file is a partial picture
	Remaining bool       // the TTLs in that file are what was left of them
	Missed    []survey.Missed
	Renews    time.Time    // what the client knows of the registration's end; zero: nothing
	Coming    []web.Host   // the name servers to which the zone is to move
	Wanted    []record.Key // what somebody asks for: looked for too
}

// Surveyor looks at domains.
type Surveyor struct {
	Web        *Client
	Key        *TransferKey
	NoTransfer bool
	NamesAlone bool // leave doors and registration out
	Registry   Registry
	Clues      chain.Clues // for finding the causes of what doors do
	// how many URLs are followed at once, and four times as many domains looked at; 0: one after the
	// other
	Parallel    int
	turnsOnce   sync.Once
	turns       chan struct{}
	parentsLock sync.Mutex
	parents     map[string]*parentZone
	policies    sync.Map // SPF records that were asked for, by name
}

// mostParents is how many addresses of the parent zone are tried: where none of these answers, the
// way is barred.
const mostParents = 3

// All looks at many domains at once and returns those that were seen whole before the context
// ended, in their order. It calls step after each.
func (s *Surveyor) All(ctx context.Context, subjects []Subject, step func()) []survey.Domain {
	seen := make([]*survey.Domain, len(subjects))
	ctx, cancel := context.WithTimeout(
		withBudget(ctx, newBudget("this survey", mostAllQuestions, mostAllOctets, nil)),
		mostAllTime,
	)
	defer cancel()
	// most of the time a look at a domain waits for somebody
	turns := make(chan struct{}, 4*max(1, s.Parallel))
	var all crew.Crew
	for i, subject := range subjects {
		turns <- struct{}{}
		all.Go(func() {
			defer func() { <-turns }()
			if ctx.Err() != nil {
				return
			}
			d := s.Domain(ctx, subject)
			if ctx.Err() == nil {
				seen[i] = &d
			}
			step()
		})
	}
	all.Wait()
	domains := []survey.Domain{}
	for _, d := range seen {
		if d != nil {
			domains = append(domains, *d)
		}
	}
	return domains
}

// turn waits until one more URL may be followed, and returns what gives the turn back.
func (s *Surveyor) turn() func() {
	s.turnsOnce.Do(func() { s.turns = make(chan struct{}, max(1, s.Parallel)) })
	s.turns <- struct{}{}
	return func() { <-s.turns }
}

// Domain looks at one domain. What could not be seen is said in the result; it never fails as a
// whole.
func (s *Surveyor) Domain(ctx context.Context, subject Subject) survey.Domain {
	l := &looker{
		surveyor: s,
		web:      s.Web,
		subject:  subject,
		domain: survey.Domain{Name: subject.Name.String(), Servers: []survey.Server{},
			Records: []record.Set{}},
	}
	whole := ctx
	spend := newBudget("this domain", mostQuestions, mostOctets, budgetOf(ctx))
	ctx, cancel := context.WithTimeout(withBudget(ctx, spend), mostDomainTime)
	defer cancel()
	l.delegation(ctx)
	l.zone(ctx)
	l.signing(ctx)
	l.coming(ctx)
	l.voices(ctx)
	l.aliasEnds(ctx)
	l.targets(ctx)
	l.senders(ctx)
	if !s.NamesAlone {
		l.doors(ctx)
		l.registration(ctx)
	}
	for _, session := range l.sessions {
		session.close()
	}
	if why := spend.over(); why != nil {
		l.unseen("%s", why.detail)
	} else if ctx.Err() != nil && whole.Err() == nil {
		l.unseen("this domain was not finished after %s; the rest was not looked at", mostDomainTime)
	}
	slices.Sort(l.domain.Unseen)
	l.domain.Unseen = slices.Compact(l.domain.Unseen)
	return l.domain
}

// looker is the look at one domain.
type looker struct {
	surveyor *Surveyor
	web      *Client
	subject  Subject
	domain   survey.Domain
	// of the servers that answer, the first being the one that is asked for everything
	sessions []*session
	asked    int // addresses of name servers

	dsAnswered bool // the parent zone said whether it has a DS record
	byResolver bool // none of them could be reached
	only6      bool // some have only IPv6 addresses, and this vantage has no IPv6
	lock       sync.Mutex
}

func (l *looker) unseen(format string, args ...any) {
	l.lock.Lock()
	defer l.lock.Unlock()
	l.domain.Unseen = append(l.domain.Unseen, fmt.Sprintf(format, args...))
}

func plainError(err error) string {
	var r *refusal
	if errors.As(err, &r) {
		return r.detail
	}
	for _, ours := range []error{errOtherQuestion, errMute, errUnreadable, errLeftOut} {
		if errors.Is(err, ours) {
			return ours.Error()
		}
	}
	return "the connection fails"
}

func problemText(err error) string { return strings.TrimPrefix(err.Error(), "dns: ") }
