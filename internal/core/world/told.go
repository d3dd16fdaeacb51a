package world

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

// EntryKind says what an entry is about.
type EntryKind string

// The kinds of entries.
const (
	Forward     EntryKind = "forward"      // a line of a forwarding form
	SourceEntry EntryKind = "source"       // a line of a redirect service
	DoorEntry   EntryKind = "door"         // the redirect of one door
	HostEntry   EntryKind = "host"         // a host that the carrier has to be told of
	Pattern     EntryKind = "pattern"      // a redirect by pattern
	ZoneEntry   EntryKind = "zone"         // a zone that the carrier takes over
	NameServers EntryKind = "name-servers" // the delegation
	DSEntry     EntryKind = "ds"           // the parent's word that the zone is signed
	CertEntry   EntryKind = "certificate"  // a certificate to be had
	Records     EntryKind = "records"      // records that are typed elsewhere, and waited for
	OriginEntry EntryKind = "origin"       // how what is behind an edge network is spoken to
	Primary     EntryKind = "primary"      // the host to which a platform leads its others
	Config      EntryKind = "configuration"
)

// The boxes of forms, by what stands beside them.
const (
	FieldFrom         = "from"
	FieldTo           = "to"
	FieldKind         = "kind"
	FieldFrame        = "frame or masking"
	FieldPath         = "path"
	FieldQuery        = "query"
	FieldSource       = "source"
	FieldDestination  = "destination"
	FieldHost         = "host"
	FieldHosts        = "hosts"
	FieldPattern      = "pattern"
	FieldTarget       = "target"
	FieldStatus       = "status"
	FieldZone         = "zone"
	FieldNameServers  = "name servers"
	FieldCertificate  = "certificate for"
	FieldProof        = "proof by DNS (TXT)"
	FieldBehind       = "behind it"
	FieldAskedBy      = "asked by"
	FieldPrimary      = "primary"
	FieldRedirected   = "redirected to it"
	FieldNameServer   = "name server " // with its number
	FieldDS           = "DS"
	Kept              = "keep"
	AskedByTLS        = "as visitors ask; by https its certificate is checked"
	AskedPlainly      = "http"
	acmeChallengeName = "_acme-challenge."
)

// Told is what one carrier was told: all that somebody typed on its page or put on it.
type Told struct {
	Knew         map[string]bool       // hosts that it was seen to know before anything was typed
	Meets        map[string]bool       // hosts that it answers today, whether it knows them or not
	Gave         map[string]bool       // hosts that it answered for as long as it held their zone
	Had          map[string]bool       // hosts for which it was seen with a good certificate
	Hosts        map[string]bool       // that were claimed or added
	Files        map[string]bool       // hosts of a server's files
	Forwards     map[string]Forwarding // by host; of an account by door, such as "http://old.example"
	Sources      map[string]Forwarding // by host and path
	Patterns     map[string][]Star     // by zone, in their order
	Origins      map[string]Origin     // by host, or by zone for all other hosts there
	Zones        map[string][]string   // taken over, with their name servers
	Primaries    map[string]string     // the host to which each is led
	Certificates map[string]bool       // hosts that one is to be had for
	Awaited      map[string][]Field    // records that its page waits for, by zone
	Delegations  map[string][]string   // of a registrar: name servers by zone
	Unsigned     map[string][]string   // of a registrar: DS records that were taken out, by zone
}

// Forwarding is where a line of a form leads.
type Forwarding struct {
	To        string
	Status    int
	KeepsPath bool
	Query     string // keep or drop; "" where the form does not ask, and does as it likes
	Frames    bool
}

// Origin is what an edge network asks.
type Origin struct{ Behind, AskedBy string }

// At gives what a carrier was told; what it holds must not be changed.
func (w *World) At(carrier string) *Told {
	t := w.told[carrier]
	if t == nil {
		t = &Told{
			Knew: map[string]bool{}, Meets: map[string]bool{}, Gave: map[string]bool{},
			Had: map[string]bool{}, Hosts: map[string]bool{}, Files: map[string]bool{},
			Forwards: map[string]Forwarding{}, Sources: map[string]Forwarding{},
			Patterns: map[string][]Star{},
			Origins:  map[string]Origin{}, Zones: map[string][]string{}, Primaries: map[string]string{},
			Certificates: map[string]bool{}, Awaited: map[string][]Field{},
			Delegations: map[string][]string{}, Unsigned: map[string][]string{},
		}
		w.told[carrier] = t
	}
	return t
}

