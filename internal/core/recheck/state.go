// Package recheck says what is new. It makes plain facts of what a survey and an audit saw,
// compares them with the state that somebody accepted, and leaves out what somebody lives with
// until a date. What nobody could look at is neither mended nor gone.
//
//	now := recheck.Of(survey, audit)
//	news := recheck.Compare(accepted, now, acceptances, today)
//	news.Any() // false: there is nothing to say
//
// # What is compared
//
// recheck.Of makes facts of a survey and an audit: a kind, a subject, a value, without what passes
// by itself (serials, TTLs, signatures, dates of renewals), and gaps for what nobody could look at.
// recheck.Compare sets two such states side by side, and Acceptance takes out what is lived with.
// store.Accept replaces the accepted state in one transaction; where a writer was killed,
// store.Read has that taken back first. compare is the same with two audits, surveys or plans.
package recheck

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/survey"
)

// Schema names the shape of a state in JSON.
const Schema = "upperpath/state/1"

// FactKind says what a fact is about.
type FactKind string

// The kinds of facts.
const (
	Finding      FactKind = "finding"
	Record       FactKind = "record"
	Delegation   FactKind = "delegation"
	Certificate  FactKind = "certificate"
	Registration FactKind = "registration"
	Redirect     FactKind = "redirect"
	Page         FactKind = "page"
	Planned      FactKind = "planned" // of a plan: what it wants
)

// Code is what a change of a fact is called where somebody accepts it; of a finding it is the
// finding's own.
func (k FactKind) Code() string { return string(k) + "-changed" }

// Fact is something that is so.
type Fact struct {
	Kind     FactKind         `json:"kind"`
	Code     string           `json:"code,omitempty"` // of a finding
	Domain   string           `json:"domain,omitempty"`
	Subject  string           `json:"subject"`         // such as "www.old.example A", or a URL
	Value    string           `json:"value,omitempty"` // what is compared
	Severity finding.Severity `json:"severity,omitempty"`
	Says     fact.Sentence    `json:"says,omitzero"`
	Fix      fact.Sentence    `json:"fix,omitzero"`
	Cause    string           `json:"cause,omitempty"`   // of a finding, where it is known
	Entries  []string         `json:"entries,omitempty"` // of a finding: the URLs that met it
}

// Gap is something that nobody could look at.
type Gap struct {
	Domain string `json:"domain"`
	// as facts have it; "": everything that name servers say of the domain
	Subject string        `json:"subject,omitempty"`
	Why     fact.Sentence `json:"why"`
}

// Hidden says that something stands in front of what an entry led to: nobody saw that.
type Hidden struct {
	Entry string `json:"entry"`
	By    string `json:"by"` // the code of a finding
}

// Ends is a date on which something ends.
type Ends struct {
	Subject string    `json:"subject"` // a domain, or the host of a certificate
	Ends    time.Time `json:"ends"`
}

// State is what was so on one day.
type State struct {
	Schema    string    `json:"schema"`
	Taken     time.Time `json:"taken"`
	Vantage   string    `json:"vantage"`
	Canonical string    `json:"canonical"`
	Domains   []string  `json:"domains"`        // that were looked at
	Part      bool      `json:"part,omitempty"` // a part of the estate was looked at
	// of those, whose records were asked for by name
	Partial       []string `json:"partial,omitempty"`
	Facts         []Fact   `json:"facts"` // in order
	Gaps          []Gap    `json:"gaps,omitempty"`
	Certificates  []Ends   `json:"certificates,omitempty"`
	Registrations []Ends   `json:"registrations,omitempty"`

	Scope  *scope.Scope `json:"scope,omitempty"`  // of the audit, else of the survey
	Hidden []Hidden     `json:"hidden,omitempty"` // entries whose ends nobody saw
	Beside []string     `json:"beside,omitempty"` // entries that have no fact of their own
	// doors that somebody got an answer from, over a connection that holds
	Answered []string `json:"answered,omitempty"`
	Pages    []string `json:"pages,omitempty"`  // at which somebody arrived
	Silent   []string `json:"silent,omitempty"` // domains of which a name server did not answer

	plan     bool           // it is made of a plan, which knows all that it is about
	surveyed *survey.Survey // of which it was made just now; nil where it was kept
}

// Looked says at how many domains of the estate somebody looked. Hosts of others, such as that of a
// platform, are no domains of the estate; an earlier version noted none.
func (s *State) Looked() int {
	if s.Scope != nil && len(s.Scope.Domains) > 0 {
		return len(s.Scope.Domains)
	}
	return len(s.Domains)
}

// Check reports whether a state that was kept can be one of this program.
func (s *State) Check() error {
	if s.Schema != Schema {
		return fact.Err(fact.StateSchema{Schema: s.Schema, Wanted: Schema})
	}
	return nil
}

