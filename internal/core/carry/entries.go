// Package carry works out who carries what: what is typed on the page of each carrier and
// registrar, which limits of a carrier stand in the way, who must hold which certificate, and where
// a survey met a carrier that does otherwise than the estate file says.
//
//	carriers, found := carry.Carriers(web, seen, zones, certificates, urls)
//	carriers[0].Entries // in the order in which to type them
//
// Suppose the registrar's form carries old.example and takes neither https nor a path. Then Limits
// finds beyond-carrier twice, since a cause is said once however many doors meet it, and names all
// four doors of apex and www as beyond it; the entries of the form say from where to where, a line
// a host (ExampleLimits).
package carry

import (
	"cmp"
	"context"
	"fmt"
	"iter"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
)

// Carried is a carrier with what it carries, what it cannot do, and what has to be typed there.
type Carried struct {
	// of the carrier; "site" for the site itself, and a registrar's name where only the delegation is
	// typed
	Name    string
	By      string // a kind of carriers, SiteKind or RegistrarKind
	Hosts   []string
	Limits  []fact.Sentence // in words
	Entries []act.Entry     // in their order

	Redirects   bool // it carries hosts that do, beside those where it serves the site
	Software    string
	ClaimsAfter bool // it takes hosts only once their records point there
	Steps       []estate.CarrierStep
}

// What a place is where things are typed beside carriers.
const (
	SiteKind      = "site"
	RegistrarKind = "registrar"
	RecordsKind   = "records"
)

// typing is what the entries of carriers are made of. Nothing of it is changed.
type typing struct {
	web          *predict.Prediction
	zones        []zone.Zone
	certificates map[string][]Certificate     // by domain
	asks         map[*estate.Domain][]web.URL // what an audit asks, by domain
	seen         zone.Surveys
}

// entriesFor gives what is typed at a carrier in one step, for the hosts that it carries of one
// zone.
var entriesFor = map[estate.CarrierStep]func(t typing, c *estate.Carrier, z zone.Zone,
	hosts []web.Host) ([]act.Entry,
	[]finding.Finding){
	estate.Forward:   forwardEntries,
	estate.Source:    sourceEntries,
	estate.Lines:     doorEntries,
	estate.Claim:     claimEntries,
	estate.Point:     pointEntries,
	estate.Issue:     issueEntries,
	estate.Redirect:  primaryEntries,
	estate.TakeZone:  zoneEntries,
	estate.Patterns:  patternEntries,
	estate.Configure: nil, // once for all zones
}

// Knows reports whether a step at a carrier is one whose entries are known.
func Knows(s estate.CarrierStep) bool {
	_, ok := entriesFor[s]
	return ok
}

// Carriers works out what is typed where, apart from records.
func Carriers(
	w *predict.Prediction, seen zone.Surveys, zones []zone.Zone, certificates []Certificate,
	asks iter.Seq[web.URL],
) ([]Carried, act.Found) {
	t := typing{web: w, zones: zones, certificates: map[string][]Certificate{},
		asks: map[*estate.Domain][]web.URL{},
		seen: seen}
	for _, c := range certificates {
		t.certificates[c.Domain] = append(t.certificates[c.Domain], c)
	}
	for u := range asks {
		of := w.Estate.DomainOf(u.Host())
		t.asks[of] = append(t.asks[of], u)
	}
	all := []Carried{}
	var f act.Found
	for _, c := range w.Estate.Carriers {
		k, findings := carried(t, c)
		f.Findings = append(f.Findings, findings...)
		if len(k.Entries) > 0 || len(k.Hosts) > 0 {
			all = append(all, numbered(k))
		}
	}
	if k := siteEntries(w.Estate); len(k.Entries) > 0 {
		all = append(all, numbered(k))
	}
	for _, k := range registrars(zones, seen) {
		all = append(all, numbered(k))
	}
	return all, f
}

