// Package survey is the model of what was seen of an estate's domains on one day, and says what is odd about it. It looks at
// nothing itself: live fills the model, Judge reads it.
//
//	findings := survey.Judge{Now: now}.All(&s)
package survey

import (
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/record"
)

// Schema names the shape of a survey in JSON.
const Schema = "upperpath/survey/1"

// Survey is what was seen on one day from a vantage.
type Survey struct {
	Schema    string          `json:"schema"`
	Vantage   string          `json:"vantage"`
	Canonical string          `json:"canonical,omitempty"`
	Started   time.Time       `json:"started"`
	Domains   []Domain        `json:"domains"`
	Findings  []chain.Finding `json:"findings"`
	Notes     []string        `json:"notes,omitempty"`
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
	Parent       Parent        `json:"parent"`
	Servers      []Server      `json:"servers"`
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
	Exists bool   `json:"exists"` // the target has an address
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

// Text gives the text of a TXT value, its strings put together (RFC 7208 section 3.3).
func Text(value string) string {
	var b strings.Builder
	quoted, escaped := false, false
	for i := 0; i < len(value); i++ {
		c := value[i]
		switch {
		case escaped:
			escaped = false
			if c >= '0' && c <= '9' && i+2 < len(value) {
				b.WriteByte((c-'0')*100 + (value[i+1]-'0')*10 + value[i+2] - '0')
				i += 2
				continue
			}
			b.WriteByte(c)
		case c == '\\':
			escaped = true
		case c == '"':
			quoted = !quoted
		case quoted:
			b.WriteByte(c)
		}
	}
	return b.String()
}
