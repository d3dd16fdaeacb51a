package live

import (
	"cmp"
	"context"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/singleflight"
)

// delegations is what the zones above said of domains, and when.
type delegations struct {
	lock  sync.Mutex
	once  singleflight.Group
	known map[string]delegation
}

type delegation struct {
	asked  time.Time
	lacked bool // the zone above answers, and names no name server
}

// askedAgain is how old it may be what a zone above said.
const askedAgain = 20 * time.Second

// undelegated gives the zone above a domain where that answers and does not delegate it, "" where
// it does, or where it does not answer. It is asked again once in a while.
func (a *Asker) undelegated(ctx context.Context, domain string) string {
	d, known := a.delegations.of(domain)
	if now := a.Surveyor.Web.Now(); !known || now.Sub(d.asked) >= askedAgain {
		made, _, _ := a.delegations.once.Do(domain, func() (any, error) {
			servers, err := a.delegation(ctx, domain)
			return a.delegations.note(domain, servers, err, now), nil
		})
		d = made.(delegation)
	}
	if !d.lacked {
		return ""
	}
	return zoneAbove(domain)
}

// Undelegated gives the domains that the zone above was found not to delegate when it was asked
// last, each with that zone.
func (a *Asker) Undelegated() map[string]string {
	a.delegations.lock.Lock()
	defer a.delegations.lock.Unlock()
	all := map[string]string{}
	for domain, d := range a.delegations.known {
		if d.lacked {
			all[domain] = zoneAbove(domain)
		}
	}
	return all
}

func (d *delegations) of(domain string) (delegation, bool) {
	d.lock.Lock()
	defer d.lock.Unlock()
	known, is := d.known[domain]
	return known, is
}

func (d *delegations) flagged(domain string) bool {
	known, _ := d.of(domain)
	return known.lacked
}

// note keeps what the zone above said; what it did not say is no answer.
func (d *delegations) note(domain string, servers []string, err error, now time.Time) delegation {
	d.lock.Lock()
	defer d.lock.Unlock()
	if d.known == nil {
		d.known = map[string]delegation{}
	}
	d.known[domain] = delegation{now, err == nil && len(servers) == 0}
	return d.known[domain]
}

// zoneAbove gives the name of the zone above a domain.
func zoneAbove(domain string) string {
	_, above, _ := strings.Cut(domain, ".")
	return cmp.Or(above, "(root)")
}