// carried works out one carrier.
func carried(t typing, c *estate.Carrier) (Carried, []finding.Finding) {
	k := Carried{Name: c.Name, By: string(c.By), Limits: cannot(c), Hosts: []string{},
		Entries:  []act.Entry{},
		Software: c.Software, Steps: c.Steps}
	var findings []finding.Finding
	row := c.By.Row()
	open := false // it has redirects to hold that nobody has put there yet
	claim, point := slices.Index(c.Steps, estate.Claim), slices.Index(c.Steps, estate.Point)
	k.ClaimsAfter = point >= 0 && point < claim
	for _, z := range t.zones {
		if z.Guest {
			continue
		}
		hosts := CarriedBy(t.web.Estate, z.Domain, c)
		for _, h := range hosts {
			k.Hosts = append(k.Hosts, h.String())
			k.Redirects = k.Redirects || z.Domain.Served[h] != c
			open = open || z.Domain.Served[h] != c && z.Domain.State != estate.Moved
		}
		if len(hosts) > 0 && z.Domain.State != estate.Moved {
			for _, step := range c.Steps {
				of := hosts
				switch step {
				case estate.Point:
					of = Reached(z.Domain, c, hosts)
				case estate.Issue:
					of = slices.DeleteFunc(slices.Clone(hosts), func(h web.Host) bool {
						return !Issues(c, z.Domain, h)
					})
				}
				if typed := entriesFor[step]; typed != nil && len(of) > 0 {
					entries, found := typed(t, c, z, of)
					k.Entries, findings = append(k.Entries, entries...), append(findings, found...)
				}
			}
		}
		if row.WithZone {
			k.Entries = append(k.Entries, forwardsToDelete(t, c, z)...)
		}
	}
	if row.Configured && open {
		k.Entries = append(
			k.Entries,
			act.Entry{
				Action:  act.Add,
				Kind:    world.Config,
				Fields:  []act.Field{{Name: "redirects", Holds: c.Name, Software: c.Software}},
				Reasons: []act.Reason{{Why: act.OneConfiguration}},
				Check: expect.Expectation{Kind: expect.Audit,
					Points: []expect.Point{{Address: firstAddress(c)}}},
			},
		)
	}
	if n := sources(k.Entries); c.RulesAtMost >= 0 && n > c.RulesAtMost {
		findings = append(
			findings,
			finding.New(
				finding.BeyondCarrier,
				c.Name,
				fact.TooManyRules{Carrier: c.Name, Rules: n, Most: c.RulesAtMost},
			),
		)
	}
	if c.HostsAtMost >= 0 && len(k.Hosts) > c.HostsAtMost {
		findings = append(
			findings,
			finding.New(
				finding.BeyondCarrier,
				c.Name,
				fact.TooManyHosts{Carrier: c.Name, Hosts: k.Hosts, Most: c.HostsAtMost, Count: len(k.Hosts)},
			),
		)
	}
	return k, findings
}

// Reached leaves out the hosts whose names lead to an edge network in front of a carrier: their
// records never point to it.
func Reached(d *estate.Domain, c *estate.Carrier, hosts []web.Host) []web.Host {
	return slices.DeleteFunc(slices.Clone(hosts), func(h web.Host) bool {
		return d.Through[h] != nil && d.Through[h] != c || IsBehind(d, h, c)
	})
}

// IsBehind reports whether a carrier is behind the edge network that carries a host.
func IsBehind(d *estate.Domain, h web.Host, c *estate.Carrier) bool {
	return d.Carry[h] != nil && d.Carry[h] != c && d.Carry[h].Behind == c.Name
}

// Issues reports whether a carrier has to be told to get a certificate for a host: it answers there
// by TLS itself, to visitors or to the edge network in front of it.
func Issues(c *estate.Carrier, d *estate.Domain, h web.Host) bool {
	switch {
	case !slices.Contains(c.Steps, estate.Issue), !c.TLS, c.ApexOnly && !h.IsApex():
		return false
	case IsBehind(d, h, c):
		return d.Carry[h].Origin != estate.PlainOrigin
	}
	return d.Through[h] == nil || d.Through[h] == c
}

// sources counts the lines of a redirect service.
func sources(all []act.Entry) int {
	n := 0
	for _, e := range all {
		if e.Kind == world.SourceEntry {
			n++
		}
	}
	return n
}

// CarriedBy gives the hosts of a domain that a carrier answers, or is behind the edge network that
// carries them.
func CarriedBy(e *estate.Estate, d *estate.Domain, c *estate.Carrier) []web.Host {
	var all []web.Host
	for _, h := range d.Hosts() {
		if d.AnsweredBy(h, c) || IsBehind(d, h, c) && !e.Serves(h) {
			all = append(all, h)
		}
	}
	return all
}

