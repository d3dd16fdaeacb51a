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
	"net/netip"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Estate is all the domains that a client owns and the site where they should lead.
type Estate struct {
	Canonical web.Door
	Contact   string
	Site      Site
	Carriers  []*Carrier
	Domains   []*Domain
	Rules     string // file, relative to the estate file; "" for none
	Policy    Policy
	Vantages  map[string]Vantage
	Resolvers []string // HOST:PORT, asked beside those of a vantage where something is waited for
	Selectors []string // of DKIM keys that the client's mail uses
	Registry  Registry

	byName map[web.Host]*Domain
}

// Site is the canonical site and where it lives.
type Site struct {
	Hosts     []web.Host // what the site itself serves
	Also      []web.Host // other names at which the same site is reachable
	Addresses []netip.Addr
	Alias     web.Host
	Carrier   *Carrier // who serves it; nil: nobody says
	Pages     []string // files with the pages that exist; nil: nobody says
	Rules     string   // file with what the site redirects by itself
	Issuer    string
}

// When says when a carrier can hold the certificate of a name.
type When string

// The moments: before the name points to the carrier, after it, or when somebody puts it there.
const (
	Before When = "before"
	After  When = "after"
	ByHand When = "by-hand"
)

// Carrier is whoever answers a door with a redirect, with its limits.
type Carrier struct {
	Name        string
	By          CarrierKind
	Addresses   []netip.Addr
	Alias       web.Host
	Certificate When
	TLS         bool
	KeepsPath   bool
	KeepsQuery  bool
	ApexOnly    bool
	NameServers []web.Host
	Origin      string // plain: it speaks http to what is behind it
	// an edge: the carrier to which it passes everything on; "" for nobody
	Behind         string
	BehindSite     bool          // an edge: what it lets through goes to the site
	PatternsAtMost int           // -1: no limit
	HostsAtMost    int           // -1: no limit
	RulesAtMost    int           // of all its hosts together; -1: no limit
	HoldsRules     bool          // it can look at paths and lead each elsewhere
	Frames         bool          // it shows the target in a frame instead of redirecting
	Issuer         string        // who issues its certificates (CAA); "" where nobody says
	Steps          []CarrierStep // what is done there, in the order in which it accepts it
	Wanted         []Wanted
	Software       string // of a server whose redirects are written as a configuration file
}

// Fallback says what happens where no rule matches.
type Fallback string

// The fallbacks.
const (
	SamePath Fallback = "same-path" // the same path below leads-to
	Home     Fallback = "home"      // leads-to
	Gone     Fallback = "gone"      // 410
)

// State says how far a domain is.
type State string

// The states. A domain that is to be left is not planned and not audited.
const (
	Planned State = "planned"
	Moved   State = "moved"
	Leave   State = "leave"
)

// Domain is one registrable domain of the estate.
type Domain struct {
	Name     web.Host
	LeadsTo  web.URL
	Fallback Fallback
	// who carries the doors of a host; the site's own hosts have none
	Carry       map[web.Host]*Carrier
	Further     []web.Host // hosts beside apex and www
	Needed      []Needed   // hosts that somebody else needs, which are left alone
	Mail        string     // keep or none
	Wave        int
	State       State
	Renews      time.Time
	Registrar   string
	RecordsAt   string // where the records are typed from the move on
	RecordsFrom string // where they are typed today; "" where nobody says
	Wanted      []Wanted
	Note        string
	Line        int // in the estate file

	Through   map[web.Host]*Carrier // the edge in front of a host that the site serves
	Served    map[web.Host]*Carrier // who serves a host of the site, where somebody says
	Paths     rule.Mode             // how its old site compared paths
	ApexAlias bool                  // the zone's provider offers an alias at the apex
	// to which the zone is to move, or where it stays; none: nobody says
	NameServers []web.Host
}

// MovesTo returns the name servers that the zone should have: the domain's own, or those of an edge
// that carries one of its hosts; none where nobody says.
func (d *Domain) MovesTo() []web.Host {
	if len(d.NameServers) > 0 {
		return d.NameServers
	}
	if c := d.Edge(); c != nil {
		return c.NameServers
	}
	return nil
}

// AnsweredBy reports whether a carrier answers at a host: it carries it, stands in front of the
// site there, or serves the site there.
func (d *Domain) AnsweredBy(h web.Host, c *Carrier) bool {
	return c != nil && (d.Carry[h] == c || d.Through[h] == c || d.Served[h] == c)
}

// Edge returns the edge network that takes the zone over, nil where none does.
func (d *Domain) Edge() *Carrier {
	for _, h := range d.Hosts() {
		for _, c := range []*Carrier{d.Carry[h], d.Through[h]} {
			if c != nil && c.By.Row().TakesZone && len(c.NameServers) > 0 {
				return c
			}
		}
	}
	return nil
}

// Needed is a host that somebody else needs: it is never redirected, and its records stay.
type Needed struct {
	Host web.Host
	By   string // who needs it
	// the alias or address at which it has to be, as somebody wrote it down; "" for as it is
	To string
}

// Hosts returns apex, www and the further hosts, but for those that somebody else needs.
func (d *Domain) Hosts() []web.Host {
	all := append([]web.Host{d.Name, d.Name.WWW()}, d.Further...)
	return slices.DeleteFunc(all, func(h web.Host) bool { return d.NeededBy(h) != "" })
}

// NeededBy says who else needs a host, "" where nobody does.
func (d *Domain) NeededBy(h web.Host) string {
	for _, n := range d.Needed {
		if n.Host == h {
			return n.By
		}
	}
	return ""
}

// Wanted is a record that somebody asks for. It is read as they show it and held in normal form.
type Wanted struct {
	// in full, lower case, without its last dot; of a carrier's: the label below each domain that it
	// carries
	Name  string
	Type  string
	Value string // as it stands in a zone file
	Until Until
	By    string // the carrier that asks for it, "" where the domain's own line does
}

// Until says when a wanted record has done its work. The zero value: never.
type Until struct {
	Certificate bool      // once every carried host has its certificate
	Date        time.Time // from this day on
}

// Policy is what holds for all redirects.
type Policy struct {
	Hops    int
	Status  int
	Upgrade string // direct or same-host-first
	Exempt  []string
}

// How an edge network speaks to what is behind it.
const (
	PlainOrigin = "plain"
	TLSOrigin   = "tls"
)

// The ways from http to https.
const (
	Direct        = "direct"
	SameHostFirst = "same-host-first"
)

// Registry says where registrations are asked for (RDAP): one base address, or a bootstrap file
// (RFC 9224).
type Registry struct {
	Address   string
	Bootstrap string // file, relative to the estate file
}

// Vantage is a place to look from. The zero value is the system's own.
type Vantage struct {
	Resolvers []string // HOST:PORT
	Proxy     string   // socks5://HOST:PORT
	Trust     string   // PEM file, relative to the file that names it
	Timeout   time.Duration
}

// Serves reports whether the site itself serves a host.
func (e *Estate) Serves(h web.Host) bool { return slices.Contains(e.Site.Hosts, h) }

// Holds reports whether a host belongs to the estate: a name of a domain, or one of the site's.
func (e *Estate) Holds(h web.Host) bool {
	if e.Serves(h) || slices.Contains(e.Site.Also, h) || h == e.Site.Alias {
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
