package predict

import (
	"cmp"
	"slices"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
)

// Typed is a state of the world as entries alone have made it, for a predicted web.
type Typed struct {
	State *world.World
	// whether a carrier was told something else about a zone than is meant, so that nobody can say
	// more of its answers than what its entries say of one URL
	Otherwise func(carrier, zone string) bool
}

// From gives the web as it is in a state of the world: a door is answered by whoever its records
// lead to, as that was told. Domains that are not meant, or left, are as the estate file says.
func (w *Prediction) From(t Typed) *Prediction {
	made := *w
	made.typed = &t
	made.met, made.untold = map[web.Door]Treatment{}, map[web.Host]string{}
	doors := w.doors
	all := make([]Treatment, len(doors))
	untold := make([]string, len(doors))
	crew.Each(len(doors), func(i int) { all[i], untold[i] = w.meet(t, doors[i]) })
	for i, d := range doors {
		made.met[d] = all[i]
		if untold[i] != "" {
			made.untold[d.Host] = untold[i]
		}
	}
	return &made
}

// meet describes a door as a visitor meets it in a state of the world, and names the carrier that
// nobody told of it.
func (w *Prediction) meet(t Typed, d web.Door) (met Treatment, untold string) {
	meant := w.modelled(d)
	domain := w.Estate.DomainOf(d.Host)
	if domain == nil {
		return w.At(t, SiteName, d), "" // another name of the site: outside all zones
	}
	lead := t.State.Lead(d.Host.String())
	planned := w.planned(domain, d.Host)
	switch {
	case meant.Does == Refuses && meant.Refusal == chain.NoAddress, lead.Unseen(),
		t.State.Cut(d.Host.String()),
		planned == SiteName && !t.State.Placed(SiteName):
		return meant, "" // nobody is to answer, or nobody knows where the name leads
	case len(lead.Ends) == 0:
		return Treatment{Door: d, Asked: d, Domain: domain, Does: Refuses,
			Refusal: chain.NoAddress, Detail: fact.TypedNowhere{Host: d.Host.String()}}, ""
	}
	for _, end := range t.State.CarriersOf(lead) {
		if len(end) == 0 {
			return Treatment{Door: d, Asked: d, Domain: domain, Does: Refuses,
				Refusal: chain.BadAnswer, Detail: fact.TypedAway{Host: d.Host.String(),
					Ends: t.State.Strange(lead)}}, ""
		}
		if !slices.Contains(end, planned) {
			return w.At(t, end[0], d), untoldAt(t, end[0], d.Host)
		}
	}
	if domain.State == estate.Moved {
		return meant, ""
	}
	return w.At(t, planned, d), w.firstUntold(t, planned, d.Host)
}

// planned gives who is to be met at a host of a domain.
func (w *Prediction) planned(domain *estate.Domain, h web.Host) string {
	if c := cmp.Or(domain.Through[h], w.Carrier(h), domain.Served[h]); c != nil {
		return c.Name
	}
	return SiteName
}

// alsoUntold reports whether the site is to redirect another of its names, and nobody told it so.
func (w *Prediction) alsoUntold(t Typed, h web.Host) bool {
	s := w.Estate.SiteOf(h)
	return s != nil && slices.Contains(s.Also, h) &&
		!t.State.Redirects(SiteName, h.String(), s.Canonical.Host.String())
}

func untoldAt(t Typed, carrier string, h web.Host) string {
	if t.State.Knows(carrier, h) {
		return ""
	}
	return carrier
}

// firstUntold gives the first of those who answer a host, from where a visitor comes in, that was
// not told of it; "" where all were.
func (w *Prediction) firstUntold(t Typed, carrier string, h web.Host) string {
	for range w.Estate.Carriers {
		if c := w.Estate.Carrier(carrier); c == nil || c.ApexOnly && !h.IsApex() {
			return ""
		}
		if untold := untoldAt(t, carrier, h); untold != "" {
			return untold
		}
		behind := t.State.Behind(carrier, h)
		if behind == "" || behind == carrier {
			return ""
		}
		carrier = behind
	}
	return ""
}

// At describes a door as a carrier, or the site, answers it in a state of the world, whoever its
// records lead to.
func (w *Prediction) At(t Typed, carrier string, d web.Door) Treatment {
	domain := w.Estate.DomainOf(d.Host)
	c := w.Estate.Carrier(carrier)
	switch {
	case carrier == SiteName && w.alsoUntold(t, d.Host):
		return Treatment{Door: d, Asked: d, Carrier: SiteName, Domain: domain, Does: Outside}
	case carrier == SiteName || c == nil || domain == nil:
		return w.modelled(d)
	}
	if turned, ok := turnsAway(c, d); ok {
		turned.Domain = domain
		return turned
	}
	host := d.Host.String()
	if !t.State.Knows(carrier, d.Host) && domain.Served[d.Host] != c {
		return Treatment{Door: d, Asked: d, Carrier: carrier, Domain: domain, Does: Refuses,
			Refusal: chain.BadAnswer, Detail: fact.NobodyTells{Carrier: carrier, Host: host}}
	}
	if t.Otherwise(carrier, domain.Name.String()) {
		return w.literally(t, c, d, domain)
	}
	behind := t.State.Behind(carrier, d.Host)
	switch {
	case domain.Through[d.Host] != c && domain.Served[d.Host] == c:
		return w.siteDoor(d, domain)
	case behind == "" || domain.Through[d.Host] != c && c.Behind == "":
		return w.carried(c, d, domain)
	case behind == SiteName:
		return w.siteDoor(Asks(c, d), domain).Behind(c, d)
	}
	if w.Estate.Carrier(behind) == nil {
		return Treatment{Door: d, Asked: d, Carrier: carrier, Domain: domain, Does: Refuses,
			Refusal: chain.BadAnswer, Detail: fact.NobodyBehind{Carrier: carrier}}
	}
	return w.At(t, behind, Asks(c, d)).Behind(c, d)
}

// literally describes a door whose carrier was told something else than is meant: each URL is
// answered as the entries say, one by one.
func (w *Prediction) literally(t Typed, c *estate.Carrier, d web.Door,
	domain *estate.Domain) Treatment {
	return Treatment{Door: d, Asked: d, Carrier: c.Name, Domain: domain, Does: Says,
		Detail: fact.TypedAmiss{Carrier: c.Name, Zone: domain.Name.String()},
		says: func(u web.URL) chain.Answer {
			s, told := t.State.Says(c.Name, u)
			switch {
			case told && s.Behind != "" && w.Estate.Carrier(s.Behind) != nil:
				return w.At(t, s.Behind, Asks(c, d)).Answer(u)
			case told && s.Framed:
				return chain.Answer{URL: u, Status: 200}
			case told && s.Status > 0:
				return chain.Answer{URL: u, Status: s.Status, Location: s.Location}
			}
			return chain.Answer{URL: u, Status: 404}
		}}
}