// numbered puts what goes before what comes, and numbers all of it.
func numbered(k Carried) Carried {
	slices.SortStableFunc(k.Entries, func(a, b act.Entry) int {
		return act.RemovesFirst(a.Action, b.Action)
	})
	for i := range k.Entries {
		k.Entries[i].Step = i + 1
	}
	return k
}

// cannot tells what a carrier cannot do.
func cannot(c *estate.Carrier) []fact.Sentence {
	var all []fact.Sentence
	add := func(applies bool, facts fact.Facts) {
		if applies {
			all = append(all, fact.Of(facts, fact.Says))
		}
	}
	add(!c.TLS, fact.CannotTLS{})
	add(!c.KeepsPath, fact.CannotPath{})
	add(!c.KeepsQuery, fact.CannotQuery{})
	add(c.ApexOnly, fact.CannotWWW{})
	add(c.Frames, fact.CannotRedirect{})
	add(!c.HoldsRules && !c.By.Row().OneTarget, fact.CannotRules{})
	add(c.PatternsAtMost >= 0, fact.MostPatterns{Most: c.PatternsAtMost})
	add(c.HostsAtMost >= 0, fact.MostHosts{Most: c.HostsAtMost})
	add(c.RulesAtMost >= 0, fact.MostRules{Most: c.RulesAtMost})
	add(c.Origin == estate.PlainOrigin, fact.FetchesPlain{})
	add(c.TLS && c.Certificate == estate.After, fact.CertificateLate{})
	return all
}

func lookAt(h web.Host) expect.Expectation {
	return expect.Expectation{Kind: expect.Doors, Name: h.Typed().String()}
}

// forwardEntries gives the line of a form for each host: the complete destination, permanent,
// without a frame.
func forwardEntries(t typing, c *estate.Carrier, z zone.Zone, hosts []web.Host) ([]act.Entry,
	[]finding.Finding) {
	var all []act.Entry
	d := z.Domain
	for _, h := range hosts {
		if c.ApexOnly && !h.IsApex() {
			continue
		}
		path, why := "not offered", []act.Reason{{Why: act.TypeInFull}, costs(t.web, d.LeadsTo)}
		if c.KeepsPath {
			path = keeping(d.Fallback == estate.SamePath)
		} else {
			why = append(why, act.Reason{Why: act.PathNotOffered})
		}
		all = append(all,
			act.Entry{Action: act.Add, Kind: world.Forward, Domain: d.Name.String(), Fields: []act.Field{
				{
					Name:  "from",
					Value: h.String(),
				}, {Name: "to", Value: d.LeadsTo.String()}, {Name: "kind", Value: fmt.Sprintf("permanent (%d)",
					t.web.Estate.Policy.Status)},
				{Name: "frame or masking", Value: "no"}, {Name: "path", Value: path},
			}, Reasons: why, Check: lookAt(h)})
	}
	return all, nil
}

// keeping says whether something is handed on.
func keeping(keeps bool) string {
	if keeps {
		return "keep"
	}
	return "drop"
}

// sourceEntries gives what is typed at a redirect service: a line for each rule, which go first,
// and one for everything else of a host.
func sourceEntries(t typing, c *estate.Carrier, z zone.Zone, hosts []web.Host) ([]act.Entry,
	[]finding.Finding) {
	var all []act.Entry
	d := z.Domain
	line := func(from, to, path, query string, status int, check expect.Expectation) {
		kind, why := fmt.Sprintf("permanent (%d)", status), []act.Reason{{Why: act.TypeInFull}}
		switch status {
		case 302, 307:
			kind = fmt.Sprintf("temporary (%d)", status)
		case rule.Gone:
			to, kind = "no target", "410 (gone)"
			why = append(why, act.Reason{Why: act.GoneOrServer})
		}
		all = append(all,
			act.Entry{Action: act.Add, Kind: world.SourceEntry, Domain: z.Name, Fields: []act.Field{
				{Name: "source", Value: from}, {Name: "destination", Value: to}, {Name: "kind", Value: kind},
				{Name: "path", Value: path}, {Name: "query", Value: query},
			}, Reasons: why, Check: check})
	}
	for _, h := range hosts {
		for _, e := range entriesOf(t.web.Rules, h) {
			r := e.Rule
			path, exact := r.Old.Exact()
			if !exact {
				continue // a limit, which is said
			}
			u := web.Door{Scheme: web.HTTPS, Host: h}.URL(path, "")
			to := ""
			if m, ok := t.web.Rules.Lookup(u); ok && m.Rule == r {
				to = m.Location(t.web.Estate.Canonical)
			}
			line(h.String()+path, to, "does not matter", keeping(!r.DropQuery && c.KeepsQuery),
				cmp.Or(r.Status, t.web.Estate.Policy.Status),
				expect.Expectation{Kind: expect.Door, URL: u.String()})
		}
		path := keeping(c.KeepsPath && d.Fallback == estate.SamePath)
		line(h.String(), d.LeadsTo.String(), path, keeping(c.KeepsQuery), t.web.Estate.Policy.Status,
			lookAt(h))
	}
	return all, nil
}