// Of makes the state of a survey and an audit; either may be nil.
func Of(v *survey.Survey, a *chain.Audit) *State {
	s := &State{Schema: Schema}
	if v != nil {
		s.Taken, s.Vantage, s.Canonical, s.Scope = v.Started, v.Vantage, v.Canonical, v.Scope
		s.Part = v.Scope.Part() || !v.Scope.Ended()
		s.survey(v, a != nil)
		s.surveyed = v
	}
	if a != nil {
		s.Taken, s.Vantage, s.Canonical, s.Scope = a.Started, a.Vantage, a.Canonical, a.Scope
		s.Part = s.Part || a.Scope.Part() || !a.Scope.Ended()
		s.audit(a)
	}
	s.settle()
	return s
}

// settle puts everything in order, each fact once.
func (s *State) settle() {
	slices.SortStableFunc(s.Facts, func(a, b Fact) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Code, b.Code),
			cmp.Compare(a.Subject, b.Subject))
	})
	s.Facts = slices.CompactFunc(s.Facts, func(a, b Fact) bool { return a.key() == b.key() })
	for _, list := range []*[]string{&s.Domains, &s.Beside, &s.Answered, &s.Pages, &s.Silent} {
		slices.Sort(*list)
		*list = slices.Compact(*list)
	}
}

type key struct {
	kind          FactKind
	code, subject string
}

func (f *Fact) key() key { return key{f.Kind, f.Code, f.Subject} }

// Findings adds what was found.
func (s *State) findings(all []finding.Finding) {
	for _, f := range all {
		entries := f.Entries
		if len(entries) == 0 && f.Entry != "" {
			entries = []string{f.Entry}
		}
		made := Fact{Kind: Finding, Code: f.Code.String(), Domain: finding.DomainOf(f.Subject),
			Subject: f.Subject, Severity: f.Severity, Says: f.Says, Fix: f.Fix,
			Entries: entries[:min(len(entries), mostEntries)]}
		if f.Cause != 0 {
			made.Cause = f.Cause.String()
		}
		s.Facts = append(s.Facts, made)
	}
}

// mostEntries is how many entries of a finding are kept.
const mostEntries = 200

// hostOf gives the name that something is about; "" where that is no name of the web.
func hostOf(subject string) string {
	name := finding.HostOf(subject)
	if !strings.Contains(name, ".") {
		return ""
	}
	return name
}

// passing are the types of records that change by themselves.
var passing = []string{"SOA", "RRSIG", "NSEC", "NSEC3", "NSEC3PARAM", "DNSKEY", "CDS", "CDNSKEY",
	"ZONEMD", "TYPE65534"}

// survey takes in a survey. What it found at doors is left out where an audit went through them,
// which knows where they should lead.
func (s *State) survey(v *survey.Survey, audited bool) {
	s.findings(slices.DeleteFunc(slices.Clone(v.Findings), func(f finding.Finding) bool {
		return audited && (f.Entry != "" || len(f.Entries) > 0)
	}))
	for i := range v.Domains {
		d := &v.Domains[i]
		s.Domains = append(s.Domains, d.Name)
		if !d.Seen() {
			if d.Nowhere() {
				s.fact(Delegation, d.Name, d.Name, "no such domain")
			} else {
				s.gap(d.Name, "", fact.NoServerAnswered{})
			}
		} else {
			s.records(d)
		}
		s.parent(d)
		s.registration(d)
		for _, n := range d.Servers {
			if n.State == survey.Silent || n.State == survey.Unasked {
				s.Silent = append(s.Silent, d.Name)
			}
		}
		if !audited {
			for i := range d.Chains {
				s.look(&d.Chains[i], keyOf(&d.Chains[i]))
				s.Beside = append(s.Beside, keyOf(&d.Chains[i]))
			}
		}
	}
}

// look notes what could be seen of a chain.
func (s *State) look(c *chain.Chain, entry string) {
	if code, _, hides := c.Front(); hides && c.Last().Refusal != chain.Unseen {
		s.Hidden = append(s.Hidden, Hidden{entry, code.String()})
	} else if c.End == chain.Page && c.Last().Status < 400 && c.Probe != chain.Robots &&
		c.Probe != chain.WellKnown {
		s.Pages = append(s.Pages, c.Arrival.String())
	}
	for i := range c.Hops {
		if c.Sound(i) {
			s.Answered = append(s.Answered, c.Hops[i].URL.Door().String())
		}
	}
}

// keyOf names an entry as facts have it.
func keyOf(c *chain.Chain) string {
	entry := c.Key()
	for _, who := range c.SeenBy {
		entry += " (" + who + ")"
	}
	return entry
}

func (s *State) gap(domain, subject string, why fact.Facts) {
	s.Gaps = append(s.Gaps, Gap{Domain: domain, Subject: subject, Why: fact.Of(why, fact.Says)})
}

func (s *State) fact(kind FactKind, domain, subject, value string) {
	s.Facts = append(s.Facts, Fact{Kind: kind, Domain: domain, Subject: subject, Value: value})
}

func (s *State) records(d *survey.Domain) {
	if d.Partial {
		s.Partial = append(s.Partial, d.Name)
	}
	for _, m := range d.Missed {
		s.gap(d.Name, m.Name+" "+m.Type, fact.Kept{Says: m.Why})
	}
	for _, set := range d.Records {
		if slices.Contains(passing, set.Type) {
			continue
		}
		values := slices.Sorted(slices.Values(set.Values))
		s.fact(Record, d.Name, set.Name+" "+set.Type, strings.Join(values, "\n"))
	}
}

