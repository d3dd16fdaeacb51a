// Package survey is the model of what was seen of an estate's domains on one day, and says what is
// odd about it. It looks at nothing itself: live fills the model, Judge reads it.
//
//	findings := survey.Judge{Now: now}.All(&s)
package survey

import (
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/scope"
)

// Schema names the shape of a survey in JSON.
const Schema = "upperpath/survey/1"

// Survey is what was seen on one day from a vantage.
type Survey struct {
	Schema    string            `json:"schema"`
	Vantage   string            `json:"vantage"`
	Canonical string            `json:"canonical,omitempty"`
	Started   time.Time         `json:"started"`
	Scope     *scope.Scope      `json:"scope,omitempty"` // nil: an earlier version
	Domains   []Domain          `json:"domains"`
	Findings  []finding.Finding `json:"findings"`
	Notes     []string          `json:"notes,omitempty"`
}

// Source says where the records of a domain come from.
type Source string

// The sources. Asked is a picture made by asking for names that are commonly there: it may miss
// some. Walked is one in which the zone itself named every name (NSEC, RFC 4034 section 4).
// Resolver is one made as Asked is, by way of resolvers, since no name server could be reached: its
// TTLs are what was left of them.
const (
	Transfer Source = "transfer"
	File     Source = "file"
	Asked    Source = "asked"
	Walked   Source = "walked"
	Resolver Source = "resolver"
)

// Domain is what was seen of one domain.
type Domain struct {
	Name string `json:"name"`
	// when it was looked at; the zero value: when the survey started
	Looked  time.Time `json:"looked,omitzero"`
	Parent  Parent    `json:"parent"`
	Servers []Server  `json:"servers"`
	// the name servers to which the zone is to move
	Coming []Coming `json:"coming,omitempty"`
	Source Source   `json:"source"`
	// records that nobody asked for by name may be missing
	Partial bool `json:"partial"`
	// TTLs are what resolvers had left of them
	Remaining   bool         `json:"remaining_ttls,omitempty"`
	Records     []record.Set `json:"records"`
	Wildcards   []string     `json:"wildcards,omitempty"` // names below which every name answers
	Differences []Difference `json:"differences,omitempty"`
	Aliases     []AliasEnd   `json:"aliases,omitempty"`
	// machines that MX and NS records name
	Targets []Target `json:"targets,omitempty"`
	// SPF of other zones, to which the zone's own lead
	Senders []Senders `json:"sender_policies,omitempty"`
	// what SPF records look up beside other SPF records, outside the zone
	Looks []Look `json:"sender_lookups,omitempty"`
	// nil: nothing was seen of signatures
	Signing      *Signing        `json:"signing,omitempty"`
	Registration *Registration   `json:"registration,omitempty"`
	Robots       []Robots        `json:"robots,omitempty"`
	Chains       []chain.Chain   `json:"chains,omitempty"`
	Facts        []fact.Sentence `json:"facts,omitempty"`  // odd, but no fault
	Unseen       []string        `json:"unseen,omitempty"` // what could not be seen, and why
	Missed       []Missed        `json:"missed,omitempty"` // questions that nobody answered
	// that one server did not answer, though another did
	Failed []Missed `json:"failed,omitempty"`
}

// Missed is a question that was asked and not answered: what stands there is unseen, and never
// absent.
type Missed struct {
	Name string `json:"name"`
	Type string `json:"type"`
	By   string `json:"by"`  // the server that was asked last
	Why  string `json:"why"` // such as "it says SERVFAIL"
}

// Misses reports whether a question about a name and type was not answered, so that nobody knows
// what stands there.
func (d *Domain) Misses(name, kind string) bool { return misses(d.Missed, name, kind) }

func misses(all []Missed, name, kind string) bool {
	return slices.ContainsFunc(all, func(m Missed) bool { return m.Name == name && m.Type == kind })
}

// Parent is what the parent zone says of a domain.
type Parent struct {
	Zone    string   `json:"zone,omitempty"`
	Server  string   `json:"server,omitempty"`  // who was asked
	Servers []string `json:"servers,omitempty"` // the name servers that it names
	TTL     int      `json:"ttl,omitempty"`     // of the delegation, in seconds
	DS      []DS     `json:"ds,omitempty"`
	Glue    []Glue   `json:"glue,omitempty"`
	Unknown bool     `json:"unknown,omitempty"` // it says that there is no such domain
}