// doorEntries gives the redirects of a hosting account: http and https apart, the complete
// destination at each.
func doorEntries(t typing, c *estate.Carrier, z zone.Zone, hosts []web.Host) ([]act.Entry,
	[]finding.Finding) {
	var all []act.Entry
	d := z.Domain
	for _, h := range hosts {
		if d.Served[h] == c {
			continue // it serves the site there
		}
		for _, door := range web.Doors(h) {
			if door.Scheme == web.HTTPS && !c.TLS {
				continue
			}
			all = append(all,
				act.Entry{Action: act.Add, Kind: world.DoorEntry, Domain: z.Name, Fields: []act.Field{
					{Name: "from", Value: door.String()}, {Name: "to", Value: d.LeadsTo.String()},
					{Name: "kind", Value: fmt.Sprintf("permanent (%d)", t.web.Estate.Policy.Status)},
					{Name: "path", Value: keeping(c.KeepsPath && d.Fallback == estate.SamePath)},
				}, Reasons: []act.Reason{{Why: act.UntilRedirected, Carrier: c.Name}}, Check: lookAt(h)})
		}
	}
	return all, nil
}

// Of Reason.Count and Of where no number of hops is meant.
const (
	Nowhere = -1 // it leads nowhere
	NoWWW   = -2 // there is no www to leave away
)

// costs says what a destination costs that is typed with http, or without www.
func costs(w *predict.Prediction, to web.URL) act.Reason {
	hops := func(d web.Door) int {
		c := chain.Follow(context.Background(), w, chain.Ask{URL: to.At(d)}, chain.Root)
		if c.Last().Refusal != "" {
			return Nowhere
		}
		return len(c.Hops) - 1
	}
	r := act.Reason{Why: act.CostsMore, Count: hops(web.Door{Scheme: web.HTTP, Host: to.Host()}),
		Of: NoWWW}
	if apex, ok := to.Host().Apex(); ok && apex != to.Host() {
		r.Of = hops(web.Door{Scheme: web.HTTPS, Host: apex})
	}
	return r
}

// forwardsToDelete gives the forwardings of hosts that leave a form: their addresses were seen
// there.
func forwardsToDelete(t typing, c *estate.Carrier, z zone.Zone) []act.Entry {
	var all []act.Entry
	for _, h := range z.Domain.Hosts() {
		for _, ch := range z.Changes {
			if z.Domain.Carry[h] == c || ch.Name != h.String() || ch.Step == 0 ||
				ch.Type != "A" && ch.Type != "AAAA" {
				continue
			}
			for _, a := range c.Addresses {
				if slices.Contains(ch.Before, a.String()) {
					all = append(
						all,
						act.Entry{Action: act.Remove, Kind: world.Forward, Domain: z.Name,
							Fields:  []act.Field{{Name: world.FieldFrom, Value: h.String()}},
							Before:  forwardsToday(t, z, h),
							Reasons: []act.Reason{{Why: act.DeleteBefore, Name: h.String()}}, Check: lookAt(h)},
					)
				}
			}
		}
	}
	return all
}

// forwardsToday gives what stands in the boxes of a forwarding, as far as its door showed it.
func forwardsToday(t typing, z zone.Zone, h web.Host) []act.Field {
	fields := []act.Field{{Name: world.FieldFrom, Value: h.String()}}
	seen := t.seen.Last[z.Name]
	if seen == nil {
		return fields
	}
	for _, ch := range seen.Chains {
		first := ch.Hops[0]
		if ch.Probe != chain.Root || ch.Entry.Host() != h || first.Location == "" {
			continue
		}
		return append(fields, act.Field{Name: world.FieldTo, Value: first.Location},
			act.Field{Name: world.FieldKind, Value: fmt.Sprint(first.Status)})
	}
	return fields
}

