package world

import (
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
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
	AskedByTLS        = "https, its certificate checked"
	AskedPlainly      = "http"
	acmeChallengeName = "_acme-challenge."
)

// Told is what one carrier was told: all that somebody typed on its page or put on it.
type Told struct {
	Knew         map[string]bool       // hosts that it was seen to know before anything was typed
	Hosts        map[string]bool       // that were claimed or added
	Files        map[string]bool       // hosts of a server's files
	Forwards     map[string]Forwarding // by host; of an account by door, such as "http://old.example"
	Sources      map[string]Forwarding // by host and path
	Patterns     map[string][]Star     // by zone, in their order
	Origins      map[string]Origin     // by zone
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
			Knew: map[string]bool{}, Hosts: map[string]bool{}, Files: map[string]bool{},
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
		t.Origins[r.Domain] = Origin{box(FieldBehind), box(FieldAskedBy)}
	case Primary:
		for _, h := range listed(box(FieldRedirected)) {
			t.Primaries[h] = box(FieldPrimary)
		}
	case CertEntry:
		return w.certified(t, r, box)
	case Records:
		t.Awaited[r.Domain] = append(t.Awaited[r.Domain], r.Fields...)
	case NameServers:
		var servers []string
		for _, f := range r.Fields {
			servers = append(servers, f.Value)
		}
		t.Delegations[r.Domain] = servers
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
	case DSEntry:
		t.Unsigned[r.Domain] = append(t.Unsigned[r.Domain], box(FieldDS))
	default:
		return &Unfit{r, fact.NoTakingOut{}}
	}
	return nil
}

// certified notes for which hosts a certificate is to be had. Where names are proved by DNS, each
// has its proof.
func (w *World) certified(t *Told, r Row, box func(string) string) error {
	hosts := listed(box(FieldCertificate))
	var proofs []string
	for _, f := range r.Fields {
		if f.Name == FieldProof {
			proofs = append(proofs, strings.TrimPrefix(f.Value, acmeChallengeName))
		}
	}
	if len(proofs) > 0 && !slices.Equal(hosts, proofs) {
		return &Unfit{r, fact.ProofDiffers{}}
	}
	for _, h := range hosts {
		t.Certificates[h] = true
	}
	return nil
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
		return w.estate.Serves(h) || slices.Contains(w.estate.Site.Also, h)
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
	if _, told := t.Origins[zone.name]; told {
		return true
	}
	root := web.Doors(h)[1].URL("/", "")
	return slices.ContainsFunc(t.Patterns[zone.name], func(s Star) bool {
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
	if o, told := t.Origins[zone]; told {
		return Saying{Behind: o.Behind}, true
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
