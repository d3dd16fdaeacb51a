package plan

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Carried is a carrier with what it carries, what it cannot do, and what has to be typed there.
type Carried struct {
	Name    string   `json:"name"` // of the carrier; "site" for the site itself, and a registrar's name where only the delegation is typed
	By      string   `json:"by"`   // server, form, platform, edge, site, or registrar
	Hosts   []string `json:"hosts"`
	Limits  []string `json:"limits,omitempty"` // in words
	Entries []Entry  `json:"entries"`          // in their order
}

// Kind says what an entry is about.
type Kind string

// The kinds of entries.
const (
	Forward     Kind = "forward"      // a line of a forwarding form
	HostEntry   Kind = "host"         // a host that the carrier has to be told of
	Pattern     Kind = "pattern"      // a redirect by pattern
	ZoneEntry   Kind = "zone"         // a zone that the carrier takes over
	NameServers Kind = "name-servers" // the delegation
	DSEntry     Kind = "ds"           // the parent's word that the zone is signed
	CertEntry   Kind = "certificate"  // a certificate to be had
	Records     Kind = "records"      // records that are typed elsewhere, and waited for
	Primary     Kind = "primary"      // the host to which a platform leads its others
	Config      Kind = "configuration"
)

// Entry is something to be typed, or done, on a carrier's page.
type Entry struct {
	Step   int      `json:"step"` // from 1, at this carrier
	Action Action   `json:"action"`
	Kind   Kind     `json:"kind"`
	Domain string   `json:"domain,omitempty"` // absent where all of the carrier's are meant
	Fields []Field  `json:"fields"`           // in the order in which forms ask
	Reason string   `json:"reason"`
	Check  string   `json:"check,omitempty"` // a command that shows that it worked
	Star   *Pointed `json:"star,omitempty"`
}

// Field is one box of a form with what is typed into it.
type Field struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Pointed says what a star pattern takes.
type Pointed struct {
	Line  int      `json:"line,omitempty"` // of the rule
	Takes []string `json:"takes"`          // hosts
	Wider string   `json:"wider,omitempty"`
}

// carriers works out what is typed where, apart from records.
func (p *Plan) carriers() {
	for _, c := range p.Estate.Carriers {
		k := Carried{Name: c.Name, By: string(c.By), Limits: limitsOf(c), Hosts: []string{}, Entries: []Entry{}}
		hosts := 0
		for i := range p.Zones {
			z := &p.Zones[i]
			carried := carriedBy(z.domain, c)
			hosts += len(carried)
			for _, h := range carried {
				k.Hosts = append(k.Hosts, h.String())
			}
			if len(carried) > 0 && z.domain.State != estate.Moved {
				k.Entries = append(k.Entries, p.entriesAt(c, z, carried)...)
			}
			k.Entries = append(k.Entries, p.forwardsToDelete(c, z)...)
		}
		if c.By == estate.Server && len(k.Entries) > 0 {
			k.Entries = append(k.Entries, Entry{Action: Add, Kind: Config, Fields: []Field{{"redirects", "upperpath write nginx --carrier " + c.Name}}, Reason: "One configuration holds the redirects of all domains that this server carries. It has to be there before any name points to it.", Check: "upperpath audit --point HOST=" + firstAddress(c)})
		}
		if c.HostsAtMost >= 0 && hosts > c.HostsAtMost {
			p.tally.Add(finding.New(finding.BeyondCarrier, c.Name, fmt.Sprintf("%s takes at most %s, and %d are planned there: %s.", c.Name, counted(c.HostsAtMost, "host"), hosts, strings.Join(k.Hosts, ", ")),
				"Take a larger plan there, or give some of them to another carrier.", map[string]any{"carrier": c.Name, "hosts": k.Hosts}))
		}
		if len(k.Entries) > 0 || len(k.Hosts) > 0 {
			p.Carriers = append(p.Carriers, numbered(k))
		}
	}
	p.site()
	p.registrars()
}

func carriedBy(d *estate.Domain, c *estate.Carrier) []web.Host {
	var all []web.Host
	for _, h := range d.Hosts() {
		if d.Carry[h] == c || d.Through[h] == c {
			all = append(all, h)
		}
	}
	return all
}

