// Package survey is the model of what was seen of an estate's domains on one day, and says what is odd about it. It
// looks at nothing itself: live fills the model, Judge reads it.
//
//	findings := survey.Judge{Now: now}.All(&s)
package survey

import (
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

// Schema names the shape of a survey in JSON.
const Schema = "upperpath/survey/1"

// Survey is what was seen on one day from a vantage.
type Survey struct {
	Schema    string            `json:"schema"`
	Vantage   string            `json:"vantage"`
	Canonical string            `json:"canonical,omitempty"`
	Started   time.Time         `json:"started"`
	Domains   []Domain          `json:"domains"`
	Findings  []finding.Finding `json:"findings"`
	Notes     []string          `json:"notes,omitempty"`
}

// Source says where the records of a domain come from.
type Source string

// The sources. Asked is a picture made by asking for names that are commonly there: it may miss some.
const (
	Transfer Source = "transfer"
	File     Source = "file"
	Asked    Source = "asked"
)

// Domain is what was seen of one domain.
type Domain struct {
	Name         string        `json:"name"`
	Looked       time.Time     `json:"looked,omitzero"` // when it was looked at; the zero value: when the survey started
	Parent       Parent        `json:"parent"`
	Servers      []Server      `json:"servers"`
	Coming       []Coming      `json:"coming,omitempty"` // the name servers to which the zone is to move
	Source       Source        `json:"source"`
	Partial      bool          `json:"partial"` // records that nobody asked for by name may be missing
	Records      []record.Set  `json:"records"`
	Wildcards    []string      `json:"wildcards,omitempty"` // names below which every name answers
	Differences  []Difference  `json:"differences,omitempty"`
	Aliases      []AliasEnd    `json:"aliases,omitempty"`
	Registration *Registration `json:"registration,omitempty"`
	Robots       []Robots      `json:"robots,omitempty"`
	Chains       []chain.Chain `json:"chains,omitempty"`
	Facts        []string      `json:"facts,omitempty"`  // odd, but no fault
	Unseen       []string      `json:"unseen,omitempty"` // what could not be seen, and why
	Missed       []Missed      `json:"missed,omitempty"` // questions that nobody answered
}

// Missed is a question that was asked and not answered: what stands there is unseen, and never absent.
type Missed struct {
	Name string `json:"name"`
	Type string `json:"type"`
	By   string `json:"by"`  // the server that was asked last
	Why  string `json:"why"` // such as "it says SERVFAIL"
}

// Misses tells whether a question about a name and type was not answered, so that nobody knows what stands there.
func (d *Domain) Misses(name, kind string) bool { return misses(d.Missed, name, kind) }

func misses(all []Missed, name, kind string) bool {
	return slices.ContainsFunc(all, func(m Missed) bool { return m.Name == name && m.Type == kind })
}

// Parent is what the zone above says of a domain.
type Parent struct {
	Zone    string   `json:"zone,omitempty"`
	Server  string   `json:"server,omitempty"`  // who was asked
	Servers []string `json:"servers,omitempty"` // the name servers that it names
	TTL     int      `json:"ttl,omitempty"`     // of the delegation, in seconds
	DS      []DS     `json:"ds,omitempty"`
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

// Coming is a name server to which the zone is to move, at one of its addresses, and what it says about every name that
// is known.
type Coming struct {
	Server
	Records []record.Set `json:"records"`
	Keys    bool         `json:"keys,omitempty"` // it holds a key that fits the parent's DS
	Missed  []Missed     `json:"missed,omitempty"`
}

// Misses tells whether the server did not answer about a name and type, so that nobody knows what it holds.
func (c *Coming) Misses(name, kind string) bool { return misses(c.Missed, name, kind) }

// Voice is what one name server or resolver says about a name and type.
type Voice struct {
	Who      string   `json:"who"`
	Resolver bool     `json:"resolver,omitempty"`
	Values   []string `json:"values"`        // empty: nothing
	TTL      int      `json:"ttl,omitempty"` // for how long a resolver will go on saying so, in seconds
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
}

// ForNoHost tells whether a name is one at which no host is: for keys, policies and proofs such as _dmarc and
// selector._domainkey (RFC 8552), whose aliases lead to no address and need none.
func ForNoHost(name string) bool {
	return strings.HasPrefix(name, "_") || strings.Contains(name, "._")
}

// Registration is what the registry says (RFC 9083).
type Registration struct {
	From        string     `json:"from"`
	Ends        *time.Time `json:"ends,omitempty"`
	Status      []string   `json:"status,omitempty"`
	NameServers []string   `json:"name_servers,omitempty"`
	Registrar   string     `json:"registrar,omitempty"`
}

// Robots is a robots.txt that would hide redirects from search engines (RFC 9309).
type Robots struct {
	Door string `json:"door"`
	Line string `json:"line"` // that bars everything
}

// Seen tells whether anybody showed the domain's records: a file, or a name server that answers.
func (d *Domain) Seen() bool {
	return d.Source == File || slices.ContainsFunc(d.Servers, func(s Server) bool { return s.State == Answers })
}

// Latest joins surveys, given from the newest to the oldest: the first result holds for every domain what was seen of
// it last, the second what was seen before that. Both are nil where there is nothing of the kind. Each domain knows its
// day.
func Latest(surveys []*Survey) (last, before *Survey) {
	var results [2]*Survey
	count := map[string]int{}
	for _, s := range surveys {
		for _, d := range s.Domains {
			n := count[d.Name]
			if n > 1 || !d.Seen() {
				continue
			}
			count[d.Name]++
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
	}
	return results[0], results[1]
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

// addresses returns the addresses of a name within the records, following aliases inside the zone.
func (d *Domain) addresses(name string) []string {
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