// Glue is what the parent zone says about the addresses of a name server whose name lies within the
// zone (RFC 9471).
type Glue struct {
	Name      string   `json:"name"`
	Addresses []string `json:"addresses"`
}

// DS is one delegation signer record (RFC 4034 section 5).
type DS struct {
	Text    string `json:"text"`
	Matched bool   `json:"matched"` // the zone has the key that it stands for
}

// State says how a name server answers for a zone.
type State string

// The states of a name server.
const (
	Answers State = "answers"
	Silent  State = "silent"     // no answer in time
	Lame    State = "lame"       // it answers, but not for this zone
	Other   State = "other-zone" // it answers for a zone above or below
	Nowhere State = "no-address" // its name leads to no address
	Inside  State = "private"    // its address lies in a private network, and was not asked
	Unasked State = "unseen"     // nobody could ask it, for a reason that lies with us
)

// Server is one name server at one of its addresses.
type Server struct {
	Name    string   `json:"name"`
	Address string   `json:"address,omitempty"`
	By      []string `json:"by"` // parent and zone: who names it
	State   State    `json:"state"`
	Says    string   `json:"says,omitempty"`
	Serial  uint32   `json:"serial,omitempty"`
}

// Coming is a name server to which the zone is to move, at one of its addresses, and what it says
// about every name that is known.
type Coming struct {
	Server
	Records []record.Set `json:"records"`
	Keys    bool         `json:"keys,omitempty"` // it holds a key that fits the parent's DS
	Missed  []Missed     `json:"missed,omitempty"`
}

// Misses reports whether the server did not answer about a name and type, so that nobody knows what
// it holds.
func (c *Coming) Misses(name, kind string) bool { return misses(c.Missed, name, kind) }

// Voice is what one name server or resolver says about a name and type.
type Voice struct {
	Who      string   `json:"who"`
	Resolver bool     `json:"resolver,omitempty"`
	Values   []string `json:"values"` // empty: nothing
	// for how long a resolver will go on saying so, in seconds
	TTL int `json:"ttl,omitempty"`
}

// Difference is a name and type about which not all say the same.
type Difference struct {
	Name   string  `json:"name"`
	Type   string  `json:"type"`
	Voices []Voice `json:"voices"`
}

// AliasEnd is where an alias leads.
type AliasEnd struct {
	Name   string `json:"name"`
	Target string `json:"target"`
	Exists bool   `json:"exists"` // the target has an address; for what is no host, it is there at all

	Circle []string `json:"circle,omitempty"` // the aliases that lead round, in order, where they do
}

// Target is a machine that an MX or NS record names.
type Target struct {
	Name      string   `json:"name"` // of the record
	Type      string   `json:"type"`
	Target    string   `json:"target"`
	Addresses []string `json:"addresses,omitempty"`
	Alias     string   `json:"alias,omitempty"`  // what it is an alias for
	Absent    bool     `json:"absent,omitempty"` // it was answered that it has no address
}

// Senders is the SPF record of a name, "" where it was answered that there is none (RFC 7208).
type Senders struct {
	Name  string `json:"name"`
	Text  string `json:"text"`
	Count int    `json:"count,omitempty"` // of the records at the name, where there are several
}

// Look is what a look-up of an SPF record finds: addresses (A, with AAAA) or MX records.
type Look struct {
	Name  string `json:"name"`
	Type  string `json:"type"`
	Count int    `json:"count"`
}

// Signing is what was seen of a zone's signatures (RFC 4034 section 3).
type Signing struct {
	Signatures []Signature `json:"signatures,omitempty"`
	// resolvers that answer only where they are asked not to check them
	Barred []string `json:"barred,omitempty"`
}

// Signature is one signature of a record set.
type Signature struct {
	Name string    `json:"name"`
	Type string    `json:"type"`
	From time.Time `json:"from"`
	Ends time.Time `json:"ends"`
	// why it does not fit, whatever the day; "": it does, or could not be checked
	Fault string `json:"fault,omitempty"`
}

// ForNoHost reports whether a name is one at which no host is: for keys, policies and proofs such
// as _dmarc and selector._domainkey (RFC 8552), whose aliases lead to no address and need none.
func ForNoHost(name string) bool {
	return strings.HasPrefix(name, "_") || strings.Contains(name, "._")
}

// EstateFile is named where somebody wrote something down, and nobody else says it.
const EstateFile = "the estate file"