// SawKnown notes that a carrier was seen to know a host before anything was typed.
func (w *World) SawKnown(carrier, host string) { w.At(carrier).Knew[host] = true }

// SawForwarding notes that a form was seen to forward a host.
func (w *World) SawForwarding(carrier, host string) {
	t := w.At(carrier)
	t.Knew[host] = true
	t.Forwards[host] = Forwarding{}
}

// Tell changes what a carrier was told by one entry, whether it takes that yet or not: for a state
// in which all is typed, in whatever order. The error is an *Unfit.
func (w *World) Tell(r Row) error {
	w.anyOrder = true
	defer func() { w.anyOrder = false }()
	return w.tell(r)
}

// tell changes what a carrier was told by one entry.
func (w *World) tell(r Row) error {
	t, unfit := w.At(r.Place), func(why fact.Facts) error { return &Unfit{r, why} }
	box := func(name string) string {
		for _, f := range r.Fields {
			if f.Name == name {
				return f.Value
			}
		}
		return ""
	}
	if r.Do == Remove {
		return w.untell(t, r, box)
	}
	if why := w.tooEarly(r, box); why != nil && !w.anyOrder {
		return unfit(why)
	}
	switch r.Kind {
	case Forward, DoorEntry:
		if box(FieldFrom) == "" {
			return unfit("it names no host")
		}
		t.Forwards[box(FieldFrom)] = forwarding(box, FieldTo)
	case SourceEntry:
		if box(FieldSource) == "" {
			return unfit("it names no source")
		}
		t.Sources[box(FieldSource)] = forwarding(box, FieldDestination)
	case HostEntry:
		t.Hosts[box(FieldHost)] = true
	case Config:
		for _, h := range listed(box(FieldHosts)) {
			t.Files[h] = true
		}
	case Pattern:
		s := Star{Old: box(FieldPattern), New: box(FieldTarget), Status: numberIn(box(FieldStatus)),
			Drops: box(FieldQuery) == "drop"}
		if s.Status == 410 {
			s.New = ""
		}
		t.Patterns[r.Domain] = append(t.Patterns[r.Domain], s)
	case ZoneEntry:
		t.Zones[box(FieldZone)] = listed(box(FieldNameServers))
	case OriginEntry:
		o := Origin{box(FieldBehind), box(FieldAskedBy)}
		for _, h := range listed(box(FieldHosts)) {
			t.Origins[h] = o
		}
		if box(FieldHosts) == "" {
			t.Origins[r.Domain] = o
		}
	case Primary:
		if c := w.estate.Carrier(r.Place); c != nil && !w.estate.SiteAt(c) &&
			!t.Hosts[box(FieldPrimary)] && !t.Knew[box(FieldPrimary)] {
			return unfit(fact.NoSuchPrimary{Carrier: c.Name, Host: box(FieldPrimary)})
		}
		for _, h := range listed(box(FieldRedirected)) {
			t.Primaries[h] = box(FieldPrimary)
		}
	case CertEntry:
		return w.certified(t, r, box)
	case Records:
		t.Awaited[r.Domain] = append(t.Awaited[r.Domain], r.Fields...)
	case DSEntry:
		if z := w.zones[r.Domain]; z != nil && slices.Contains(z.ds, box(FieldDS)) {
			return unfit(fact.ThereAlready{})
		}
		w.publish(t, r, box(FieldDS))
	case NameServers:
		var servers []string
		for _, f := range r.Fields {
			servers = append(servers, f.Value)
		}
		t.Delegations[r.Domain] = servers
		w.leave(r.Domain, inOrder(servers))
	default:
		return unfit(fact.NoSuchEntry{})
	}
	return nil
}

