// Package expect holds what has to be seen once something is done: what is asked, where, until when
// the old may still be seen, and how an answer is judged. A plan makes expectations; a runbook asks
// each once, a wait asks again until all of them hold, and reports give the command with which
// somebody sees the same. Who asks is an Asker.
//
//	e := expect.Expectation{Kind: expect.Records, Name: "old.example", Type: "A",
//		Server: "ns1.host.example", Values: []string{"203.0.113.20"}}
//	seen := e.Judge(asker.Ask(ctx, e, e.Where()))
//	seen.State // There, or what is there instead
package expect

import (
	"context"
	"net/netip"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Kind says what is looked at.
type Kind string

// What an asker can look at.
const (
	Records    Kind = "records"      // Name and Type are Values; none: nothing is there
	TTLAtMost  Kind = "ttl-at-most"  // the TTL of Name and Type
	TTLAtLeast Kind = "ttl-at-least" // the same
	Zone       Kind = "zone"         // Server answers for the zone Name
	Delegation Kind = "delegation"   // the parent zone names Values as the servers of Name
	NoDS       Kind = "no-ds"        // the parent zone has no DS record of Name
	// URL shows a certificate for its host, at Address where there is one
	Certificate Kind = "certificate"
	Door        Kind = "door"     // URL leads to Values[0], its host at Address where there is one
	Redirect    Kind = "redirect" // the same, whatever certificate it shows
)

// What a command of the program looks at, of which these are parts.
const (
	Doors         Kind = "doors"          // of the host Name, as if it were at Points already
	Audit         Kind = "audit"          // every door, of the domain Name or of all; or at Points
	Survey        Kind = "survey"         // the domain Name
	SurveyRecords Kind = "survey-records" // its records only
	NoDifference  Kind = "no-difference"  // the plan finds nothing to change
)

// Expectation is something that has to be seen. The zero value expects nothing.
type Expectation struct {
	Kind   Kind     `json:"kind"`
	Name   string   `json:"name,omitempty"` // in full, without its last dot
	Type   string   `json:"type,omitempty"`
	Server string   `json:"server,omitempty"` // a name server; "": whoever is asked
	Values []string `json:"values,omitempty"` // in zone-file form
	// the addresses of Values[0], which a provider decides on
	Alias   bool     `json:"alias,omitempty"`
	Not     []string `json:"not,omitempty"` // what was there, and has to be gone
	TTL     int      `json:"ttl,omitempty"` // in seconds
	URL     string   `json:"url,omitempty"`
	Address string   `json:"address,omitempty"`
	// what the URL is, as an audit has it; absent: the root of its door
	Probe string `json:"probe,omitempty"`
	// warnings speak against it too, as they do on a page for the client
	Strict bool `json:"strict,omitempty"`

	Domain string `json:"-"` // whose zone it is about; "" for another name of the site
	// the type of Values where an alias may answer for every type; "": an alias is no answer
	Holds string `json:"-"`
	// for how long resolvers may keep what was there, in seconds; 0: not known
	Lasts  int     `json:"-"`
	Points []Point `json:"-"` // where hosts are taken to be by a command
}

// Point leads a host to an address before DNS does.
type Point struct{ Host, Address string }

// AtDoor reports whether a door is looked at, and no record.
func (e *Expectation) AtDoor() bool {
	return e.Kind == Door || e.Kind == Redirect || e.Kind == Certificate
}

// AtParent reports whether it is about what the zone above says.
func (e *Expectation) AtParent() bool { return e.Kind == Delegation || e.Kind == NoDS }

// Host gives the name or host that it is about.
func (e *Expectation) Host() string {
	if !e.AtDoor() {
		return e.Name
	}
	u, err := web.ParseURL(e.URL)
	if err != nil {
		return ""
	}
	return u.Host().String()
}

// Where gives the place where it is looked, once: the name server that it names, the zone above, or
// wherever one stands.
func (e *Expectation) Where() *Place {
	switch {
	case e.AtDoor():
		return &Place{Kind: Vantage}
	case e.AtParent():
		return &Place{Kind: Parent}
	}
	return &Place{Kind: NameServer, Name: e.Server, Host: e.Server}
}

// PlaceKind says where it is looked.
type PlaceKind uint8

// The kinds of places.
const (
	NameServer PlaceKind = iota
	Parent               // the name servers of the zone above
	Resolver
	Vantage
)

// Place is somebody who is asked.
type Place struct {
	Kind  PlaceKind
	Name  string         // as people read it, such as "ns1.host.example (192.0.2.1)"
	Host  string         // the name of a name server
	At    netip.AddrPort // where it is asked; the zero value: at any of its addresses
	Zones []string       // the domains that a name server, or the zone above, answers for
}

// Answer is what a place says. Whatever went wrong is a part of it.
type Answer struct {
	Values []string // of the type that was asked for, in zone-file form
	Alias  string   // what stands there for every type, where that is an alias; with its last dot
	TTL    int      // for how long whoever says so will go on saying so, in seconds; of nothing too
	Unseen string   // why nobody answered
	// of Unseen: with which code a name server answered that serves the zone to nobody, such as
	// SERVFAIL or REFUSED (RFC 1035 section 4.1.1)
	Fault string
	// of Unseen: the zone that says that the domain does not exist (RFC 2308 section 3)
	Above     string
	Barred    string // why a resolver takes no answer: signatures that do not hold
	Findings  []finding.Finding
	Met       string // of a door: what a visitor meets, in a few words
	EndUnseen string // of a door that answered: why it was not seen where it leads
}

// Asker asks for real.
type Asker interface {
	// Ask looks at a place for what is expected. It never fails: the answer says why nothing was seen.
	Ask(ctx context.Context, e Expectation, at *Place) Answer
}
