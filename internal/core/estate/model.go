// Package estate is the model of what a client owns: the canonical site, the domains, who carries
// their doors, and what is wanted of each. Read makes it from a tree of nodes and checks it.
//
// It does not read files (files does, and gives the tree with its places) and works nothing out
// (plan does).
//
//	e, faults := estate.Read(root)
//	e.Domains[0].Hosts() // apex, www and the further ones
package estate

import (
	"slices"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/web"
)

// Estate is all the domains that a client owns and the site where they should lead.
type Estate struct {
	Canonical web.Door
	Contact   string
	Site      Site
	Further   []Site     // more canonical sites, to which some domains lead
	Elsewhere []web.Host // hosts of sites that are nobody's business here
	Carriers  []*Carrier
	Domains   []*Domain
	Rules     string // file, relative to the estate file; "" for none
	Policy    Policy
	Vantages  map[string]Vantage
	Places    map[string]Place // by what records-at names
	Resolvers []string         // HOST:PORT, asked where something is waited for
	Selectors []string         // of DKIM keys that the client's mail uses
	Registry  Registry
	AsWritten []string // names that look mistyped, and are not
	Accept    []finding.Acceptance
	Keep      scope.Keep // for how long results stay
	TimeZone  string     // in which dates are written; "": that of the machine
	From      string     // a vantage, or a file of one beside the estate file; "": no default

	byName map[web.Host]*Domain
}

// Sites gives the canonical site, and the further ones.
func (e *Estate) Sites() []*Site {
	first := e.Site
	first.Canonical = e.Canonical
	all := []*Site{&first}
	for i := range e.Further {
		all = append(all, &e.Further[i])
	}
	return all
}

// SiteOf gives the site that serves a host or is reachable there too; nil where none is.
func (e *Estate) SiteOf(h web.Host) *Site {
	if slices.Contains(e.Site.Hosts, h) || slices.Contains(e.Site.Also, h) {
		return e.Sites()[0]
	}
	for i := range e.Further {
		if s := &e.Further[i]; slices.Contains(s.Hosts, h) || slices.Contains(s.Also, h) {
			return s
		}
	}
	return nil
}

// IsCanonical reports whether a door is where everything, or some domains, should arrive.
func (e *Estate) IsCanonical(d web.Door) bool {
	return d == e.Canonical ||
		slices.ContainsFunc(e.Further, func(s Site) bool { return d == s.Canonical })
}

// Serves reports whether a site itself serves a host.
func (e *Estate) Serves(h web.Host) bool {
	return slices.Contains(e.Site.Hosts, h) ||
		slices.ContainsFunc(e.Further, func(s Site) bool { return slices.Contains(s.Hosts, h) })
}

// Holds reports whether a host belongs to the estate: a name of a domain, or one of the site's.
func (e *Estate) Holds(h web.Host) bool {
	if e.SiteOf(h) != nil || h == e.Site.Alias ||
		slices.ContainsFunc(e.Further, func(s Site) bool { return h == s.Alias }) {
		return true
	}
	return e.DomainOf(h) != nil
}

// DomainOf returns the domain that a host is a door of or a name below, nil where none is.
func (e *Estate) DomainOf(h web.Host) *Domain {
	for name := h; !name.IsZero(); name = name.Parent() {
		if d := e.byName[name]; d != nil {
			return d
		}
	}
	return nil
}

// Carrier returns a carrier by its name, nil where there is none.
func (e *Estate) Carrier(name string) *Carrier {
	for _, c := range e.Carriers {
		if c.Name == name {
			return c
		}
	}
	return nil
}

// Mode returns how a host's old site compared paths.
func (e *Estate) Mode(h web.Host) rule.Mode {
	if d := e.DomainOf(h); d != nil {
		return d.Paths
	}
	return rule.Mode{}
}

// Holder returns the carrier that holds the redirects of what a carrier answers: what is behind an
// edge network, or the carrier itself. It is nil for nil.
func (e *Estate) Holder(c *Carrier) *Carrier {
	if c != nil && c.Behind != "" {
		if behind := e.Carrier(c.Behind); behind != nil {
			return behind
		}
	}
	return c
}

// HostNames returns the names of all hosts that have doors, to suggest where one is misspelt.
func (e *Estate) HostNames() []string {
	var names []string
	for _, d := range e.Domains {
		for _, h := range d.Hosts() {
			names = append(names, h.String())
		}
	}
	return names
}