func (w *World) untell(t *Told, r Row, box func(string) string) error {
	switch r.Kind {
	case Forward:
		host := box(FieldFrom)
		if _, there := t.Forwards[host]; !there {
			return &Unfit{r, fact.NotForwarded{}}
		}
		delete(t.Forwards, host)
		delete(t.Knew, host)
		delete(t.Meets, host)
	case DSEntry:
		t.Unsigned[r.Domain] = append(t.Unsigned[r.Domain], box(FieldDS))
		if z := w.own(r.Domain, false); z != nil && slices.Contains(z.ds, box(FieldDS)) {
			z.ds = slices.DeleteFunc(slices.Clone(z.ds), func(ds string) bool { return ds == box(FieldDS) })
			z.dsUntil = w.now + z.delegated
		}
	default:
		if !w.untold(t, r, box) {
			return &Unfit{r, fact.NoTakingOut{}}
		}
	}
	return nil
}

// stepOf says which of a carrier's steps an entry belongs to, and for which hosts it is.
func stepOf(r Row, box func(string) string) (estate.CarrierStep, []string) {
	switch r.Kind {
	case HostEntry:
		return estate.Claim, []string{box(FieldHost)}
	case CertEntry:
		return estate.Issue, listed(box(FieldCertificate))
	case Primary:
		return estate.Redirect, listed(box(FieldRedirected))
	}
	return "", nil
}

// tooEarly tells what a carrier wants first, by its own order of steps; nil where all of that is
// done. What stands behind an edge network is never led to by its records.
func (w *World) tooEarly(r Row, box func(string) string) fact.Facts {
	c := w.estate.Carrier(r.Place)
	step, hosts := stepOf(r, box)
	if c == nil || step == "" {
		return nil
	}
	steps := c.Steps
	if step == estate.Issue && c.Certificate == estate.After && !slices.Contains(steps, estate.Point) {
		steps = append([]estate.CarrierStep{estate.Point}, steps...)
	}
	if !slices.Contains(steps, estate.Point) {
		return nil
	}
	t := w.told[c.Name]
	for _, name := range hosts {
		h, err := web.ParseHost(name)
		if err != nil || w.zoneAt(name) == nil {
			continue
		}
		behind := true
		if d := w.estate.DomainOf(h); d != nil {
			behind = d.Carry[h] != c && d.Served[h] != c || d.Through[h] != nil && d.Through[h] != c
		}
		for _, first := range steps {
			if first == step {
				break
			}
			lacks := false
			switch first {
			case estate.Claim:
				lacks = !t.Hosts[name] && !t.Knew[name]
			case estate.Issue:
				lacks = c.TLS && !w.Certified(c.Name, name)
			case estate.Redirect:
				lacks = t.Primaries[name] == "" && !t.hasPattern(w.ZoneOf(name), h)
			case estate.Point:
				lead := w.Lead(name)
				lacks = !behind && !lead.Unseen() &&
					!slices.ContainsFunc(w.carriersAt(lead), func(who []string) bool {
						return slices.Contains(who, c.Name)
					})
			}
			if lacks {
				return fact.TooEarly{Carrier: c.Name, Host: name, Needs: string(first)}
			}
		}
	}
	return nil
}

// leave leads a zone to other name servers. An edge network answers for its hosts no longer than it
// holds their zone.
func (w *World) leave(name string, to []string) {
	z := w.zones[name]
	if z == nil || slices.Equal(z.servers, to) {
		return
	}
	for _, c := range w.estate.Carriers {
		t := w.told[c.Name]
		if t == nil || !c.By.Row().TakesZone || len(c.NameServers) == 0 ||
			!slices.Equal(web.Names(c.NameServers), z.servers) {
			continue
		}
		for _, all := range []map[string]bool{t.Knew, t.Meets} {
			for host := range all {
				if host == name || strings.HasSuffix(host, "."+name) {
					delete(all, host)
					t.Gave[host] = true
				}
			}
		}
	}
	w.comeBack(name, to)
	w.delegate(name, z.delegated)
	if now := w.own(name, false); now != nil {
		now.servers, now.delegated, now.ds = to, z.delegated, z.ds
	}
}

// Certified reports whether a carrier holds a certificate for a host, or was told to get one.
func (w *World) Certified(carrier, host string) bool {
	t := w.told[carrier]
	if t == nil {
		return false
	}
	_, below, _ := strings.Cut(host, ".")
	star := "*." + below // it covers one label (RFC 6125 section 6.4.3)
	return t.Certificates[host] || t.Had[host] || t.Certificates[star] || t.Had[star]
}