// claimEntries gives the hosts that a platform has to be told of.
func claimEntries(t typing, c *estate.Carrier, z zone.Zone, hosts []web.Host) ([]act.Entry,
	[]finding.Finding) {
	var all []act.Entry
	why := act.ClaimBefore
	if c.By.Row().Shared {
		why = act.AddBefore
	}
	for _, h := range hosts {
		if ClaimedAt(t.seen, z.Name, h, c) {
			continue
		}
		all = append(
			all,
			act.Entry{
				Action:  act.Add,
				Kind:    world.HostEntry,
				Domain:  z.Name,
				Fields:  []act.Field{{Name: "host", Value: h.String()}},
				Reasons: []act.Reason{{Why: why}},
			},
		)
	}
	return all, nil
}

// pointEntries gives the records that are typed elsewhere before a platform goes on.
func pointEntries(_ typing, c *estate.Carrier, z zone.Zone, hosts []web.Host) ([]act.Entry,
	[]finding.Finding) {
	var fields []act.Field
	for _, r := range z.Records {
		if record.LeadsBrowsers(r.Type) &&
			slices.ContainsFunc(hosts, func(h web.Host) bool { return h.String() == r.Name }) ||
			AsksFor(c, z.Domain, r) {
			var values []string
			for _, v := range r.Values {
				values = append(values, record.Typed(r.Type, v))
			}
			fields = append(fields,
				act.Field{Name: r.Name + " " + r.Type, Value: strings.Join(values, ", ")})
		}
	}
	return []act.Entry{
		{
			Action:  act.Add,
			Kind:    world.Records,
			Domain:  z.Name,
			Fields:  fields,
			Reasons: []act.Reason{{Why: act.TypeThere, Name: z.Name, Carrier: c.Name}},
			Check:   expect.Expectation{Kind: expect.SurveyRecords, Name: z.Name},
		},
	}, nil
}

// AsksFor reports whether a record is there because a carrier asks for it.
func AsksFor(c *estate.Carrier, d *estate.Domain, r zone.Record) bool {
	return slices.ContainsFunc(
		d.Wanted,
		func(w estate.Wanted) bool { return w.By == c.Name && w.Name == r.Name && w.Type == r.Type },
	)
}

// issueEntries gives the certificates that a carrier has to hold.
func issueEntries(t typing, c *estate.Carrier, z zone.Zone, hosts []web.Host) ([]act.Entry,
	[]finding.Finding) {
	row := c.By.Row()
	switch {
	case row.Claims, row.ExactOnly:
		return t.issuedThere(c, z, hosts), nil
	case row.TakesZone && !c.TLS:
		return nil, nil
	case row.TakesZone:
		return []act.Entry{
			{
				Action:  act.Add,
				Kind:    world.CertEntry,
				Domain:  z.Name,
				Fields:  []act.Field{{Name: "certificate for", Value: joined(hosts)}},
				Reasons: []act.Reason{{Why: act.HeldFirst}},
				Check:   expect.Expectation{Kind: expect.Doors, Name: z.Name, Points: points(c, hosts)},
			},
		}, nil
	}
	return t.heldByHand(c, z, hosts), nil
}

func joined(hosts []web.Host) string {
	var all []string
	for _, h := range hosts {
		all = append(all, h.String())
	}
	return strings.Join(all, ", ")
}

// issuedThere gives the certificates that a platform has issued by itself.
func (t typing) issuedThere(c *estate.Carrier, z zone.Zone, hosts []web.Host) []act.Entry {
	var all []act.Entry
	for _, h := range hosts {
		why := act.HeldBefore
		switch {
		case CertifiedThere(t.seen, z.Name, h, c):
			continue
		case ClaimedAt(t.seen, z.Name, h, c):
			why = act.BeingIssued
		case c.Certificate == estate.After:
			why = act.HeldAfter
		}
		all = append(
			all,
			act.Entry{
				Action:  act.Add,
				Kind:    world.CertEntry,
				Domain:  z.Name,
				Fields:  []act.Field{{Name: "certificate for", Value: h.String()}},
				Reasons: []act.Reason{{Why: why}},
				Check:   lookAt(h),
			},
		)
	}
	return all
}