// numbered puts what goes before what comes, and numbers all of it.
func numbered(k Carried) Carried {
	slices.SortStableFunc(k.Entries, func(a, b Entry) int {
		return cmp.Compare(btoi(a.Action != Remove), btoi(b.Action != Remove))
	})
	for i := range k.Entries {
		k.Entries[i].Step = i + 1
	}
	return k
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

// limitsOf says in words what a carrier cannot do.
func limitsOf(c *estate.Carrier) []string {
	var all []string
	add := func(applies bool, format string, args ...any) {
		if applies {
			all = append(all, fmt.Sprintf(format, args...))
		}
	}
	add(!c.TLS, "no TLS: https doors answer nobody")
	add(!c.KeepsPath, "drops the path")
	add(!c.KeepsQuery, "drops the query")
	add(c.ApexOnly, "apexes only")
	add(c.Frames, "shows the target in a frame instead of redirecting")
	add(!c.HoldsRules && c.By != estate.Form, "holds no rules")
	add(c.PatternsAtMost >= 0, "at most %s", counted(c.PatternsAtMost, "pattern"))
	add(c.HostsAtMost >= 0, "at most %s", counted(c.HostsAtMost, "host"))
	add(c.Origin == estate.PlainOrigin, "speaks plain http to what is behind it")
	add(c.Certificate == estate.After, "has its certificates only after the names point to it")
	return all
}

func (p *Plan) entriesAt(c *estate.Carrier, z *Zone, hosts []web.Host) []Entry {
	switch c.By {
	case estate.Form:
		return p.formEntries(c, z.domain, hosts)
	case estate.Platform:
		return p.platformEntries(c, z, hosts)
	case estate.Edge:
		return p.edgeEntries(c, z, hosts)
	}
	return p.serverEntries(c, z.domain, hosts)
}

func look(h web.Host) string { return "upperpath look " + h.String() }

// formEntries gives the line of a forwarding form for each host: the complete destination, permanent, without a frame.
func (p *Plan) formEntries(c *estate.Carrier, d *estate.Domain, hosts []web.Host) []Entry {
	var all []Entry
	for _, h := range hosts {
		if c.ApexOnly && !h.IsApex() {
			continue
		}
		path := "not offered: every path ends there"
		if c.KeepsPath {
			path = "keep"
		}
		all = append(all, Entry{Action: Add, Kind: Forward, Domain: d.Name.String(), Fields: []Field{
			{"from", h.String()}, {"to", d.LeadsTo.String()}, {"kind", fmt.Sprintf("permanent (%d)", p.Estate.Policy.Status)}, {"frame or masking", "no"}, {"path", path},
		}, Reason: "Type the destination in full. " + p.costs(d.LeadsTo), Check: look(h)})
	}
	return all
}

// costs says what a destination costs that is typed with http, or without www.
func (p *Plan) costs(to web.URL) string {
	hops := func(d web.Door) string {
		c := chain.Follow(context.Background(), p.Web, chain.Ask{URL: to.At(d)}, chain.Root)
		switch n := len(c.Hops) - 1; {
		case c.Last().Refusal != "":
			return "leads nowhere"
		case n == 1:
			return "costs a hop more"
		default:
			return fmt.Sprintf("costs %d hops more", n)
		}
	}
	says := fmt.Sprintf("With http:// it %s, and a visitor who came by https is led over plain http", hops(web.Door{Scheme: web.HTTP, Host: to.Host()}))
	if apex, ok := to.Host().Apex(); ok && apex != to.Host() {
		says += fmt.Sprintf("; without www it %s", hops(web.Door{Scheme: web.HTTPS, Host: apex}))
	}
	return says + "."
}

// forwardsToDelete gives the forwardings of hosts that leave a form: their addresses were seen there.
func (p *Plan) forwardsToDelete(c *estate.Carrier, z *Zone) []Entry {
	if c.By != estate.Form {
		return nil
	}
	var all []Entry
	for _, h := range z.domain.Hosts() {
		for _, ch := range z.Changes {
			if z.domain.Carry[h] == c || ch.Name != h.String() || ch.Step == 0 || ch.Type != "A" && ch.Type != "AAAA" {
				continue
			}
			for _, a := range c.Addresses {
				if slices.Contains(ch.Before, a.String()) {
					all = append(all, Entry{Action: Remove, Kind: Forward, Domain: z.Name, Fields: []Field{{"from", h.String()}},
						Reason: fmt.Sprintf("One door has one carrier. Delete it right before the records of %s are typed: many forms write their address back while a forwarding is there.", h), Check: look(h)})
				}
			}
		}
	}
	return all
}

// platformEntries gives what a platform has to be told, in the order in which it accepts it.
func (p *Plan) platformEntries(c *estate.Carrier, z *Zone, hosts []web.Host) []Entry {
	d := z.domain
	primary := p.Estate.Canonical.Host.String()
	var all []Entry
	add := func(kind Kind, reason, check string, fields ...Field) {
		all = append(all, Entry{Action: Add, Kind: kind, Domain: d.Name.String(), Fields: fields, Reason: reason, Check: check})
	}
	for _, step := range c.Steps {
		switch step {
		case estate.Claim:
			for _, h := range hosts {
				add(HostEntry, "Claim it before any record points there: an alias that nobody has claimed can be taken by a stranger. Apex and www are two hosts.", "", Field{"host", h.String()})
			}
		case estate.Point:
			var fields []Field
			for _, r := range z.Records {
				if isWeb(r.Type) && slices.ContainsFunc(hosts, func(h web.Host) bool { return h.String() == r.Name }) || p.asked(c, d, r) {
					var values []string
					for _, v := range r.Values {
						values = append(values, typed(r.Type, v))
					}
					fields = append(fields, Field{r.Name + " " + r.Type, strings.Join(values, ", ")})
				}
			}
			add(Records, fmt.Sprintf("Type these where the records of %s are kept, then come back and let %s look at them.", d.Name, c.Name), "upperpath survey --only "+d.Name.String()+" --records", fields...)
		case estate.Issue:
			when := "It holds its certificate before the records point to it."
			if c.Certificate == estate.After {
				when = "It asks for the certificates only once the records lead there; until they are issued, visitors by https meet a warning. Ask for them at once, and look every few minutes."
			}
			for _, h := range hosts {
				add(CertEntry, when, look(h), Field{"certificate for", h.String()})
			}
		case estate.Redirect:
			var others []string
			for _, h := range hosts {
				others = append(others, h.String())
			}
			after := ""
			if i, j := slices.Index(c.Steps, estate.Issue), slices.Index(c.Steps, estate.Redirect); i >= 0 && i < j {
				after = " It accepts this only once the certificates are there."
			}
			add(Primary, "The others redirect to the primary host, path and query kept; http goes straight to https."+after, look(hosts[0]), Field{"primary", primary}, Field{"redirected to it", strings.Join(others, ", ")})
		}
	}
	return all
}

// asked tells whether a record is there because a carrier asks for it.
func (p *Plan) asked(c *estate.Carrier, d *estate.Domain, r Record) bool {
	return slices.ContainsFunc(d.Wanted, func(w estate.Wanted) bool { return w.By == c.Name && w.Name == r.Name && w.Type == r.Type })
}

// edgeEntries gives the zone, the certificates and the patterns that an edge network has to hold.
func (p *Plan) edgeEntries(c *estate.Carrier, z *Zone, hosts []web.Host) []Entry {
	d := z.domain
	domain := d.Name.String()
	var all []Entry
	if len(c.NameServers) > 0 && (z.Move != nil || z.Seen == nil) {
		all = append(all, Entry{Action: Add, Kind: ZoneEntry, Domain: domain, Fields: []Field{{"zone", domain}, {"name servers", strings.Join(names(c.NameServers), ", ")}},
			Reason: fmt.Sprintf("%s takes the zone over: it answers for all names of it, and everything that the zone holds today has to be there first (upperpath write zone).", c.Name), Check: "upperpath survey --only " + domain})
	}
	if c.TLS {
		var names []string
		for _, h := range hosts {
			names = append(names, h.String())
		}
		all = append(all, Entry{Action: Add, Kind: CertEntry, Domain: domain, Fields: []Field{{"certificate for", strings.Join(names, ", ")}},
			Reason: "It has to be there before the first visitor: most browsers come by https. Apex and www are two names.", Check: fmt.Sprintf("upperpath look %s%s", domain, points(c, hosts))})
	}
	carried := slices.ContainsFunc(hosts, func(h web.Host) bool { return d.Carry[h] == c })
	if c.Behind != "" || !carried {
		return all
	}
	stars := p.starsOf(d, c)
	p.checkStars(d, c, stars)
	for _, s := range stars {
		all = append(all, patternEntry(domain, s))
	}
	return all
}

func firstAddress(c *estate.Carrier) string {
	if len(c.Addresses) == 0 {
		return "ADDRESS"
	}
	return c.Addresses[0].String()
}

func patternEntry(domain string, s Star) Entry {
	kind, query := fmt.Sprint(s.Status), "keep"
	switch {
	case s.Drops:
		query = "drop"
	case s.New == "":
		query = ""
	}
	reason := fmt.Sprintf("It takes %s: %s.", strings.Join(s.Takes, " and "), s.Rule)
	if n := strings.Count(s.Old, "*"); strings.HasPrefix(s.Old, "*") && n > 1 && strings.Contains(s.New, "$") {
		reason += " The first star is what stands before the apex, www. or nothing, and is $1; what follows in the path starts at $2."
	}
	if s.Wider != "" {
		reason += fmt.Sprintf(" A star takes more than the rule does: %s as well.", s.Wider)
	}
	to := s.New
	if s.New == "" {
		to, kind = "no target", "410 (gone); where the form has no such answer, let a server carry the host"
	}
	e := Entry{Action: Add, Kind: Pattern, Domain: domain, Fields: []Field{{"pattern", s.Old}, {"target", to}, {"status", kind}, {"query", cmp.Or(query, "does not matter")}, {"rule", s.Rule}},
		Reason: reason, Star: &Pointed{s.Line, s.Takes, s.Wider}}
	if example := strings.ReplaceAll(strings.TrimPrefix(s.Old, "*"), "*", "example"); !strings.Contains(example, "://") {
		e.Check = "upperpath look https://" + example
	}
	return e
}

// serverEntries gives what a server of our own has to hold.
func (p *Plan) serverEntries(c *estate.Carrier, d *estate.Domain, hosts []web.Host) []Entry {
	var all []Entry
	domain := d.Name.String()
	for _, cert := range p.Certificates {
		if cert.Carrier != c.Name || cert.Domain != domain {
			continue
		}
		e := Entry{Action: Add, Kind: CertEntry, Domain: domain, Fields: []Field{{"certificate for", strings.Join(cert.Names, ", ")}}, Check: "upperpath audit --only " + domain + points(c, hosts)}
		switch c.Certificate {
		case estate.Before:
			for _, n := range cert.Names {
				e.Fields = append(e.Fields, Field{"proof by DNS (TXT)", "_acme-challenge." + n})
			}
			e.Reason = "The names do not lead to this server yet, so the issuer has to be convinced by DNS: a TXT record, whose value it gives, at these names. Then nobody meets a warning on the day of the move."
		case estate.After:
			e.Reason = "The certificate can be had only after the names lead here: until it is issued, most often some minutes, everybody who comes by https meets a warning. Issue it by DNS beforehand if you can (certificate: before)."
		default:
			e.Reason = "Somebody puts it there by hand, before the names lead here."
		}
		all = append(all, e)
	}
	return all
}

// points gives the options that lead an audit to a carrier before any name points there.
func points(c *estate.Carrier, hosts []web.Host) string {
	s := ""
	for _, h := range hosts {
		if len(c.Addresses) > 0 {
			s += fmt.Sprintf(" --point %s=%s", h, c.Addresses[0])
		}
	}
	return s
}

// site gives what the site itself has to do: lead its other names to the canonical host.
func (p *Plan) site() {
	k := Carried{Name: SiteName, By: "site", Hosts: []string{}, Entries: []Entry{}}
	for _, h := range p.Estate.Site.Hosts {
		k.Hosts = append(k.Hosts, h.String())
	}
	for _, h := range p.Estate.Site.Also {
		k.Entries = append(k.Entries, Entry{Action: Add, Kind: Primary, Domain: h.String(), Fields: []Field{{"primary", p.Estate.Canonical.Host.String()}, {"redirected to it", h.String()}},
			Reason: "The site answers under this name too; it must redirect, or search engines find two sites.", Check: look(h)})
	}
	if len(k.Entries) > 0 {
		p.Carriers = append(p.Carriers, numbered(k))
	}
}

// registrars gives what is typed at registrars: delegations and DS records.
func (p *Plan) registrars() {
	byName := map[string]*Carried{}
	var order []string
	add := func(z *Zone, e Entry) {
		name := cmp.Or(z.domain.Registrar, "the registrar of "+z.Name)
		if byName[name] == nil {
			byName[name] = &Carried{Name: name, By: "registrar", Hosts: []string{}, Entries: []Entry{}}
			order = append(order, name)
		}
		e.Domain, e.Check = z.Name, "upperpath survey --only "+z.Name
		byName[name].Entries = append(byName[name].Entries, e)
	}
	for i := range p.Zones {
		z := &p.Zones[i]
		seen := p.seen(z.Name)
		if seen == nil {
			continue
		}
		stale := len(seen.Parent.DS) > 0
		for _, ds := range seen.Parent.DS {
			stale = stale && !ds.Matched
		}
		if stale || z.Move != nil && len(z.Move.DS) > 0 {
			for _, ds := range seen.Parent.DS {
				reason := "It fits no key of the zone: resolvers that check signatures find nothing there. It goes before anything else."
				if !stale {
					reason = fmt.Sprintf("It goes %s before the name servers change: the new ones hold other keys.", Words(z.Move.OldLives))
				}
				add(z, Entry{Action: Remove, Kind: DSEntry, Fields: []Field{{"DS", ds.Text}}, Reason: reason})
			}
		}
		if m := z.Move; m != nil {
			ready := "The new servers must say everything that the old ones say before this is typed; they do."
			if !m.Ready {
				ready = "Not yet: the new servers must say everything first. Survey again until the plan finds no difference."
			}
			fields := []Field{}
			for i, n := range m.To {
				fields = append(fields, Field{fmt.Sprintf("name server %d", i+1), n})
			}
			add(z, Entry{Action: Replace, Kind: NameServers, Fields: fields, Reason: fmt.Sprintf("%s Until now: %s. The old delegation lives for up to %s; leave the old servers as they are for so long.", ready, strings.Join(m.From, ", "), Words(m.OldLives))})
		}
	}
	for _, name := range order {
		p.Carriers = append(p.Carriers, numbered(*byName[name]))
	}
}