// certified notes for which hosts a certificate is to be had. Where names are proved by DNS, each
// has its proof.
func (w *World) certified(t *Told, r Row, box func(string) string) error {
	hosts := listed(box(FieldCertificate))
	var proofs []string
	for _, f := range r.Fields {
		if f.Name == FieldProof {
			proofs = append(proofs, f.Value)
		}
	}
	if len(proofs) > 0 && !slices.EqualFunc(hosts, proofs, w.proves) {
		return &Unfit{r, fact.ProofDiffers{}}
	}
	for _, h := range hosts {
		t.Certificates[h] = true
	}
	return nil
}

// proves reports whether a name is where the proof of a host stands: its own, or the one to which
// that leads.
func (w *World) proves(host, name string) bool {
	at := acmeChallengeName + strings.TrimPrefix(host, "*.")
	for range mostAliases {
		if at == name {
			return true
		}
		z := w.zoneAt(at)
		if z == nil || !z.has(at, "CNAME") {
			return false
		}
		at = record.Target("CNAME", z.setOf(at, "CNAME").Values[0].Text)
	}
	return false
}

func forwarding(box func(string) string, to string) Forwarding {
	return Forwarding{
		To:        box(to),
		Status:    numberIn(box(FieldKind)),
		KeepsPath: box(FieldPath) == Kept,
		Query:     box(FieldQuery),
		Frames:    box(FieldFrame) == "yes",
	}
}

// numberIn gives the status that a box names, such as 301 of "permanent (301)"; 0 for none.
func numberIn(text string) int {
	for word := range strings.FieldsFuncSeq(text, func(r rune) bool { return r < '0' || r > '9' }) {
		if n, err := strconv.Atoi(word); err == nil && n >= 300 && n < 500 {
			return n
		}
	}
	return 0
}

// inOrder gives the names of name servers in small letters, in order.
func inOrder(servers []string) []string {
	var all []string
	for _, s := range servers {
		all = append(all, strings.ToLower(strings.TrimSuffix(s, ".")))
	}
	slices.Sort(all)
	return all
}

// listed gives what a box lists, parted by commas.
func listed(text string) []string {
	var all []string
	for part := range strings.SplitSeq(text, ",") {
		if part = strings.TrimSpace(part); part != "" {
			all = append(all, part)
		}
	}
	return all
}

// Knows reports whether a carrier was told of a host, or was seen to know it. The site knows what
// it serves.
func (w *World) Knows(carrier string, h web.Host) bool {
	if carrier == SiteName {
		return w.estate.SiteOf(h) != nil
	}
	if d := w.estate.DomainOf(h); d != nil && !h.IsStar() && !d.Star().IsZero() &&
		w.Knows(carrier, d.Star()) && !slices.Contains(d.Hosts(), h) {
		return true
	}
	t, host := w.told[carrier], h.String()
	if t == nil {
		return false
	}
	row := w.kindOf(carrier)
	switch {
	case row.Claims: // what it does not know it does not take, whatever else it was told
		return t.Knew[host] || t.Hosts[host]
	case t.Knew[host], t.Files[host], t.Forwards[host] != (Forwarding{}):
		return true
	}
	for _, door := range web.Doors(h) {
		if _, told := t.Forwards[door.String()]; told {
			return true
		}
	}
	if _, told := t.Sources[host]; told {
		return true
	}
	zone := w.zoneAt(host)
	if zone == nil {
		return false
	}
	if w.Behind(carrier, h) != "" {
		return true
	}
	return t.hasPattern(zone.name, h)
}

// hasPattern reports whether a pattern takes the root of a host.
func (t *Told) hasPattern(zone string, h web.Host) bool {
	root := web.Doors(h)[1].URL("/", "")
	return slices.ContainsFunc(t.Patterns[zone], func(s Star) bool {
		_, takes := s.Match(root)
		return takes
	})
}

func (w *World) kindOf(carrier string) estate.Row {
	if c := w.estate.Carrier(carrier); c != nil {
		return c.By.Row()
	}
	return estate.Row{}
}