// Registration is what the registry says (RFC 9083).
type Registration struct {
	From string     `json:"from"`
	Ends *time.Time `json:"ends,omitempty"`
	// who says so, where that is not who says the rest
	EndsFrom    string   `json:"ends_from,omitempty"`
	Status      []string `json:"status,omitempty"`
	NameServers []string `json:"name_servers,omitempty"`
	Registrar   string   `json:"registrar,omitempty"`
	Unread      []string `json:"unread,omitempty"` // parts of the answer that could not be read
}

// Robots is a robots.txt that would hide redirects from search engines (RFC 9309).
type Robots struct {
	Door string `json:"door"`
	Line string `json:"line"` // that bars everything
}

// Seen reports whether anybody showed the domain's records: a file, a name server that answers, or
// a resolver.
func (d *Domain) Seen() bool {
	return d.Source == File || d.Source == Resolver ||
		slices.ContainsFunc(d.Servers, func(s Server) bool { return s.State == Answers })
}

// Nowhere reports whether there is no such zone: the parent zone answered that it knows no such
// domain, nobody shows it, and nobody says that it is only held back.
func (d *Domain) Nowhere() bool {
	return d.Parent.Unknown && !d.Seen() && (d.Registration == nil || !held(d.Registration.Status))
}

// Latest joins surveys, given from the newest to the oldest: the first result holds for every
// domain what was seen of it last, or that it was looked at and nothing was seen; the second what
// was seen before that. Both are nil where there is nothing of the kind. Each domain knows its day.
// Surveys that took addresses by hand, or another time, are left out.
func Latest(surveys []*Survey) (last, before *Survey) {
	surveys = met(surveys)
	var results [2]*Survey
	put := func(n int, s *Survey, d Domain) {
		if d.Looked.IsZero() {
			d.Looked = s.Started
		}
		if results[n] == nil {
			results[n] = &Survey{
				Schema:    Schema,
				Vantage:   s.Vantage,
				Canonical: s.Canonical,
				Started:   s.Started,
				Findings:  []finding.Finding{},
			}
		}
		results[n].Domains = append(results[n].Domains, d)
	}
	count := map[string]int{}
	for _, s := range surveys {
		for _, d := range s.Domains {
			if n := count[d.Name]; n < 2 && d.Seen() {
				count[d.Name]++
				put(n, s, d)
			}
		}
	}
	unseen := map[string]bool{}
	for _, s := range surveys {
		for _, d := range s.Domains {
			if count[d.Name] == 0 && !unseen[d.Name] {
				unseen[d.Name] = true
				put(0, s, d)
			}
		}
	}
	return results[0], results[1]
}

// Dark gives the domains of which nothing could be seen, in their order.
func (s *Survey) Dark() []string {
	var all []string
	for i := range s.Domains {
		if !s.Domains[i].Seen() {
			all = append(all, s.Domains[i].Name)
		}
	}
	return all
}

// SawNothing reports whether nothing at all was seen: no name server, no zone above and no door has
// answered.
func (s *Survey) SawNothing() bool {
	for i := range s.Domains {
		d := &s.Domains[i]
		answered := slices.ContainsFunc(d.Chains, func(c chain.Chain) bool {
			return c.Hops[0].Refusal != chain.Unseen
		})
		if d.Seen() || d.Parent.Server != "" || answered {
			return false
		}
	}
	return true
}

// Of returns what a survey saw of a domain, nil where it did not look there or nobody answered.
func (s *Survey) Of(name string) *Domain {
	if s == nil {
		return nil
	}
	for i := range s.Domains {
		if d := &s.Domains[i]; d.Name == name && d.Seen() {
			return d
		}
	}
	return nil
}

// set returns the record set of a name below the domain; "" is the apex.
func (d *Domain) set(label, kind string) (record.Set, bool) {
	name := d.Name
	if label != "" {
		name = label + "." + d.Name
	}
	return record.Find(d.Records, name, kind)
}

// Addresses returns the addresses of a name within the records, following aliases inside the zone.
func (d *Domain) Addresses(name string) []string {
	for range 8 {
		var all []string
		for _, kind := range []string{"A", "AAAA"} {
			if s, ok := record.Find(d.Records, name, kind); ok {
				all = append(all, s.Values...)
			}
		}
		alias, ok := record.Find(d.Records, name, "CNAME")
		if len(all) > 0 || !ok || len(alias.Values) == 0 {
			return all
		}
		name = plainName(alias.Values[0])
	}
	return nil
}

// plainName gives a name without its last dot, in lower case.
func plainName(s string) string { return strings.ToLower(strings.TrimSuffix(s, ".")) }