// heldByHand gives the certificates that a server of our own has to hold.
func (t typing) heldByHand(c *estate.Carrier, z zone.Zone, hosts []web.Host) []act.Entry {
	var all []act.Entry
	for _, cert := range t.certificates[z.Name] {
		if cert.Carrier != c.Name {
			continue
		}
		e := act.Entry{
			Action: act.Add,
			Kind:   world.CertEntry,
			Domain: z.Name,
			Fields: []act.Field{{Name: "certificate for", Value: strings.Join(cert.Names, ", ")}},
			Check:  expect.Expectation{Kind: expect.Audit, Name: z.Name, Points: points(c, hosts)},
		}
		switch c.Certificate {
		case estate.Before:
			for i, n := range cert.Names {
				at := "_acme-challenge." + strings.TrimPrefix(n, "*.")
				if i < len(cert.ByDNS) {
					at = cert.ByDNS[i]
				}
				e.Fields = append(e.Fields, act.Field{Name: "proof by DNS (TXT)", Value: at})
			}
			e.Reasons = []act.Reason{{Why: act.ProofByDNS}}
		case estate.After:
			e.Reasons = []act.Reason{{Why: act.IssuedAfter}}
		default:
			e.Reasons = []act.Reason{{Why: act.PutByHand}}
		}
		all = append(all, e)
	}
	return all
}

// primaryEntries gives the host to which a platform leads its others, and before that the redirects
// of those that it is to lead elsewhere than to the same path.
func primaryEntries(t typing, c *estate.Carrier, z zone.Zone, hosts []web.Host) ([]act.Entry,
	[]finding.Finding) {
	canonical := t.web.Estate.Canonical.Host
	others := slices.DeleteFunc(slices.Clone(hosts), func(h web.Host) bool { return h == canonical })
	if len(others) == 0 {
		return nil, nil
	}
	var all []act.Entry
	lives := t.web.Estate.SiteAt(c)
	for _, h := range others {
		d := z.Domain
		plainly := lives && d.Fallback == estate.SamePath &&
			d.LeadsTo == t.web.Estate.Canonical.URL("/", "") &&
			len(entriesOf(t.web.Rules, h)) == 0
		if d.Served[h] == c || !c.HoldsRules || plainly {
			continue
		}
		for _, s := range starsFor(t.web, d, "", []web.Host{h}) {
			all = append(all, patternEntry(z.Name, s))
		}
	}
	if !lives {
		return all, nil // it can lead them to no host that it does not have
	}
	why := []act.Reason{{Why: act.PrimaryRedirects}}
	if i, j := slices.Index(c.Steps, estate.Issue),
		slices.Index(c.Steps, estate.Redirect); i >= 0 && i < j {
		why = append(why, act.Reason{Why: act.AfterCertificates})
	}
	return append(all,
		act.Entry{Action: act.Add, Kind: world.Primary, Domain: z.Name, Reasons: why,
			Check: lookAt(others[0]),
			Fields: []act.Field{
				{Name: world.FieldPrimary, Value: canonical.String()},
				{Name: world.FieldRedirected, Value: joined(others)},
			}}), nil
}

// zoneEntries gives the zone that an edge network takes over.
func zoneEntries(_ typing, c *estate.Carrier, z zone.Zone, _ []web.Host) ([]act.Entry,
	[]finding.Finding) {
	if len(c.NameServers) == 0 || z.Move == nil && z.Seen != nil {
		return nil, nil
	}
	return []act.Entry{
		{
			Action: act.Add,
			Kind:   world.ZoneEntry,
			Domain: z.Name,
			Fields: []act.Field{
				{Name: "zone", Value: z.Name},
				{Name: "name servers", Value: strings.Join(web.Names(c.NameServers), ", ")},
			},
			Reasons: []act.Reason{{Why: act.TakesZone, Carrier: c.Name}},
			Check:   expect.Expectation{Kind: expect.Survey, Name: z.Name},
		},
	}, nil
}