// Behind gives whom a carrier was told to ask for a host: another carrier, or SiteName; "" for
// nobody.
func (w *World) Behind(carrier string, h web.Host) string {
	t, z := w.told[carrier], w.zoneAt(h.String())
	if t == nil || z == nil {
		return ""
	}
	o, told := t.Origins[h.String()]
	if !told {
		o = t.Origins[z.name]
	}
	switch behind := o.Behind; behind {
	case BehindSite:
		return SiteName
	default:
		return behind
	}
}

// WasTold reports whether a carrier was told something of what it answers at a URL: a redirect, a
// file, or whom to ask. That it knows the host is not enough.
func (w *World) WasTold(carrier string, u web.URL) bool {
	s, told := w.Says(carrier, u)
	t := w.told[carrier]
	return told && !(s.Unread && !t.Files[u.Host().String()])
}

// Redirects reports whether a carrier, or the site, was told to lead a host to a primary one.
func (w *World) Redirects(carrier, host, primary string) bool {
	t := w.told[carrier]
	return t != nil && t.Primaries[host] == primary
}

// Holds gives the hosts for which a carrier holds a certificate, or was told to get one, in order.
func (w *World) Holds(carrier string) []string {
	t := w.told[carrier]
	if t == nil {
		return nil
	}
	all := slices.Concat(slices.Collect(maps.Keys(t.Certificates)), slices.Collect(maps.Keys(t.Had)))
	slices.Sort(all)
	return slices.Compact(all)
}

// BehindSite stands for the site in the box of what an edge network asks.
const BehindSite = "the site"

// Saying is what a carrier was told to answer.
type Saying struct {
	Status    int
	Location  string
	AnyStatus bool   // nobody says with which status it redirects
	Framed    bool   // it shows the target in a frame
	AnyQuery  bool   // nobody says what becomes of the query
	Behind    string // it asks this carrier, or SiteName, instead
	Unread    bool   // it answers as its file says, or as it was seen to; nobody reads that here
}

// Says gives what a carrier was told to answer at a URL; false where nobody told it anything of
// that.
func (w *World) Says(carrier string, u web.URL) (Saying, bool) {
	t, host := w.told[carrier], u.Host().String()
	if t == nil {
		return Saying{}, false
	}
	if t.Files[host] {
		return Saying{Unread: true}, true
	}
	for _, at := range []string{host, u.Door().String()} {
		if f, told := t.Forwards[at]; told {
			return f.says(u), true
		}
	}
	if f, told := t.Sources[host+web.NormalPath(u.Path())]; told {
		f.KeepsPath = false
		return f.says(u), true
	}
	if f, told := t.Sources[host]; told {
		return f.says(u), true
	}
	zone := ""
	if z := w.zoneAt(host); z != nil {
		zone = z.name
	}
	for _, s := range t.Patterns[zone] {
		if taken, fits := s.Match(u); fits {
			if s.New == "" {
				return Saying{Status: s.Status}, true
			}
			return Saying{Status: s.Status, Location: s.Location(u, taken)}, true
		}
	}
	if behind := w.Behind(carrier, u.Host()); behind != "" {
		return Saying{Behind: behind}, true
	}
	if primary := t.Primaries[host]; primary != "" {
		location := "https://" + primary + u.Path()
		if u.Query() != "" {
			location += "?" + u.Query()
		}
		return Saying{Status: 301, Location: location, AnyStatus: true}, true
	}
	return Saying{Unread: t.Knew[host]}, t.Knew[host]
}

func (f Forwarding) says(u web.URL) Saying {
	if f.Status == 410 {
		return Saying{Status: 410}
	}
	to, query, _ := strings.Cut(f.To, "?")
	if f.KeepsPath && u.Path() != "/" {
		to = strings.TrimSuffix(to, "/") + u.Path()
	}
	if f.Query == Kept {
		query = web.MergeQuery(query, u.Query())
	}
	if query != "" {
		to += "?" + query
	}
	return Saying{Status: f.Status, Location: to, Framed: f.Frames, AnyQuery: f.Query == ""}
}

// Comparable gives as much of a location as the carrier was told of: without its query where the
// form does not ask.
func (s Saying) Comparable(location string) string {
	if s.AnyQuery {
		location, _, _ = strings.Cut(location, "?")
	}
	return location
}
