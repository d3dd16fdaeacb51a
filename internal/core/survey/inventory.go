package survey

import (
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

// Alive says what stands behind a domain's doors today.
type Alive string

// What stands there.
const (
	AliveSite     Alive = "site"      // a site of its own
	AliveMoved    Alive = "leads"     // its doors lead to another domain
	AliveParked   Alive = "parked"    // a page that offers the domain, or says nothing
	AliveError    Alive = "error"     // an error, and no page
	AliveNothing  Alive = "nothing"   // nobody answers
	AliveUnseen   Alive = "unseen"    // nobody could look
	AliveNoDomain Alive = "no-domain" // the zone above knows no such domain
)

// Landing is where a door lands today.
type Landing struct {
	Door    web.Door
	Arrival web.URL // the zero value: nowhere
	Status  int
	Refusal chain.Refusal
	End     chain.End
	Stopped bool // a certificate stops visitors on the way
	Hops    int
}

// Entry is what an inventory says of a domain: a line of it, before anything is decided.
type Entry struct {
	Name     string
	Looked   time.Time // the zero time: nobody looked
	Seen     bool      // its records were seen
	Landings []Landing // its doors, apex before www, http before https
	Alive    Alive
	Title    string // of the page on which its doors land
	// by whom its records are held: domains of its name servers
	Holders   []string
	Registrar string
	Ends      time.Time // of its registration; the zero time: not known
	EndsFrom  string    // who says so; EstateFile where nobody looked
	Status    []string  // of its registration, such as "client hold"
	Mail      []string  // domains of the machines that receive mail
	NoMail    bool      // it was seen that there is none
	// of the https door whose certificate ends first
	Certificate *chain.TLS
	Faults      []finding.Code // of certificates
	Signed      Signed
	Depends     []string // names below it, beside web and mail, that somebody uses
	References  []string // other domains whose records refer to it
	Odd         []fact.Sentence
	Findings    []finding.Finding
}

// Signed says whether a zone is signed (RFC 4034).
type Signed string

// Whether it is.
const (
	SignedYes    Signed = "signed"
	SignedNo     Signed = "no"
	SignedBroken Signed = "broken" // the zone above has a DS record, and no key fits
	SignedUnseen Signed = "unseen"
)

// Inventory gives a line for each domain, in the order of names; those of which a survey knows
// nothing too.
func (s *Survey) Inventory(names []string) []Entry {
	at := map[string]*Domain{}
	if s != nil {
		for i := range s.Domains {
			at[s.Domains[i].Name] = &s.Domains[i]
		}
	}
	all := make([]Entry, 0, len(names))
	for _, name := range names {
		e := Entry{Name: name, Alive: AliveUnseen, Signed: SignedUnseen}
		if d := at[name]; d != nil {
			e.take(d)
			for _, f := range s.Findings {
				if finding.DomainOf(f.Subject) == name {
					e.Findings = append(e.Findings, f)
				}
			}
		}
		all = append(all, e)
	}
	if s != nil {
		s.references(all)
	}
	return all
}

// references notes which domains refer to which.
func (s *Survey) references(all []Entry) {
	at := map[string]*Entry{}
	for i := range all {
		at[all[i].Name] = &all[i]
	}
	for i := range s.Domains {
		d := &s.Domains[i]
		for _, set := range d.Records {
			for _, value := range set.Values {
				for _, target := range Refers(set.Type, value) {
					e := at[finding.DomainOf(target)]
					if e == nil || e.Name == d.Name || slices.Contains(e.References, d.Name) {
						continue
					}
					e.References = append(e.References, d.Name)
				}
			}
		}
	}
}

func (e *Entry) take(d *Domain) {
	e.Looked, e.Seen = d.Looked, d.Seen()
	e.Odd = d.Facts
	for i := range d.Chains {
		if c := &d.Chains[i]; c.Probe == chain.Root {
			e.land(c)
		}
	}
	slices.SortStableFunc(e.Landings, compareLandings)
	e.alive(d)
	for _, n := range d.Servers {
		e.hold(n.Name)
	}
	if len(d.Servers) == 0 {
		for _, n := range d.Parent.Servers {
			e.hold(n)
		}
	}
	if r := d.Registration; r != nil {
		e.Registrar, e.Status = r.Registrar, r.Status
		if r.Ends != nil {
			e.Ends, e.EndsFrom = *r.Ends, r.From
			if r.EndsFrom != "" {
				e.EndsFrom = r.EndsFrom
			}
		}
	}
	e.mail(d)
	e.signed(d)
	e.depends(d)
}

// compareLandings puts the apex before www, that before the others, and http before https.
func compareLandings(a, b Landing) int {
	rank := func(l Landing) int {
		switch {
		case l.Door.Host.IsApex():
			return 0
		case strings.HasPrefix(l.Door.Host.String(), "www."):
			return 1
		}
		return 2
	}
	if r := rank(a) - rank(b); r != 0 {
		return r
	}
	return strings.Compare(a.Door.Host.String()+a.Door.String(), b.Door.Host.String()+b.Door.String())
}

func (e *Entry) land(c *chain.Chain) {
	last := c.Last()
	l := Landing{Door: c.Entry.Door(), Refusal: last.Refusal, End: c.End, Status: last.Status,
		Stopped: c.StoppedAt != nil, Hops: c.Redirects()}
	if c.End == chain.Page {
		l.Arrival = c.Arrival
	}
	e.Landings = append(e.Landings, l)
	if first := &c.Hops[0]; first.TLS != nil && c.Entry.Scheme() == web.HTTPS {
		if e.Certificate == nil || first.TLS.NotAfter.Before(e.Certificate.NotAfter) {
			e.Certificate = first.TLS
		}
		for _, f := range first.TLS.Faults {
			if !slices.Contains(e.Faults, f) {
				e.Faults = append(e.Faults, f)
			}
		}
	}
}

// alive says what stands behind the doors: a site of its own where any of them serves one.
func (e *Entry) alive(d *Domain) {
	seen := map[Alive]bool{}
	for i := range d.Chains {
		c := &d.Chains[i]
		if c.Probe != chain.Root {
			continue
		}
		last := c.Last()
		switch {
		case last.Refusal == chain.Unseen:
			seen[AliveUnseen] = true
		case last.Refusal != "":
			seen[AliveNothing] = true
		case c.End != chain.Page || last.Status >= 400:
			seen[AliveError] = true
		case last.Page.Parked():
			seen[AliveParked] = true
		case finding.DomainOf(c.Arrival.Host().String()) == d.Name:
			seen[AliveSite] = true
		default:
			seen[AliveMoved] = true
		}
		if last.Page != nil && e.Title == "" && c.End == chain.Page && last.Status < 400 {
			e.Title = last.Page.Title
		}
	}
	e.Alive = AliveUnseen
	for _, a := range []Alive{AliveSite, AliveMoved, AliveParked, AliveError, AliveNothing} {
		if seen[a] {
			e.Alive = a
			break
		}
	}
	if d.Nowhere() {
		e.Alive = AliveNoDomain
	}
}

func (e *Entry) hold(server string) {
	name := finding.DomainOf(strings.TrimSuffix(server, "."))
	if name != "" && !slices.Contains(e.Holders, name) {
		e.Holders = append(e.Holders, name)
	}
}

// mail says who receives it. A null MX (RFC 7505) is none; no MX and an address at the apex is mail
// at the apex (RFC 5321 section 5.1), which nobody counts on.
func (e *Entry) mail(d *Domain) {
	if !d.Seen() || d.Misses(d.Name, "MX") {
		return
	}
	mx, _ := record.Find(d.Records, d.Name, "MX")
	for _, value := range mx.Values {
		target := record.Target("MX", value)
		if target == "" {
			continue
		}
		host := finding.DomainOf(target)
		if host == "" {
			host = target
		}
		if !slices.Contains(e.Mail, host) {
			e.Mail = append(e.Mail, host)
		}
	}
	e.NoMail = len(e.Mail) == 0
}

func (e *Entry) signed(d *Domain) {
	switch {
	case d.Parent.Server == "":
	case len(d.Parent.DS) == 0:
		e.Signed = SignedNo
	case slices.ContainsFunc(d.Parent.DS, func(ds DS) bool { return ds.Matched }):
		e.Signed = SignedYes
	case d.Seen():
		e.Signed = SignedBroken
	}
}

// depends names what stands below a domain beside its web and mail.
func (e *Entry) depends(d *Domain) {
	for _, set := range d.Records {
		label, below := strings.CutSuffix(set.Name, "."+d.Name)
		if !below || label == "www" || strings.HasPrefix(label, "_") || strings.Contains(label, "._") ||
			slices.Contains(passing, set.Type) || slices.Contains(e.Depends, label) {
			continue
		}
		e.Depends = append(e.Depends, label)
	}
	slices.Sort(e.Depends)
}

// passing are types of records that say nothing of who uses a name.
var passing = []string{"RRSIG", "NSEC", "NSEC3", "TXT", "CAA", "TLSA", "SSHFP"}