// patternEntries gives the patterns that an edge network has to hold.
func patternEntries(t typing, c *estate.Carrier, z zone.Zone, hosts []web.Host) ([]act.Entry,
	[]finding.Finding) {
	d := z.Domain
	origin := OriginEntries(c, z)
	if c.Behind != "" ||
		!slices.ContainsFunc(hosts, func(h web.Host) bool { return d.Carry[h] == c }) {
		return origin, nil
	}
	stars := starsOf(t.web, d, c)
	all := origin
	for _, s := range stars {
		all = append(all, patternEntry(z.Name, s))
	}
	return all, checkStars(t.web, d, c, stars, t.asks[d])
}

// OriginEntries says how an edge network speaks to what is behind it, where something is: to the
// site for its hosts, and to the carrier that is behind it for the others.
func OriginEntries(c *estate.Carrier, z zone.Zone) []act.Entry {
	site := c.BehindSite
	var through, others []web.Host
	for _, h := range z.Domain.Hosts() {
		switch {
		case z.Domain.Through[h] == c:
			through = append(through, h)
		case z.Domain.Carry[h] == c:
			others = append(others, h)
		}
	}
	entry := func(behind string, hosts []web.Host) act.Entry {
		e := act.Entry{
			Action: act.Add,
			Kind:   world.OriginEntry,
			Domain: z.Name,
			Fields: []act.Field{
				{Name: world.FieldBehind, Value: behind},
				{Name: world.FieldAskedBy, Value: world.AskedByTLS},
			},
			Reasons: []act.Reason{{Why: act.OriginNeedsCertificate}},
		}
		if c.Origin == estate.PlainOrigin {
			e.Fields[1].Value = world.AskedPlainly
			e.Reasons = []act.Reason{{Why: act.OriginMustNotUpgrade}}
		}
		if len(hosts) > 0 {
			e.Fields = append(e.Fields, act.Field{Name: world.FieldHosts, Value: joined(hosts)})
		}
		return e
	}
	switch {
	case len(through) > 0 && len(others) > 0 && c.Behind != "":
		return []act.Entry{entry(world.BehindSite, through), entry(c.Behind, others)}
	case len(through) > 0 || site:
		return []act.Entry{entry(world.BehindSite, nil)}
	case c.Behind != "":
		return []act.Entry{entry(c.Behind, nil)}
	}
	return nil
}

func patternEntry(domain string, s Star) act.Entry {
	kind, query := fmt.Sprint(s.Status), "keep"
	switch {
	case s.Drops:
		query = "drop"
	case s.New == "":
		query = ""
	}
	why := []act.Reason{{Why: act.PatternTakes, Values: s.Takes, Name: s.Rule}}
	if n := strings.Count(s.Old, "*"); strings.HasPrefix(s.Old, "*") && n > 1 &&
		strings.Contains(s.New, "$") {
		why = append(why, act.Reason{Why: act.FirstStar})
	}
	if host, led := strings.CutPrefix(strings.TrimSuffix(s.Old, "/*"), "*"); led &&
		!strings.Contains(host, "/") {
		why = append(why, act.Reason{Why: act.StarBeforeName, Name: host})
	}
	if !strings.HasSuffix(s.Old, "*") {
		why = append(why, act.Reason{Why: act.ExactWithQuery, Name: s.Old + "?*"})
	}
	if s.Wider != "" {
		why = append(why, act.Reason{Why: act.StarWider, URL: s.Wider})
	}
	to := s.New
	if s.New == "" {
		to, kind = "no target", "410 (gone)"
		why = append(why, act.Reason{Why: act.GoneOrServer})
	}
	e := act.Entry{
		Action:  act.Add,
		Kind:    world.Pattern,
		Domain:  domain,
		Reasons: why,
		Star:    &act.Pointed{Line: s.Line, Takes: s.Takes, Wider: s.Wider},
		Fields: []act.Field{
			{
				Name:  "pattern",
				Value: s.Old,
			}, {Name: "target", Value: to}, {Name: "status", Value: kind},
			{Name: "query", Value: cmp.Or(query,
				"does not matter")}, {Name: "rule", Value: s.Rule}},
	}
	if example := strings.ReplaceAll(strings.TrimPrefix(s.Old, "*"), "*",
		"example"); !strings.Contains(example, "://") {
		e.Check = expect.Expectation{Kind: expect.Door, URL: "https://" + example}
	}
	return e
}

