// Package zone works out what happens to the records of each domain: which sets the plan needs
// there, which changes lead from what was seen to that, and in which order, so that nobody's name
// or mail goes with a door that moves. A zone that was never seen gets the sets that it needs, and
// no changes.
//
//	seen := zone.SurveysOf(known)
//	made := zone.Make(known, seen, domains)
//	made.Zones[0].Changes // in the order in which they are made, then what stays
//
// Each phase reads a Sight of its zone and returns what it found and proposes; a draft joins the
// proposals. Suppose the survey showed "@ A 198.51.100.4", "www CNAME @" and "@ MX 10 mail", and
// the plan leads both hosts to a server at 203.0.113.20. Then leadHosts proposes that the address
// of the apex is replaced; www follows its alias, as it should, and stays. The MX record names
// another host, whose address is none of the plan's business: it stays too. Were it "@ MX 10 www",
// the phases of follow.go would first give mail a name of its own with today's address.
//
// # The phases
//
// requirementsOf says what the plan needs in a zone (doors, wanted records, what says that there is
// no mail). Where the zone was seen, lead leads each host's sets to its carrier and adds what is
// wanted. Then all zones are looked at together (untie, in follow.go): a state of the world as it
// was seen stands beside one with what is planned so far, and what ends elsewhere there, though it
// is no door, is led to where it ended: names first, then mail that is handed to them, then who may
// send. finish adds wildcards, judges mail, and keeps everything else. Zones that are not meant
// take part as guests: they appear where something in them follows a door that moves.
//
// Changes fall into phases: what unties mail and names, what nothing hangs on yet, doors that come
// or turn, what is cleared away. together.go drops nothing silently that a delegation hides or that
// cannot stand together; needed.go leaves alone what somebody else needs; move.go leads a zone to
// other name servers, new.go one that does not exist yet to its first. inOrder numbers the changes:
// what leaves an alias comes before the alias's target moves. afterwards gives the zone as it then
// is, which the check of CAA records, a move's comparison and zone files read.
package zone

import (
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// Move is the way of a zone to other name servers.
type Move struct {
	From []string `json:"from"`
	To   []string `json:"to"`
	// for how long resolvers may go on asking the old servers, in seconds
	OldLives int `json:"old_lives"`
	// nobody has seen the TTL of the delegation, which may be longer
	Unknown      bool     `json:"-"`
	Ready        bool     `json:"ready"`        // every new server was asked and says what it should
	DS           []string `json:"ds,omitempty"` // at the parent today
	Loses        []Loss   `json:"-"`            // what works only on the old provider's servers
	Keys         bool     `json:"-"`            // the zone holds keys of its own
	ParentUnseen bool     `json:"-"`            // nobody showed whether the parent has a DS record
}

// LossKind says what is lost with a provider's name servers.
type LossKind uint8

// What is lost.
const (
	LosesForwarding LossKind = iota // of Host at Carrier
	LosesAlias                      // at the apex of the zone Host
	LosesToday                      // what Carrier forwards for Host today
)

// Loss is something that works only on the old provider's name servers.
type Loss struct {
	Kind    LossKind
	Host    string
	Carrier string
}

// Untouched is a host that somebody else needs, and what leads it there today.
type Untouched struct {
	Host string
	By   string
	To   []string // as forms show it; none: nothing was seen there
}

// New is the way of a domain to a zone of its own: the parent zone knows no such domain, so there
// is nothing to keep.
type New struct {
	To    []string `json:"to"`    // the name servers that it is to have; empty where nobody says
	Ready bool     `json:"ready"` // every one of them was asked, and says all that the zone needs

	Serial uint32 `json:"-"`
}

// Zone is a domain with the records that the plan needs in it, and the changes that lead there from
// what was seen.
type Zone struct {
	Name      string
	RecordsAt string      // where its records are typed
	State     string      // planned or moved
	Untouched []Untouched // hosts that somebody else needs
	Note      string      // that somebody wrote down about the domain
	Present   string      // where its records are typed until it moves
	Next      string      // where they are typed from then on; where it does not move, the same
	Records   []Record
	Seen      *time.Time      // when the zone was seen; nil: never, and there are no changes
	Partial   bool            // it was asked about name by name
	Remaining bool            // its TTLs are what resolvers had left of them
	Missed    []survey.Missed // what nobody answered about
	Changes   []act.Change    // in the order in which to make them, then what stays
	TTLs      []TTL
	AbsentFor int   // for how long resolvers remember that a name is not there, in seconds
	Move      *Move // to other name servers
	New       *New  // there is no such zone yet

	Guest bool // it is not meant: only what follows what is meant is changed there

	Domain *estate.Domain
	AsItIs []record.Set // all records as they were seen
	Whole  []record.Set // all records after the changes, where the zone was seen
	Comes  []act.Change // all records, where it was not
}

// Record is a DNS record set.
type Record struct {
	Name   string   `json:"name"` // in full, without its last dot
	Type   string   `json:"type"` // ALIAS: the provider's alias at the apex
	TTL    int      `json:"ttl"`  // in seconds
	Values []string `json:"values"`
}

// Set gives the record as a set in zone-file form.
func (r Record) Set() record.Set {
	s := record.Set{Name: r.Name, Type: r.Type, TTL: r.TTL}
	for _, v := range r.Values {
		s.Values = append(s.Values, record.Dotted(r.Type, v))
	}
	return s
}

// TTL says how the TTL of a record set is led around its change.
type TTL struct {
	Name string `json:"name"`
	Type string `json:"type"`
	Seen int    `json:"seen"` // in seconds, as all of these
	// what to lower it to before the change; as seen where that is short already
	LowerTo int `json:"lower_to"`
	// how long before the change: the old TTL has to run out; 0: not at all
	LowerBefore int `json:"lower_before"`
	// for how long after the change some resolvers may still give the old answer
	WaitAfter int `json:"wait_after"`
	RaiseTo   int `json:"raise_to"` // what to raise it to a day after the change; 0: it goes
}

// changed reports whether anything is to be typed in the zone.
func (z *Zone) changed() bool {
	return slices.ContainsFunc(z.Changes, func(c act.Change) bool { return c.Step > 0 })
}
