package estate

import (
	"slices"
	"strings"
)

// CarrierKind says what a carrier is.
type CarrierKind string

// The kinds of carriers.
const (
	Server   CarrierKind = "server"   // a server of our own
	Form     CarrierKind = "form"     // a forwarding form of a registrar or host
	Platform CarrierKind = "platform" // the site's own platform
	Edge     CarrierKind = "edge"     // an edge network
	Service  CarrierKind = "service"  // a hosted redirect service
	Account  CarrierKind = "account"  // a hosting account on which domains are parked
)

// Row is all that is asked of a kind of carrier. Nothing else in the program tells kinds apart: a
// new kind is a row here, and where it wants something typed that no other kind wants, a step with
// its entries in plan.
type Row struct {
	Kind  CarrierKind
	Title string        // what it is, such as "a forwarding form"
	Page  string        // the heading of what is typed there
	Steps []CarrierStep // what is typed there, in its order; some carriers may have one of their own

	// What a carrier of the kind does, where the estate file does not say otherwise.
	TLS        bool
	KeepsPath  bool
	KeepsQuery bool
	HoldsRules bool
	Holds      When // its certificates; "": before the name points there

	Serves bool // it can serve the site itself
	// it forwards each host to one place, and can hold no rules whatever the estate file says
	OneTarget  bool
	OwnSteps   bool // steps: may say in which order it accepts things
	Configured bool // its redirects are written as a configuration file
	// somebody can prove a name to its issuer by a DNS record before the name points there
	ProvesByDNS bool
	Claims      bool // a host has to be claimed there before it points there
	// what it does not know shows somebody else's site, so that a host is added there first
	Shared    bool
	ExactOnly bool // its rules are lines for one URL each
	Stars     bool // its redirects are typed as patterns with stars
	PassesOn  bool // something may be behind it, and it may stand in front of the site
	// it may be the zone's name servers, and then what is typed there is not what the world sees
	TakesZone bool
	// it works only on its provider's own name servers, and writes its address back into the zone
	WithZone bool
}

var rows = []Row{
	{Kind: Server, Title: "your own server", Page: "On the server",
		Steps: []CarrierStep{Issue, Configure},
		TLS:   true, KeepsPath: true, KeepsQuery: true, HoldsRules: true,
		Configured: true, ProvesByDNS: true, Serves: true},
	{Kind: Form, Title: "a forwarding form", Page: "Forwarding", Steps: []CarrierStep{Forward},
		Holds: After, OneTarget: true, WithZone: true},
	{Kind: Platform, Title: "the site's platform", Page: "At the platform",
		Steps: []CarrierStep{Claim, Issue, Point, Redirect},
		TLS:   true, KeepsPath: true, KeepsQuery: true, HoldsRules: true,
		OwnSteps: true, Claims: true, Serves: true},
	{Kind: Edge, Title: "an edge network", Page: "At the edge network",
		Steps: []CarrierStep{TakeZone, Issue, Patterns},
		TLS:   true, KeepsPath: true, KeepsQuery: true, HoldsRules: true,
		Stars: true, PassesOn: true, TakesZone: true},
	{
		Kind:       Service,
		Title:      "a hosted redirect service",
		Page:       "At the redirect service",
		Steps:      []CarrierStep{Source, Point, Issue},
		TLS:        true,
		KeepsPath:  true,
		KeepsQuery: true,
		HoldsRules: true,
		Holds:      After,
		ExactOnly:  true,
	},
	{Kind: Account, Title: "a hosting account", Page: "In the hosting account",
		Steps: []CarrierStep{Claim, Lines, Point, Issue},
		TLS:   true, KeepsPath: true, KeepsQuery: true, Holds: After,
		OneTarget: true, Claims: true, Shared: true, Serves: true},
}

// Kinds returns the table of carrier kinds.
func Kinds() []Row { return slices.Clone(rows) }

// Row returns what is asked of the kind; the zero value for what is no kind.
func (k CarrierKind) Row() Row {
	for _, r := range rows {
		if r.Kind == k {
			return r
		}
	}
	return Row{}
}

// kindNames gives the names of all kinds.
func kindNames() []string {
	var all []string
	for _, r := range rows {
		all = append(all, string(r.Kind))
	}
	return all
}

// anyKind names the kinds in a sentence: "server, form or edge".
func anyKind() string {
	all := kindNames()
	return strings.Join(all[:len(all)-1], ", ") + " or " + all[len(all)-1]
}

// kindsThat names the kinds of which something is so.
func kindsThat(so func(Row) bool) string {
	var all []string
	for _, r := range rows {
		if so(r) {
			all = append(all, string(r.Kind))
		}
	}
	return strings.Join(all, " or ")
}

// CarrierStep is something that is done at a carrier.
type CarrierStep string

// The steps. Those up to Redirect are a platform's, and may be named in the estate file.
const (
	Claim    CarrierStep = "claim"       // tell it of the host
	Point    CarrierStep = "records"     // the records lead to it
	Issue    CarrierStep = "certificate" // it holds the certificate
	Redirect CarrierStep = "redirect"    // it can be told what is primary, and redirects the others
	// a line for a host, and one for each rule, with its complete destination
	Source    CarrierStep = "source"
	Lines     CarrierStep = "lines"         // a redirect for each door of a host, http and https apart
	Forward   CarrierStep = "forward"       // a line of a form leads a host to one place
	TakeZone  CarrierStep = "zone"          // it takes the zone over
	Patterns  CarrierStep = "patterns"      // redirects as patterns with stars
	Configure CarrierStep = "configuration" // redirects in a configuration file
)

// stepsOf gives the order in which a carrier of a kind accepts things where the estate file does
// not say: one that has its certificate only after the name points there cannot have it before.
func stepsOf(r Row, w When) []CarrierStep {
	steps := slices.Clone(r.Steps)
	if i, j := slices.Index(steps, Issue), slices.Index(steps, Point); w != Before && i >= 0 && j > i {
		steps[i], steps[j] = steps[j], steps[i]
	}
	return steps
}

// software is the names of the servers for which configuration is written, the usual one first.
// What is written for each is a row in package servers.
var software = []string{"nginx", "apache", "haproxy", "caddy"}

// Software returns the names of the servers for which configuration is written, the usual one
// first.
func Software() []string { return slices.Clone(software) }