func firstAddress(c *estate.Carrier) string {
	if len(c.Addresses) == 0 {
		return ""
	}
	return c.Addresses[0].String()
}

// points leads an audit to a carrier before any name points there.
func points(c *estate.Carrier, hosts []web.Host) []expect.Point {
	var all []expect.Point
	for _, h := range hosts {
		if len(c.Addresses) > 0 {
			all = append(all, expect.Point{Host: h.Typed().String(), Address: c.Addresses[0].String()})
		}
	}
	return all
}

// siteEntries gives what the site itself has to do: lead its other names to the canonical host.
func siteEntries(e *estate.Estate) Carried {
	k := Carried{Name: predict.SiteName, By: SiteKind, Hosts: []string{}, Entries: []act.Entry{}}
	for _, s := range e.Sites() {
		for _, h := range s.Hosts {
			k.Hosts = append(k.Hosts, h.String())
		}
		for _, h := range s.Also {
			k.Entries = append(
				k.Entries,
				act.Entry{Action: act.Add, Kind: world.Primary, Domain: h.String(),
					Reasons: []act.Reason{{Why: act.AlsoAnswers}}, Check: lookAt(h),
					Fields: []act.Field{
						{Name: "primary", Value: s.Canonical.Host.String()},
						{Name: "redirected to it", Value: h.String()},
					}},
			)
		}
	}
	return k
}

// registrars gives what is typed at registrars: delegations and DS records.
func registrars(zones []zone.Zone, seen zone.Surveys) []Carried {
	var all []Carried
	for _, z := range zones {
		entries := RegistrarEntries(z, seen)
		if len(entries) == 0 || z.Guest {
			continue
		}
		name := RegistrarOf(&z)
		i := slices.IndexFunc(all, func(k Carried) bool { return k.Name == name })
		if i < 0 {
			i = len(all)
			all = append(all,
				Carried{Name: name, By: RegistrarKind, Hosts: []string{}, Entries: []act.Entry{}})
		}
		all[i].Entries = append(all[i].Entries, entries...)
	}
	return all
}

func RegistrarOf(z *zone.Zone) string {
	return cmp.Or(z.Domain.Registrar, "the registrar of "+z.Name)
}

func RegistrarEntries(z zone.Zone, seen zone.Surveys) []act.Entry {
	last := seen.Last[z.Name]
	var all []act.Entry
	add := func(e act.Entry) {
		e.Domain, e.Check = z.Name, expect.Expectation{Kind: expect.Survey, Name: z.Name}
		all = append(all, e)
	}
	if z.New != nil && len(z.New.To) > 0 {
		why := act.Reason{Why: act.ZoneNotThere}
		if z.New.Ready {
			why = act.Reason{Why: act.ZoneThere}
		}
		add(act.Entry{Action: act.Add, Kind: world.NameServers, Fields: serverFields(z.New.To),
			Reasons: []act.Reason{why}})
	}
	if last == nil {
		return all
	}
	stale := len(last.Parent.DS) > 0
	for _, ds := range last.Parent.DS {
		stale = stale && !ds.Matched
	}
	if stale || z.Move != nil && len(z.Move.DS) > 0 {
		for _, ds := range last.Parent.DS {
			why := act.Reason{Why: act.FitsNoKey}
			if !stale {
				why = act.Reason{Why: act.BeforeServers, Seconds: z.Move.OldLives}
			}
			add(act.Entry{Action: act.Remove, Kind: world.DSEntry,
				Fields: []act.Field{{Name: "DS", Value: ds.Text}}, Reasons: []act.Reason{why}})
		}
	}
	if m := z.Move; m != nil {
		ready := act.Reason{Why: act.ServersReady}
		if !m.Ready {
			ready = act.Reason{Why: act.ServersNotReady}
		}
		add(
			act.Entry{
				Action:  act.Replace,
				Kind:    world.NameServers,
				Fields:  serverFields(m.To),
				Reasons: []act.Reason{ready, {Why: act.ServersUntilNow, Values: m.From, Seconds: m.OldLives}},
			},
		)
	}
	return all
}

func serverFields(servers []string) []act.Field {
	fields := []act.Field{}
	for i, n := range servers {
		fields = append(fields, act.Field{Name: fmt.Sprintf("name server %d", i+1), Value: n})
	}
	return fields
}