func (s *State) parent(d *survey.Domain) {
	if d.Parent.Server == "" {
		s.gap(d.Name, d.Name+" delegation", fact.ZoneAboveUnseen{})
		s.gap(d.Name, d.Name+" DS", fact.ZoneAboveUnseen{})
		return
	}
	if len(d.Parent.Servers) > 0 {
		s.fact(Delegation, d.Name, d.Name+" delegation",
			strings.Join(slices.Sorted(slices.Values(d.Parent.Servers)), "\n"))
	}
	var ds []string
	for _, one := range d.Parent.DS {
		ds = append(ds, one.Text)
	}
	if slices.Sort(ds); len(ds) > 0 {
		s.fact(Delegation, d.Name, d.Name+" DS", strings.Join(ds, "\n"))
	}
}

func (s *State) registration(d *survey.Domain) {
	r := d.Registration
	about := func(what string) string { return d.Name + " " + what }
	if r == nil || r.From == survey.EstateFile {
		for _, what := range []string{"registration", "registrar", "status"} {
			s.gap(d.Name, about(what), fact.RegistrationUnseen{})
		}
		return
	}
	if r.Ends != nil && r.EndsFrom != survey.EstateFile {
		s.fact(Registration, d.Name, about("registration"), "ends "+r.Ends.UTC().Format(time.DateOnly))
		s.Registrations = append(s.Registrations, Ends{d.Name, *r.Ends})
	}
	if r.Registrar != "" {
		s.fact(Registration, d.Name, about("registrar"), r.Registrar)
	}
	if len(r.Status) > 0 {
		s.fact(Registration, d.Name, about("status"),
			strings.Join(slices.Sorted(slices.Values(r.Status)), "\n"))
	}
}

func (s *State) audit(a *chain.Audit) {
	s.findings(a.Findings)
	for i := range a.Chains {
		c := &a.Chains[i]
		domain := finding.DomainOf(c.Entry.String())
		s.Domains = append(s.Domains, domain)
		entry := keyOf(c)
		s.look(c, entry)
		if c.Probe == chain.Robots || c.Probe == chain.WellKnown {
			if c.Last().Refusal != chain.Unseen {
				s.Beside = append(s.Beside, entry)
			}
			continue // what matters of them are findings
		}
		if last := c.Last(); last.Refusal == chain.Unseen {
			s.gap(domain, entry, fact.Kept{Says: last.Detail})
			continue
		}
		s.fact(Redirect, domain, entry, way(c))
		if c.End == chain.Page && c.Last().Page != nil && c.Last().Page.Title != "" {
			s.fact(Page, domain, entry, c.Last().Page.Title)
		}
		if first := &c.Hops[0]; first.TLS != nil && c.Probe == chain.Root && len(c.SeenBy) == 0 {
			host := c.Entry.Host().String()
			names := slices.Sorted(slices.Values(first.TLS.Names))
			s.fact(Certificate, domain, c.Entry.Door().String(),
				"for "+strings.Join(names, ", ")+"\nby "+first.TLS.Issuer)
			s.Certificates = append(s.Certificates, Ends{host, first.TLS.NotAfter})
		}
	}
}

// way says how a chain goes: each status and where it leads, and how it ends.
func way(c *chain.Chain) string {
	var lines []string
	for i := range c.Hops {
		hop := &c.Hops[i]
		switch {
		case hop.Refusal != "":
			lines = append(lines, string(hop.Refusal))
		case hop.Status >= 300 && hop.Status < 400 && i+1 < len(c.Hops):
			lines = append(lines, strconv.Itoa(hop.Status)+" → "+c.Hops[i+1].URL.String())
		default:
			lines = append(lines, strconv.Itoa(hop.Status))
		}
	}
	if c.End != chain.Page && c.End != chain.NoAnswer {
		lines = append(lines, string(c.End))
	}
	return strings.Join(lines, "\n")
}

// OfPlan makes a state of what a plan wants, as somebody put it into facts (whose domain may be any
// name of it), and of what it finds.
// domains are those that it is about, and left those of the estate that it is not.
func OfPlan(canonical string, domains, left []string, facts []Fact,
	found []finding.Finding) *State {
	s := &State{Schema: Schema, Canonical: canonical, Facts: facts, Domains: slices.Clone(domains),
		Part: len(left) > 0, plan: true}
	s.findings(found)
	for i := range s.Facts {
		f := &s.Facts[i]
		f.Entries = nil // nobody asked them
		if f.Domain != "" && f.Kind != Finding {
			f.Domain = finding.DomainOf(f.Domain)
			continue
		}
		f.Domain = finding.DomainOf(strings.TrimPrefix(f.Subject, "rule "))
		if !slices.Contains(domains, f.Domain) {
			f.Domain = "" // it is of the estate as a whole
		}
	}
	s.settle()
	return s
}
