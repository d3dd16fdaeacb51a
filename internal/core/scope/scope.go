// Package scope says what a kept result was made of: of which estate it is, what of it was meant,
// how it was looked at, and whether that came to its end. Whoever reads results goes by it, so that
// a part is never told as the whole.
//
//	s := scope.Scope{Estate: "upperpath.yaml", Domains: names, Meant: 40, Done: 14}
//	s.Ended() // false: it was cut off
package scope

import (
	"slices"
	"strings"
	"time"
)

// Scope is what a result was made of. The zero value says nothing: so have it results of earlier
// versions.
type Scope struct {
	Estate  string   `json:"estate,omitempty"`  // the name of the estate's file
	Only    string   `json:"only,omitempty"`    // the part that was asked for, as it was typed
	Domains []string `json:"domains,omitempty"` // at which it was to look
	Left    []string `json:"left,omitempty"`    // domains of the estate that it left out
	// addresses that were taken in place of those of DNS
	Points []string  `json:"points,omitempty"`
	AsOf   time.Time `json:"as_of,omitzero"` // certificates were judged at this time
	// no example of a rule was asked for
	DoorsOnly bool `json:"doors_only,omitempty"`
	Meant     int  `json:"meant"` // URLs, or domains, at which it was to look
	Done      int  `json:"done"`  // of those, at which it looked
}

// Known reports whether anything is known of what a result was made of.
func (s *Scope) Known() bool { return s != nil && (s.Estate != "" || s.Meant > 0) }

// Ended reports whether it came to its end. Where nothing is known, nobody said that it was cut
// off.
func (s *Scope) Ended() bool { return s == nil || s.Done >= s.Meant }

// Part reports whether domains of the estate were left out.
func (s *Scope) Part() bool { return s != nil && (s.Only != "" || len(s.Left) > 0) }

// Real reports whether it is what everybody meets today: no address was given by hand, and no other
// time. At which address a name server is asked (port 53) is said by hand as a resolver is: what it
// tells of its zone is the zone.
func (s *Scope) Real() bool {
	return s == nil || s.AsOf.IsZero() && !slices.ContainsFunc(s.Points, func(point string) bool {
		at, _, _ := strings.Cut(point, "=")
		return !strings.HasSuffix(at, ":53")
	})
}

// Whole reports whether everything that an audit or a survey of the estate looks at was looked at,
// as everybody meets it.
func (s *Scope) Whole() bool {
	return s.Ended() && !s.Part() && s.Real() && (s == nil || !s.DoorsOnly)
}

// Plain reports whether there is nothing to say of it: it is whole, and nobody gave an address by
// hand, be it of a name server alone.
func (s *Scope) Plain() bool { return s.Whole() && (s == nil || len(s.Points) == 0) }

// Covers reports whether a domain was to be looked at.
func (s *Scope) Covers(domain string) bool {
	return !s.Known() || len(s.Domains) == 0 && !s.Part() || slices.Contains(s.Domains, domain)
}
