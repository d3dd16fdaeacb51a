package estate

import (
	"maps"
	"slices"

	"upperpath.example/upperpath/internal/core/web"
)

// clone copies an estate so far that its domains and what is said of the site can be changed.
func (e *Estate) clone() *Estate {
	c := *e
	c.Site.Hosts = slices.Clone(e.Site.Hosts)
	c.Domains, c.byName = nil, map[web.Host]*Domain{}
	for _, d := range e.Domains {
		copied := *d
		copied.Carry, copied.Through, copied.Served = maps.Clone(d.Carry), maps.Clone(d.Through),
			maps.Clone(d.Served)
		c.Domains = append(c.Domains, &copied)
		c.byName[d.Name] = &copied
	}
	return &c
}

// WithCarrier returns the estate as it would be if one carrier carried all hosts of the domains
// that are meant.
func (e *Estate) WithCarrier(carrier *Carrier, meant func(*Domain) bool) *Estate {
	c := e.clone()
	for _, d := range c.Domains {
		if !meant(d) {
			continue
		}
		for h := range d.Carry {
			d.Carry[h] = carrier
		}
	}
	return c
}

// WithCanonical returns the estate as it would be if another host were the canonical one: the site
// serves it instead of the one that is canonical now, and who carried it carries that one.
func (e *Estate) WithCanonical(host web.Host) *Estate {
	c := e.clone()
	old, now := e.Canonical, web.Door{Scheme: web.HTTPS, Host: host}
	if old == now {
		return c
	}
	c.Canonical = now
	c.Site.Hosts = slices.DeleteFunc(c.Site.Hosts, func(h web.Host) bool {
		return h == old.Host || h == host
	})
	c.Site.Hosts = append([]web.Host{host}, c.Site.Hosts...)
	if home := c.DomainOf(host); home != nil {
		carrier, through := home.Carry[host], home.Through[old.Host]
		delete(home.Carry, host)
		delete(home.Through, old.Host)
		if served := home.Served[old.Host]; served != nil {
			delete(home.Served, old.Host)
			home.Served[host] = served
		}
		if carrier != nil {
			home.Carry[old.Host] = carrier
		}
		if through != nil {
			home.Through[host] = through
		}
	}
	for _, d := range c.Domains {
		if d.LeadsTo.Door() == old {
			d.LeadsTo = d.LeadsTo.At(now)
		}
	}
	return c
}
